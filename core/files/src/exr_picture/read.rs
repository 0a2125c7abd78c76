//! Reading: strips from the top, whatever the order of rows in the file, and single values from the block that holds them.

use super::{DESCRIPTION, POSE_HEADING};
use crate::budget::{self, Claim};
use crate::colour::Primaries;
use crate::error::{FileError, Result, display_name};
use crate::fingerprint::Description;
use crate::limits::{MAX_BLOCK, MAX_SIDE};
use dome_imaging::Strip;
use dome_imaging::strip::CHANNELS;
use dome_optics::Shape;
use dome_optics::projection::CubeLayout;
use exr::block::UncompressedBlock;
use exr::block::reader::ChunksReader;
use exr::meta::attribute::{AttributeValue, EnvironmentMap, SampleType, Text};
use exr::meta::header::Header;
use exr::prelude::Vec2;
use half::f16;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};

/// The header of an OpenEXR picture.
#[derive(Clone, Debug)]
pub struct ExrHeader {
    /// Width of the data window, pixels.
    pub width: u32,
    /// Height of the data window, pixels.
    pub height: u32,
    /// First row of the data window within the whole picture.
    pub top: i32,
    /// Width and height of the display window, pixels.
    pub full: (u32, u32),
    /// Names of the channels, and whether they are in single precision.
    pub channels: Vec<(String, bool)>,
    /// The `envmap` attribute: `latlong` or `cube`.
    pub envmap: Option<&'static str>,
    /// Compass heading of the middle, degrees.
    pub pose_heading_deg: Option<f64>,
    /// The `comments` attribute.
    pub comments: Option<String>,
    /// The `chromaticities` attribute.
    pub chromaticities: Option<Primaries>,
    /// The `whiteLuminance` attribute: luminance of the value 1, cd/m^2, where it can be one.
    pub white_cd_m2: Option<f32>,
    /// What determined the picture, if its maker told.
    pub description: Option<Description>,
    /// Where the views of both eyes lie, the left one first, if both are there.
    pub eyes: Option<[ViewPlace; 2]>,
}

/// Where one view of a file of several lies: in a part, before whose channels' names a prefix stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ViewPlace {
    /// Index of the part.
    pub part: usize,
    /// What stands before the names of its channels, with its point; nothing for the default view.
    pub prefix: String,
}

impl ExrHeader {
    /// Whether both eyes are in the file.
    pub fn has_both_eyes(&self) -> bool {
        self.eyes.is_some()
    }

    /// The shape that the file tells: by the standard attribute, else by our own words in the comments.
    pub fn shape(&self) -> Shape {
        let told = (self.comments.as_deref())
            .and_then(|c| c.lines().find_map(|l| l.strip_prefix("Shape ")))
            .and_then(|name| name.parse().ok());
        match (self.envmap, told) {
            (Some("cube"), _) => Shape::Cube(CubeLayout::openexr()),
            (None, Some(shape)) => shape,
            _ => Shape::Equirect,
        }
    }
}

/// The `chromaticities` attribute of a file.
pub(crate) fn chromaticities(header: &Header) -> Option<Primaries> {
    let c = header.shared_attributes.chromaticities?;
    let pair = |v: Vec2<f32>| [f64::from(v.x()), f64::from(v.y())];
    Some(Primaries {
        rgb: [pair(c.red), pair(c.green), pair(c.blue)],
        white: pair(c.white),
    })
}

/// What determined a picture. Whoever changed the attribute so that it cannot be read tells nothing.
fn description(header: &Header) -> Option<Description> {
    let name = Text::from(DESCRIPTION);
    let told = (header.shared_attributes.other.get(&name))
        .or_else(|| header.own_attributes.other.get(&name));
    match told {
        Some(AttributeValue::Text(text)) => words(text).parse().ok(),
        _ => None,
    }
}

/// Refuses sizes that no picture has, before memory is made for them.
pub(crate) fn check_size(header: &Header, name: &str) -> Result<()> {
    let (width, height) = (header.layer_size.width(), header.layer_size.height());
    let most = MAX_SIDE as usize;
    if width > most || height > most || header.max_block_byte_size() > MAX_BLOCK {
        return Err(FileError::TooLarge {
            what: name.to_owned(),
            detail: format!(
                "its header tells {width} x {height} px, and {MAX_SIDE} px a side are read"
            ),
        });
    }
    Ok(())
}

