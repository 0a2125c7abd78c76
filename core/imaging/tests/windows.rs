//! A sphere larger than memory is converted from parts of it: they must hold all that a block of the result needs.

use dome_imaging::convert::{
    Block, Conversion, Kernel, Layout, Pixel, Row, Source, SourceBuilder, TILE, TILE_ROWS,
};
use dome_optics::{Orientation, Shape};
use proptest::prelude::*;
use std::borrow::Cow;

const SIZE: (u32, u32) = (1024, 512);

/// Every pixel a value of its own, without any order.
fn bytes() -> Vec<u8> {
    (0..SIZE.0 * SIZE.1 * 3)
        .map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8)
        .collect()
}

fn rows(bytes: &[u8]) -> Vec<Row<'_>> {
    (bytes.chunks_exact(SIZE.0 as usize * 3))
        .map(|row| Row::Bytes {
            samples: 3,
            bytes: Cow::Borrowed(row),
        })
        .collect()
}

fn builder() -> SourceBuilder {
    SourceBuilder::new(Shape::Equirect, SIZE.0, SIZE.1).compact()
}

/// The rows of a window with its columns alone, as they come from a disk.
fn cut(bytes: &[u8], window: &dome_imaging::convert::Window) -> Vec<Row<'static>> {
    (window.top..window.top + window.height)
        .map(|y| {
            let pixel = |i: u32| {
                let x = (window.left + i64::from(i)).rem_euclid(i64::from(SIZE.0)) as usize;
                let at = (y as usize * SIZE.0 as usize + x) * 3;
                [bytes[at], bytes[at + 1], bytes[at + 2]]
            };
            Row::Bytes {
                samples: 3,
                bytes: (0..window.width).flat_map(pixel).collect(),
            }
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Any block of any shape has the very values of the whole conversion, made from a part alone.
    #[test]
    fn a_block_from_its_part_is_that_of_the_whole(
        name in prop::sample::select(vec![
            "cube-1x6", "cube-cross", "cube-3x2", "perspective:90", "equirect", "fisheye:200", "eac-3x2",
            "fisheye-orthographic:170", "cylinder:360x90", "octahedral", "mirror-ball", "angular-map",
        ]),
        detail in prop::sample::select(vec![256.0f64, 1024.0, 3000.0]),
        turn in (-180.0f64..180.0, -90.0f64..90.0, -180.0f64..180.0),
        plain in any::<bool>(),
        place in (0.0f64..1.0, 0.0f64..1.0),
        kernel in prop::sample::select(vec![Kernel::Bilinear, Kernel::Bicubic, Kernel::Lanczos4]),
    ) {
        let to: Shape = name.parse().unwrap();
        let size = to.size(Some(to.width_for(detail)), None).unwrap();
        let turn = if plain {
            Orientation::default()
        } else {
            Orientation { heading_deg: turn.0, pitch_deg: turn.1, roll_deg: turn.2 }
        };
        let layout = Layout::new(Shape::Equirect, SIZE, to, size, turn);
        let tile = TILE as u32;
        let at = |share: f64, length: u32, tile: u32| {
            (share * f64::from(length.div_ceil(tile))) as u32 * tile
        };
        let (left, top) = (at(place.0, size.0, tile), at(place.1, size.1, TILE_ROWS));
        let block = Block {
            left,
            top,
            width: tile.min(size.0 - left),
            height: TILE_ROWS.min(size.1 - top),
        };
        let bytes = bytes();
        let mut whole = builder();
        whole.rows(&rows(&bytes));
        let wanted = Conversion::of(&whole.finish(), layout.clone(), kernel).block(block);

        let window = layout.window(block);
        let mut part = builder().cut_to(&window);
        part.rows(&cut(&bytes, &window));
        let got = Conversion::of(&part.finish(), layout, kernel).block(block);
        for (i, (a, b)) in got.iter().zip(&wanted).enumerate() {
            // Single precision tells places from another corner a little otherwise. A pixel that is not there would
            // be off by a third.
            prop_assert!((*a - *b).abs().max_element() < 5e-3, "{name} {block:?} {window:?} at {i}: {a} {b}");
        }
    }
}

/// A frame of 90 degrees needs a small part of the sphere only.
#[test]
fn a_part_is_small() {
    let to: Shape = "perspective:90".parse().unwrap();
    let size = to.size(Some(600), None).unwrap();
    let layout = Layout::new(Shape::Equirect, SIZE, to, size, Orientation::default());
    let all = Block {
        left: 0,
        top: 0,
        width: size.0,
        height: size.1,
    };
    let window = layout.window(all);
    let share = f64::from(window.width * window.height) / f64::from(SIZE.0 * SIZE.1);
    // A quarter of the columns and 67 of 180 degrees, and what filters reach.
    assert!(share > 0.09 && share < 0.15, "{window:?}");
    // Rows and columns given whole are cut to it.
    let bytes = bytes();
    let mut builder = builder().within(&window);
    builder.rows(&rows(&bytes));
    let source: Source = builder.finish();
    let got = Conversion::of(&source, layout, Kernel::Bilinear).block(all);
    assert!(got.iter().all(|p: &Pixel| p.w > 0.999));
}
