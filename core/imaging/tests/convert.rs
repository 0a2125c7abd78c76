//! Conversion between shapes: exact where it can be, smooth where it must be.

use dome_imaging::convert::{Conversion, Kernel, Pixel, Source};
use dome_optics::{Orientation, PicturePoint, Projection, Shape};
use glam::DVec3;

/// A colour for every direction, without any symmetry, smooth but detailed.
fn colour(d: DVec3) -> Pixel {
    let f = |k: f64, v: DVec3| (0.5 + 0.45 * (k * d.dot(v)).sin()) as f32;
    Pixel::new(
        f(9.0, DVec3::new(1.0, 0.3, -0.2)) * (0.6 + 0.4 * d.x as f32),
        f(13.0, DVec3::new(-0.4, 1.0, 0.5)) * (0.6 + 0.4 * d.y as f32),
        f(7.0, DVec3::new(0.2, -0.6, 1.0)) * (0.6 + 0.4 * d.z as f32),
        1.0,
    )
}

/// A picture of `scene` in some shape: each pixel the mean over its area.
fn painted(shape: Shape, width: u32, scene: impl Fn(DVec3) -> Pixel) -> Source {
    const POINTS: u32 = 3;
    let (w, h) = shape.size(Some(width), None).unwrap();
    let pixels: Vec<Pixel> = (0..h)
        .flat_map(|y| (0..w).map(move |x| (x, y)))
        .map(|(x, y)| {
            let mut sum = Pixel::ZERO;
            for k in 0..POINTS * POINTS {
                let at = |v: u32| (f64::from(v) + 0.5) / f64::from(POINTS);
                let p = PicturePoint::in_pixel(x, y, (at(k % POINTS), at(k / POINTS)), w, h);
                if let Some(d) = shape.to_direction(p) {
                    sum += scene(d);
                }
            }
            if sum.w > 0.0 { sum / sum.w } else { sum }
        })
        .collect();
    Source::from_rows(shape, w, h, pixels.chunks(w as usize))
}

fn shape(name: &str) -> Shape {
    name.parse().unwrap()
}

/// Peak signal to noise, decibels, over the pixels that both show.
fn psnr(a: &[Pixel], b: &[Pixel]) -> f64 {
    assert_eq!(a.len(), b.len());
    let (mut squares, mut count) = (0.0f64, 0u64);
    for (a, b) in a.iter().zip(b) {
        if a.w > 0.999 && b.w > 0.999 {
            squares += f64::from((*a - *b).truncate().length_squared());
            count += 3;
        }
    }
    assert!(count as usize > a.len(), "hardly anything to compare");
    10.0 * (count as f64 / squares.max(1e-30)).log10()
}

/// Where a shape cannot tell directions apart: at the rim of a disc that holds the whole sphere one direction
/// is stretched all round, and the last pixel of a mirror ball covers 20 degrees and more.
fn smeared(name: &str, d: DVec3) -> bool {
    match name {
        "mirror-ball" => -d.z > 0.8,
        "fisheye-equisolid:360" => d.z > 0.8,
        "fisheye:360" | "angular-map" => d.z > 0.98,
        _ => false,
    }
}

const ALL: [&str; 14] = [
    "equirect",
    "cube-faces",
    "cube-6x1",
    "cube-3x2",
    "cube-cross",
    "cube-cross-vertical",
    "eac-3x2",
    "fisheye:360",
    "fisheye-equisolid:360",
    "fisheye-stereographic:180",
    "fisheye-orthographic:170",
    "mirror-ball",
    "angular-map",
    "octahedral",
];

/// Any shape to any other shows the same sphere as painting that shape directly.
#[test]
fn every_shape_to_every_other() {
    let sources: Vec<Source> = ALL
        .iter()
        .map(|name| painted(shape(name), shape(name).width_for(1024.0), colour))
        .collect();
    for (from, source) in ALL.iter().zip(&sources) {
        for to in ALL {
            let to_shape = shape(to);
            let (w, h) = to_shape
                .size(Some(to_shape.width_for(256.0)), None)
                .unwrap();
            let got = Conversion::new(
                source,
                to_shape,
                (w, h),
                Orientation::default(),
                Kernel::Bicubic,
            )
            .rows(0, h);
            let mut wrong = Vec::new();
            for (i, pixel) in got.iter().enumerate() {
                let (x, y) = (i as u32 % w, i as u32 / w);
                let Some(d) = to_shape.to_direction(PicturePoint::pixel_centre(x, y, w, h)) else {
                    assert!(
                        pixel.w < 0.999 || to_shape.is_disc(),
                        "{from} to {to}: {x} {y} is outside"
                    );
                    continue;
                };
                if smeared(from, d) {
                    continue;
                }
                // What the source does not show stays see-through; its rim is half-way.
                if pixel.w < 0.999 {
                    assert!(
                        !shape(from).is_whole_sphere() || to_shape.is_disc(),
                        "{from} to {to} at {x} {y}: {pixel}"
                    );
                    continue;
                }
                let off = (*pixel - colour(d)).abs().max_element();
                if off > 0.06 {
                    wrong.push((x, y, off));
                }
            }
            // Pixels at a stereographic rim or a pole cover a wide angle; their mean is not their middle.
            assert!(
                wrong.len() * 100 <= got.len(),
                "{from} to {to}: {} of {}: {:?}",
                wrong.len(),
                got.len(),
                &wrong[..5]
            );
        }
    }
}

