//! Durable strips: what a render has finished survives anything. Half floats, as the master keeps them.
//!
//! Layout, little-endian: `ODSTRIP1`, width, top row, rows (u32 each), CRC-32 of the samples (u32), then
//! the samples as half floats. A file is there whole or not at all; the checksum tells a bad disk.

use crate::atomic;
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::to_half;
use dome_imaging::Strip;
use dome_imaging::strip::CHANNELS;
use half::f16;
use std::path::Path;

const MAGIC: &[u8; 8] = b"ODSTRIP1";
const HEADER: usize = 24;

/// Writes a strip beside its place, synced and renamed.
pub fn write(path: &Path, strip: &Strip) -> Result<()> {
    let body: Vec<u8> = strip
        .samples
        .iter()
        .flat_map(|&v| to_half(v).to_le_bytes())
        .collect();
    let mut bytes = Vec::with_capacity(HEADER + body.len());
    bytes.extend(MAGIC);
    for word in [strip.width, strip.top, strip.rows(), crc32fast::hash(&body)] {
        bytes.extend(word.to_le_bytes());
    }
    bytes.extend(body);
    atomic::write_bytes(path, &bytes)
}

/// Reads a strip back; one that is damaged is an error, so that it is rendered again.
pub fn read(path: &Path) -> Result<Strip> {
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let bad = |d: &str| FileError::damaged(display_name(path), d);
    let (header, body) = bytes
        .split_at_checked(HEADER)
        .ok_or_else(|| bad("its header is cut short"))?;
    if &header[..8] != MAGIC {
        return Err(bad("it is not a strip"));
    }
    let word =
        |i: usize| u32::from_le_bytes([header[i], header[i + 1], header[i + 2], header[i + 3]]);
    let (width, top, rows) = (word(8), word(12), word(16));
    if body.len() as u64 != u64::from(width) * u64::from(rows) * CHANNELS as u64 * 2 {
        return Err(bad("its samples do not fill its rows"));
    }
    if crc32fast::hash(body) != word(20) {
        return Err(bad("its checksum does not fit"));
    }
    Ok(Strip {
        top,
        width,
        samples: body
            .chunks_exact(2)
            .map(|b| f16::from_le_bytes([b[0], b[1]]).to_f32())
            .collect(),
    })
}
