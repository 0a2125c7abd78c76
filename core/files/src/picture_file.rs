//! Writing a panorama in any format from its strips.

use crate::error::{FileError, Result};
use crate::exr_picture::{self, ExrMeta, ExrSpec};
use crate::format::PictureFormat;
use crate::jpeg;
use crate::pano::TagRequest;
use crate::{atomic, png, radiance, xmp};
use dome_imaging::{LayerSpec, LayeredStrip, Strip, StripError, Tone};
use std::ops::Range;
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
    /// Layers beside the beauty. OpenEXR takes all, PNG an alpha, the others none.
    pub layers: Vec<LayerSpec>,
    /// What an OpenEXR says in its comments.
    pub comments: Option<String>,
    /// Rows of a part of the picture, which only OpenEXR can hold; without it the whole.
    pub rows: Option<Range<u32>>,
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
            layers: Vec::new(),
            comments: None,
            rows: None,
        }
    }
}

/// Writes the strips, which must come in order, as one file that is whole or not there.
pub fn write(
    path: &Path,
    spec: &PictureSpec,
    strips: impl IntoIterator<Item = Result<LayeredStrip>>,
) -> Result<()> {
    let (width, height) = (spec.width, spec.height);
    if spec.rows.is_some() && spec.format != PictureFormat::Exr {
        return Err(FileError::Request(
            "Only .exr can hold some rows of a picture; name the output .exr.".into(),
        ));
    }
    match spec.format {
        PictureFormat::Exr => {
            let exr = ExrSpec {
                rows: spec.rows.clone().unwrap_or(0..height),
                layers: spec.layers.clone(),
                ..ExrSpec::whole(
                    width,
                    height,
                    ExrMeta {
                        pose_heading_deg: spec.tags.heading_deg,
                        comments: spec.comments.clone(),
                    },
                )
            };
            exr_picture::write_file(path, &exr, strips)
        }
        PictureFormat::Hdr => atomic::write(path, |w| {
            radiance::write_header(w, width, height).map_err(FileError::io("Writing", path))?;
            in_order(strips, height, |strip| {
                radiance::write_strip(w, &strip.beauty).map_err(FileError::io("Writing", path))
            })
        }),
        PictureFormat::Jpeg => {
            let app1 = jpeg::metadata_segments(&spec.tags, width, height)?;
            atomic::write(path, |w| {
                let mut encoder = jpeg::Encoder::new(w, width, height, spec.quality, &app1)?;
                in_order(strips, height, |strip| {
                    encoder.rows(&spec.tone.to_srgb8(&strip.beauty.samples))
                })?;
                encoder.finish().map(drop)
            })
        }
        PictureFormat::Png => {
            let packet = xmp::make(&spec.tags.properties(width, height)?)?;
            let alpha = spec.layers.iter().position(is_alpha);
            let kind = if alpha.is_some() {
                png::Kind::Rgba
            } else {
                png::Kind::Rgb
            };
            atomic::write(path, |w| {
                png::encode(w, width, height, kind, &packet, |rows| {
                    in_order(strips, height, |strip| match alpha {
                        Some(layer) => rows(&with_alpha(strip, layer, spec.tone)),
                        None => rows(&spec.tone.to_srgb8(&strip.beauty.samples)),
                    })
                })
            })
        }
    }
}

fn is_alpha(layer: &LayerSpec) -> bool {
    layer.name.is_empty() && layer.channels == ["A"]
}

/// Colour and alpha side by side. Light is kept multiplied by alpha; PNG wants it without.
fn with_alpha(strip: &LayeredStrip, layer: usize, tone: Tone) -> Vec<u8> {
    let pixels = strip.beauty.samples.chunks_exact(3);
    (pixels.zip(&strip.layers[layer]))
        .flat_map(|(rgb, &alpha)| {
            let plain: Vec<f32> = rgb.iter().map(|v| v / alpha.max(1e-6)).collect();
            let [r, g, b] = <[u8; 3]>::try_from(tone.to_srgb8(&plain)).unwrap_or_default();
            [r, g, b, dome_imaging::transfer::quantise8(alpha)]
        })
        .collect()
}

fn in_order(
    strips: impl IntoIterator<Item = Result<LayeredStrip>>,
    height: u32,
    mut take: impl FnMut(&LayeredStrip) -> Result<()>,
) -> Result<()> {
    let torn = |e: StripError| FileError::Request(e.to_string());
    let mut rows = 0;
    for strip in strips {
        let strip = strip?;
        strip.beauty.check_follows(rows).map_err(torn)?;
        take(&strip)?;
        rows = strip.beauty.end();
    }
    if rows != height {
        return Err(torn(StripError::Incomplete { rows, height }));
    }
    Ok(())
}

/// Strips without layers, as [`write`] takes them.
pub fn plain(
    strips: impl IntoIterator<Item = Result<Strip>>,
) -> impl Iterator<Item = Result<LayeredStrip>> {
    strips.into_iter().map(|s| s.map(LayeredStrip::from))
}
