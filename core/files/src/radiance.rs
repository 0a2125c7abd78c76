//! Radiance HDR (Ward, "Real Pixels", Graphics Gems II, 1991): RGBE with run-length coding, row by row.

use crate::error::{FileError, Result, display_name};
use dome_imaging::Strip;
use dome_imaging::strip::CHANNELS;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;

/// Three linear values as the nearest shared-exponent bytes, which readers take at their word; light below nothing is nothing.
pub fn rgbe(rgb: [f32; 3]) -> [u8; 4] {
    let rgb = rgb.map(|v| {
        if v.is_finite() {
            v.clamp(0.0, 1e37)
        } else {
            0.0
        }
    });
    let largest = rgb[0].max(rgb[1]).max(rgb[2]);
    if largest < 1e-32 {
        return [0; 4];
    }
    let mut exponent = largest.log2().floor() as i32 + 1;
    if largest >= (exponent as f32).exp2() {
        exponent += 1; // the logarithm was rounded down across a power of two
    }
    let scaled = |exponent: i32| {
        let scale = 256.0 * (-exponent as f32).exp2();
        rgb.map(|v| (v * scale).round())
    };
    let mut parts = scaled(exponent);
    if parts.contains(&256.0) {
        exponent += 1; // rounded up to the next power of two
        parts = scaled(exponent);
    }
    let byte = |v: f32| v as u8;
    [
        byte(parts[0]),
        byte(parts[1]),
        byte(parts[2]),
        (exponent + 128) as u8,
    ]
}

/// Writes the header.
pub fn write_header(w: &mut impl Write, width: u32, height: u32) -> std::io::Result<()> {
    write!(
        w,
        "#?RADIANCE\nSOFTWARE={}\nFORMAT=32-bit_rle_rgbe\n\n-Y {height} +X {width}\n",
        crate::SOFTWARE
    )
}

/// Writes the rows of a strip.
pub fn write_strip(w: &mut impl Write, strip: &Strip) -> std::io::Result<()> {
    for row in 0..strip.rows() {
        let pixels: Vec<[u8; 4]> = strip
            .row(row)
            .chunks_exact(CHANNELS)
            .map(|p| rgbe([p[0], p[1], p[2]]))
            .collect();
        // Rows outside these widths cannot be run-length coded; the format writes them plain.
        if !(8..32768).contains(&pixels.len()) {
            w.write_all(pixels.as_flattened())?;
            continue;
        }
        w.write_all(&[2, 2, (pixels.len() >> 8) as u8, pixels.len() as u8])?;
        for component in 0..4 {
            let bytes: Vec<u8> = pixels.iter().map(|p| p[component]).collect();
            write_runs(w, &bytes)?;
        }
    }
    Ok(())
}

fn write_runs(w: &mut impl Write, bytes: &[u8]) -> std::io::Result<()> {
    let run_at = |i: usize| {
        bytes[i..]
            .iter()
            .take(127)
            .take_while(|&&b| b == bytes[i])
            .count()
    };
    let mut i = 0;
    while i < bytes.len() {
        let run = run_at(i);
        if run >= 4 {
            w.write_all(&[128 + run as u8, bytes[i]])?;
            i += run;
        } else {
            let start = i;
            while i < bytes.len() && i - start < 128 && run_at(i) < 4 {
                i += 1;
            }
            w.write_all(&[(i - start) as u8])?;
            w.write_all(&bytes[start..i])?;
        }
    }
    Ok(())
}

/// The size told in a file's header.
pub fn read_size(path: &Path) -> Result<(u32, u32)> {
    let name = display_name(path);
    let file = std::fs::File::open(path).map_err(FileError::io("Reading", path))?;
    let length = file
        .metadata()
        .map_err(FileError::io("Reading", path))?
        .len();
    // A header longer than this is not a header.
    let mut reader = BufReader::new(file.take(64 << 10));
    let mut line = Vec::new();
    let mut rle_format = false;
    loop {
        line.clear();
        let n = reader
            .read_until(b'\n', &mut line)
            .map_err(FileError::io("Reading", path))?;
        if n == 0 {
            return Err(FileError::damaged(name, "its header has no size line"));
        }
        let text = String::from_utf8_lossy(&line);
        let text = text.trim();
        rle_format |= text.starts_with("FORMAT=32-bit_rle_");
        let words: Vec<&str> = text.split_whitespace().collect();
        if let ["-Y", height, "+X", width] = words[..] {
            let side = |s: &str| s.parse::<u32>().ok().filter(|v| (1..=1 << 20).contains(v));
            return match (side(width), side(height)) {
                (Some(w), Some(h)) if rle_format => {
                    // Even the best run-length coding spends 2 bytes on 127 of each component.
                    let least = u64::from(h)
                        * (4 + 4 * 2 * u64::from(w).div_ceil(127)).min(4 * u64::from(w));
                    if length < least {
                        return Err(FileError::damaged(
                            name,
                            format!("{w} x {h} px cannot fit its {length} bytes"),
                        ));
                    }
                    Ok((w, h))
                }
                (Some(_), Some(_)) => {
                    Err(FileError::damaged(name, "its header tells no RGBE format"))
                }
                _ => Err(FileError::damaged(
                    name,
                    format!("its size line \"{text}\" makes no sense"),
                )),
            };
        }
    }
}