/// The same shape, the same size, no turn: the very same pixels.
#[test]
fn nothing_changes_without_a_change() {
    for name in ["equirect", "cube-3x2", "octahedral", "equirect:180x90"] {
        let source = painted(shape(name), 96, colour);
        let (w, h) = source.size();
        let plain = Orientation::default();
        let exact = Conversion::new(&source, shape(name), (w, h), plain, Kernel::Bilinear);
        let wanted = exact.reference_rows(0, h, 1);
        for kernel in [Kernel::Bilinear, Kernel::Bicubic, Kernel::Lanczos] {
            let got = Conversion::new(&source, shape(name), (w, h), Orientation::default(), kernel)
                .rows(0, h);
            let worst = (got.iter().zip(&wanted))
                .map(|(a, b)| (*a - *b).abs().max_element())
                .fold(0.0, f32::max);
            assert!(worst < 2e-3, "{name} {kernel:?}: {worst}");
        }
    }
}

/// A quarter turn of a sphere moves its columns by a quarter, exactly; heading goes to the right.
#[test]
fn a_quarter_turn_is_a_quarter() {
    let source = painted(Shape::Equirect, 128, colour);
    let plain = Conversion::new(
        &source,
        Shape::Equirect,
        (128, 64),
        Orientation::default(),
        Kernel::Bicubic,
    )
    .rows(0, 64);
    let turned = Conversion::new(
        &source,
        Shape::Equirect,
        (128, 64),
        Orientation::heading(90.0),
        Kernel::Bicubic,
    )
    .rows(0, 64);
    for y in 0..64 {
        for x in 0..128 {
            let (a, b) = (turned[y * 128 + x], plain[y * 128 + (x + 32) % 128]);
            assert!((a - b).abs().max_element() < 1e-3, "{x} {y}: {a} {b}");
        }
    }
}

/// Made eight times smaller a detailed picture agrees with the mean of 256 points a pixel: no aliasing.
#[test]
fn minified_eight_times_it_does_not_alias() {
    // Detail down to a few pixels of the source.
    let fine = |d: DVec3| {
        let f = |k: f64, v: DVec3| (0.5 + 0.5 * (k * d.dot(v)).sin().signum()) as f32;
        Pixel::new(
            f(70.0, DVec3::new(1.0, 0.3, -0.2)),
            f(95.0, DVec3::new(-0.4, 1.0, 0.5)),
            f(45.0, DVec3::new(0.2, -0.6, 1.0)),
            1.0,
        )
    };
    let source = painted(Shape::Equirect, 1024, fine);
    for (to, width) in [
        ("equirect", 128),
        ("cube-3x2", 96),
        ("perspective:90x60", 64),
        ("octahedral", 64),
        ("angular-map", 128),
    ] {
        let to = shape(to);
        let (w, h) = to.size(Some(width), None).unwrap();
        let turn = Orientation {
            heading_deg: 20.0,
            pitch_deg: 35.0,
            roll_deg: 10.0,
        };
        let conversion = Conversion::new(&source, to, (w, h), turn, Kernel::Bicubic);
        let got = psnr(&conversion.rows(0, h), &conversion.reference_rows(0, h, 16));
        assert!(got > 40.0, "{to}: {got:.1} dB");
        // And one point a pixel would not do.
        let aliased = psnr(
            &conversion.reference_rows(0, h, 1),
            &conversion.reference_rows(0, h, 16),
        );
        assert!(aliased < 25.0, "{to}: {aliased:.1} dB");
    }
}

