//! Laws that hold for every input, found by generated ones.

use dome_optics::{
    Equirect, Eye, LonLat, MonoEye, Orientation, PanoramaSize, PicturePoint, Projection, SizeError,
};
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

proptest! {
    #[test]
    fn direction_to_picture_and_back(lon in -PI..PI, lat in -1.57..1.57_f64) {
        let d = LonLat { lon, lat }.to_vector();
        let back = Equirect.to_direction(Equirect.to_picture(d).unwrap()).unwrap();
        prop_assert!((d - back).length() < 1e-9);
        prop_assert!((d.length() - 1.0).abs() < 1e-12);
    }

    #[test]
    fn picture_to_direction_and_back(u in 1e-6..0.999999_f64, v in 1e-6..0.999999_f64) {
        let p = Equirect.to_picture(Equirect.to_direction(PicturePoint { u, v }).unwrap()).unwrap();
        prop_assert!((p.u - u).abs() < 1e-9 && (p.v - v).abs() < 1e-9);
    }

    #[test]
    fn orientation_survives_its_matrix(h in 0.0..360.0_f64, p in -89.9..89.9_f64, r in -179.9..179.9_f64) {
        let o = Orientation { heading_deg: h, pitch_deg: p, roll_deg: r };
        let back = Orientation::from_matrix(&o.matrix());
        let turn = (back.heading_deg - h).abs();
        prop_assert!(turn.min(360.0 - turn) < 1e-6);
        prop_assert!((back.pitch_deg - p).abs() < 1e-6 && (back.roll_deg - r).abs() < 1e-6);
    }

    #[test]
    fn a_located_point_is_seen_there(
        x in -50.0..50.0_f64, y in -50.0..50.0_f64, z in -50.0..50.0_f64,
        h in 0.0..360.0_f64, p in -80.0..80.0_f64, r in -80.0..80.0_f64,
    ) {
        let at = DVec3::new(1.0, 1.6, -2.0);
        let target = DVec3::new(x, y, z);
        prop_assume!((target - at).length() > 0.1);
        let eye = MonoEye::new(at, Orientation { heading_deg: h, pitch_deg: p, roll_deg: r }, Equirect);
        let ray = eye.ray(eye.locate(target).unwrap()).unwrap();
        prop_assert!(ray.direction.dot((target - at).normalize()) > 1.0 - 1e-12);
    }

    #[test]
    fn sizes_are_always_two_to_one(width in 0u32..70_000) {
        match PanoramaSize::from_width(width) {
            Ok(size) => prop_assert_eq!(size.width(), 2 * size.height()),
            Err(SizeError::Odd { width, lower, upper }) => {
                prop_assert!(width % 2 == 1 && lower + 1 == width && upper == width + 1)
            }
            Err(SizeError::OutOfRange { width }) => prop_assert!(!(16..=65_536).contains(&width)),
        }
    }
}

/// The whole sphere is 4 pi steradians (definition of the steradian).
#[test]
fn solid_angles_add_up_to_the_sphere() {
    for (w, h) in [(4, 2), (64, 32), (2048, 1024), (1000, 500)] {
        let sum: f64 = (0..h)
            .map(|row| f64::from(w) * Equirect.solid_angle(0, row, w, h))
            .sum();
        assert!((sum - 4.0 * PI).abs() < 1e-6, "{w}x{h}: {sum}");
    }
    // And one pixel at the horizon of a large picture is nearly a square of its side angle.
    let side = TAU / 8192.0;
    assert!((Equirect.solid_angle(0, 2048, 8192, 4096) / (side * side) - 1.0).abs() < 1e-6);
}

/// The signs of the convention, one by one.
#[test]
fn turns_go_the_way_they_say() {
    let look = |o: Orientation| o.matrix() * DVec3::NEG_Z;
    assert!((look(Orientation::heading(90.0)) - DVec3::X).length() < 1e-12);
    assert!((look(Orientation::heading(180.0)) - DVec3::Z).length() < 1e-12);
    let up = Orientation {
        pitch_deg: 90.0,
        ..Orientation::heading(37.0)
    };
    assert!((look(up) - DVec3::Y).length() < 1e-12);
    // Rolled clockwise, the viewer's right hand points down.
    let rolled = Orientation {
        roll_deg: 90.0,
        ..Orientation::default()
    };
    assert!((rolled.matrix() * DVec3::X - DVec3::NEG_Y).length() < 1e-12);
    assert!(!rolled.is_level() && Orientation::heading(10.0).is_level());
    // Straight up, heading and roll are one turn: it comes back as a heading.
    let back = Orientation::from_matrix(&up.matrix());
    assert!((back.heading_deg - 37.0).abs() < 1e-6 && back.roll_deg == 0.0);
}
