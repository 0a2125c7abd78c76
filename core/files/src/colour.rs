//! Pictures in other colours than ours: read by their ICC profiles, PNG's colour chunks and OpenEXR's chromaticities, and
//! turned into linear light with the primaries of Rec. 709 and white D65.

use dome_imaging::transfer::linear_from_srgb;
use moxcms::{
    CicpColorPrimaries, CicpProfile, ColorProfile, DataColorSpace, Layout, MatrixCoefficients,
    ProfileText, TransferCharacteristics, TransformExecutor, TransformOptions,
};
use std::sync::Arc;

type Matrix = [[f64; 3]; 3];

/// Chromaticities x, y of red, green, blue and white.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Primaries {
    /// Red, green, blue.
    pub rgb: [[f64; 2]; 3],
    /// White.
    pub white: [f64; 2],
}

/// Rec. ITU-R BT.709 with white D65: what all pictures are kept in.
pub const REC_709: Primaries = Primaries {
    rgb: [[0.64, 0.33], [0.30, 0.60], [0.15, 0.06]],
    white: [0.3127, 0.3290],
};

/// Bradford's cone responses (ICC.1:2022, annex E).
const BRADFORD: Matrix = [
    [0.8951, 0.2664, -0.1614],
    [-0.7502, 1.7135, 0.0367],
    [0.0389, -0.0685, 1.0296],
];

/// Diffuse white of a PQ picture, cd/m2 (Rec. ITU-R BT.2408-7, table 1), of the 10,000 that its signal reaches.
const PQ_WHITE: f32 = 203.0;

fn times(a: &Matrix, b: &Matrix) -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| (0..3).map(|k| a[i][k] * b[k][j]).sum()))
}

fn apply(m: &Matrix, v: [f64; 3]) -> [f64; 3] {
    m.map(|row| row[0] * v[0] + row[1] * v[1] + row[2] * v[2])
}

fn inverse(m: &Matrix) -> Option<Matrix> {
    let minor = |i: usize, j: usize| {
        let (a, b) = ((i + 1) % 3, (i + 2) % 3);
        let (c, d) = ((j + 1) % 3, (j + 2) % 3);
        m[a][c] * m[b][d] - m[a][d] * m[b][c]
    };
    let det: f64 = (0..3).map(|j| m[0][j] * minor(0, j)).sum();
    (det.abs() > 1e-12 && det.is_finite())
        .then(|| std::array::from_fn(|i| std::array::from_fn(|j| minor(j, i) / det)))
}

fn xyz([x, y]: [f64; 2]) -> [f64; 3] {
    [x / y, 1.0, (1.0 - x - y) / y]
}

impl Primaries {
    /// From RGB to XYZ (SMPTE RP 177-1993).
    fn to_xyz(self) -> Option<Matrix> {
        let sound = |p: &[f64; 2]| p.iter().all(|v| v.is_finite()) && p[1].abs() > 1e-6;
        if !self.rgb.iter().chain([&self.white]).all(sound) {
            return None;
        }
        let columns = self.rgb.map(xyz);
        let m: Matrix = std::array::from_fn(|i| std::array::from_fn(|j| columns[j][i]));
        let scale = apply(&inverse(&m)?, xyz(self.white));
        Some(m.map(|row| std::array::from_fn(|j| row[j] * scale[j])))
    }

    /// From linear light in these primaries to ours, white to white.
    fn to_rec_709(self) -> Option<Matrix> {
        let cones = |white| apply(&BRADFORD, xyz(white));
        let (from, to) = (cones(self.white), cones(REC_709.white));
        let gain: Matrix = std::array::from_fn(|i| {
            std::array::from_fn(|j| if i == j { to[i] / from[i] } else { 0.0 })
        });
        let adapt = times(&times(&inverse(&BRADFORD)?, &gain), &BRADFORD);
        let ours = inverse(&REC_709.to_xyz()?)?;
        Some(times(&ours, &times(&adapt, &self.to_xyz()?)))
    }

    fn near(self, other: Self) -> bool {
        let (a, b) = (
            self.rgb.iter().chain([&self.white]),
            other.rgb.iter().chain([&other.white]),
        );
        a.flatten()
            .zip(b.flatten())
            .all(|(x, y)| (x - y).abs() < 2e-3)
    }
}

