//! Decoding 8-bit pictures that scenes bring as textures, with limits. What they tell of their colours is left aside, as
//! glTF asks (2.0, section 3.8.2): textures are sRGB or plain data by their use.

use crate::budget::{self, Claim};
use crate::error::{FileError, Result};
use crate::limits::MAX_TEXTURE_SIDE;
use image::{ImageDecoder, ImageReader, Limits};
use std::io::Cursor;
use std::sync::Arc;

/// An 8-bit picture in memory.
#[derive(Clone, Debug)]
pub struct Rgba8 {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Red, green, blue, alpha, row by row from the top.
    pub bytes: Vec<u8>,
    /// Its memory.
    pub memory: Arc<Claim>,
}

impl Rgba8 {
    /// A picture that was made here; `name` is for the message if there is no room for it.
    pub fn new(width: u32, height: u32, bytes: Vec<u8>, name: &str) -> Result<Self> {
        let memory = Arc::new(budget::claim(bytes.len() as u64, name)?);
        Ok(Self {
            width,
            height,
            bytes,
            memory,
        })
    }

    /// One white pixel.
    pub fn white() -> Self {
        Self {
            width: 1,
            height: 1,
            bytes: vec![255; 4],
            memory: Arc::default(),
        }
    }
}

/// Decodes a PNG, JPEG or WebP; `name` says in messages where it came from.
pub fn decode_rgba8(bytes: &[u8], name: &str) -> Result<Rgba8> {
    let mut reader = ImageReader::new(Cursor::new(bytes))
        .with_guessed_format()
        .map_err(|e| FileError::damaged(name, e))?;
    if reader.format().is_none() {
        return Err(FileError::unsupported(
            name,
            "it is none of PNG, JPEG and WebP",
        ));
    }
    let mut limits = Limits::default();
    limits.max_image_width = Some(MAX_TEXTURE_SIDE);
    limits.max_image_height = Some(MAX_TEXTURE_SIDE);
    limits.max_alloc = Some(budget::limit());
    reader.limits(limits);
    let wrong = |e: image::ImageError| match e {
        image::ImageError::Limits(_) => FileError::TooLarge {
            what: name.to_owned(),
            detail: format!("textures may have {MAX_TEXTURE_SIDE} px a side"),
        },
        image::ImageError::Unsupported(u) => FileError::unsupported(name, u),
        other => FileError::damaged(name, other),
    };
    let decoder = reader.into_decoder().map_err(wrong)?;
    let (width, height) = decoder.dimensions();
    let size = u64::from(width) * u64::from(height) * 4;
    // As the file has it, and as it is kept.
    let mut memory = budget::claim(decoder.total_bytes() + size, name)?;
    let picture = image::DynamicImage::from_decoder(decoder).map_err(wrong)?;
    let bytes = picture.into_rgba8().into_raw();
    memory.shrink_to(size);
    Ok(Rgba8 {
        width,
        height,
        bytes,
        memory: Arc::new(memory),
    })
}
