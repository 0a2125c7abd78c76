//! OpenEXR panoramas: written strip by strip, read strip by strip.
//!
//! Written: one layer of R, G, B in half float, ZIP blocks of 16 rows, the `chromaticities` of Rec. 709,
//! and the standard `envmap` attribute (latitude-longitude). The standard's picture has +Z in the middle
//! and +X a quarter to the left: ours with the world turned half a turn about Y, so no pixel moves and
//! nothing is mirrored; the middle of the picture is the viewpoint's heading, told in degrees by the
//! attribute `poseHeadingDegrees`.

use crate::error::{FileError, Result, display_name};
use dome_imaging::strip::CHANNELS;
use dome_imaging::{Strip, StripError};
use exr::block::reader::{ChunksReader, SequentialBlockDecompressor};
use exr::block::writer::ChunksWriter;
use exr::block::{BlockIndex, UncompressedBlock};
use exr::meta::attribute::{
    AttributeValue, ChannelDescription, Chromaticities, EnvironmentMap, LineOrder, SampleType, Text,
};
use exr::meta::{BlockDescription, header::Header};
use exr::prelude::{Compression, Vec2};
use half::f16;
use std::fs::File;
use std::io::{BufReader, BufWriter, Seek, Write};
use std::path::{Path, PathBuf};

/// Rows in a ZIP block of the format.
const BLOCK_ROWS: u32 = 16;
/// Name of the attribute that holds the heading of the picture's middle.
const POSE_HEADING: &str = "poseHeadingDegrees";
/// Largest finite half float; brighter light is held there rather than written as infinity.
const HALF_MAX: f32 = 65504.0;

/// What is written beside the pixels.
#[derive(Clone, Copy, Debug, Default)]
pub struct ExrMeta {
    /// Compass heading of the middle of the picture, degrees.
    pub pose_heading_deg: Option<f64>,
}

/// A scene value as the master keeps it.
pub fn to_half(value: f32) -> f16 {
    f16::from_f32(value.clamp(-HALF_MAX, HALF_MAX))
}

fn write_failed(e: impl std::fmt::Display) -> FileError {
    FileError::Request(format!(
        "Writing the EXR failed: {e}. Check the free space."
    ))
}