/// How a signal becomes linear.
enum Curve {
    /// It is linear.
    None,
    /// A power.
    Power(f32),
    /// By a profile, into linear light of [`wide`].
    Profile(Arc<dyn TransformExecutor<f32> + Send + Sync>, f32),
}

/// From a picture's own colours to ours.
pub struct Conversion {
    curve: Curve,
    matrix: [[f32; 3]; 3],
    /// What the file tells, for people.
    pub name: String,
}

/// What a file tells of its colours.
pub enum Told {
    /// Ours: nothing to do.
    Ours,
    /// Others, which can be converted.
    Other(Box<Conversion>),
    /// Something that cannot be used; why.
    Useless(String),
}

fn narrow(m: &Matrix) -> [[f32; 3]; 3] {
    m.map(|row| row.map(|v| v as f32))
}

/// Linear light whose primaries hold every colour, so that nothing is cut off on the way.
fn wide() -> ColorProfile {
    ColorProfile::new_aces_aces_2065_1_linear()
}

impl Conversion {
    /// Turns signals (0 to 1; beyond it in pictures of linear light) into linear light, in place. `rgb` holds triples.
    pub fn light(&self, rgb: &mut [f32]) {
        match &self.curve {
            Curve::None => {}
            Curve::Power(exponent) => {
                for v in rgb.iter_mut() {
                    *v = v.max(0.0).powf(*exponent);
                }
            }
            Curve::Profile(transform, gain) => {
                let signal = rgb.to_vec();
                // Both hold the same whole number of triples, which is all that can be wrong.
                if transform.transform(&signal, rgb).is_ok() {
                    rgb.iter_mut().for_each(|v| *v *= gain);
                }
            }
        }
        for p in rgb.as_chunks_mut::<3>().0 {
            let v = *p;
            *p = self
                .matrix
                .map(|row| row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);
        }
    }

    /// Whether it gives what sRGB signals give anyway, within an 8-bit step.
    fn is_srgb(&self) -> bool {
        (0..27).all(|i| {
            let signal = [i % 3, i / 3 % 3, i / 9].map(|v| [0.1, 0.5, 1.0][v as usize]);
            let mut light = signal;
            self.light(&mut light);
            signal.iter().zip(light).all(|(s, l)| {
                let back = dome_imaging::transfer::srgb_from_linear(l.clamp(0.0, 1.0));
                (back - s).abs() < 1.0 / 255.0 && (l - linear_from_srgb(*s)).abs() < 0.01
            })
        })
    }

    fn told(self) -> Told {
        if self.is_srgb() {
            Told::Ours
        } else {
            Told::Other(Box::new(self))
        }
    }

    /// By a profile, whose signal is multiplied afterwards.
    fn of_profile(profile: &ColorProfile, gain: f32, name: String) -> Result<Self, String> {
        let options = TransformOptions {
            prefer_fixed_point: false,
            ..TransformOptions::default()
        };
        let transform = profile
            .create_transform_f32(Layout::Rgb, &wide(), Layout::Rgb, options)
            .map_err(|e| format!("its colour profile cannot be used ({e})"))?;
        let to_ours = ColorProfile::new_srgb().rgb_to_xyz_matrix().v;
        let matrix = inverse(&to_ours)
            .map(|m| times(&m, &wide().rgb_to_xyz_matrix().v))
            .ok_or("its colour profile cannot be used")?;
        Ok(Self {
            curve: Curve::Profile(transform, gain),
            matrix: narrow(&matrix),
            name,
        })
    }
}

fn name_of(profile: &ColorProfile) -> String {
    let name = match &profile.description {
        Some(ProfileText::PlainString(s)) => s.clone(),
        Some(ProfileText::Localizable(list)) => {
            list.first().map_or_else(String::new, |l| l.value.clone())
        }
        Some(ProfileText::Description(d)) => d.ascii_string.clone(),
        None => String::new(),
    };
    let name: String = name.chars().filter(|c| !c.is_control()).take(60).collect();
    if name.trim().is_empty() {
        "ICC profile without a name".into()
    } else {
        format!("{} (ICC profile)", name.trim())
    }
}

