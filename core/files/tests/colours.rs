//! Colours of other pictures in ours: published matrices and curves, and laws that hold for all primaries.

use dome_files::colour::{
    Conversion, Primaries, Told, of_chromaticities, of_code_points, of_gamma,
};
use proptest::prelude::*;

fn other(told: Told) -> Conversion {
    match told {
        Told::Other(conversion) => *conversion,
        Told::Ours => panic!("taken for ours"),
        Told::Useless(why) => panic!("{why}"),
    }
}

fn light(conversion: &Conversion, rgb: [f32; 3]) -> [f32; 3] {
    let mut values = rgb;
    conversion.light(&mut values);
    values
}

fn close(found: [f32; 3], wanted: [f32; 3], within: f32, at: &str) {
    for (f, w) in found.iter().zip(wanted) {
        assert!((f - w).abs() <= within, "{at}: {found:?} for {wanted:?}");
    }
}

const REC_2020: Primaries = Primaries {
    rgb: [[0.708, 0.292], [0.170, 0.797], [0.131, 0.046]],
    white: [0.3127, 0.3290],
};
/// The primaries AP1 with the white of about D60 (SMPTE ST 2065-1 has the white; AP1 after S-2014-004).
const AP1: Primaries = Primaries {
    rgb: [[0.713, 0.293], [0.165, 0.830], [0.128, 0.044]],
    white: [0.32168, 0.33767],
};

/// Columns of the published matrices to Rec. 709: light of one primary in our three.
#[test]
fn primaries_are_turned_as_published() {
    for (name, primaries, rows, within) in [
        // ITU-R BT.2087-0, the inverse of its matrix M2 to four digits.
        (
            "Rec. 2020",
            REC_2020,
            [
                [1.6605, -0.5876, -0.0728],
                [-0.1246, 1.1329, -0.0083],
                [-0.0182, -0.1006, 1.1187],
            ],
            2e-4,
        ),
        // The usual matrix from AP1 to Rec. 709 with Bradford's adaptation; from memory.
        (
            "AP1",
            AP1,
            [
                [1.70505, -0.62179, -0.08326],
                [-0.13026, 1.14080, -0.01055],
                [-0.02400, -0.12897, 1.15297],
            ],
            3e-4,
        ),
    ] {
        let conversion = other(of_chromaticities(primaries));
        for column in 0..3 {
            let mut pure = [0.0; 3];
            pure[column] = 1.0;
            close(
                light(&conversion, pure),
                rows.map(|r: [f32; 3]| r[column]),
                within,
                name,
            );
            // Light beyond white and below black stays what it is.
            pure[column] = -250.0;
            close(
                light(&conversion, pure),
                rows.map(|r| r[column] * -250.0),
                within * 250.0,
                name,
            );
        }
    }
}

/// The perceptual quantizer: 58 % of its signal is the diffuse white of 203 cd/m2, our 1 (ITU-R BT.2408-7, table 1), half of it
/// 92.2 cd/m2, the whole 10,000 (SMPTE ST 2084).
#[test]
fn the_perceptual_quantizer_is_light() {
    let conversion = other(of_code_points(9, 16));
    for (signal, nits, share) in [
        (0.58f32, 203.0f32, 0.02),
        (0.5081, 100.0, 0.005),
        (0.5, 92.24, 0.005),
        (1.0, 10_000.0, 0.001),
        (0.0, 0.0, 0.0),
    ] {
        let wanted = nits / 203.0;
        close(
            light(&conversion, [signal; 3]),
            [wanted; 3],
            wanted * share + 1e-4,
            &format!("signal {signal}"),
        );
    }
    // Its light depends on the screen (ITU-R BT.2100, hybrid log-gamma): told, not guessed.
    assert!(matches!(of_code_points(9, 18), Told::Useless(_)));
    for (primaries, transfer) in [(0, 0), (255, 13), (9, 200), (3, 3)] {
        match of_code_points(primaries, transfer) {
            Told::Useless(why) => assert!(why.contains(&primaries.to_string()), "{why}"),
            _ => panic!("{primaries} and {transfer} are reserved in ITU-T H.273"),
        }
    }
}

