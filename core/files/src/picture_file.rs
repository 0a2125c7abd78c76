//! Writing a panorama in any format from its strips.

use crate::atomic::Over;
use crate::error::{FileError, Result};
use crate::exr_picture::{self, Cut, ExrMeta, ExrSpec};
use crate::fingerprint::Description;
use crate::format::PictureFormat;
use crate::jpeg;
use crate::pano::{Part, TagRequest};
use crate::{atomic, png, radiance, xmp};
use dome_imaging::{LayerSpec, LayeredStrip, Strip, StripError, Tone};
use dome_optics::rig::{Arrangement, Packing};
use dome_optics::{Orientation, Shape};
use std::ops::Range;
use std::path::{Path, PathBuf};

/// How a panorama is to be written.
#[derive(Clone, Debug)]
pub struct PictureSpec {
    /// The format.
    pub format: PictureFormat,
    /// The shape: only parts of an unrolled sphere carry panorama properties.
    pub shape: Shape,
    /// 16 bits instead of 8, in PNG; single precision instead of half, in OpenEXR.
    pub deep: bool,
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
    /// Luminance of the value 1, cd/m^2, where it is known; OpenEXR says it.
    pub white_cd_m2: Option<f32>,
    /// What determined the picture: OpenEXR says it whole, JPEG and PNG by its fingerprint.
    pub description: Option<Description>,
    /// How two eyes lie in the picture: then it is no sphere to a viewer of one eye, and its words say what it is.
    pub packing: Packing,
    /// Whether an OpenEXR holds both eyes: its layers are then those of `views::layers_of_both`.
    pub both_eyes: bool,
    /// Rows of a part of the picture, which only OpenEXR can hold; without it the whole.
    pub rows: Option<Range<u32>>,
    /// Notices what the half floats of an OpenEXR cut of the light.
    pub cut: Cut,
    /// What its files may take the place of.
    pub over: Over,
}

impl PictureSpec {
    /// The usual way to write a full sphere: plain tone, quality 95.
    pub fn panorama(format: PictureFormat, width: u32, height: u32, heading_deg: f64) -> Self {
        Self {
            format,
            shape: Shape::Equirect,
            deep: false,
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
            white_cd_m2: None,
            description: None,
            packing: Packing::MONO,
            both_eyes: false,
            rows: None,
            cut: Cut::default(),
            over: Over::default(),
        }
    }
}

impl PictureSpec {
    /// Refuses what could not be told to viewers, before anything is rendered for it.
    pub fn check(&self) -> Result<()> {
        match self.panorama_tags() {
            Some(tags) if !self.format.is_linear() => {
                tags.properties(self.width, self.height).map(drop)
            }
            _ => Ok(()),
        }
    }

    /// Tells how the picture is turned against the horizon; level ones say nothing of it.
    pub fn tilted(&mut self, orientation: &Orientation) {
        self.tags.tilt_deg =
            (!orientation.is_level()).then_some((orientation.pitch_deg, orientation.roll_deg));
    }

    /// What viewers are told: nothing about shapes that they do not know.
    fn panorama_tags(&self) -> Option<TagRequest> {
        if self.packing.is_packed() {
            return None;
        }
        let mut tags = self.tags.clone();
        match self.shape {
            Shape::Equirect => Some(tags),
            Shape::EquirectPart {
                hfov_deg,
                vfov_deg,
                heading_deg,
                pitch_deg,
            } => {
                // The full sphere in the same pixels, twice as wide as high.
                let full_width = (f64::from(self.width) * 360.0 / hfov_deg / 2.0).round() * 2.0;
                let full_height = full_width / 2.0;
                let from_left = full_width * (0.5 + (heading_deg - hfov_deg / 2.0) / 360.0);
                let from_top = full_height * (0.5 - (pitch_deg + vfov_deg / 2.0) / 180.0);
                let beyond =
                    from_left < -0.5 || from_left + f64::from(self.width) > full_width + 0.5;
                // A part across the seam is told as in the middle, the sphere turned to it.
                let left = if beyond {
                    let turned = |h: f64| dome_optics::angle::wrap_heading_deg(h + heading_deg);
                    tags.heading_deg = tags.heading_deg.map(turned);
                    (full_width - f64::from(self.width)) / 2.0
                } else {
                    from_left
                };
                let within = |v: f64, most: f64| v.round().clamp(0.0, most.max(0.0)) as u32;
                tags.part = Some(Part {
                    left: within(left, full_width - f64::from(self.width)),
                    top: within(from_top, full_height - f64::from(self.height)),
                    full_width: full_width as u32,
                    full_height: (full_height as u32).max(self.height),
                });
                Some(tags)
            }
            _ => None,
        }
    }
}

