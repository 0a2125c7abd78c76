//! Durable strips: what a render has finished survives anything.
//!
//! Layout, little-endian: `ODSTRIP4`, fingerprint of the picture (32 bytes), eye (u32), frame (i32), width, top row,
//! rows, number of layer channels, number of sample counts (u32 each), the noise's two sums (f64) and samples (u64), CRC-32
//! of all else (u32); then the body: the beauty as half floats, then each layer as half floats or, where it needs them,
//! single ones, then the counts (u32). A file
//! is there whole or not at all; the checksum tells a bad disk, the fingerprint a strip of another picture.

use crate::atomic;
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::to_half;
use crate::fingerprint::Mark;
use dome_imaging::strip::CHANNELS;
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Strip};
use half::f16;
use std::path::Path;

const MAGIC: &[u8; 8] = b"ODSTRIP4";
const HEADER: usize = 96;

/// Bytes of a pixel in a strip with these layers.
pub fn pixel_bytes(layers: &[LayerSpec]) -> u64 {
    let layer = |l: &LayerSpec| l.channels.len() as u64 * if l.float { 4 } else { 2 };
    CHANNELS as u64 * 2 + layers.iter().map(layer).sum::<u64>()
}

/// Writes a strip beside its place, synced and renamed.
pub fn write(path: &Path, mark: &Mark, strip: &LayeredStrip, layers: &[LayerSpec]) -> Result<()> {
    atomic::write_bytes(path, &encoded(mark, strip, layers))
}

/// The same without waiting for the disk: it survives the program, and what a power cut tears is told by its checksum. For what is
/// quicker made again than waited for.
pub fn write_soon(
    path: &Path,
    mark: &Mark,
    strip: &LayeredStrip,
    layers: &[LayerSpec],
) -> Result<()> {
    atomic::write_bytes_soon(path, &encoded(mark, strip, layers))
}

fn encoded(mark: &Mark, strip: &LayeredStrip, layers: &[LayerSpec]) -> Vec<u8> {
    let beauty = &strip.beauty;
    let mut body: Vec<u8> = Vec::new();
    let halves = |values: &[f32], body: &mut Vec<u8>| {
        body.extend(values.iter().flat_map(|&v| to_half(v).to_le_bytes()));
    };
    halves(&beauty.samples, &mut body);
    for (values, layer) in strip.layers.iter().zip(layers) {
        if layer.float {
            body.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        } else {
            halves(values, &mut body);
        }
    }
    body.extend(strip.counts.iter().flat_map(|c| c.to_le_bytes()));
    let channels: usize = layers.iter().map(|l| l.channels.len()).sum();
    let counts = strip.counts.len() as u32;
    let mut bytes = Vec::with_capacity(HEADER + body.len());
    bytes.extend(MAGIC);
    bytes.extend(mark.picture.0);
    bytes.extend(mark.eye.to_le_bytes());
    bytes.extend(mark.frame.to_le_bytes());
    for word in [
        beauty.width,
        beauty.top,
        beauty.rows(),
        channels as u32,
        counts,
    ] {
        bytes.extend(word.to_le_bytes());
    }
    bytes.extend(strip.noise.squares.to_le_bytes());
    bytes.extend(strip.noise.weight.to_le_bytes());
    bytes.extend(strip.noise.samples.to_le_bytes());
    bytes.extend(checksum(&bytes, &body).to_le_bytes());
    bytes.extend(body);
    bytes
}

fn checksum(header: &[u8], body: &[u8]) -> u32 {
    let mut hasher = crc32fast::Hasher::new();
    hasher.update(header);
    hasher.update(body);
    hasher.finalize()
}

/// Rounds a strip to what it would be if it were written and read back.
pub fn round(strip: &mut LayeredStrip, layers: &[LayerSpec]) {
    let halves = |values: &mut [f32]| {
        for v in values {
            *v = to_half(*v).to_f32();
        }
    };
    halves(&mut strip.beauty.samples);
    for (values, _) in strip
        .layers
        .iter_mut()
        .zip(layers)
        .filter(|(_, l)| !l.float)
    {
        halves(values);
    }
}

/// Reads a strip back; one that is damaged, has other layers or belongs to another picture is an error, so that it is
/// rendered again.
pub fn read(path: &Path, mark: &Mark, layers: &[LayerSpec]) -> Result<LayeredStrip> {
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let bad = |d: &str| FileError::damaged(display_name(path), d);
    let (header, body) = bytes
        .split_at_checked(HEADER)
        .ok_or_else(|| bad("its header is cut short"))?;
    if &header[..8] != MAGIC {
        return Err(bad("it is not a strip of this version"));
    }
    let word =
        |i: usize| u32::from_le_bytes([header[i], header[i + 1], header[i + 2], header[i + 3]]);
    let long = |i: usize| u64::from(word(i)) | u64::from(word(i + 4)) << 32;
    let (width, top, rows, channels) = (word(48), word(52), word(56), word(60));
    let counts = word(64);
    let pixels = u64::from(width) * u64::from(rows);
    let wanted: usize = layers.iter().map(|l| l.channels.len()).sum();
    if channels as usize != wanted
        || body.len() as u64 != pixels * pixel_bytes(layers) + 4 * u64::from(counts)
    {
        return Err(bad("its samples do not fill its rows"));
    }
    if checksum(&header[..HEADER - 4], body) != word(HEADER - 4) {
        return Err(bad("its checksum does not fit"));
    }
    if header[8..40] != mark.picture.0 || word(40) != mark.eye || word(44) != mark.frame as u32 {
        return Err(bad("it belongs to another picture"));
    }
    let (mut rest, counts) = body.split_at(body.len() - 4 * counts as usize);
    let mut take = |count: usize, float: bool| -> Vec<f32> {
        let (part, after) = rest.split_at(count * if float { 4 } else { 2 });
        rest = after;
        if float {
            (part.chunks_exact(4))
                .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
                .collect()
        } else {
            (part.chunks_exact(2))
                .map(|b| f16::from_le_bytes([b[0], b[1]]).to_f32())
                .collect()
        }
    };
    let pixels = pixels as usize;
    Ok(LayeredStrip {
        beauty: Strip {
            top,
            width,
            samples: take(pixels * CHANNELS, false),
        },
        layers: layers
            .iter()
            .map(|l| take(pixels * l.channels.len(), l.float))
            .collect(),
        noise: NoiseSum {
            squares: f64::from_bits(long(68)),
            weight: f64::from_bits(long(76)),
            samples: long(84),
        },
        counts: (counts.chunks_exact(4))
            .map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
            .collect(),
    })
}
