//! Sounds, made by hand (RIFF/WAVE, "Multimedia Programming Interface and Data Specifications 1.0", from memory).

/// Samples a second.
pub const RATE: u32 = 48_000;

/// A WAV of 16 bits: `sample` gives each channel at each sample, -1 to 1.
pub fn wav_of(channels: u16, seconds: f64, sample: impl Fn(u32, u16) -> f64) -> Vec<u8> {
    let frames = (f64::from(RATE) * seconds) as u32;
    let data = frames * u32::from(channels) * 2;
    let mut bytes = b"RIFF".to_vec();
    bytes.extend((36 + data).to_le_bytes());
    bytes.extend(b"WAVEfmt ");
    bytes.extend(16u32.to_le_bytes());
    bytes.extend(1u16.to_le_bytes());
    bytes.extend(channels.to_le_bytes());
    bytes.extend(RATE.to_le_bytes());
    bytes.extend((RATE * u32::from(channels) * 2).to_le_bytes());
    bytes.extend((channels * 2).to_le_bytes());
    bytes.extend(16u16.to_le_bytes());
    bytes.extend(b"data");
    bytes.extend(data.to_le_bytes());
    for i in 0..frames {
        for c in 0..channels {
            bytes.extend(((sample(i, c) * 32_767.0) as i16).to_le_bytes());
        }
    }
    bytes
}

/// Silence with clicks.
pub fn wav(channels: u16, seconds: f64) -> Vec<u8> {
    wav_of(
        channels,
        seconds,
        |i, _| {
            if i % 2400 < 20 { 0.25 } else { 0.0 }
        },
    )
}
