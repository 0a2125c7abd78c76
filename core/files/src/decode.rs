//! Decoding 8-bit pictures that scenes bring as textures, with limits.

use crate::error::{FileError, Result};
use image::{ImageReader, Limits};
use std::io::Cursor;

/// Largest side of a texture, pixels.
pub const MAX_SIDE: u32 = 16_384;
/// Most memory one texture may take while decoding, bytes.
const MAX_MEMORY: u64 = 2 << 30;

/// An 8-bit picture in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rgba8 {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Red, green, blue, alpha, row by row from the top.
    pub bytes: Vec<u8>,
}

/// Decodes a PNG or JPEG; `name` says in messages where it came from.
pub fn decode_rgba8(bytes: &[u8], name: &str) -> Result<Rgba8> {
    let mut reader = ImageReader::new(Cursor::new(bytes))
        .with_guessed_format()
        .map_err(|e| FileError::damaged(name, e))?;
    if reader.format().is_none() {
        return Err(FileError::unsupported(name, "it is neither PNG nor JPEG"));
    }
    let mut limits = Limits::default();
    limits.max_image_width = Some(MAX_SIDE);
    limits.max_image_height = Some(MAX_SIDE);
    limits.max_alloc = Some(MAX_MEMORY);
    reader.limits(limits);
    let picture = reader.decode().map_err(|e| match e {
        image::ImageError::Limits(_) => FileError::TooLarge {
            what: name.to_owned(),
            detail: format!("textures may have {MAX_SIDE} px a side"),
        },
        image::ImageError::Unsupported(u) => FileError::unsupported(name, u),
        other => FileError::damaged(name, other),
    })?;
    let rgba = picture.to_rgba8();
    Ok(Rgba8 {
        width: rgba.width(),
        height: rgba.height(),
        bytes: rgba.into_raw(),
    })
}
