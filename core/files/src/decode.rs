//! Decoding pictures that scenes bring as textures, with limits, in the depth that they have. What they tell of their colours is
//! left aside, as glTF asks (2.0, section 3.8.2): textures are sRGB or plain data by their use.

use crate::budget::{self, Claim};
use crate::error::{FileError, Result};
use crate::limits::MAX_TEXTURE_SIDE;
use crate::linear_picture;
use dome_imaging::transfer::srgb_from_linear;
use image::{ColorType, ImageDecoder, ImageReader, Limits};
use std::io::Cursor;
use std::path::Path;
use std::sync::Arc;

/// The values of a picture: red, green, blue, alpha, row by row from the top.
#[derive(Clone, Debug, PartialEq)]
pub enum Texels {
    /// 8 bits: sRGB or data by use.
    Byte(Vec<u8>),
    /// 16 bits: sRGB or data by use.
    Word(Vec<u16>),
    /// Scene-linear light, whatever its use.
    Float(Vec<f32>),
}

impl Texels {
    /// Their memory, bytes.
    pub fn bytes(&self) -> u64 {
        (match self {
            Self::Byte(v) => v.len(),
            Self::Word(v) => 2 * v.len(),
            Self::Float(v) => 4 * v.len(),
        }) as u64
    }
}

/// A picture in memory.
#[derive(Clone, Debug)]
pub struct Raster {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Its values.
    pub texels: Texels,
    /// Its memory.
    pub memory: Arc<Claim>,
}

impl Raster {
    /// A picture that was made here; `name` is for the message if there is no room for it.
    pub fn new(width: u32, height: u32, texels: Texels, name: &str) -> Result<Self> {
        let memory = Arc::new(budget::claim(texels.bytes(), name)?);
        Ok(Self {
            width,
            height,
            texels,
            memory,
        })
    }

    /// Its values in 8 bits; light beyond white is white.
    pub fn bytes(&self) -> std::borrow::Cow<'_, [u8]> {
        match &self.texels {
            Texels::Byte(v) => v.into(),
            Texels::Word(v) => v.iter().map(|v| (v / 257) as u8).collect(),
            Texels::Float(v) => (v.iter().enumerate())
                .map(|(i, v)| {
                    let v = if i % 4 == 3 { *v } else { srgb_from_linear(*v) };
                    (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8
                })
                .collect(),
        }
    }

    /// One white pixel.
    pub fn white() -> Self {
        Self {
            width: 1,
            height: 1,
            texels: Texels::Byte(vec![255; 4]),
            memory: Arc::default(),
        }
    }
}

/// Reads an OpenEXR or Radiance HDR as a texture.
pub fn read_light(path: &Path) -> Result<Raster> {
    let read = linear_picture::read(path)?;
    let name = crate::error::display_name(path);
    let picture = read.picture;
    if picture.width.max(picture.height) > MAX_TEXTURE_SIDE {
        return Err(too_large(&name));
    }
    let size = u64::from(picture.width) * u64::from(picture.height) * 16;
    let memory = budget::claim(size, &name)?;
    let texels = (picture.samples.chunks_exact(3)).flat_map(|p| [p[0], p[1], p[2], 1.0]);
    Ok(Raster {
        width: picture.width,
        height: picture.height,
        texels: Texels::Float(texels.collect()),
        memory: Arc::new(memory),
    })
}

fn too_large(name: &str) -> FileError {
    FileError::TooLarge {
        what: name.to_owned(),
        detail: format!("textures may have {MAX_TEXTURE_SIDE} px a side"),
    }
}

/// Decodes a PNG, JPEG or WebP; `name` says in messages where it came from.
pub fn decode_texture(bytes: &[u8], name: &str) -> Result<Raster> {
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
        image::ImageError::Limits(_) => too_large(name),
        image::ImageError::Unsupported(u) => FileError::unsupported(name, u),
        other => FileError::damaged(name, other),
    };
    let decoder = reader.into_decoder().map_err(wrong)?;
    let (width, height) = decoder.dimensions();
    let deep = matches!(
        decoder.color_type(),
        ColorType::L16 | ColorType::La16 | ColorType::Rgb16 | ColorType::Rgba16
    );
    let size = u64::from(width) * u64::from(height) * if deep { 8 } else { 4 };
    // As the file has it, and as it is kept.
    let mut memory = budget::claim(decoder.total_bytes() + size, name)?;
    let picture = image::DynamicImage::from_decoder(decoder).map_err(wrong)?;
    let texels = if deep {
        Texels::Word(picture.into_rgba16().into_raw())
    } else {
        Texels::Byte(picture.into_rgba8().into_raw())
    };
    memory.shrink_to(size);
    Ok(Raster {
        width,
        height,
        texels,
        memory: Arc::new(memory),
    })
}
