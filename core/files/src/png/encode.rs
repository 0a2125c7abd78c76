//! Writing sRGB PNG row by row.

use crate::error::{FileError, Result};
use std::io::Write;

/// Which bytes a pixel has: red, green, blue and perhaps alpha, 8 bits each or 16 with the high byte first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub struct Kind {
    /// Whether alpha follows.
    pub alpha: bool,
    /// 16 bits.
    pub deep: bool,
}

/// Takes whole rows of bytes from the top.
pub type RowSink<'a> = dyn FnMut(&[u8]) -> Result<()> + 'a;

fn failed(detail: impl std::fmt::Display) -> FileError {
    FileError::Request(format!(
        "Writing the PNG failed: {detail}. Check the free space."
    ))
}

/// Writes a picture with the sRGB chunk and perhaps an XMP packet; `fill` gives the rows.
pub fn encode<W: Write>(
    writer: W,
    width: u32,
    height: u32,
    kind: Kind,
    packet: Option<&str>,
    fill: impl FnOnce(&mut RowSink) -> Result<()>,
) -> Result<()> {
    let mut encoder = png::Encoder::new(writer, width, height);
    encoder.set_color(if kind.alpha {
        png::ColorType::Rgba
    } else {
        png::ColorType::Rgb
    });
    encoder.set_depth(if kind.deep {
        png::BitDepth::Sixteen
    } else {
        png::BitDepth::Eight
    });
    encoder.set_source_srgb(png::SrgbRenderingIntent::Perceptual);
    encoder.set_compression(png::Compression::Fast);
    if let Some(packet) = packet {
        encoder
            .add_itxt_chunk("XML:com.adobe.xmp".into(), packet.into())
            .map_err(failed)?;
    }
    let mut writer = encoder.write_header().map_err(failed)?;
    let mut rows = writer.stream_writer().map_err(failed)?;
    fill(&mut |bytes: &[u8]| rows.write_all(bytes).map_err(failed))?;
    rows.finish().map_err(failed)
}

/// A grey 8-bit picture in memory.
pub fn encode_grey(width: u32, height: u32, grey: &[u8]) -> Result<Vec<u8>> {
    in_memory(width, height, png::ColorType::Grayscale, grey)
}

/// An 8-bit picture with opacity in memory: red, green, blue and alpha, row by row.
pub fn encode_rgba(width: u32, height: u32, rgba: &[u8]) -> Result<Vec<u8>> {
    in_memory(width, height, png::ColorType::Rgba, rgba)
}

fn in_memory(width: u32, height: u32, colour: png::ColorType, samples: &[u8]) -> Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(colour);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_compression(png::Compression::Fast);
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(samples).map_err(failed)?;
    writer.finish().map_err(failed)?;
    Ok(bytes)
}
