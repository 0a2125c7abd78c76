//! Geometry against worked values made elsewhere; `check_values.json` names the source of each.

mod common;

use common::checks;
use dome_optics::resolution::{backdrop_sharpness, backdrop_width, width_for_pixels_per_degree};
use dome_optics::{Equirect, LonLat, PicturePoint, Projection};
use glam::DVec3;

/// PROJ's `eqc` on the area convention: the same as ours.
#[test]
fn equirect_agrees_with_proj_eqc() {
    for c in checks("area equirect 4096x2048", 8) {
        let (Some([lon, lat]), Some([x, y])) = (c.lonlat, c.px) else {
            panic!("{} lacks its numbers", c.source);
        };
        let point = Equirect
            .to_picture(LonLat::from_deg(lon, lat).to_vector())
            .expect("a full sphere shows everything");
        let (px, py) = point.to_pixels(4096, 2048);
        let apart = (px - x).abs();
        assert!(
            apart.min(4096.0 - apart) < 1e-4 && (py - y).abs() < 1e-4,
            "{lon} {lat}: {px} {py}, not {x} {y}"
        );
    }
}

/// OpenEXR's latitude-longitude shape (header ImfEnvmap.h): +Z in the middle, +X a quarter to the
/// left, samples on the ends. Turning our world half a turn about Y, so that our forward axis -Z
/// becomes its +Z, must give its picture without a mirror image.
#[test]
fn equirect_is_openexr_latlong_after_half_a_turn() {
    for c in checks("OpenEXR ImfEnvmap latlong 4096x2048", 10) {
        let (Some([x, y, z]), Some([ex, ey])) = (c.dir, c.px) else {
            panic!("{} lacks its numbers", c.source);
        };
        if x == 0.0 && z == 0.0 {
            continue; // longitude means nothing at the poles
        }
        let point = Equirect
            .to_picture(DVec3::new(-x, y, -z))
            .expect("a full sphere shows everything");
        // Its samples lie on the ends: scale W-1 and H-1, no half pixel.
        let apart = (point.u * 4095.0 - ex).abs();
        assert!(
            apart.min(4095.0 - apart) < 1e-4 && (point.v * 2047.0 - ey).abs() < 1e-4,
            "{x} {y} {z}: {} {}, not {ex} {ey}",
            point.u * 4095.0,
            point.v * 2047.0
        );
    }
}

/// Definition of the pixel centre, worked by hand for a 4 x 2 picture.
#[test]
fn pixel_centres_of_a_tiny_picture() {
    let d = |column, row| {
        Equirect
            .to_direction(PicturePoint::pixel_centre(column, row, 4, 2))
            .expect("inside")
    };
    let h = 0.5_f64;
    let s = 0.5_f64.sqrt();
    // Column 2 is 45 degrees to the right, row 0 is 45 degrees up.
    assert!((d(2, 0) - DVec3::new(h, s, -h)).length() < 1e-12);
    assert!((d(1, 1) - DVec3::new(-h, -s, -h)).length() < 1e-12);
    assert!((d(0, 0) - DVec3::new(-h, s, h)).length() < 1e-12);
}

/// Backdrop widths worked from the gnomonic scale (from the formula, see `resolution.rs`), and the
/// eye's one arc-minute (Snellen 20/20): 60 pixels per degree.
#[test]
fn widths_for_backdrops_and_headsets() {
    for (frame, hfov, middle, edge) in [
        (1200.0, 60.0_f64, 6530.0, 8706.0),
        (1920.0, 90.0, 6032.0, 12064.0),
        (1280.0, 40.0, 11048.0, 12512.0),
    ] {
        let (m, e) = backdrop_width(frame, hfov.to_radians());
        assert!(
            (m - middle).abs() < 1.0 && (e - edge).abs() < 1.0,
            "{m} {e}"
        );
    }
    // A panorama of exactly the needed width is exactly sharp there.
    let h = 90f64.to_radians();
    let (m, e) = backdrop_width(1920.0, h);
    assert!((backdrop_sharpness(m, 1920.0, h, 0.0) - 1.0).abs() < 1e-12);
    assert!((backdrop_sharpness(e, 1920.0, h, h / 2.0) - 1.0).abs() < 1e-12);
    assert!((backdrop_sharpness(m, 1920.0, h, h / 2.0) - 0.5).abs() < 1e-12);
    assert_eq!(width_for_pixels_per_degree(60.0), 21600.0);
    assert_eq!(dome_optics::resolution::pixels_per_degree(21600), 60.0);
}
