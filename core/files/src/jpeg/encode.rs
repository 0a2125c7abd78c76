//! Writing JPEG row by row.

use crate::error::{FileError, Result};
use mozjpeg::{ColorSpace, Compress, Marker, compress::CompressStarted};
use std::io::Write;

/// JPEG sides are 16-bit numbers; the standard's limit.
pub const MAX_SIDE: u32 = 65_535;

/// Takes 8-bit sRGB rows from the top and writes them as baseline JPEG.
pub struct Encoder<W: Write> {
    inner: CompressStarted<W>,
}

fn failed(detail: impl std::fmt::Display) -> FileError {
    FileError::Request(format!(
        "Writing the JPEG failed: {detail}. Check the free space."
    ))
}

impl<W: Write> Encoder<W> {
    /// Starts a picture; `quality` is 1 to 100. At 90 and above colour is kept at full resolution
    /// (4:4:4), below it is halved both ways (4:2:0). `app1` are metadata segments, identifier first.
    pub fn new(writer: W, width: u32, height: u32, quality: u8, app1: &[Vec<u8>]) -> Result<Self> {
        if width == 0 || height == 0 || width > MAX_SIDE || height > MAX_SIDE {
            return Err(FileError::TooLarge {
                what: "The picture".into(),
                detail: format!(
                    "{width} x {height} px, and JPEG ends at {MAX_SIDE} px a side; take .png or .exr"
                ),
            });
        }
        let mut c = Compress::new(ColorSpace::JCS_RGB);
        c.set_fastest_defaults();
        c.set_size(width as usize, height as usize);
        c.set_quality(f32::from(quality.clamp(1, 100)));
        let step = if quality >= 90 { 1 } else { 2 };
        c.set_chroma_sampling_pixel_sizes((step, step), (step, step));
        let mut inner = c.start_compress(writer).map_err(failed)?;
        for segment in app1 {
            inner.write_marker(Marker::APP(1), segment);
        }
        Ok(Self { inner })
    }

    /// Writes whole rows of RGB bytes.
    pub fn rows(&mut self, rgb: &[u8]) -> Result<()> {
        self.inner.write_scanlines(rgb).map_err(failed)
    }

    /// Ends the picture and gives the writer back.
    pub fn finish(self) -> Result<W> {
        self.inner.finish().map_err(failed)
    }
}

/// A small picture as JPEG in memory, for previews.
pub fn encode_small(width: u32, height: u32, rgb: &[u8], quality: u8) -> Result<Vec<u8>> {
    let mut e = Encoder::new(Vec::new(), width, height, quality, &[])?;
    e.rows(rgb)?;
    e.finish()
}
