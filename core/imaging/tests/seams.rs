//! Seams: none in a true picture, found where one was made.

use dome_imaging::convert::{Pixel, Source};
use dome_imaging::seams::measure;
use dome_optics::{PicturePoint, Projection, Shape};
use glam::DVec3;

fn scene(d: DVec3) -> f32 {
    (0.3 + 0.2 * (6.0 * d.x + 2.0 * d.y).sin() + 0.1 * (9.0 * d.z).cos()) as f32
}

/// A picture of the scene, changed by `spoil` (given column, row and value).
fn picture(name: &str, width: u32, spoil: impl Fn(u32, u32, f32) -> f32) -> Source {
    let shape: Shape = name.parse().unwrap();
    let (w, h) = shape.size(Some(width), None).unwrap();
    let pixels: Vec<Pixel> = (0..w * h)
        .map(|i| {
            let (x, y) = (i % w, i / w);
            match shape.to_direction(PicturePoint::pixel_centre(x, y, w, h)) {
                // Grain as renders have it.
                Some(d) => {
                    let grain = ((i.wrapping_mul(2_654_435_761) >> 16) % 100) as f32 / 5000.0;
                    let v = spoil(x, y, scene(d) + grain);
                    Pixel::new(v, v, v, 1.0)
                }
                None => Pixel::ZERO,
            }
        })
        .collect();
    Source::from_rows(shape, w, h, pixels.chunks(w as usize))
}

#[test]
fn a_true_picture_has_none() {
    for (name, width) in [
        ("equirect", 512),
        ("cube-3x2", 384),
        ("cube-cross", 512),
        ("eac-3x2", 384),
        ("octahedral", 256),
        ("cylinder:360x90", 512),
        ("cube-faces", 128),
    ] {
        let found = measure(&picture(name, width, |_, _, v| v));
        let visible: Vec<_> = found.iter().filter(|s| s.visible).collect();
        assert!(visible.is_empty(), "{name}: {visible:?}");
    }
    // Twelve edges of a cube, each once; the seam and two poles of a sphere.
    assert_eq!(measure(&picture("cube-cross", 128, |_, _, v| v)).len(), 12);
    assert_eq!(measure(&picture("equirect", 128, |_, _, v| v)).len(), 3);
}

#[test]
fn what_was_spoilt_is_named_with_its_place() {
    // The right face is brighter: its four edges stand out and no other.
    let found = measure(&picture("cube-3x2", 384, |x, y, v| {
        if x >= 256 && y < 128 { v * 1.25 } else { v }
    }));
    let mut named: Vec<&str> = found
        .iter()
        .filter(|s| s.visible)
        .map(|s| s.edge.as_str())
        .collect();
    named.sort_unstable();
    assert_eq!(
        named,
        ["front/right", "right/back", "right/down", "right/up"]
    );
    assert!(found[0].strength > 2.0, "{:?}", found[0]);
    // A filter that did not wrap: the last columns fade away between 30 and 60 degrees down.
    let found = measure(&picture("equirect", 1024, |x, y, v| {
        if x >= 1016 && (340..426).contains(&y) {
            v * (1.0 - (x - 1015) as f32 / 16.0)
        } else {
            v
        }
    }));
    let worst = &found[0];
    assert_eq!(worst.edge, "left-right edge");
    assert!(
        worst.visible && (worst.heading_deg.abs() - 180.0).abs() < 1e-6,
        "{worst:?}"
    );
    assert!((-62.0..-28.0).contains(&worst.pitch_deg), "{worst:?}");
    assert!(found[1..].iter().all(|s| !s.visible));
    // A star at the pole: the first row is painted over in stripes.
    let found = measure(&picture("equirect", 1024, |x, y, v| {
        if y < 2 && x % 64 < 32 { v + 0.2 } else { v }
    }));
    assert_eq!((found[0].edge.as_str(), found[0].visible), ("zenith", true));
}
