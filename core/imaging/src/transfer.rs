//! The sRGB transfer curve, IEC 61966-2-1.

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
    linear_from_srgb(f32::from(signal) / 255.0)
}

/// Quantises a signal of 0 to 1 to 8 bits, rounding to nearest; what is not a number is 0.
pub fn quantise8(signal: f32) -> u8 {
    // A float cast to an integer saturates and sends NaN to 0.
    (signal * 255.0 + 0.5) as u8
}
