//! OpenEXR panoramas: written strip by strip, read strip by strip.
//!
//! Written: R, G, B in half float and any further layers by the format's `layer.channel` names, ZIP blocks of 16 rows, the `chromaticities` of Rec. 709,
//! and the standard `envmap` attribute (latitude-longitude). The standard's picture has +Z in the middle
//! and +X a quarter to the left: ours with the world turned half a turn about Y, so no pixel moves and
//! nothing is mirrored; the middle of the picture is the viewpoint's heading, told in degrees by the
//! attribute `poseHeadingDegrees`. What determines the picture is told line by line in the attribute
//! `pictureDescription`, whose SHA-256 is the picture's fingerprint.

mod read;

pub use read::{ExrHeader, ExrStrips, ViewPlace, value_at};
pub(crate) use read::{check_size, chromaticities};

use crate::atomic::{Over, write_over};
use crate::error::{FileError, Result};
use crate::fingerprint::Description;
use dome_imaging::strip::CHANNELS;
use dome_imaging::{LayerSpec, LayeredStrip, StripError};
use dome_optics::Shape;
use dome_optics::projection::CubeLayout;
use exr::block::writer::ChunksWriter;
use exr::block::{BlockIndex, UncompressedBlock};
use exr::meta::attribute::{
    AttributeValue, ChannelDescription, Chromaticities, EnvironmentMap, LineOrder, SampleType, Text,
};
use exr::meta::{BlockDescription, header::Header};
use exr::prelude::{Compression, IntegerBounds, Vec2};
use half::f16;
use std::collections::VecDeque;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Rows in a ZIP block of the format.
const BLOCK_ROWS: u32 = 16;
/// Name of the attribute that holds the heading of the picture's middle.
const POSE_HEADING: &str = "poseHeadingDegrees";
/// Name of the attribute that holds what determines the picture.
const DESCRIPTION: &str = "pictureDescription";
/// Largest finite half float; brighter light is held there rather than written as infinity.
pub(crate) const HALF_MAX: f32 = 65504.0;

/// Whether light was cut because half floats hold no more, found while a picture is written; its clones are one and the same.
#[derive(Clone, Debug, Default)]
pub struct Cut(Arc<AtomicBool>);

impl Cut {
    /// What is to be said of it.
    pub fn note(&self) -> Option<&'static str> {
        (self.0.load(Ordering::Relaxed))
            .then_some("Light above 65504 was cut there: its half floats hold no more.")
    }

    /// As half floats, noticing what is cut. Light that came as half floats was cut if it is as bright as one can be.
    pub(crate) fn halves(&self, values: impl Iterator<Item = f32>) -> impl Iterator<Item = f16> {
        values.map(|v| {
            if v.abs() >= HALF_MAX {
                self.0.store(true, Ordering::Relaxed);
            }
            to_half(v)
        })
    }
}

/// What is written beside the pixels.
#[derive(Clone, Debug)]
pub struct ExrMeta {
    /// The shape; the standard's attribute `envmap` is written for those it knows.
    pub shape: Shape,
    /// Colour in single precision instead of half floats.
    pub float: bool,
    /// Compass heading of the middle of the picture, degrees.
    pub pose_heading_deg: Option<f64>,
    /// What the standard attribute `comments` says; a mask's colours by name.
    pub comments: Option<String>,
    /// Luminance of the value 1, cd/m^2: the standard attribute `whiteLuminance`.
    pub white_cd_m2: Option<f32>,
    /// What determines the picture.
    pub description: Option<Description>,
    /// Whether both eyes are in the file, as `views.rs` tells.
    pub both_eyes: bool,
    /// Whether several pictures lie packed in this one, which is then no sphere of its own.
    pub packed: bool,
    /// Notices what half floats cut of the light.
    pub cut: Cut,
    /// What the file may take the place of.
    pub over: Over,
}

impl Default for ExrMeta {
    fn default() -> Self {
        Self {
            shape: Shape::Equirect,
            float: false,
            pose_heading_deg: None,
            comments: None,
            white_cd_m2: None,
            description: None,
            both_eyes: false,
            packed: false,
            cut: Cut::default(),
            over: Over::default(),
        }
    }
}

/// What an OpenEXR file is to hold.
#[derive(Clone, Debug)]
pub struct ExrSpec {
    /// Width of the whole picture, pixels.
    pub width: u32,
    /// Height of the whole picture, pixels.
    pub height: u32,
    /// Rows that the file holds; the data window. The display window is the whole picture.
    pub rows: Range<u32>,
    /// Layers beside the beauty.
    pub layers: Vec<LayerSpec>,
    /// What stands beside the pixels.
    pub meta: ExrMeta,
}

impl ExrSpec {
    /// A whole picture without other layers.
    pub fn whole(width: u32, height: u32, meta: ExrMeta) -> Self {
        Self {
            width,
            height,
            rows: 0..height,
            layers: Vec::new(),
            meta,
        }
    }
}

/// A scene value as the master keeps it.
pub fn to_half(value: f32) -> f16 {
    f16::from_f32(value.clamp(-HALF_MAX, HALF_MAX))
}

