//! The quick ways of a conversion against asking every point exactly, and half the memory against all of it.

use dome_imaging::convert::{Block, Conversion, Kernel, Layout, Pixel, Row, Source, SourceBuilder};
use dome_imaging::transfer::{linear_from_srgb8, quantise8, srgb_from_linear};
use dome_optics::projection::{Cell, Face};
use dome_optics::{Orientation, PicturePoint, Projection, Shape};
use proptest::prelude::*;
use std::borrow::Cow;

/// A smooth picture without symmetry.
fn painted(shape: Shape, width: u32) -> Source {
    let (w, h) = shape.size(Some(width), None).unwrap();
    let value = |x: u32, y: u32, k: f64| {
        let (x, y) = (f64::from(x) / f64::from(w), f64::from(y) / f64::from(h));
        (0.5 + 0.4 * (k * x * 5.0 + 1.3).sin() * (k * y * 4.0 + 0.7).cos()) as f32
    };
    let pixels: Vec<Pixel> = (0..w * h)
        .map(|i| {
            let (x, y) = (i % w, i / w);
            Pixel::new(value(x, y, 1.0), value(x, y, 1.7), value(x, y, 2.9), 1.0)
        })
        .collect();
    Source::from_rows(shape, w, h, pixels.chunks(w as usize))
}

