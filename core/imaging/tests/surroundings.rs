//! Surroundings in the shapes that artists bring; the shapes themselves are tested in `optics`.

use dome_imaging::Picture;
use dome_imaging::surroundings::{name, shape_of_size, to_equirect};

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
    let shape = shape_of_size(64, 48).unwrap();
    assert_eq!(name(shape), "cube cross");
    let sphere = to_equirect(cross, shape);
    assert_eq!((sphere.width, sphere.height), (64, 32));
    assert_eq!(sphere.pixel(32, 16), [1.0, 0.0, 0.0]);
    assert_eq!(sphere.pixel(48, 16), [0.0, 1.0, 0.0]);
    assert_eq!(sphere.pixel(10, 0), [0.0, 0.0, 1.0]);
    assert_eq!(sphere.pixel(0, 16), [0.0, 0.0, 0.0]);
}

/// OpenGL 4.6, table 8.19: the fifth face of a strip, +Z, is ahead, the first, +X, to the right.
#[test]
fn strips_come_in_the_order_of_opengl() {
    let mut strip = Picture::black(96, 16);
    for y in 0..16 {
        for x in 64..80 {
            strip.samples[(y * 96 + x) * 3] = 1.0;
        }
        for x in 0..16 {
            strip.samples[(y * 96 + x) * 3 + 1] = 1.0;
        }
    }
    let sphere = to_equirect(strip, shape_of_size(96, 16).unwrap());
    assert_eq!(sphere.pixel(32, 16), [1.0, 0.0, 0.0]);
    assert_eq!(sphere.pixel(48, 16), [0.0, 1.0, 0.0]);
}

#[test]
fn sizes_tell_shapes() {
    for (w, h, called) in [
        (512, 256, "latitude-longitude"),
        (100, 100, "angular map"),
        (300, 400, "cube cross"),
        (600, 100, "cube strip"),
        (100, 600, "cube strip"),
    ] {
        assert_eq!(name(shape_of_size(w, h).unwrap()), called);
    }
    assert_eq!(shape_of_size(30, 20), None);
    assert_eq!(shape_of_size(31, 20), None);
    let p = Picture::black(16, 8);
    assert_eq!(to_equirect(p.clone(), dome_optics::Shape::Equirect), p);
}