fn write_failed(e: exr::error::Error) -> FileError {
    match e {
        exr::error::Error::Io(source) => FileError::Io {
            action: "Writing",
            path: "the OpenEXR picture".into(),
            source,
        },
        other => FileError::Request(format!(
            "Writing the OpenEXR picture failed: {other}. Check the free space."
        )),
    }
}

/// Where a channel's values come from.
#[derive(Clone, Copy)]
enum Source {
    /// Colour of the beauty.
    Beauty(usize),
    /// Layer, channel in it, number of its channels.
    Layer(usize, usize, usize),
}

/// A channel of the file.
struct Column {
    name: String,
    float: bool,
    source: Source,
}

/// Whether a channel is of the picture itself, in the only view or in the right eye's.
fn is_colour(name: &str) -> bool {
    matches!(name.rsplit_once('.'), None | Some(("right", _)))
}

/// The channels in the order of the format: by the bytes of their names.
fn columns(layers: &[LayerSpec], float: bool) -> Vec<Column> {
    let mut columns: Vec<Column> = ["R", "G", "B"]
        .iter()
        .enumerate()
        .map(|(c, name)| Column {
            name: (*name).into(),
            float,
            source: Source::Beauty(c),
        })
        .collect();
    for (l, layer) in layers.iter().enumerate() {
        let n = layer.channels.len();
        columns.extend((0..n).map(|c| Column {
            name: layer.channel_name(c),
            float: layer.float,
            source: Source::Layer(l, c, n),
        }));
    }
    columns.sort_by(|a, b| a.name.as_bytes().cmp(b.name.as_bytes()));
    columns
}

/// Writes a picture from its strips in order. Memory is a few blocks.
pub fn write<W, I, E>(writer: W, spec: &ExrSpec, strips: I) -> std::result::Result<(), E>
where
    W: Write + Seek,
    I: IntoIterator<Item = std::result::Result<LayeredStrip, E>>,
    E: From<FileError>,
{
    let columns = columns(&spec.layers, spec.meta.float);
    let rows = spec.rows.len();
    let channels = columns.iter().map(|c| {
        let kind = if c.float {
            SampleType::F32
        } else {
            SampleType::F16
        };
        // Colour in any view is meant for the eye; whatever else a layer holds is not.
        let last = c.name.rsplit('.').next().unwrap_or_default();
        let linear = !["R", "G", "B"].contains(&last) || !is_colour(&c.name);
        ChannelDescription::new(text(&c.name), kind, linear)
    });
    let mut header = Header::new(
        Text::from("panorama"),
        (spec.width as usize, rows),
        channels.collect(),
    )
    .with_encoding(
        Compression::ZIP16,
        BlockDescription::ScanLines,
        LineOrder::Increasing,
    )
    .with_position(Vec2(0, spec.rows.start as i32))
    .with_display_window(IntegerBounds::from_dimensions((
        spec.width as usize,
        spec.height as usize,
    )));
    header.own_attributes.layer_name = None; // one layer needs no name
    header.own_attributes.software_name = Some(Text::from(crate::SOFTWARE));
    header.own_attributes.environment_map = match spec.meta.shape {
        _ if spec.meta.packed => None,
        Shape::Equirect => Some(EnvironmentMap::LatitudeLongitude),
        Shape::Cube(layout) if layout == CubeLayout::openexr() => Some(EnvironmentMap::Cube),
        _ => None,
    };
    header.own_attributes.multi_view_names =
        (spec.meta.both_eyes).then(|| crate::views::VIEWS.map(Text::from).into());
    header.own_attributes.comments = spec.meta.comments.as_deref().map(text);
    header.own_attributes.white_luminance = spec.meta.white_cd_m2;
    header.shared_attributes.chromaticities = Some(Chromaticities {
        // Rec. ITU-R BT.709 with D65.
        red: Vec2(0.64, 0.33),
        green: Vec2(0.30, 0.60),
        blue: Vec2(0.15, 0.06),
        white: Vec2(0.3127, 0.3290),
    });
    // One free attribute of the layer and one of the picture at most: the library keeps each kind unordered, and equal
    // pictures must be equal bytes.
    if let Some(heading) = spec.meta.pose_heading_deg {
        header.own_attributes.other.insert(
            Text::from(POSE_HEADING),
            AttributeValue::F32(heading as f32),
        );
    }
    let described = (spec.meta.description.as_ref()).map(|d| text(&d.to_string()));
    if let Some(described) = described {
        (header.shared_attributes.other)
            .insert(Text::from(DESCRIPTION), AttributeValue::Text(described));
    }

    // The library's closure can only fail in its own way; the strips' error waits here.
    let mut strip_error: Option<E> = None;
    let mut strips = strips.into_iter();
    let done = exr::block::write(
        writer,
        std::iter::once(header).collect(),
        true,
        |meta, chunks| {
            let mut blocks = BlockRows::new(spec, &columns);
            let mut parallel = chunks.parallel_blocks_compressor(&meta);
            let outcome = loop {
                let strip = match strips.next() {
                    Some(Ok(strip)) => strip,
                    Some(Err(e)) => break Err(e),
                    None => {
                        break blocks
                            .check_complete()
                            .map_err(|e| FileError::Request(e.to_string()).into());
                    }
                };
                if let Err(e) = blocks.take(strip) {
                    break Err(FileError::Request(e.to_string()).into());
                }
                while let Some((index, block)) = blocks.next_block() {
                    match &mut parallel {
                        Some(p) => p.add_block_to_compression_queue(index, block)?,
                        None => {
                            return Err(exr::error::Error::Invalid(
                                "no threads for compression".into(),
                            ));
                        }
                    }
                }
            };
            outcome.map_err(|e| {
                strip_error = Some(e);
                exr::error::Error::Aborted
            })
        },
    );
    match (done, strip_error) {
        (_, Some(e)) => Err(e),
        (Err(e), None) => Err(write_failed(e).into()),
        (Ok(()), None) => Ok(()),
    }
}