/// What an ICC profile tells of a picture of red, green and blue.
pub fn of_icc(bytes: &[u8]) -> Told {
    let profile = match ColorProfile::new_from_slice(bytes) {
        Ok(profile) => profile,
        Err(e) => return Told::Useless(format!("its ICC profile is damaged ({e})")),
    };
    let name = name_of(&profile);
    if profile.color_space != DataColorSpace::Rgb {
        return Told::Useless(format!("its {name} is not for red, green and blue"));
    }
    match Conversion::of_profile(&profile, 1.0, name) {
        Ok(conversion) => conversion.told(),
        Err(e) => Told::Useless(e),
    }
}

/// What the code points of ITU-T H.273 tell (PNG's cICP).
pub fn of_code_points(primaries: u8, transfer: u8) -> Told {
    let useless = || {
        Told::Useless(format!(
            "its colour code points {primaries} and {transfer} are not known"
        ))
    };
    let (Ok(color_primaries), Ok(transfer_characteristics)) = (
        CicpColorPrimaries::try_from(primaries),
        TransferCharacteristics::try_from(transfer),
    ) else {
        return useless();
    };
    let gain = match transfer_characteristics {
        TransferCharacteristics::Smpte2084 => 10_000.0 / PQ_WHITE,
        // Its light depends on the screen that shows it.
        TransferCharacteristics::Hlg | TransferCharacteristics::Unspecified => return useless(),
        _ => 1.0,
    };
    let profile = ColorProfile::new_from_cicp(CicpProfile {
        color_primaries,
        transfer_characteristics,
        matrix_coefficients: MatrixCoefficients::Identity,
        full_range: true,
    });
    let name = format!("colour code points {primaries} and {transfer} (cICP)");
    match Conversion::of_profile(&profile, gain, name) {
        Ok(conversion) => conversion.told(),
        Err(_) => useless(),
    }
}

/// What PNG's gAMA (the exponent of the file, e.g. 0.45455) and cHRM tell. The usual exponent stands for sRGB's curve, as the
/// format's text says of files that carry both.
pub fn of_gamma(gamma: Option<f64>, primaries: Option<Primaries>) -> Told {
    let primaries = primaries.unwrap_or(REC_709);
    let usual = gamma.is_none_or(|g| (g - 0.45455).abs() < 1e-3);
    if usual && primaries.near(REC_709) {
        return Told::Ours;
    }
    let Some(matrix) = primaries.to_rec_709() else {
        return Told::Useless("its primaries (cHRM) are no colours".into());
    };
    let gamma = gamma.unwrap_or(0.45455);
    if !(0.05..=20.0).contains(&gamma) {
        return Told::Useless(format!("its exponent {gamma} (gAMA) makes no sense"));
    }
    let mut name = Vec::new();
    if !usual {
        name.push(format!("exponent {gamma:.4} (gAMA)"));
    }
    if !primaries.near(REC_709) {
        name.push("primaries of its own (cHRM)".into());
    }
    Told::Other(Box::new(Conversion {
        curve: Curve::Power((1.0 / gamma) as f32),
        matrix: narrow(&matrix),
        name: name.join(", "),
    }))
}

