//! The sRGB transfer curve, IEC 61966-2-1.

use std::sync::LazyLock;

/// Luminance of scene-linear light with the primaries of Rec. 709 (ITU-R BT.709-6, item 3.2).
pub fn luminance([r, g, b]: [f32; 3]) -> f32 {
    0.2126 * r + 0.7152 * g + 0.0722 * b
}

/// Scene-linear value to the sRGB signal; below 0 and above 1 the curve ends are kept straight.
pub fn srgb_from_linear(linear: f32) -> f32 {
    if linear <= 0.003_130_8 {
        12.92 * linear
    } else {
        1.055 * linear.powf(1.0 / 2.4) - 0.055
    }
}

/// sRGB signal to the scene-linear value.
pub fn linear_from_srgb(signal: f32) -> f32 {
    if signal <= 0.040_45 {
        signal / 12.92
    } else {
        ((signal + 0.055) / 1.055).powf(2.4)
    }
}

/// An 8-bit sRGB signal to the scene-linear value.
pub fn linear_from_srgb8(signal: u8) -> f32 {
    static TABLE: LazyLock<[f32; 256]> =
        LazyLock::new(|| std::array::from_fn(|i| linear_from_srgb(i as f32 / 255.0)));
    TABLE[usize::from(signal)]
}

/// A 16-bit sRGB signal to the scene-linear value.
pub fn linear_from_srgb16(signal: u16) -> f32 {
    static TABLE: LazyLock<Vec<f32>> = LazyLock::new(|| {
        (0..=65535u16)
            .map(|i| linear_from_srgb(f32::from(i) / 65535.0))
            .collect()
    });
    TABLE[usize::from(signal)]
}

/// Scene-linear values to 8-bit sRGB signals by table: the same as `quantise8(srgb_from_linear(v))` without
/// its powers.
pub struct Srgb8 {
    /// The signal at the start of each bucket of values, see [`Srgb8::bucket`].
    first: Box<[u8]>,
    /// The least value of each signal; beyond the last one nothing comes.
    least: [f32; 257],
}

/// Bits of a value below the bucket: eight bits of its fraction are kept.
const BUCKET_SHIFT: u32 = 15;
/// Values below this are signal 0.
const SMALLEST: f32 = 1.0 / 8192.0;

impl Srgb8 {
    /// The table, made once.
    pub fn get() -> &'static Self {
        static TABLE: LazyLock<Srgb8> = LazyLock::new(Srgb8::new);
        &TABLE
    }

    fn new() -> Self {
        let exact = |v: f32| quantise8(srgb_from_linear(v));
        let mut least = [f32::INFINITY; 257];
        least[0] = f32::NEG_INFINITY;
        for signal in 1..=255u8 {
            // Values of one sign order like their bits.
            let (mut low, mut high) = (SMALLEST.to_bits() / 2, 1f32.to_bits());
            while high - low > 1 {
                let middle = low + (high - low) / 2;
                if exact(f32::from_bits(middle)) < signal {
                    low = middle;
                } else {
                    high = middle;
                }
            }
            least[usize::from(signal)] = f32::from_bits(high);
        }
        let buckets = Self::bucket(1.0) + 1;
        let first = (0..buckets)
            .map(|b| {
                exact(f32::from_bits(
                    (SMALLEST.to_bits()) + ((b as u32) << BUCKET_SHIFT),
                ))
            })
            .collect();
        Self { first, least }
    }

    #[inline(always)]
    fn bucket(v: f32) -> usize {
        ((v.to_bits() - SMALLEST.to_bits()) >> BUCKET_SHIFT) as usize
    }

    /// The signal for a value; what is not a number is 0. Without branches: they would be guessed wrong.
    #[inline]
    #[allow(clippy::manual_clamp, reason = "`clamp` keeps what is no number")]
    pub fn encode(&self, linear: f32) -> u8 {
        // The greater one of a value that is no number and another is the other.
        let v = linear.max(SMALLEST).min(1.0);
        let signal = self.first[Self::bucket(v)];
        // Buckets are narrower than signals: a bucket holds the values of two at most.
        signal + u8::from(v >= self.least[usize::from(signal) + 1])
    }
}

/// Quantises a signal of 0 to 1 to 8 bits, rounding to nearest; what is not a number is 0.
pub fn quantise8(signal: f32) -> u8 {
    // A float cast to an integer saturates and sends NaN to 0.
    (signal * 255.0 + 0.5) as u8
}