impl PictureSpec {
    /// The XMP packet of a JPEG or PNG: what viewers and people are told, and which picture it is.
    fn packet(&self) -> Result<Option<String>> {
        let told = match self.panorama_tags() {
            Some(tags) => Some(xmp::make(&tags.properties(self.width, self.height)?)?),
            None => self.layout().map(|words| xmp::described(&words)),
        };
        Ok(match &self.description {
            Some(description) => Some(xmp::identified(told, description.fingerprint())?),
            None => told,
        })
    }

    /// How the eyes lie, in words for people and programs; nothing of one eye.
    pub fn layout(&self) -> Option<String> {
        let (first, second) = match (self.packing.arrangement, self.packing.right_first) {
            (Arrangement::TopBottom, false) => ("left eye on top", "right eye below"),
            (Arrangement::TopBottom, true) => ("right eye on top", "left eye below"),
            (Arrangement::SideBySide, false) => ("left eye on the left", "right eye on the right"),
            (Arrangement::SideBySide, true) => ("right eye on the left", "left eye on the right"),
            (Arrangement::Mono | Arrangement::TwoFiles, _) => return None,
        };
        let squeezed = if self.packing.squeezed {
            ", each squeezed to half"
        } else {
            ""
        };
        Some(format!(
            "Stereo {}: {first}, {second}{squeezed}; each eye is {}.",
            self.packing, self.shape
        ))
    }
}

/// How eyes lie by the words of a file, and the shape of each: what [`PictureSpec::layout`] wrote; nothing of other words.
pub fn layout_told(words: &str) -> Option<(Packing, Shape)> {
    let (packing, rest) = words.strip_prefix("Stereo ")?.split_once(": ")?;
    let shape = rest.rsplit_once("each eye is ")?.1.strip_suffix('.')?;
    Some((packing.parse().ok()?, shape.parse().ok()?))
}

/// A word in a name where each eye has its own.
pub const EYE_WORD: &str = "{eye}";
/// A word in a name where each face of a cube has its own.
pub const FACE_WORD: &str = "{face}";

/// The file of one eye of two files: where the name has [`EYE_WORD`], else `OUT-left.jpg` for `OUT.jpg`.
pub fn eye_path(path: &Path, side: dome_optics::rig::Side) -> PathBuf {
    part_path(path, EYE_WORD, side.name())
}

/// The file of one face of `cube-faces`: where the name has [`FACE_WORD`], else `OUT-front.png` for `OUT.png`.
pub fn face_path(path: &Path, face: &str) -> PathBuf {
    part_path(path, FACE_WORD, face)
}

fn part_path(path: &Path, word: &str, face: &str) -> PathBuf {
    if let Some(text) = path.to_str().filter(|text| text.contains(word)) {
        return text.replace(word, face).into();
    }
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let name = match path.extension() {
        Some(ending) => format!("{stem}-{face}.{}", ending.to_string_lossy()),
        None => format!("{stem}-{face}"),
    };
    path.with_file_name(name)
}

/// Writes the strips, which must come in order, as one file that is whole or not there, or as six files for
/// the shape `cube-faces`. Tells what was written.
pub fn write_all(
    path: &Path,
    spec: &PictureSpec,
    strips: impl IntoIterator<Item = Result<LayeredStrip>>,
) -> Result<Vec<PathBuf>> {
    let Shape::CubeFaces(layout) = spec.shape else {
        write(path, spec, strips)?;
        return Ok(vec![path.to_owned()]);
    };
    let side = spec.width;
    let mut strips = strips.into_iter();
    let mut rest: Option<LayeredStrip> = None;
    let mut written = Vec::new();
    for (i, (cell, ..)) in layout.places().enumerate() {
        let (first, end) = (i as u32 * side, (i as u32 + 1) * side);
        // One face is a plain picture to whoever reads it: an ordinary camera's.
        let one = PictureSpec {
            shape: Shape::Perspective {
                hfov_deg: 90.0,
                vfov_deg: Some(90.0),
                shift: [0.0; 2],
            },
            height: side,
            comments: Some(format!("Face {cell} of a cube")),
            ..spec.clone()
        };
        let mut at = first;
        let face = std::iter::from_fn(|| {
            if at >= end {
                return None;
            }
            let strip = match rest.take() {
                Some(strip) => strip,
                None => match strips.next()? {
                    Ok(strip) => strip,
                    Err(e) => return Some(Err(e)),
                },
            };
            let (mut now, later) = split_strip(strip, end);
            rest = later;
            at = now.beauty.end();
            now.beauty.top = now.beauty.top.saturating_sub(first);
            Some(Ok(now))
        });
        let target = face_path(path, cell.face.name());
        write(&target, &one, face)?;
        written.push(target);
    }
    Ok(written)
}