fn orders() -> impl Strategy<Value = [Cell; 6]> {
    (
        Just(Face::ALL.to_vec()).prop_shuffle(),
        prop::array::uniform6(0u8..4),
    )
        .prop_map(|(faces, turns)| {
            std::array::from_fn(|i| Cell {
                face: faces[i],
                turns: turns[i],
            })
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Cubes of any order and turn, read and written, enlarged so that one point is enough: the quick way gives what
    /// the exact one gives.
    #[test]
    fn cubes_of_any_order_go_both_ways(
        order in orders(),
        layout in prop::sample::select(vec!["cube-3x2", "cube-1x6", "cube-cross"]),
        reading in any::<bool>(),
        turn in (-180.0f64..180.0, -90.0f64..90.0, -180.0f64..180.0),
    ) {
        let cube = layout.parse::<Shape>().unwrap().with_order(order).unwrap();
        let (from, to) = if reading { (cube, Shape::Equirect) } else { (Shape::Equirect, cube) };
        let source = painted(from, from.width_for(128.0));
        let size = to.size(Some(to.width_for(256.0)), None).unwrap();
        let turn = Orientation { heading_deg: turn.0, pitch_deg: turn.1, roll_deg: turn.2 };
        let conversion = Conversion::new(&source, to, size, turn, Kernel::Bicubic);
        let (got, wanted) = (conversion.rows(0, size.1), conversion.reference_rows(0, size.1, 1));
        // The painting is torn at the edges of faces, at the seam and at the poles: a point that rounding puts on
        // the other side differs there, and caps near the poles are means. A wrong face would be a sixth.
        let mut off = 0;
        for (a, b) in got.iter().zip(&wanted) {
            off += usize::from((*a - *b).abs().max_element() > 0.01);
        }
        prop_assert!(off <= got.len() / 100, "{off} of {}", got.len());
    }
}

/// Bytes held as 16-bit light come out as those held as floats, and unchanged where nothing changes.
#[test]
fn half_the_memory_loses_nothing_of_bytes() {
    let (w, h) = (256u32, 128u32);
    let bytes: Vec<u8> = (0..w * h * 3)
        .map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8)
        .collect();
    let rows: Vec<Row> = (bytes.chunks_exact(w as usize * 3))
        .map(|r| Row::Bytes {
            samples: 3,
            bytes: Cow::Borrowed(r),
        })
        .collect();
    let source = |compact: bool| {
        let builder = SourceBuilder::new(Shape::Equirect, w, h);
        let mut builder = if compact { builder.compact() } else { builder };
        builder.rows(&rows);
        builder.finish()
    };
    let (small, large) = (source(true), source(false));
    let plain = Orientation::default();
    for kernel in [Kernel::Bilinear, Kernel::Bicubic, Kernel::Lanczos4] {
        let to: Shape = "cube-3x2".parse().unwrap();
        let layout = Layout::new(Shape::Equirect, (w, h), to, (192, 128), plain);
        let made = |s| Conversion::of(s, layout.clone(), kernel).rows(0, 128);
        for (a, b) in made(&small).iter().zip(&made(&large)) {
            assert!((*a - *b).abs().max_element() < 1e-4, "{a} {b}");
        }
        // The same shape and size: the same bytes, the darkest too. Beside white the quick way's error of 1/4000 pixel
        // is about a step of a dark byte; at the poles that is more columns, which no real picture tells apart.
        let same = Conversion::new(&small, Shape::Equirect, (w, h), plain, kernel).rows(0, h);
        let (mut wrong, mut worst) = (0, 0);
        let levels = same.iter().zip(bytes.chunks_exact(3));
        let polar = 24 * w as usize;
        for (p, rgb) in levels.skip(polar).take(same.len() - 2 * polar) {
            for (v, byte) in [p.x, p.y, p.z].into_iter().zip(rgb) {
                let off = quantise8(srgb_from_linear(v)).abs_diff(*byte);
                (wrong, worst) = (wrong + usize::from(off > 1), worst.max(off));
            }
        }
        assert!(
            wrong * 500 < bytes.len() && worst <= 2,
            "{kernel:?}: {wrong}, {worst}"
        );
    }
}

/// Grey, alpha and colour bytes become light multiplied by alpha, alike in both kinds of memory.
#[test]
fn bytes_of_every_kind_become_light() {
    for (samples, bytes, wanted) in [
        (1, vec![188u8], [188, 188, 188, 255]),
        (2, vec![188, 128], [188, 188, 188, 128]),
        (3, vec![10, 188, 250], [10, 188, 250, 255]),
        (4, vec![10, 188, 250, 64], [10, 188, 250, 64]),
    ] {
        let alpha = f32::from(wanted[3] as u8) / 255.0;
        let light = |i: usize| linear_from_srgb8(wanted[i] as u8) * alpha;
        let wanted = Pixel::new(light(0), light(1), light(2), alpha);
        let row = Row::Bytes {
            samples,
            bytes: Cow::Owned(bytes.repeat(16)),
        };
        assert_eq!(row.width(), 16);
        for compact in [false, true] {
            let builder = SourceBuilder::new(Shape::Equirect, 16, 8);
            let mut builder = if compact { builder.compact() } else { builder };
            builder.rows(&vec![row.clone(); 8]);
            let got = builder.finish().look(glam::DVec3::NEG_Z);
            assert!(
                (got - wanted).abs().max_element() < 2e-5,
                "{samples}: {got} {wanted}"
            );
        }
        let light = row.into_light();
        assert!((light[3] - wanted).abs().max_element() < 1e-6);
    }
}

/// Far to the right of the widest spheres a place is told to 1/4000 of a pixel, as on small ones: a source whose values rise by one a column
/// tells the column itself.
#[test]
fn columns_are_exact_on_the_widest_spheres() {
    for width in [8192u32, 16_384, 32_768] {
        let height = width / 2;
        // A window of 64 px, a pixel of the source each, near the right end.
        let to: Shape = "perspective:0.4x0.4".parse().unwrap();
        let turn = Orientation {
            heading_deg: 171.3,
            pitch_deg: -31.7,
            ..Orientation::default()
        };
        let side = 32;
        let layout = Layout::new(Shape::Equirect, (width, height), to, (side, side), turn);
        let block = Block {
            left: 0,
            top: 0,
            width: side,
            height: side,
        };
        let window = layout.window(block);
        let mut builder = SourceBuilder::new(Shape::Equirect, width, height).cut_to(&window);
        let first = window.left as f32;
        for _ in 0..window.height {
            let row: Vec<Pixel> = (0..window.width)
                .map(|x| Pixel::new(x as f32, 0.0, 0.0, 1.0))
                .collect();
            builder.row(&row);
        }
        let source = builder.finish();
        let found = Conversion::of(&source, layout, Kernel::Bilinear).block(block);
        for (i, pixel) in (0..).zip(&found) {
            let point = PicturePoint::pixel_centre(i % side, i / side, side, side);
            let d = turn.matrix() * to.to_direction(point).unwrap();
            let column = Shape::Equirect.to_picture(d).unwrap().u * f64::from(width) - 0.5;
            let off = f64::from(pixel.x) + f64::from(first) - column;
            assert!(off.abs() < 0.000_3, "{width} px, {i}: {off}");
        }
    }
}
