//! Shapes of surroundings against worked values and their own definitions.

use dome_imaging::Picture;
use dome_imaging::surroundings::{Shape, to_equirect};
use glam::DVec3;

#[derive(serde::Deserialize)]
struct Check {
    source: String,
    #[serde(default)]
    dir: Option<[f64; 3]>,
    #[serde(default)]
    px: Option<[f64; 2]>,
}

fn at(shape: Shape, d: [f64; 3], w: u32, h: u32) -> (f64, f64) {
    let (x, y, _) = shape.place(DVec3::from(d).normalize(), w, h);
    (x, y)
}

/// OpenEXR's cube (header ImfEnvmap.h), worked values of its own library: samples lie on the ends, scale
/// N - 1, where ours go by area, scale N. Its world is ours turned half a turn about Y.
#[test]
fn the_openexr_cube_is_as_its_library_has_it() {
    let checks: Vec<Check> =
        serde_json::from_str(include_str!("../../optics/tests/check_values.json")).unwrap();
    let mut seen = 0;
    for c in checks {
        if !c.source.starts_with("OpenEXR ImfEnvmap cube 1024x6144") {
            continue;
        }
        let ([x, y, z], [px, py]) = (c.dir.unwrap(), c.px.unwrap());
        if x.abs() == y.abs() && y.abs() == z.abs() {
            continue; // a corner belongs to three faces
        }
        let (ours_x, ours_y) = at(Shape::OpenExrCube, [-x, y, -z], 1024, 6144);
        let face = (py / 1024.0).floor();
        assert_eq!((ours_y / 1024.0).floor(), face, "{x} {y} {z}");
        let ends = |v: f64| v / 1024.0 * 1023.0;
        assert!(
            (ends(ours_x) - px).abs() < 1e-4
                && (ends(ours_y - face * 1024.0) + face * 1024.0 - py).abs() < 1e-4,
            "{x} {y} {z}: {ours_x} {ours_y}, not {px} {py}"
        );
        seen += 1;
    }
    assert!(seen >= 8, "{seen}");
}

/// OpenGL 4.6, table 8.19, read by hand: the face +Z is ahead, its s runs to the right and t downwards;
/// on +X s runs along -z of the map's world, which is behind the viewer.
#[test]
fn strips_follow_table_8_19() {
    // Six faces of 100 px: +X -X +Y -Y +Z -Z.
    let place = |d| at(Shape::Row, d, 600, 100);
    assert_eq!(place([0.0, 0.0, -1.0]), (450.0, 50.0));
    assert_eq!(place([0.5, 0.0, -1.0]), (475.0, 50.0));
    assert_eq!(place([0.0, 0.5, -1.0]), (450.0, 25.0));
    assert_eq!(place([1.0, 0.0, 0.0]), (50.0, 50.0));
    assert_eq!(place([1.0, 0.0, 0.5]), (75.0, 50.0));
    assert_eq!(place([-1.0, 0.0, 0.0]), (150.0, 50.0));
    assert_eq!(place([0.0, 1.0, 0.0]), (250.0, 50.0));
    // +Y: t runs along +z of the map's world, towards ahead.
    assert_eq!(place([0.0, 1.0, -0.5]), (250.0, 75.0));
    assert_eq!(place([0.0, 0.0, 1.0]), (550.0, 50.0));
    assert_eq!(at(Shape::Column, [0.0, 0.0, -1.0], 100, 600), (50.0, 450.0));
}

/// In a cross, faces that touch in the picture touch in space: left, front, right and back side by side,
/// up above the front, down below it, and in the standing cross the back upside down below that.
#[test]
fn crosses_hang_together() {
    let e = 1e-9;
    let lying = |d| at(Shape::CrossLying, d, 400, 300);
    assert_eq!(lying([0.0, 0.0, -1.0]), (150.0, 150.0));
    let close = |(x, y): (f64, f64), to: (f64, f64)| {
        assert!(
            (x - to.0).abs() < 1e-6 && (y - to.1).abs() < 1e-6,
            "{x} {y}, not {to:?}"
        );
    };
    for (d, to) in [
        ([1.0 - e, 0.2, -1.0], (200.0, 140.0)),
        ([1.0, 0.2, -1.0 + e], (200.0, 140.0)),
        ([1.0, 0.2, 1.0 - e], (300.0, 140.0)),
        ([1.0 - e, 0.2, 1.0], (300.0, 140.0)),
        ([-1.0 + e, 0.2, -1.0], (100.0, 140.0)),
        ([-1.0, 0.2, -1.0 + e], (100.0, 140.0)),
        ([0.2, 1.0 - e, -1.0], (160.0, 100.0)),
        ([0.2, 1.0, -1.0 + e], (160.0, 100.0)),
        ([0.2, -1.0 + e, -1.0], (160.0, 200.0)),
        ([0.2, -1.0, -1.0 + e], (160.0, 200.0)),
    ] {
        close(lying(d), to);
    }
    let standing = |d| at(Shape::CrossStanding, d, 300, 400);
    close(standing([0.0, 0.0, -1.0]), (150.0, 150.0));
    // The edge between down and back is the line y = 300; right stays right.
    close(standing([0.2, -1.0, 1.0 - e]), (160.0, 300.0));
    close(standing([0.2, -1.0 + e, 1.0]), (160.0, 300.0));
}

/// The angular map: 90 degrees off lie half-way to the edge, straight behind at the edge (its definition).
#[test]
fn the_angular_map_is_linear_in_the_angle() {
    let place = |d| at(Shape::Angular, d, 200, 200);
    assert_eq!(place([0.0, 0.0, -1.0]), (100.0, 100.0));
    assert_eq!(place([1.0, 0.0, 0.0]), (150.0, 100.0));
    assert_eq!(place([0.0, 1.0, 0.0]), (100.0, 50.0));
    let (x, y) = place([1e-6, 0.0, 1.0]);
    assert!((x - 200.0).abs() < 1e-3 && (y - 100.0).abs() < 1e-3);
}

#[test]
fn faces_of_one_colour_come_out_where_they_belong() {
    // A lying cross whose faces have their own colour: front red, right green, up blue.
    let mut cross = Picture::black(64, 48);
    let mut paint = |left: usize, top: usize, channel: usize| {
        for y in top..top + 16 {
            for x in left..left + 16 {
                cross.samples[(y * 64 + x) * 3 + channel] = 1.0;
            }
        }
    };
    paint(16, 16, 0);
    paint(32, 16, 1);
    paint(16, 0, 2);
    assert_eq!(Shape::of_size(64, 48), Some(Shape::CrossLying));
    let sphere = to_equirect(cross, Shape::CrossLying);
    assert_eq!((sphere.width, sphere.height), (64, 32));
    assert_eq!(sphere.pixel(32, 16), [1.0, 0.0, 0.0]);
    assert_eq!(sphere.pixel(48, 16), [0.0, 1.0, 0.0]);
    assert_eq!(sphere.pixel(10, 0), [0.0, 0.0, 1.0]);
    assert_eq!(sphere.pixel(0, 16), [0.0, 0.0, 0.0]);
    for (w, h, shape) in [
        (100, 100, Some(Shape::Angular)),
        (300, 400, Some(Shape::CrossStanding)),
        (600, 100, Some(Shape::Row)),
        (100, 600, Some(Shape::Column)),
        (30, 20, None),
    ] {
        assert_eq!(Shape::of_size(w, h), shape);
    }
}
