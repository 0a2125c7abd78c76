//! Packing two eyes: where every pixel goes, and that nothing is lost on the way.

use dome_imaging::pair::packed;
use dome_imaging::{LayeredStrip, Strip};
use dome_optics::rig::{Packing, Side};

const WIDTH: u32 = 6;
const HEIGHT: u32 = 12;

/// A pixel's value says where it was and whose it is.
fn value(side: Side, x: u32, y: u32) -> f32 {
    (side as u8 as f32) * 1000.0 + (y * 10 + x) as f32
}

/// An eye in strips of four rows, with a layer of one channel.
fn eye(side: Side) -> Box<dyn Iterator<Item = Result<LayeredStrip, String>>> {
    Box::new((0..HEIGHT).step_by(4).map(move |top| {
        let pixels = (top..top + 4).flat_map(|y| (0..WIDTH).map(move |x| value(side, x, y)));
        let samples = pixels.clone().flat_map(|v| [v, v + 0.25, -v]).collect();
        Ok(LayeredStrip {
            layers: vec![pixels.collect()],
            ..LayeredStrip::from(Strip {
                top,
                width: WIDTH,
                samples,
            })
        })
    }))
}

/// The whole packed picture: first channel and layer, row by row.
fn whole(name: &str) -> (u32, Vec<Vec<f32>>) {
    let packing: Packing = name.parse().unwrap();
    let sides = packing.sides();
    let strips = packed(packing, HEIGHT, eye(sides[0]), eye(*sides.last().unwrap()));
    let (mut width, mut rows) = (0, Vec::new());
    for strip in strips {
        let strip = strip.unwrap();
        assert_eq!(strip.beauty.top as usize, rows.len(), "{name}: a gap");
        width = strip.beauty.width;
        let reds: Vec<f32> = strip.beauty.samples.chunks(3).map(|p| p[0]).collect();
        assert_eq!(reds, strip.layers[0], "{name}: layers go with the picture");
        for p in strip.beauty.samples.chunks(3) {
            assert!((p[1] - p[0] - 0.25).abs() < 1e-3 && p[2] == -p[0], "{name}");
        }
        rows.extend(reds.chunks(width as usize).map(<[f32]>::to_vec));
    }
    let size = packing.file_size((WIDTH, HEIGHT));
    assert_eq!((width, rows.len() as u32), size, "{name}");
    (width, rows)
}

#[test]
fn every_pixel_of_both_eyes_has_its_place() {
    use Side::{Left, Right};
    for (name, first, second) in [
        ("top-bottom", Left, Right),
        ("top-bottom:right-first", Right, Left),
    ] {
        let (_, rows) = whole(name);
        for y in 0..HEIGHT {
            for x in 0..WIDTH {
                assert_eq!(rows[y as usize][x as usize], value(first, x, y));
                assert_eq!(rows[(y + HEIGHT) as usize][x as usize], value(second, x, y));
            }
        }
    }
    for (name, first, second) in [
        ("side-by-side", Left, Right),
        ("side-by-side:right-first", Right, Left),
    ] {
        let (_, rows) = whole(name);
        for y in 0..HEIGHT {
            for x in 0..WIDTH {
                assert_eq!(rows[y as usize][x as usize], value(first, x, y));
                assert_eq!(rows[y as usize][(x + WIDTH) as usize], value(second, x, y));
            }
        }
    }
    assert_eq!(whole("mono").1, whole("two-files").1);
}

/// A squeezed pixel is the mean of the two it was made of.
#[test]
fn squeezed_eyes_keep_their_light() {
    let (_, rows) = whole("top-bottom:squeezed");
    let (_, across) = whole("side-by-side:squeezed:right-first");
    for x in 0..WIDTH {
        for y in 0..HEIGHT / 2 {
            let mean = |side| (value(side, x, 2 * y) + value(side, x, 2 * y + 1)) / 2.0;
            assert_eq!(rows[y as usize][x as usize], mean(Side::Left));
            assert_eq!(
                rows[(y + HEIGHT / 2) as usize][x as usize],
                mean(Side::Right)
            );
        }
    }
    for y in 0..HEIGHT {
        for x in 0..WIDTH / 2 {
            let mean = |side| (value(side, 2 * x, y) + value(side, 2 * x + 1, y)) / 2.0;
            assert_eq!(across[y as usize][x as usize], mean(Side::Right));
            assert_eq!(
                across[y as usize][(x + WIDTH / 2) as usize],
                mean(Side::Left)
            );
        }
    }
}