/// Claims what one block takes: as it lies in the file, unpacked, and as numbers in single precision.
fn block_memory(header: &Header, name: &str) -> Result<Claim> {
    budget::claim(4 * header.max_block_byte_size() as u64, name)
}

/// The text of an attribute: UTF-8 as the format wants it and we write it, else Latin-1.
pub(crate) fn words(text: &Text) -> String {
    let bytes = text.as_slice();
    std::str::from_utf8(bytes).map_or_else(
        |_| bytes.iter().map(|b| char::from(*b)).collect(),
        String::from,
    )
}

/// Where both eyes lie by what the standard has: views of one part by the names of their channels (the attribute `multiView`, the
/// default one first), or a part for each (its attribute `view`).
fn eyes_of(headers: &[Header]) -> Option<[ViewPlace; 2]> {
    let has = |header: &Header, prefix: &str| {
        (["R", "G", "B"].iter()).all(|c| {
            let name = format!("{prefix}{c}");
            header
                .channels
                .list
                .iter()
                .any(|have| have.name.eq(name.as_str()))
        })
    };
    let places = crate::views::VIEWS.map(|view| match headers {
        [one] => {
            let views: Vec<String> = (one.own_attributes.multi_view_names.iter().flatten())
                .map(words)
                .collect();
            let prefix = match views.iter().position(|v| v == view)? {
                0 => String::new(),
                _ => format!("{view}."),
            };
            has(one, &prefix).then_some(ViewPlace { part: 0, prefix })
        }
        several => {
            let part = (several.iter()).position(|h| {
                h.own_attributes
                    .view_name
                    .as_ref()
                    .is_some_and(|v| words(v) == view)
                    && !h.deep
                    && has(h, "")
            })?;
            Some(ViewPlace {
                part,
                prefix: String::new(),
            })
        }
    });
    let [Some(left), Some(right)] = places else {
        return None;
    };
    Some([left, right])
}

type Blocks = Box<dyn FnMut() -> Option<exr::error::Result<UncompressedBlock>> + Send>;

/// The strips of an OpenEXR picture on disk, from the top of its data window.
pub struct ExrStrips {
    /// The file's header.
    pub header: ExrHeader,
    path: PathBuf,
    layout: Header,
    blocks: Blocks,
    /// First row that was not given yet.
    next_row: u32,
    /// Blocks that came before their turn: files may hold their rows from the bottom up or in any order.
    waiting: BTreeMap<u32, Vec<Vec<f32>>>,
    waiting_memory: Claim,
    /// For the block that is read, in the file and as numbers.
    _memory: Claim,
    /// The three channels that strips are made of.
    names: [String; CHANNELS],
}

impl ExrStrips {
    /// Opens a picture with R, G and B in scan lines.
    pub fn open(path: &Path) -> Result<Self> {
        Self::open_channels(path, ["R", "G", "B"])
    }

    /// Opens a picture for three of its channels, which may be the same.
    pub fn open_channels(path: &Path, names: [&str; CHANNELS]) -> Result<Self> {
        Self::open_part(path, None, names)
    }