/// A text of the format: UTF-8 (OpenEXR, "Technical Introduction", strings of attributes and names of channels).
fn text(s: &str) -> Text {
    Text::from_bytes_unchecked(s.bytes().collect())
}

/// Collects strips of any height into the format's blocks.
struct BlockRows<'a> {
    spec: &'a ExrSpec,
    columns: &'a [Column],
    pending: VecDeque<LayeredStrip>,
    /// Row that the next strip must start at.
    next_row: u32,
    /// First row that is not in a block yet.
    emitted: u32,
}

impl<'a> BlockRows<'a> {
    fn new(spec: &'a ExrSpec, columns: &'a [Column]) -> Self {
        Self {
            spec,
            columns,
            pending: VecDeque::new(),
            next_row: spec.rows.start,
            emitted: spec.rows.start,
        }
    }

    fn take(&mut self, strip: LayeredStrip) -> std::result::Result<(), StripError> {
        let beauty = &strip.beauty;
        beauty.check_follows(self.next_row)?;
        let pixels = beauty.width as usize * beauty.rows() as usize;
        let whole = strip.layers.len() == self.spec.layers.len()
            && (strip.layers.iter().zip(&self.spec.layers))
                .all(|(values, layer)| values.len() == pixels * layer.channels.len());
        if beauty.width != self.spec.width || beauty.end() > self.spec.rows.end || !whole {
            return Err(StripError::WrongLength {
                top: beauty.top,
                samples: beauty.samples.len(),
                wanted: self.spec.width as usize
                    * CHANNELS
                    * self.spec.rows.end.saturating_sub(self.next_row) as usize,
            });
        }
        self.next_row = beauty.end();
        self.pending.push_back(strip);
        Ok(())
    }

    fn next_block(&mut self) -> Option<(usize, UncompressedBlock)> {
        let rows = BLOCK_ROWS.min(self.spec.rows.end - self.emitted);
        if rows == 0 || self.next_row < self.emitted + rows {
            return None;
        }
        let width = self.spec.width as usize;
        let mut data = Vec::with_capacity(rows as usize * width * self.columns.len() * 2);
        for row in self.emitted..self.emitted + rows {
            while self.pending.front().is_some_and(|s| s.beauty.end() <= row) {
                self.pending.pop_front();
            }
            let strip = self.pending.front()?;
            let start = (row - strip.beauty.top) as usize * width;
            for column in self.columns {
                let (values, channel, of) = match column.source {
                    Source::Beauty(c) => (&strip.beauty.samples, c, CHANNELS),
                    Source::Layer(l, c, n) => (&strip.layers[l], c, n),
                };
                let values = values[start * of..][..width * of]
                    .chunks_exact(of)
                    .map(|pixel| pixel[channel]);
                if column.float {
                    data.extend(values.flat_map(f32::to_ne_bytes));
                } else if is_colour(&column.name) {
                    let halves = self.spec.meta.cut.halves(values);
                    data.extend(halves.flat_map(f16::to_ne_bytes));
                } else {
                    data.extend(values.flat_map(|v| to_half(v).to_ne_bytes()));
                }
            }
        }
        let block = UncompressedBlock {
            index: BlockIndex {
                layer: 0,
                pixel_position: Vec2(0, (self.emitted - self.spec.rows.start) as usize),
                pixel_size: Vec2(width, rows as usize),
                level: Vec2(0, 0),
            },
            data,
        };
        let index = ((self.emitted - self.spec.rows.start) / BLOCK_ROWS) as usize;
        self.emitted += rows;
        Some((index, block))
    }

    fn check_complete(&self) -> std::result::Result<(), StripError> {
        if self.emitted < self.spec.rows.end {
            return Err(StripError::Incomplete {
                rows: self.next_row,
                height: self.spec.rows.end,
            });
        }
        Ok(())
    }
}
/// Writes an OpenEXR file whole or not at all.
pub fn write_file(
    path: &Path,
    spec: &ExrSpec,
    strips: impl IntoIterator<Item = Result<LayeredStrip>>,
) -> Result<()> {
    write_over(path, spec.meta.over, |w: &mut BufWriter<File>| {
        write(w, spec, strips)
    })
}
