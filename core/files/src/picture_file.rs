//! Writing a panorama in any format from its strips.

use crate::error::{FileError, Result};
use crate::exr_picture::{self, ExrMeta};
use crate::format::PictureFormat;
use crate::jpeg;
use crate::pano::TagRequest;
use crate::{atomic, png, radiance, xmp};
use dome_imaging::{Strip, StripError, Tone};
use std::path::Path;

/// How a panorama is to be written.
#[derive(Clone, Debug)]
pub struct PictureSpec {
    /// The format.
    pub format: PictureFormat,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Exposure and curve of the 8-bit formats; linear formats keep the scene's light.
    pub tone: Tone,
    /// JPEG quality, 1 to 100.
    pub quality: u8,
    /// Properties for JPEG and PNG; the heading also goes into an OpenEXR.
    pub tags: TagRequest,
}

impl PictureSpec {
    /// The usual way to write a full sphere: plain tone, quality 95.
    pub fn panorama(format: PictureFormat, width: u32, height: u32, heading_deg: f64) -> Self {
        Self {
            format,
            width,
            height,
            tone: Tone::default(),
            quality: 95,
            tags: TagRequest {
                heading_deg: Some(heading_deg),
                ..TagRequest::default()
            },
        }
    }
}

/// Writes the strips, which must come in order, as one file that is whole or not there.
pub fn write(
    path: &Path,
    spec: &PictureSpec,
    strips: impl IntoIterator<Item = Result<Strip>>,
) -> Result<()> {
    let (width, height) = (spec.width, spec.height);
    match spec.format {
        PictureFormat::Exr => {
            let meta = ExrMeta {
                pose_heading_deg: spec.tags.heading_deg,
            };
            exr_picture::write_file(path, width, height, meta, strips)
        }
        PictureFormat::Hdr => atomic::write(path, |w| {
            radiance::write_header(w, width, height).map_err(FileError::io("Writing", path))?;
            in_order(strips, height, |strip| {
                radiance::write_strip(w, strip).map_err(FileError::io("Writing", path))
            })
        }),
        PictureFormat::Jpeg => {
            let app1 = jpeg::metadata_segments(&spec.tags, width, height)?;
            atomic::write(path, |w| {
                let mut encoder = jpeg::Encoder::new(w, width, height, spec.quality, &app1)?;
                in_order(strips, height, |strip| {
                    encoder.rows(&spec.tone.to_srgb8(&strip.samples))
                })?;
                encoder.finish().map(drop)
            })
        }
        PictureFormat::Png => {
            let packet = xmp::make(&spec.tags.properties(width, height)?)?;
            atomic::write(path, |w| {
                png::encode(w, width, height, &packet, |rows| {
                    in_order(strips, height, |strip| {
                        rows(&spec.tone.to_srgb8(&strip.samples))
                    })
                })
            })
        }
    }
}

fn in_order(
    strips: impl IntoIterator<Item = Result<Strip>>,
    height: u32,
    mut take: impl FnMut(&Strip) -> Result<()>,
) -> Result<()> {
    let torn = |e: StripError| FileError::Request(e.to_string());
    let mut rows = 0;
    for strip in strips {
        let strip = strip?;
        strip.check_follows(rows).map_err(torn)?;
        take(&strip)?;
        rows = strip.end();
    }
    if rows != height {
        return Err(torn(StripError::Incomplete { rows, height }));
    }
    Ok(())
}