/// Writes a picture of `width` x `height` pixels from its strips in order. Memory is a few blocks.
pub fn write<W, I, E>(
    writer: W,
    width: u32,
    height: u32,
    meta: ExrMeta,
    strips: I,
) -> std::result::Result<(), E>
where
    W: Write + Seek,
    I: IntoIterator<Item = std::result::Result<Strip, E>>,
    E: From<FileError>,
{
    let channels = ["B", "G", "R"].map(|n| ChannelDescription::named(n, SampleType::F16));
    let mut header = Header::new(
        Text::from("panorama"),
        (width as usize, height as usize),
        channels.into_iter().collect(),
    )
    .with_encoding(
        Compression::ZIP16,
        BlockDescription::ScanLines,
        LineOrder::Increasing,
    );
    header.own_attributes.layer_name = None; // one layer needs no name
    header.own_attributes.software_name = Some(Text::from(crate::SOFTWARE));
    header.own_attributes.environment_map = Some(EnvironmentMap::LatitudeLongitude);
    header.shared_attributes.chromaticities = Some(Chromaticities {
        // Rec. ITU-R BT.709 with D65.
        red: Vec2(0.64, 0.33),
        green: Vec2(0.30, 0.60),
        blue: Vec2(0.15, 0.06),
        white: Vec2(0.3127, 0.3290),
    });
    // One free attribute at most: the library keeps them unordered, and equal pictures must be equal bytes.
    if let Some(heading) = meta.pose_heading_deg {
        header.own_attributes.other.insert(
            Text::from(POSE_HEADING),
            AttributeValue::F32(heading as f32),
        );
    }

    // The library's closure can only fail in its own way; the strips' error waits here.
    let mut strip_error: Option<E> = None;
    let mut strips = strips.into_iter();
    let done = exr::block::write(
        writer,
        std::iter::once(header).collect(),
        true,
        |meta, chunks| {
            let mut rows = BlockRows {
                width,
                height,
                pending: Vec::new(),
                next_row: 0,
                emitted: 0,
            };
            let mut parallel = chunks.parallel_blocks_compressor(&meta);
            let outcome = loop {
                let strip = match strips.next() {
                    Some(Ok(strip)) => strip,
                    Some(Err(e)) => break Err(e),
                    None => {
                        break rows
                            .check_complete()
                            .map_err(|e| FileError::Request(e.to_string()).into());
                    }
                };
                if let Err(e) = rows.take(&strip) {
                    break Err(FileError::Request(e.to_string()).into());
                }
                while let Some((index, block)) = rows.next_block() {
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

/// Collects strips of any height into the format's blocks.
struct BlockRows {
    width: u32,
    height: u32,
    pending: Vec<f32>,
    next_row: u32,
    emitted: u32,
}

impl BlockRows {
    fn take(&mut self, strip: &Strip) -> std::result::Result<(), StripError> {
        strip.check_follows(self.next_row)?;
        if strip.width != self.width || strip.end() > self.height {
            return Err(StripError::WrongLength {
                top: strip.top,
                samples: strip.samples.len(),
                wanted: self.width as usize * CHANNELS * (self.height - self.next_row) as usize,
            });
        }
        self.pending.extend_from_slice(&strip.samples);
        self.next_row = strip.end();
        Ok(())
    }

    fn next_block(&mut self) -> Option<(usize, UncompressedBlock)> {
        let rows = BLOCK_ROWS.min(self.height - self.emitted);
        let row_length = self.width as usize * CHANNELS;
        if rows == 0 || self.pending.len() < rows as usize * row_length {
            return None;
        }
        let mut data = Vec::with_capacity(rows as usize * row_length * 2);
        for row in self.pending.chunks(row_length).take(rows as usize) {
            for channel in [2, 1, 0] {
                for pixel in row.chunks_exact(CHANNELS) {
                    data.extend(to_half(pixel[channel]).to_ne_bytes());
                }
            }
        }
        self.pending.drain(..rows as usize * row_length);
        let block = UncompressedBlock {
            index: BlockIndex {
                layer: 0,
                pixel_position: Vec2(0, self.emitted as usize),
                pixel_size: Vec2(self.width as usize, rows as usize),
                level: Vec2(0, 0),
            },
            data,
        };
        let index = (self.emitted / BLOCK_ROWS) as usize;
        self.emitted += rows;
        Some((index, block))
    }

    fn check_complete(&self) -> std::result::Result<(), StripError> {
        if self.emitted < self.height {
            return Err(StripError::Incomplete {
                rows: self.next_row,
                height: self.height,
            });
        }
        Ok(())
    }
}

/// The header of an OpenEXR picture.
#[derive(Clone, Debug)]
pub struct ExrHeader {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// The `envmap` attribute: `latlong` or `cube`.
    pub envmap: Option<&'static str>,
    /// Compass heading of the middle, degrees.
    pub pose_heading_deg: Option<f64>,
}

/// Largest side of a picture that is read, pixels.
const MAX_SIDE: usize = 131_072;
/// Largest block of a picture after unpacking, bytes.
const MAX_BLOCK: usize = 1 << 30;

/// Refuses sizes that no picture has, before memory is made for them.
fn check_size(header: &Header, name: &str) -> Result<()> {
    let (width, height) = (header.layer_size.width(), header.layer_size.height());
    if width > MAX_SIDE || height > MAX_SIDE || header.max_block_byte_size() > MAX_BLOCK {
        return Err(FileError::TooLarge {
            what: name.to_owned(),
            detail: format!(
                "its header tells {width} x {height} px, and {MAX_SIDE} px a side are read"
            ),
        });
    }
    Ok(())
}

type Chunks = exr::block::reader::AllChunksReader<BufReader<File>>;

/// The strips of an OpenEXR picture on disk, from the top.
pub struct ExrStrips {
    /// The file's header.
    pub header: ExrHeader,
    path: PathBuf,
    blocks: SequentialBlockDecompressor<Chunks>,
}

impl ExrStrips {
    /// Opens a picture with R, G and B in scan lines.
    pub fn open(path: &Path) -> Result<Self> {
        let name = display_name(path);
        let file = File::open(path).map_err(FileError::io("Reading", path))?;
        let bad = |e: exr::error::Error| FileError::damaged(&name, e);
        let reader =
            exr::block::read(BufReader::with_capacity(1 << 20, file), false).map_err(bad)?;
        let [header] = reader.headers() else {
            return Err(FileError::unsupported(
                name,
                "an EXR of several parts cannot be read yet; save one part",
            ));
        };
        check_size(header, &name)?;
        let heading = match header.own_attributes.other.get(&Text::from(POSE_HEADING)) {
            Some(AttributeValue::F32(v)) if v.is_finite() => Some(f64::from(*v)),
            _ => None,
        };
        let info = ExrHeader {
            width: header.layer_size.width() as u32,
            height: header.layer_size.height() as u32,
            envmap: header.own_attributes.environment_map.map(|e| match e {
                EnvironmentMap::LatitudeLongitude => "latlong",
                EnvironmentMap::Cube => "cube",
            }),
            pose_heading_deg: heading,
        };
        let chunks = reader.all_chunks(false).map_err(bad)?;
        Ok(Self {
            header: info,
            path: path.to_owned(),
            blocks: chunks.sequential_decompressor(false),
        })
    }

    /// Reads the whole file through without keeping pixels, so that one cut short is found.
    pub fn check_whole(mut self) -> Result<ExrHeader> {
        while let Some(block) = self.blocks.decompress_next_block() {
            block.map_err(|e| FileError::damaged(display_name(&self.path), e))?;
        }
        Ok(self.header)
    }

    fn strip(&self, block: &UncompressedBlock) -> Result<Strip> {
        let header = &self.blocks.meta_data().headers[0];
        let (width, rows) = (
            block.index.pixel_size.width(),
            block.index.pixel_size.height(),
        );
        if width != self.header.width as usize {
            return Err(FileError::unsupported(
                display_name(&self.path),
                "a tiled EXR cannot be read yet; save it in scan lines",
            ));
        }
        let mut strip = Strip::black(
            block.index.pixel_position.y() as u32,
            width as u32,
            rows as u32,
        );
        let mut seen = 0;
        for line in exr::block::lines::LineIndex::lines_in_block(block.index, &header.channels) {
            let (range, line) = line;
            let channel = &header.channels.list[line.channel];
            let Some(c) = ["R", "G", "B"].iter().position(|n| channel.name == **n) else {
                continue;
            };
            seen += 1;
            let bytes = &block.data[range];
            let row = line.position.y() - block.index.pixel_position.y();
            let put =
                |x: usize, v: f32, s: &mut Strip| s.samples[(row * width + x) * CHANNELS + c] = v;
            match channel.sample_type {
                SampleType::F16 => {
                    for (x, b) in bytes.chunks_exact(2).enumerate() {
                        put(x, f16::from_ne_bytes([b[0], b[1]]).to_f32(), &mut strip);
                    }
                }
                SampleType::F32 => {
                    for (x, b) in bytes.chunks_exact(4).enumerate() {
                        put(x, f32::from_ne_bytes([b[0], b[1], b[2], b[3]]), &mut strip);
                    }
                }
                SampleType::U32 => {
                    return Err(FileError::unsupported(
                        display_name(&self.path),
                        "its colour is whole numbers; save half or float",
                    ));
                }
            }
        }
        if seen != rows * CHANNELS {
            return Err(FileError::unsupported(
                display_name(&self.path),
                "it has no channels R, G and B; save a colour picture",
            ));
        }
        Ok(strip)
    }
}

impl Iterator for ExrStrips {
    type Item = Result<Strip>;

    fn next(&mut self) -> Option<Self::Item> {
        let block = self.blocks.decompress_next_block()?;
        Some(match block {
            Ok(block) => self.strip(&block),
            Err(e) => Err(FileError::damaged(display_name(&self.path), e)),
        })
    }
}

/// Writes an OpenEXR file whole or not at all.
pub fn write_file(
    path: &Path,
    width: u32,
    height: u32,
    meta: ExrMeta,
    strips: impl IntoIterator<Item = Result<Strip>>,
) -> Result<()> {
    crate::atomic::write(path, |w: &mut BufWriter<File>| {
        write(w, width, height, meta, strips)
    })
}