/// Magnified, the fast way agrees with asking every point exactly.
#[test]
fn curves_are_as_good_as_exact() {
    for (from, to) in [
        ("equirect", "cube-3x2"),
        ("cube-3x2", "equirect"),
        ("equirect", "fisheye:200"),
        ("angular-map", "equirect"),
        ("octahedral", "perspective:100x80"),
    ] {
        let source = painted(shape(from), 384, colour);
        let to = shape(to);
        let (w, h) = to.size(Some(to.width_for(1600.0)), None).unwrap();
        let turn = Orientation {
            heading_deg: -50.0,
            pitch_deg: 40.0,
            roll_deg: 15.0,
        };
        let conversion = Conversion::new(&source, to, (w, h), turn, Kernel::Bicubic);
        let got = psnr(&conversion.rows(0, h), &conversion.reference_rows(0, h, 1));
        assert!(got > 65.0, "{from} to {to}: {got:.1} dB");
    }
}

/// Strips of any height make the same picture.
#[test]
fn strips_are_parts_of_the_whole() {
    let source = painted(Shape::Equirect, 256, colour);
    let to = shape("cube-faces");
    let (w, h) = to.size(Some(64), None).unwrap();
    let c = Conversion::new(
        &source,
        to,
        (w, h),
        Orientation::heading(10.0),
        Kernel::Lanczos,
    );
    let whole = c.rows(0, h);
    let mut parts = Vec::new();
    for top in (0..h).step_by(48) {
        parts.extend(c.rows(top, 48.min(h - top)));
    }
    assert_eq!(whole, parts);
}

/// No seam: across the left-right edge, over the poles and over face edges the result is as smooth as
/// elsewhere, even for a source of few pixels.
#[test]
fn there_is_no_seam_and_no_star() {
    let gentle = |d: DVec3| {
        Pixel::new(
            0.5 + 0.4 * d.x as f32,
            0.5 + 0.4 * d.y as f32,
            0.5 + 0.4 * d.z as f32,
            1.0,
        )
    };
    for from in [
        "equirect",
        "cube-3x2",
        "eac-3x2",
        "octahedral",
        "angular-map",
    ] {
        let source = painted(shape(from), shape(from).width_for(128.0), gentle);
        // A circle of directions through seams, poles and edges.
        for turn in [
            Orientation::default(),
            Orientation {
                heading_deg: 45.0,
                pitch_deg: 90.0,
                roll_deg: 0.0,
            },
            Orientation {
                heading_deg: 180.0,
                pitch_deg: 0.0,
                roll_deg: 90.0,
            },
            Orientation {
                heading_deg: 135.0,
                pitch_deg: -30.0,
                roll_deg: 20.0,
            },
        ] {
            let c = Conversion::new(
                &source,
                shape("perspective:90x90"),
                (400, 400),
                turn,
                Kernel::Bicubic,
            );
            let got = c.rows(0, 400);
            let worst = (0..399 * 400)
                .map(|i| {
                    let (x, y) = (i % 400, i / 400);
                    let across = if x + 1 < 400 {
                        (got[i] - got[i + 1]).abs().max_element()
                    } else {
                        0.0
                    };
                    across.max(
                        (got[y * 400 + x] - got[(y + 1) * 400 + x])
                            .abs()
                            .max_element(),
                    )
                })
                .fold(0.0, f32::max);
            // The steepest true step is 0.4 * 2 tan 45 / 400 = 0.002 in the middle of the frame; straight back of
            // an angular map a pixel is stretched over half a turn.
            let allowed = if from == "angular-map" { 0.02 } else { 0.0045 };
            assert!(worst < allowed, "{from} {turn:?}: {worst}");
        }
    }
}

/// Light beyond white is kept, and what is see-through does not darken its neighbours.
#[test]
fn light_and_alpha_are_kept() {
    let scene = |d: DVec3| {
        if d.x > 0.0 {
            Pixel::new(800.0, 400.0, 2.0, 1.0)
        } else {
            Pixel::ZERO
        }
    };
    let source = painted(Shape::Equirect, 128, scene);
    let to = shape("cube-6x1");
    let (w, h) = to.size(Some(384), None).unwrap();
    let got =
        Conversion::new(&source, to, (w, h), Orientation::default(), Kernel::Lanczos).rows(0, h);
    let mut covered = 0;
    for p in &got {
        assert!(p.cmpge(Pixel::ZERO).all() && p.w <= 1.0);
        if p.w > 0.999 {
            covered += 1;
        }
        if p.w > 0.05 {
            // Without alpha the colour is the light's own, also at the edge.
            assert!((p.x / p.y - 2.0).abs() < 1e-3, "{p}");
        }
    }
    assert!((covered as f64 / got.len() as f64 - 0.5).abs() < 0.05);
}