    /// The same of one of its parts; untold, a file of several must be one of two eyes, whose left one it is then.
    pub fn open_part(path: &Path, part: Option<usize>, names: [&str; CHANNELS]) -> Result<Self> {
        let name = display_name(path);
        File::open(path).map_err(FileError::io("Reading", path))?;
        let bad = |e: exr::error::Error| FileError::damaged(&name, e);
        // Utilities that copy headers leave the chunk count of the picture they read. The library (1.74)
        // forgives that only where it is strict with everything else.
        let read = |pedantic: bool| {
            let file = BufReader::with_capacity(1 << 20, File::open(path)?);
            exr::block::read(file, pedantic)
        };
        let reader = read(false).or_else(|_| read(true)).map_err(bad)?;
        let eyes = eyes_of(reader.headers());
        let count = reader.headers().len();
        let part = match (part, &eyes) {
            (Some(part), _) => part,
            (None, Some([left, _])) => left.part,
            (None, None) => 0,
        };
        let Some(header) = (reader.headers().get(part)).filter(|_| count == 1 || eyes.is_some())
        else {
            return Err(FileError::unsupported(
                name,
                "an EXR of several parts cannot be read yet; save one part",
            ));
        };
        let layout = header.clone();
        check_size(header, &name)?;
        let memory = block_memory(header, &name)?;
        let heading = match header.own_attributes.other.get(&Text::from(POSE_HEADING)) {
            Some(AttributeValue::F32(v)) if v.is_finite() => Some(f64::from(*v)),
            _ => None,
        };
        let display = header.shared_attributes.display_window.size;
        let info = ExrHeader {
            width: header.layer_size.width() as u32,
            height: header.layer_size.height() as u32,
            top: header.own_attributes.layer_position.y(),
            full: (display.width() as u32, display.height() as u32),
            channels: header
                .channels
                .list
                .iter()
                .map(|c| (words(&c.name), c.sample_type == SampleType::F32))
                .collect(),
            envmap: header.own_attributes.environment_map.map(|e| match e {
                EnvironmentMap::LatitudeLongitude => "latlong",
                EnvironmentMap::Cube => "cube",
            }),
            pose_heading_deg: heading,
            comments: header.own_attributes.comments.as_ref().map(words),
            chromaticities: chromaticities(header),
            white_cd_m2: (header.own_attributes.white_luminance)
                .filter(|w| w.is_finite() && *w > 0.0),
            description: description(header),
            eyes,
        };
        let blocks: Blocks = if count == 1 {
            let mut all = (reader.all_chunks(false).map_err(bad)?).sequential_decompressor(false);
            Box::new(move || all.decompress_next_block())
        } else {
            let own = reader.filter_chunks(false, |_, _, block| block.layer == part);
            let mut own = own.map_err(bad)?.sequential_decompressor(false);
            Box::new(move || own.decompress_next_block())
        };
        Ok(Self {
            header: info,
            path: path.to_owned(),
            layout,
            blocks,
            next_row: 0,
            waiting: BTreeMap::new(),
            waiting_memory: Claim::default(),
            _memory: memory,
            names: names.map(String::from),
        })
    }

    /// Reads the whole file through without keeping pixels, so that one cut short is found.
    pub fn check_whole(mut self) -> Result<ExrHeader> {
        while let Some(block) = (self.blocks)() {
            block.map_err(|e| FileError::damaged(display_name(&self.path), e))?;
        }
        Ok(self.header)
    }

    /// The next rows with all their channels: the first row, then channel by channel in the header's
    /// order. Rows count from the top of the data window and come from the top down, whatever their order in
    /// the file.
    pub fn next_planes(&mut self) -> Option<Result<(u32, Vec<Vec<f32>>)>> {
        loop {
            if let Some(planes) = self.waiting.remove(&self.next_row) {
                return Some(Ok(self.given(self.next_row, planes)));
            }
            let Some(block) = (self.blocks)() else {
                let missing = !std::mem::take(&mut self.waiting).is_empty();
                return missing.then(|| {
                    Err(FileError::damaged(
                        display_name(&self.path),
                        format!("the rows from {} on are missing", self.next_row),
                    ))
                });
            };
            let block = block.map_err(|e| FileError::damaged(display_name(&self.path), e));
            let (top, planes) = match block.and_then(|b| self.planes(&b)) {
                Ok(found) => found,
                Err(e) => return Some(Err(e)),
            };
            if top == self.next_row {
                return Some(Ok(self.given(top, planes)));
            }
            let bytes = planes.iter().map(|p| size_of_val(&p[..]) as u64).sum();
            if let Err(e) = (self.waiting_memory).grow(bytes, &display_name(&self.path)) {
                return Some(Err(e));
            }
            self.waiting.insert(top, planes);
        }
    }

    fn given(&mut self, top: u32, planes: Vec<Vec<f32>>) -> (u32, Vec<Vec<f32>>) {
        let rows = planes.first().map_or(0, Vec::len) / (self.header.width as usize).max(1);
        self.next_row = top + rows as u32;
        (top, planes)
    }

    fn planes(&self, block: &UncompressedBlock) -> Result<(u32, Vec<Vec<f32>>)> {
        planes_of(&self.layout, block, self.header.width, &self.path)
    }

