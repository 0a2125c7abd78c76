//! Interpolation kernels as tables of weights.

use std::sync::OnceLock;

/// How values between pixels are found where the picture is magnified.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Default)]
pub enum Kernel {
    /// Straight lines between 2 x 2 pixels.
    Bilinear,
    /// The cubic convolution of Keys (IEEE ASSP 29(6), 1981) with a = -1/2, over 4 x 4 pixels.
    #[default]
    Bicubic,
    /// Lanczos' window of three lobes over 6 x 6 pixels (Duchon, J. Appl. Meteorology 18, 1979).
    Lanczos,
    /// The same of four lobes over 8 x 8 pixels.
    Lanczos4,
}

/// Steps between two pixels; between them the nearest step's weights are taken, which moves a sample by at
/// most 1/2048 pixel.
pub(super) const STEPS: usize = 1024;
/// Most taps along an axis.
pub(super) const MOST_TAPS: usize = 8;

impl Kernel {
    /// Pixels that it reaches along an axis.
    pub fn taps(self) -> usize {
        match self {
            Self::Bilinear => 2,
            Self::Bicubic => 4,
            Self::Lanczos => 6,
            Self::Lanczos4 => 8,
        }
    }

    /// The weight at a distance in pixels.
    pub fn weight(self, x: f64) -> f64 {
        let x = x.abs();
        match self {
            Self::Bilinear => (1.0 - x).max(0.0),
            Self::Bicubic => {
                if x < 1.0 {
                    (1.5 * x - 2.5) * x * x + 1.0
                } else if x < 2.0 {
                    ((-0.5 * x + 2.5) * x - 4.0) * x + 2.0
                } else {
                    0.0
                }
            }
            Self::Lanczos => lanczos(x, 3.0),
            Self::Lanczos4 => lanczos(x, 4.0),
        }
    }

    /// For each step the weights of the taps, which add up to 1.
    pub(super) fn table(self) -> &'static [[f32; MOST_TAPS]] {
        static TABLES: [OnceLock<Vec<[f32; MOST_TAPS]>>; 4] = [const { OnceLock::new() }; 4];
        TABLES[self as usize].get_or_init(|| {
            let (taps, before) = (self.taps(), self.taps() as f64 / 2.0 - 1.0);
            (0..=STEPS)
                .map(|step| {
                    let at = step as f64 / STEPS as f64 + before;
                    let raw: Vec<f64> = (0..taps).map(|k| self.weight(at - k as f64)).collect();
                    let sum: f64 = raw.iter().sum();
                    std::array::from_fn(|k| raw.get(k).map_or(0.0, |w| (w / sum) as f32))
                })
                .collect()
        })
    }
}

fn lanczos(x: f64, lobes: f64) -> f64 {
    let sinc = |x: f64| {
        let p = std::f64::consts::PI * x;
        if p < 1e-8 { 1.0 } else { p.sin() / p }
    };
    if x < lobes {
        sinc(x) * sinc(x / lobes)
    } else {
        0.0
    }
}
