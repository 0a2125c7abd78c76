//! How the pixels of a source lie in memory.

use super::Pixel;
use crate::transfer::linear_from_srgb8;
use std::borrow::Cow;
use std::sync::LazyLock;

/// A row of a picture as its file tells it.
#[derive(Clone, Debug)]
pub enum Row<'a> {
    /// sRGB bytes with 1 to 4 samples a pixel: grey, grey and alpha, colour, colour and alpha; not multiplied.
    Bytes {
        /// Samples a pixel.
        samples: usize,
        /// All samples, pixel by pixel.
        bytes: Cow<'a, [u8]>,
    },
    /// Linear light multiplied by alpha.
    Light(Cow<'a, [Pixel]>),
}

impl Row<'_> {
    /// Pixels of the row.
    pub fn width(&self) -> usize {
        match self {
            Self::Bytes { samples, bytes } => bytes.len() / (*samples).max(1),
            Self::Light(pixels) => pixels.len(),
        }
    }

    /// The row as linear light.
    pub fn into_light(self) -> Vec<Pixel> {
        match self {
            Self::Light(pixels) => pixels.into_owned(),
            bytes => {
                let mut out = vec![[0.0f32; 4]; bytes.width()];
                f32::fill(&bytes, 0, &mut out);
                out.into_iter().map(Pixel::from_array).collect()
            }
        }
    }
}

/// A sample of a texel.
pub(super) trait Sample: Copy + Default + Send + Sync + 'static {
    /// What the sample of 1 stands for.
    const UNIT: f32;
    /// The sample as a number.
    fn number(self) -> f32;
    /// The nearest sample to a value.
    fn nearest(value: f32) -> Self;
    /// The mean of two.
    fn mean(self, other: Self) -> Self;
    /// The samples of the 256 sRGB bytes.
    fn of_bytes() -> &'static [Self; 256];

    /// Pixels from `first` on.
    fn fill(row: &Row, first: usize, out: &mut [[Self; 4]]) {
        let (samples, bytes) = match row {
            Row::Light(pixels) => {
                for (to, p) in out.iter_mut().zip(&pixels[first..]) {
                    *to = p.to_array().map(|v| Self::nearest(v / Self::UNIT));
                }
                return;
            }
            Row::Bytes { samples, bytes } => (*samples, &bytes[first * samples..]),
        };
        let table = Self::of_bytes();
        let full = Self::nearest(1.0 / Self::UNIT);
        let of = |b: u8| table[usize::from(b)];
        match samples {
            1 => {
                for (to, p) in out.iter_mut().zip(bytes) {
                    let v = of(*p);
                    *to = [v, v, v, full];
                }
            }
            3 => {
                for (to, p) in out.iter_mut().zip(bytes.chunks_exact(3)) {
                    *to = [of(p[0]), of(p[1]), of(p[2]), full];
                }
            }
            _ => {
                for (to, p) in out.iter_mut().zip(bytes.chunks_exact(samples.max(1))) {
                    let alpha = f32::from(p[samples - 1]) / 255.0;
                    let light = |i: usize| {
                        let byte = if samples == 2 { p[0] } else { p[i] };
                        Self::nearest(linear_from_srgb8(byte) * alpha / Self::UNIT)
                    };
                    let cover = Self::nearest(alpha / Self::UNIT);
                    *to = [light(0), light(1), light(2), cover];
                }
            }
        }
    }
}

impl Sample for f32 {
    const UNIT: f32 = 1.0;

    #[inline(always)]
    fn number(self) -> f32 {
        self
    }

    #[inline(always)]
    fn nearest(value: f32) -> Self {
        value
    }

    #[inline(always)]
    fn mean(self, other: Self) -> Self {
        (self + other) * 0.5
    }

    fn of_bytes() -> &'static [Self; 256] {
        static TABLE: LazyLock<[f32; 256]> =
            LazyLock::new(|| std::array::from_fn(|i| linear_from_srgb8(i as u8)));
        &TABLE
    }
}

/// Light from 0 to 1 in 65535 even steps: the darkest step of an 8-bit sRGB signal is 20 of them, so bytes come
/// back as they were.
impl Sample for u16 {
    const UNIT: f32 = 1.0 / 65535.0;

    #[inline(always)]
    fn number(self) -> f32 {
        f32::from(self)
    }

    #[inline(always)]
    fn nearest(value: f32) -> Self {
        (value + 0.5) as u16
    }

    #[inline(always)]
    fn mean(self, other: Self) -> Self {
        (u32::from(self) + u32::from(other)).div_ceil(2) as u16
    }

    fn of_bytes() -> &'static [Self; 256] {
        static TABLE: LazyLock<[u16; 256]> = LazyLock::new(|| {
            std::array::from_fn(|i| u16::nearest(linear_from_srgb8(i as u8) / u16::UNIT))
        });
        &TABLE
    }
}

pub(super) type Texel<S> = [S; 4];

pub(super) fn pixel<S: Sample>(texel: Texel<S>) -> Pixel {
    Pixel::from_array(texel.map(|s| s.number() * S::UNIT))
}

/// The texels of all pieces.
pub(super) enum Texels {
    Compact(Vec<Vec<Texel<u16>>>),
    Float(Vec<Vec<Texel<f32>>>),
}

/// Does the same with the pieces of either kind.
macro_rules! with_texels {
    ($texels:expr, $pieces:ident => $body:expr) => {
        match $texels {
            $crate::convert::texel::Texels::Compact($pieces) => $body,
            $crate::convert::texel::Texels::Float($pieces) => $body,
        }
    };
}
pub(super) use with_texels;
