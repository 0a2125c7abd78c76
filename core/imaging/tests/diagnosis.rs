//! Wrong guesses about spherical maps: told from the picture, and mended.

use dome_imaging::convert::Pixel;
use dome_imaging::diagnosis::{Fault, Flat, against, look, mend};
use dome_optics::LonLat;
use std::f64::consts::PI;

/// What lies at a longitude and latitude: without any symmetry, with detail and a lamp.
fn scene(lon: f64, lat: f64) -> Pixel {
    let d = LonLat { lon, lat }.to_vector();
    let v = 0.35 + 0.2 * (5.0 * d.x + 2.0 * d.z).sin() + 0.15 * (7.0 * d.y - 3.0 * d.x).cos();
    let lamp = if d.dot(LonLat::from_deg(70.0, 10.0).to_vector()) > 0.97 {
        0.4
    } else {
        0.0
    };
    Pixel::new(
        (v + lamp) as f32,
        (v * 0.8) as f32,
        (v * 0.6 + 0.1 * d.y) as f32,
        1.0,
    )
}

fn painted(width: u32, height: u32, place: impl Fn(f64, f64) -> Option<(f64, f64)>) -> Flat {
    let pixels = (0..width * height)
        .map(|i| {
            let u = (f64::from(i % width) + 0.5) / f64::from(width);
            let v = (f64::from(i / width) + 0.5) / f64::from(height);
            place(u, v).map_or(Pixel::new(0.0, 0.0, 0.0, 1.0), |(lon, lat)| scene(lon, lat))
        })
        .collect();
    Flat {
        width,
        height,
        pixels,
    }
}

fn right(width: u32) -> Flat {
    painted(width, width / 2, |u, v| {
        Some(((u - 0.5) * 2.0 * PI, (0.5 - v) * PI))
    })
}

fn apart(a: &Flat, b: &Flat) -> f32 {
    assert_eq!((a.width, a.height), (b.width, b.height));
    let sum: f32 = (a.pixels.iter().zip(&b.pixels))
        .map(|(a, b)| (*a - *b).abs().max_element())
        .sum();
    sum / a.pixels.len() as f32
}

#[test]
fn a_right_picture_has_no_fault() {
    let found = look(&right(512));
    assert!(
        found.fault == Fault::None && found.confidence > 0.8,
        "{found:?}"
    );
    let found = against(&right(512), &right(256));
    assert!(
        found.fault == Fault::None && found.confidence > 0.3,
        "{found:?}"
    );
}

#[test]
fn a_sphere_in_a_film_frame_is_found_and_stretched() {
    let squeezed = painted(512, 288, |u, v| {
        Some(((u - 0.5) * 2.0 * PI, (0.5 - v) * PI))
    });
    let found = look(&squeezed);
    assert!(
        found.fault == Fault::Squeezed && found.confidence > 0.8,
        "{found:?}"
    );
    assert!(apart(&mend(&squeezed, found.fault), &right(512)) < 0.01);
    // An ordinary picture in the same frame is no sphere.
    let ordinary = painted(512, 288, |u, v| Some(((u - 0.5) * 1.5, (0.5 - v) * 0.9)));
    let found = look(&ordinary);
    assert!(
        found.fault == Fault::NotASphere && found.confidence > 0.6,
        "{found:?}"
    );
}

/// Sinusoidal: x = lon cos lat (Snyder, Map Projections - A Working Manual, 1987, chapter 30).
#[test]
fn a_sinusoidal_map_is_found_and_unrolled() {
    let map = painted(512, 256, |u, v| {
        let lat = (0.5 - v) * PI;
        let lon = (u - 0.5) * 2.0 * PI / lat.cos();
        (lon.abs() <= PI).then_some((lon, lat))
    });
    let found = look(&map);
    assert!(
        found.fault == Fault::Sinusoidal && found.confidence > 0.9,
        "{found:?}"
    );
    assert!(apart(&mend(&map, found.fault), &right(512)) < 0.02);
}

#[test]
fn turns_and_mirror_images_are_told_against_the_right_picture() {
    for (quarters, mirrored) in [
        (1, false),
        (2, false),
        (3, false),
        (0, true),
        (1, true),
        (3, true),
    ] {
        let wrong = painted(512, 256, |u, v| {
            let turned = (u + 0.25 * f64::from(quarters)).fract();
            let u = if mirrored { 1.0 - turned } else { turned };
            Some(((u - 0.5) * 2.0 * PI, (0.5 - v) * PI))
        });
        let found = against(&wrong, &right(512));
        assert_eq!(
            found.fault,
            Fault::Turned { quarters, mirrored },
            "{found:?}"
        );
        assert!(found.confidence > 0.3, "{found:?}");
        let error = apart(&mend(&wrong, found.fault), &right(512));
        assert!(error < 0.01, "{quarters} {mirrored}: {error}");
    }
}

/// Pictures of any size get an answer, however little they say.
#[test]
fn tiny_and_odd_pictures_are_answered() {
    for (w, h) in [(1, 1), (2, 1), (3, 5), (32, 4), (64, 2), (2, 64), (33, 17)] {
        let p = painted(w, h, |u, v| Some(((u - 0.5) * 2.0 * PI, (0.5 - v) * PI)));
        let found = look(&p);
        assert!(
            (0.0..=1.0).contains(&found.confidence),
            "{w} x {h}: {found:?}"
        );
        assert!((0.0..=1.0).contains(&against(&p, &right(64)).confidence));
        mend(&p, found.fault);
    }
}