/// What the chromaticities of a picture of linear light tell.
pub fn of_chromaticities(primaries: Primaries) -> Told {
    if primaries.near(REC_709) {
        return Told::Ours;
    }
    match primaries.to_rec_709() {
        None => Told::Useless("its chromaticities are no colours".into()),
        Some(matrix) => Told::Other(Box::new(Conversion {
            curve: Curve::None,
            matrix: narrow(&matrix),
            name: format!(
                "chromaticities red {:.4}, {:.4}, green {:.4}, {:.4}, blue {:.4}, {:.4}, white {:.4}, {:.4}",
                primaries.rgb[0][0],
                primaries.rgb[0][1],
                primaries.rgb[1][0],
                primaries.rgb[1][1],
                primaries.rgb[2][0],
                primaries.rgb[2][1],
                primaries.white[0],
                primaries.white[1]
            ),
        })),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn light(told: Told, signal: [f32; 3]) -> [f32; 3] {
        let Told::Other(conversion) = told else {
            panic!("it is taken for ours");
        };
        let mut v = signal;
        conversion.light(&mut v);
        v
    }

    fn near(found: [f32; 3], wanted: [f32; 3], within: f32) {
        for (f, w) in found.iter().zip(wanted) {
            assert!((f - w).abs() < within, "{found:?} for {wanted:?}");
        }
    }

    /// Display P3's red in linear Rec. 709: 1.2249, -0.0420, -0.0196 (CSS Color 4, sample code, matrices of display-p3 and
    /// sRGB); white stays white.
    #[test]
    fn a_profile_of_wider_primaries_is_converted_beyond_our_gamut() {
        let icc = ColorProfile::new_display_p3().encode().unwrap();
        near(
            light(of_icc(&icc), [1.0, 0.0, 0.0]),
            [1.2249, -0.0420, -0.0196],
            2e-3,
        );
        near(light(of_icc(&icc), [1.0; 3]), [1.0; 3], 1e-3);
        near(light(of_icc(&icc), [0.5; 3]), [0.2140; 3], 1e-3);
        let srgb = ColorProfile::new_srgb().encode().unwrap();
        assert!(matches!(of_icc(&srgb), Told::Ours));
        assert!(matches!(of_icc(&icc[..200]), Told::Useless(_)));
        assert!(matches!(of_icc(b"no profile"), Told::Useless(_)));
        assert!(matches!(of_code_points(1, 13), Told::Ours));
        near(
            light(of_code_points(12, 13), [1.0, 0.0, 0.0]),
            [1.2249, -0.0420, -0.0196],
            2e-3,
        );
    }

    /// Rec. 2020 to Rec. 709: red 1.6605, -0.1246, -0.0182 (ITU-R BT.2087-0, equation of the inverse, rounded).
    #[test]
    fn chromaticities_are_converted_as_the_standard_says() {
        let rec_2020 = Primaries {
            rgb: [[0.708, 0.292], [0.170, 0.797], [0.131, 0.046]],
            white: [0.3127, 0.3290],
        };
        near(
            light(of_chromaticities(rec_2020), [1.0, 0.0, 0.0]),
            [1.6605, -0.1246, -0.0182],
            1e-3,
        );
        near(light(of_chromaticities(rec_2020), [4.0; 3]), [4.0; 3], 1e-4);
        assert!(matches!(of_chromaticities(REC_709), Told::Ours));
        let nonsense = Primaries {
            white: [0.3, 0.0],
            ..REC_709
        };
        assert!(matches!(of_chromaticities(nonsense), Told::Useless(_)));
    }

    /// ACES AP0 with its own white: adapted to D65 by Bradford, white stays white (the library's own profile agrees).
    #[test]
    fn another_white_is_adapted() {
        let ap0 = Primaries {
            rgb: [[0.7347, 0.2653], [0.0, 1.0], [0.0001, -0.0770]],
            white: [0.32168, 0.33767],
        };
        near(light(of_chromaticities(ap0), [1.0; 3]), [1.0; 3], 1e-4);
        let profile = Conversion::of_profile(&wide(), 1.0, String::new()).unwrap();
        for colour in [[0.8, 0.2, 0.1], [0.1, 0.6, 0.3], [0.2, 0.3, 0.9]] {
            let mut by_profile = colour;
            profile.light(&mut by_profile);
            near(light(of_chromaticities(ap0), colour), by_profile, 5e-3);
        }
    }

    #[test]
    fn exponents_are_taken_as_told() {
        near(
            light(of_gamma(Some(1.0), None), [0.25, 0.5, 1.0]),
            [0.25, 0.5, 1.0],
            1e-6,
        );
        near(
            light(of_gamma(Some(1.0 / 1.8), None), [0.5; 3]),
            [0.2872; 3],
            1e-3,
        );
        assert!(matches!(of_gamma(Some(0.45455), Some(REC_709)), Told::Ours));
        assert!(matches!(of_gamma(Some(0.0), None), Told::Useless(_)));
    }

    /// Diffuse white of PQ, 203 cd/m2, lies at signal 0.58 (ITU-R BT.2408-7, table 1).
    #[test]
    fn diffuse_white_of_pq_is_white() {
        near(light(of_code_points(1, 16), [0.5807; 3]), [1.0; 3], 0.02);
    }
}
