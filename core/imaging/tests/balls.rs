//! The ball test shows where the light comes from.

use dome_imaging::balls::balls;
use dome_imaging::convert::{Pixel, Source};
use dome_imaging::strip::Picture;
use dome_optics::{PicturePoint, Projection, Shape};
use glam::DVec3;

const SIDE: u32 = 96;

/// A grey sphere with a bright patch in a direction.
fn lit_from(towards: DVec3) -> Source {
    let (w, h) = (256, 128);
    let pixels: Vec<Pixel> = (0..w * h)
        .map(|i| {
            let p = PicturePoint::pixel_centre(i % w, i / w, w, h);
            let d = Shape::Equirect.to_direction(p).unwrap();
            let v = if d.dot(towards) > 0.95 { 30.0 } else { 0.1 };
            Pixel::new(v, v, v, 1.0)
        })
        .collect();
    Source::from_rows(Shape::Equirect, w, h, pixels.chunks(w as usize))
}

/// The middle of what is bright on a ball, -1 to 1 to the right and up.
fn brightest(picture: &Picture, ball: u32) -> (f64, f64) {
    let (mut x_sum, mut y_sum, mut sum) = (0.0, 0.0, 0.0);
    let value = |x: u32, y: u32| {
        f64::from(picture.samples[((y * picture.width + ball * SIDE + x) * 3) as usize])
    };
    let most = (0..SIDE * SIDE)
        .map(|i| value(i % SIDE, i / SIDE))
        .fold(0.0, f64::max);
    for y in 0..SIDE {
        for x in 0..SIDE {
            let v = (value(x, y) - 0.6 * most).max(0.0);
            let side = |v: u32| (f64::from(v) + 0.5) / f64::from(SIDE) * 2.0 - 1.0;
            (x_sum, y_sum, sum) = (x_sum + v * side(x), y_sum - v * side(y), sum + v);
        }
    }
    (x_sum / sum, y_sum / sum)
}

/// Reflection on a ball: the highlight stands half-way between the viewer and the light (law of reflection); on a
/// matt ball the light's own side is brightest (Lambert's cosine law).
#[test]
fn highlights_stand_where_the_light_is() {
    for towards in [DVec3::X, DVec3::NEG_X, DVec3::Y, DVec3::Z, DVec3::NEG_Y] {
        let picture = balls(&lit_from(towards), SIDE);
        assert_eq!((picture.width, picture.height), (3 * SIDE, SIDE));
        let half = (towards + DVec3::Z).normalize() * 0.92;
        let mirror = brightest(&picture, 0);
        assert!(
            (mirror.0 - half.x).hypot(mirror.1 - half.y) < 0.05,
            "{towards}: mirror {mirror:?}, {half}"
        );
        let rough = brightest(&picture, 1);
        assert!(
            (rough.0 - half.x).hypot(rough.1 - half.y) < 0.15,
            "{towards}: rough {rough:?}"
        );
        let matt = brightest(&picture, 2);
        let along = matt.0 * towards.x + matt.1 * towards.y;
        if towards == DVec3::Z {
            assert!(matt.0.hypot(matt.1) < 0.03, "{matt:?}");
        } else {
            assert!(along > 0.5, "{towards}: matt {matt:?}");
        }
    }
}

/// In even light all balls are as bright as the light: nothing is lost or gained (white furnace).
#[test]
fn in_even_light_the_balls_vanish() {
    let pixels = vec![Pixel::new(0.4, 0.3, 0.2, 1.0); 64 * 32];
    let source = Source::from_rows(Shape::Equirect, 64, 32, pixels.chunks(64));
    let picture = balls(&source, SIDE);
    for ball in 0..3 {
        let at = ((SIDE / 2 * picture.width + ball * SIDE + SIDE / 3) * 3) as usize;
        let got = &picture.samples[at..at + 3];
        for (a, b) in got.iter().zip([0.4, 0.3, 0.2]) {
            assert!((a - b).abs() < 0.01, "ball {ball}: {got:?}");
        }
    }
    // Beside the balls it is mid grey.
    assert!((picture.samples[0] - 0.2159).abs() < 1e-3);
}