/// A crop takes columns and leaves rows alone; beyond the picture there is nothing.
#[test]
fn crops_take_columns() {
    let strip = eye(Side::Left).next().unwrap().unwrap().columns(2, 3);
    assert_eq!((strip.beauty.width, strip.beauty.rows()), (3, 4));
    let reds: Vec<f32> = strip.beauty.samples.chunks(3).map(|p| p[0]).collect();
    assert_eq!(
        reds,
        [2., 3., 4., 12., 13., 14., 22., 23., 24., 32., 33., 34.]
    );
    assert_eq!(strip.layers[0], reds);
    let none = eye(Side::Left).next().unwrap().unwrap().columns(5, 9);
    assert_eq!(none.beauty.width, 1);
}

/// A floating window darkens the outer edge of each eye by so many pixels, leaning where top and bottom differ.
#[test]
fn windows_mask_the_outer_edges() {
    use dome_imaging::pair::windowed;
    let white = |rows: usize| {
        LayeredStrip::from(Strip {
            top: 0,
            width: 8,
            samples: vec![1.0; 8 * rows * 3],
        })
    };
    let reds = |strip: LayeredStrip| -> Vec<Vec<f32>> {
        let all: Vec<f32> = strip.beauty.samples.chunks(3).map(|p| p[0]).collect();
        all.chunks(8).map(<[f32]>::to_vec).collect()
    };
    let left = reds(windowed(white(4), 4, Side::Left, [2.5, 2.5]));
    for row in left {
        assert_eq!(row, [0.0, 0.0, 0.5, 1.0, 1.0, 1.0, 1.0, 1.0]);
    }
    // From 0 at the top to 4 at the bottom: half a pixel in the first row, 3.5 in the last.
    let right = reds(windowed(white(4), 4, Side::Right, [0.0, 4.0]));
    assert_eq!(right[0], [1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 0.5]);
    assert_eq!(right[3], [1.0, 1.0, 1.0, 1.0, 0.5, 0.0, 0.0, 0.0]);
}

/// Pictures in which nothing is found again (numbers that are none, patterns that repeat, columns each at another height) are looked
/// at to their end, and no parallax is told that is no number.
#[test]
fn a_pair_in_which_nothing_matches_is_no_panic() {
    use dome_imaging::Picture;
    use dome_imaging::pair_check::check;
    let (width, height) = (192u32, 96u32);
    let picture = |of: &dyn Fn(u32, u32) -> f32| Picture {
        width,
        height,
        samples: (0..height)
            .flat_map(|y| (0..width).map(move |x| (x, y)))
            .flat_map(|(x, y)| [of(x, y); 3])
            .collect(),
    };
    // Grains without order, the same in both but for where they lie.
    let grain = |x: u32, y: u32| {
        let mut h = (x.wrapping_mul(0x9e37_79b9)) ^ (y.wrapping_mul(0x85eb_ca6b));
        h = (h ^ (h >> 15)).wrapping_mul(0x2c1b_3c6d);
        ((h >> 16) & 255) as f32 / 255.0
    };
    for period in [2u32, 3, 5, 8, 17] {
        let stripes = |by: u32| move |x: u32, y: u32| (((x + by) / period + y / period) % 2) as f32;
        let torn = |x: u32, y: u32| grain(x, y + (x / period) * 7 % 23);
        let holes = move |x: u32, y: u32| match (x * 7 + y * 3) % period {
            0 => f32::NAN,
            _ => grain(x, y),
        };
        for round in [false, true] {
            for (left, right) in [
                (picture(&stripes(0)), picture(&stripes(1))),
                (picture(&grain), picture(&torn)),
                (picture(&grain), picture(&holes)),
                (picture(&holes), picture(&holes)),
                (picture(&|_, _| f32::NAN), picture(&|_, _| f32::NAN)),
            ] {
                let report = check(&left, &right, round);
                let told = report.parallax.unwrap_or_default();
                assert!(told.iter().chain(&report.places).all(|p| p.is_finite()));
            }
        }
    }
}
