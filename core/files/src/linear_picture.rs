//! Reading a whole picture as linear light, whatever its format: surroundings that artists bring.

use crate::decode::decode_rgba8;
use crate::error::{FileError, Result, display_name};
use crate::format::PictureFormat;
use dome_imaging::Picture;
use dome_imaging::transfer::linear_from_srgb8;
use std::io::Cursor;
use std::path::Path;

/// Largest side of a picture that is read whole, pixels.
pub const MAX_SIDE: u32 = 32_768;
/// Most pixels of one.
const MAX_PIXELS: u64 = 300_000_000;

/// A picture in linear light and what is to be said about it.
#[derive(Debug)]
pub struct LinearPicture {
    /// The picture; every value is finite and not negative.
    pub picture: Picture,
    /// Odd things, one sentence each.
    pub notices: Vec<String>,
}

/// Reads an OpenEXR, Radiance HDR, JPEG or PNG.
pub fn read(path: &Path) -> Result<LinearPicture> {
    let name = display_name(path);
    let bytes = std::fs::read(path).map_err(FileError::io("Reading", path))?;
    let mut notices = Vec::new();
    let mut picture = match PictureFormat::sniff(&bytes) {
        Some(PictureFormat::Exr) => read_exr(&bytes, &name)?,
        Some(PictureFormat::Hdr) => read_hdr(&bytes, &name)?,
        Some(PictureFormat::Jpeg | PictureFormat::Png) => {
            notices.push(format!(
                "{name} has 8 bits: its lamps and its sun are cut off at white, so it lights weakly; an .hdr or .exr lights truly."
            ));
            let p = decode_rgba8(&bytes, &name)?;
            Picture {
                width: p.width,
                height: p.height,
                samples: p
                    .bytes
                    .chunks_exact(4)
                    .flat_map(|c| [c[0], c[1], c[2]].map(linear_from_srgb8))
                    .collect(),
            }
        }
        None => {
            return Err(FileError::unsupported(
                name,
                "it is none of OpenEXR, Radiance HDR, JPEG and PNG; save it as one of these",
            ));
        }
    };
    let mut lowest = 0.0f32;
    let mut wrong = 0u64;
    for v in &mut picture.samples {
        if !v.is_finite() || *v < 0.0 {
            wrong += 1;
            lowest = lowest.min(if v.is_finite() { *v } else { 0.0 });
            *v = if *v == f32::INFINITY { 65504.0 } else { 0.0 };
        }
    }
    if wrong > 0 {
        notices.push(format!(
            "{name} holds {wrong} values that no light has (down to {lowest}); they are taken as black."
        ));
    }
    Ok(LinearPicture { picture, notices })
}

fn check_size(width: u64, height: u64, name: &str) -> Result<()> {
    let side = u64::from(MAX_SIDE);
    if width == 0 || height == 0 || width > side || height > side || width * height > MAX_PIXELS {
        return Err(FileError::TooLarge {
            what: name.to_owned(),
            detail: format!(
                "it tells {width} x {height} px; surroundings may have {MAX_SIDE} px a side and {MAX_PIXELS} in all"
            ),
        });
    }
    Ok(())
}

fn read_exr(bytes: &[u8], name: &str) -> Result<Picture> {
    use exr::prelude::*;
    let bad = |e: exr::error::Error| FileError::damaged(name, e);
    // The header first: no memory is made for sizes that cannot be.
    let meta = MetaData::read_from_buffered(Cursor::new(bytes), false).map_err(bad)?;
    let header = &meta.headers[0];
    let (w, h) = (
        header.layer_size.width() as u64,
        header.layer_size.height() as u64,
    );
    check_size(w, h, name)?;
    if header.max_block_byte_size() > 1 << 30 {
        return Err(FileError::damaged(
            name,
            "its blocks are too large to be true",
        ));
    }
    let image = read()
        .no_deep_data()
        .largest_resolution_level()
        .rgb_channels(
            |size, _| Picture::black(size.width() as u32, size.height() as u32),
            |picture: &mut Picture, at, (r, g, b): (f32, f32, f32)| {
                let i = (at.y() * picture.width as usize + at.x()) * 3;
                picture.samples[i..i + 3].copy_from_slice(&[r, g, b]);
            },
        )
        .first_valid_layer()
        .all_attributes()
        .from_buffered(Cursor::new(bytes))
        .map_err(bad)?;
    Ok(image.layer_data.channel_data.pixels)
}

fn read_hdr(bytes: &[u8], name: &str) -> Result<Picture> {
    let bad = |e: image::ImageError| FileError::damaged(name, e);
    let decoder = image::codecs::hdr::HdrDecoder::new(Cursor::new(bytes)).map_err(bad)?;
    let meta = decoder.metadata();
    check_size(u64::from(meta.width), u64::from(meta.height), name)?;
    let picture = image::DynamicImage::from_decoder(decoder).map_err(bad)?;
    Ok(Picture {
        width: picture.width(),
        height: picture.height(),
        samples: picture.to_rgb32f().into_raw(),
    })
}