/// Code points by ITU-T H.273: 1 and 13 are sRGB, 8 is linear light, 12 the primaries of P3 with D65.
#[test]
fn code_points_mean_what_the_standard_says() {
    assert!(matches!(of_code_points(1, 13), Told::Ours));
    let linear = other(of_code_points(1, 8));
    close(
        light(&linear, [0.5, 0.25, 1.0]),
        [0.5, 0.25, 1.0],
        2e-3,
        "linear",
    );
    let p3 = other(of_code_points(12, 13));
    // CSS Color 4, sample code: display-p3 to sRGB, in linear light.
    close(
        light(&p3, [1.0, 0.0, 0.0]),
        [1.2249, -0.0420, -0.0196],
        3e-3,
        "red of P3",
    );
    close(
        light(&p3, [0.0, 0.0, 1.0]),
        [0.0, 0.0, 1.0979],
        3e-3,
        "blue of P3",
    );
}

/// PNG's gAMA is the exponent of the encoder: 45455 means that light is the signal to the power of 2.2 (PNG, third
/// edition, 11.3.2.2).
#[test]
fn gammas_are_powers() {
    for gamma in [1.0f64, 0.55, 0.3] {
        let conversion = other(of_gamma(Some(gamma), None));
        for signal in [0.0f32, 0.1, 0.5, 0.9, 1.0] {
            let wanted = f64::from(signal).powf(1.0 / gamma) as f32;
            close(
                light(&conversion, [signal; 3]),
                [wanted; 3],
                1e-5,
                &format!("gamma {gamma}"),
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]

    /// Whatever the primaries, their white is our white, light adds up, and twice the light is twice the light.
    #[test]
    fn white_stays_white_and_light_adds_up(
        r in (0.60f64..0.74, 0.26f64..0.34),
        g in (0.10f64..0.32, 0.58f64..0.84),
        b in (0.10f64..0.17, 0.00f64..0.09),
        white in (0.29f64..0.36, 0.30f64..0.37),
        one in prop::array::uniform3(0.0f32..4.0),
        two in prop::array::uniform3(0.0f32..4.0),
    ) {
        let primaries = Primaries { rgb: [[r.0, r.1], [g.0, g.1], [b.0, b.1.max(1e-3)]], white: [white.0, white.1] };
        if let Told::Other(conversion) = of_chromaticities(primaries) {
            close(light(&conversion, [1.0; 3]), [1.0; 3], 1e-4, "white");
            close(light(&conversion, [0.0; 3]), [0.0; 3], 0.0, "black");
            let sum: [f32; 3] = std::array::from_fn(|i| one[i] + two[i]);
            let (a, b) = (light(&conversion, one), light(&conversion, two));
            close(light(&conversion, sum), std::array::from_fn(|i| a[i] + b[i]), 1e-3, "a sum");
            close(light(&conversion, one.map(|v| v * 2.0)), a.map(|v| v * 2.0), 1e-3, "twice");
        }
    }

    /// Nonsense in a header is told and never gives light that is no number.
    #[test]
    fn nonsense_is_told(values in prop::array::uniform8(prop_oneof![
        Just(0.0f64), Just(f64::NAN), Just(f64::INFINITY), Just(1e-30), -2.0f64..2.0,
    ])) {
        let [a, b, c, d, e, f, g, h] = values;
        if let Told::Other(conversion) = of_chromaticities(Primaries { rgb: [[a, b], [c, d], [e, f]], white: [g, h] }) {
            for v in light(&conversion, [0.25, 0.5, 1.0]) {
                prop_assert!(v.is_finite(), "{v}");
            }
        }
    }
}
