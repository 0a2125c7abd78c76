//! Values that other libraries give for the same questions.

use dome_imaging::convert::{Conversion, Kernel, Pixel, Source};
use dome_imaging::light_maps::{AXES, basis};
use dome_optics::{Orientation, Shape};
use glam::{DMat3, DVec3};

/// Real spherical harmonics by SciPy 1.17.1 (`scipy.special.sph_harm_y`, real and imaginary parts times the square root of 2, without
/// the Condon-Shortley sign, its polar angle from z and its azimuth from x towards y). The directions are in the axes that the file
/// tells: x to the right of the picture's middle, y towards it, z up; here they are turned into glTF's by those words.
#[test]
fn harmonics_are_those_of_scipy() {
    let third = 1.0 / 3.0;
    for (d, wanted) in [
        (
            [0.6, 0.8, 0.0],
            [
                0.282094792,
                0.39088201,
                0.0,
                0.293161507,
                0.524423247,
                0.0,
                -0.315391565,
                0.0,
                -0.15295678,
            ],
        ),
        (
            [0.36, 0.8, 0.48],
            [
                0.282094792,
                0.39088201,
                0.234529206,
                0.175896904,
                0.314653948,
                0.419538597,
                -0.097392915,
                0.188792369,
                -0.278818359,
            ],
        ),
        (
            [-2.0 * third, -2.0 * third, third],
            [
                0.282094792,
                -0.325735008,
                0.162867504,
                -0.325735008,
                0.48557708,
                -0.24278854,
                -0.210261044,
                -0.24278854,
                0.0,
            ],
        ),
        (
            [0.0, -0.8, -0.6],
            [
                0.282094792,
                -0.39088201,
                -0.293161507,
                0.0,
                0.0,
                0.524423247,
                0.025231325,
                0.0,
                -0.349615498,
            ],
        ),
    ] {
        // glTF 2.0, "Coordinate System and Units": right-handed, +Y up; a camera looks along -Z with +X to its right.
        let (right, ahead, up) = (DVec3::X, DVec3::NEG_Z, DVec3::Y);
        let got = basis(right * d[0] + ahead * d[1] + up * d[2]);
        for (i, (a, b)) in got.iter().zip(wanted).enumerate() {
            assert!((a - b).abs() < 1e-8, "{d:?} harmonic {i}: {a} {b}");
        }
    }
    let [x, y, z] = AXES;
    assert_eq!(DMat3::from_cols(x, y, z).determinant(), 1.0, "right-handed");
}

/// Interpolated values by OpenCV 5.0.0 (`remap`, single precision) of a picture of 12 x 12 values, at places that its
/// tables of 32 steps hold exactly. Its bicubic kernel is another one (a = -3/4) and is left out.
#[test]
fn values_between_pixels_are_those_of_opencv() {
    let value = |x: u32, y: u32| ((x * 37 + y * 59 + x * y * 13) % 101) as f32 / 100.0;
    let rows: Vec<Vec<Pixel>> = (0..12)
        .map(|y| (0..12).map(|x| Pixel::splat(value(x, y))).collect())
        .collect();
    let frame = Shape::Perspective {
        hfov_deg: 90.0,
        vfov_deg: Some(90.0),
        shift: [0.0; 2],
    };
    let source = Source::from_rows(frame, 12, 12, rows.iter().map(Vec::as_slice));
    let places = [(0, 0), (16, 16), (7, 21), (31, 3), (12, 28)]
        .map(|(k, l)| (5.0 + f64::from(k) / 32.0, 6.0 - f64::from(l) / 32.0));
    for (kernel, wanted, within) in [
        (
            Kernel::Bilinear,
            [0.2, 0.6275, 0.7238379, 0.3969434, 0.8923438],
            1e-6,
        ),
        (
            Kernel::Lanczos4,
            [0.2, 0.5995712, 0.7349232, 0.3543034, 0.8812293],
            1e-5,
        ),
    ] {
        for ((x, y), wanted) in places.into_iter().zip(wanted) {
            // The same frame moved by so much: its pixel 5, 6 looks at the place.
            let shape = Shape::Perspective {
                hfov_deg: 90.0,
                vfov_deg: Some(90.0),
                shift: [(x - 5.0) / 12.0, (6.0 - y) / 12.0],
            };
            let moved = Conversion::new(&source, shape, (12, 12), Orientation::default(), kernel);
            for (way, rows) in [
                ("fast", moved.rows(6, 1)),
                ("exact", moved.reference_rows(6, 1, 1)),
            ] {
                let got = f64::from(rows[5].x);
                assert!(
                    (got - wanted).abs() < within,
                    "{kernel:?}, {way}, at {x} {y}: {got} {wanted}"
                );
            }
        }
    }
}