/// The rows above `row`, and those from there on if there are any.
fn split_strip(mut strip: LayeredStrip, row: u32) -> (LayeredStrip, Option<LayeredStrip>) {
    if strip.beauty.end() <= row {
        return (strip, None);
    }
    let rows = (row - strip.beauty.top) as usize;
    let pixels = rows * strip.beauty.width as usize;
    let of = strip.beauty.width as usize * strip.beauty.rows() as usize;
    let later = LayeredStrip {
        beauty: Strip {
            top: row,
            width: strip.beauty.width,
            samples: strip.beauty.samples.split_off(pixels * 3),
        },
        layers: (strip.layers.iter_mut())
            .map(|l| l.split_off(l.len() / of * pixels))
            .collect(),
        noise: strip.noise,
        counts: Vec::new(),
    };
    (strip, Some(later))
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
                        shape: spec.shape,
                        float: spec.deep,
                        pose_heading_deg: spec.tags.heading_deg,
                        comments: told(spec),
                        white_cd_m2: spec.white_cd_m2,
                        description: spec.description.clone(),
                        both_eyes: spec.both_eyes,
                        packed: spec.packing.is_packed(),
                        cut: spec.cut.clone(),
                        over: spec.over,
                    },
                )
            };
            exr_picture::write_file(path, &exr, strips)
        }
        PictureFormat::Hdr => atomic::write_over(path, spec.over, |w| {
            radiance::write_header(w, width, height).map_err(FileError::io("Writing", path))?;
            in_order(strips, height, |strip| {
                radiance::write_strip(w, &strip.beauty).map_err(FileError::io("Writing", path))
            })
        }),
        PictureFormat::Jpeg => {
            let app1 = jpeg::metadata_segments(&spec.tags, spec.packet()?.as_deref())?;
            atomic::write_over(path, spec.over, |w| {
                let mut encoder = jpeg::Encoder::new(w, width, height, spec.quality, &app1)?;
                in_order(strips, height, |strip| {
                    encoder.rows(&spec.tone.to_srgb8(&strip.beauty.samples))
                })?;
                encoder.finish().map(drop)
            })
        }
        PictureFormat::Png => {
            let packet = spec.packet()?;
            let alpha = spec.layers.iter().position(is_alpha);
            let kind = png::Kind {
                alpha: alpha.is_some(),
                deep: spec.deep,
            };
            atomic::write_over(path, spec.over, |w| {
                png::encode(w, width, height, kind, packet.as_deref(), |rows| {
                    in_order(strips, height, |strip| rows(&png_bytes(strip, alpha, spec)))
                })
            })
        }
    }
}

/// What an OpenEXR says in its comments: the shape, if the standard has no attribute for it, and what else is
/// to be said.
fn told(spec: &PictureSpec) -> Option<String> {
    let packed = spec.packing.is_packed();
    let shape = (spec.shape != Shape::Equirect && !packed).then(|| format!("Shape {}", spec.shape));
    let shape = shape.or_else(|| spec.layout());
    match (shape, &spec.comments) {
        (Some(shape), Some(comments)) => Some(format!("{comments}\n{shape}")),
        (shape, comments) => shape.or_else(|| comments.clone()),
    }
}

fn is_alpha(layer: &LayerSpec) -> bool {
    layer.name.is_empty() && layer.channels == ["A"]
}

/// The bytes of some rows. Light is kept multiplied by alpha; PNG wants it without.
fn png_bytes(strip: &LayeredStrip, alpha: Option<usize>, spec: &PictureSpec) -> Vec<u8> {
    let signals = |rgb: &[f32], out: &mut Vec<u8>| {
        if spec.deep {
            out.extend(
                spec.tone
                    .to_srgb16(rgb)
                    .iter()
                    .flat_map(|v| v.to_be_bytes()),
            );
        } else {
            out.extend(spec.tone.to_srgb8(rgb));
        }
    };
    let mut out = Vec::with_capacity(strip.beauty.samples.len() * 2);
    let Some(layer) = alpha else {
        signals(&strip.beauty.samples, &mut out);
        return out;
    };
    for (rgb, &alpha) in strip
        .beauty
        .samples
        .chunks_exact(3)
        .zip(&strip.layers[layer])
    {
        let plain: Vec<f32> = rgb.iter().map(|v| v / alpha.max(1e-6)).collect();
        signals(&plain, &mut out);
        if spec.deep {
            out.extend(((alpha.clamp(0.0, 1.0) * 65535.0 + 0.5) as u16).to_be_bytes());
        } else {
            out.push(dome_imaging::transfer::quantise8(alpha));
        }
    }
    out
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