    fn strip(&self, top: u32, planes: &[Vec<f32>]) -> Result<Strip> {
        let place = |name: &String| self.header.channels.iter().position(|c| c.0 == *name);
        let [Some(r), Some(g), Some(b)] = [0, 1, 2].map(|i| place(&self.names[i])) else {
            return Err(FileError::unsupported(
                display_name(&self.path),
                format!(
                    "it has no channels {}; save a colour picture",
                    self.names.join(", ")
                ),
            ));
        };
        let samples = (planes[r].iter().zip(&planes[g]).zip(&planes[b]))
            .flat_map(|((&r, &g), &b)| [r, g, b])
            .collect();
        Ok(Strip {
            top,
            width: self.header.width,
            samples,
        })
    }
}

/// The channels of a block, one after the other in the header's order, and its first row.
fn planes_of(
    header: &Header,
    block: &UncompressedBlock,
    full_width: u32,
    path: &Path,
) -> Result<(u32, Vec<Vec<f32>>)> {
    let (width, rows) = (
        block.index.pixel_size.width(),
        block.index.pixel_size.height(),
    );
    if width != full_width as usize {
        return Err(FileError::unsupported(
            display_name(path),
            "a tiled EXR cannot be read yet; save it in scan lines",
        ));
    }
    let mut planes = vec![vec![0.0; width * rows]; header.channels.list.len()];
    for (range, line) in exr::block::lines::LineIndex::lines_in_block(block.index, &header.channels)
    {
        let bytes = &block.data[range];
        let row = line.position.y() - block.index.pixel_position.y();
        let out = &mut planes[line.channel][row * width..][..width];
        match header.channels.list[line.channel].sample_type {
            SampleType::F16 => {
                for (v, b) in out.iter_mut().zip(bytes.chunks_exact(2)) {
                    *v = f16::from_ne_bytes([b[0], b[1]]).to_f32();
                }
            }
            SampleType::F32 => {
                for (v, b) in out.iter_mut().zip(bytes.chunks_exact(4)) {
                    *v = f32::from_ne_bytes([b[0], b[1], b[2], b[3]]);
                }
            }
            SampleType::U32 => {
                return Err(FileError::unsupported(
                    display_name(path),
                    "its colour is whole numbers; save half or float",
                ));
            }
        }
    }
    Ok((block.index.pixel_position.y() as u32, planes))
}

/// The values of some channels at one pixel, from the one block that holds it: a picture of any size answers at once.
/// Row and column count from the top left of the data window.
pub fn value_at(path: &Path, names: &[&str], (column, row): (u32, u32)) -> Result<Vec<f32>> {
    let name = display_name(path);
    let bad = |e: exr::error::Error| FileError::damaged(&name, e);
    let file = File::open(path).map_err(FileError::io("Reading", path))?;
    let reader = exr::block::read(BufReader::new(file), false).map_err(bad)?;
    let [header] = reader.headers() else {
        return Err(FileError::unsupported(
            name,
            "it has several parts; save one part",
        ));
    };
    check_size(header, &name)?;
    let _memory = block_memory(header, &name)?;
    let header = header.clone();
    let width = header.layer_size.width() as u32;
    let blocks = reader
        .filter_chunks(false, |_, _, block| {
            let (top, rows) = (block.pixel_position.y(), block.pixel_size.height());
            (top..top + rows).contains(&(row as usize))
        })
        .map_err(bad)?;
    let mut blocks = blocks.sequential_decompressor(false);
    let block = blocks
        .decompress_next_block()
        .ok_or_else(|| FileError::damaged(&name, format!("its row {row} is missing")))?
        .map_err(bad)?;
    let (top, planes) = planes_of(&header, &block, width, path)?;
    let at = (row.saturating_sub(top) as usize) * width as usize + column as usize;
    names
        .iter()
        .map(|wanted| {
            let place = (header.channels.list.iter()).position(|c| words(&c.name) == **wanted);
            place
                .and_then(|p| planes[p].get(at).copied())
                .ok_or_else(|| {
                    FileError::unsupported(&name, format!("it has no channel {wanted} there"))
                })
        })
        .collect()
}

impl Iterator for ExrStrips {
    type Item = Result<Strip>;

    fn next(&mut self) -> Option<Self::Item> {
        let (top, planes) = match self.next_planes()? {
            Ok(found) => found,
            Err(e) => return Some(Err(e)),
        };
        Some(self.strip(top, &planes))
    }
}
