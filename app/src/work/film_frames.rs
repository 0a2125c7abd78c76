//! The frames of a film: found by their numbers, checked, and handed on to the encoder.

use super::{Result, WorkError, convert, packing};
use dome_files::faces::FaceGuess;
use dome_files::film::{self, FilmStereo, Sphere};
use dome_files::picture_file::{EYE_WORD, FACE_WORD, layout_told};
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat, inspect};
use dome_imaging::Tone;
use dome_imaging::convert::{Conversion, Kernel, Pixel, Row};
use dome_optics::projection::{CubeLayout, Face};
use dome_optics::rig::{Arrangement, Side};
use dome_optics::{Orientation, Shape};
use std::collections::BTreeMap;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// Why frames with the right eye first are no film.
pub const RIGHT_FIRST: &str = "The right eye lies first in these frames, and players take the first one for the left; make them with the left eye first.";

/// Rows of a sphere that are made of faces at a time.
const STRIP: u32 = 64;

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// How the files of a frame become the picture of the film.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Laid {
    /// There is one, and it is the picture.
    Alone,
    /// Both eyes are views of one file; they are laid one above the other.
    Views {
        /// What goes from the outer side of each eye, pixels.
        crop: u32,
    },
    /// A file an eye, the left one first; they are laid one above the other.
    Eyes,
    /// A file a face of the cube; they become the whole sphere, unrolled.
    Faces,
}

/// The frames of a film, in order.
#[derive(Clone, Debug)]
pub struct FilmFrames {
    /// The files of each frame, the first frame's first.
    pub frames: Vec<Vec<PathBuf>>,
    /// How they become pictures.
    pub laid: Laid,
    /// Their format.
    pub format: PictureFormat,
    /// Width and height of the film, pixels.
    pub size: (u32, u32),
    /// Whether they have more than 8 bits a channel.
    pub deep: bool,
}

impl FilmFrames {
    /// The frames of an order, in their order. Only the first is opened; each is read when its turn comes.
    pub fn of_order(frames: Vec<Vec<PathBuf>>, laid: Laid) -> Result<Self> {
        let first = checked(frames.iter().take(1).cloned().collect(), laid)?;
        Ok(Self { frames, ..first })
    }

    /// Whether the encoder gets the files as they are.
    pub fn as_they_are(&self) -> bool {
        self.format == PictureFormat::Jpeg && self.laid == Laid::Alone
    }
}

/// One picture alone, whatever numbers stand in its name.
pub fn one_picture(file: &Path) -> Result<FilmFrames> {
    checked(vec![vec![file.to_owned()]], Laid::Alone)
}

/// Finds the frames that a folder, one of them or a pattern names; a pattern with a word for the eye or the face names several series
/// that belong together.
pub fn find_frames(named: &Path) -> Result<FilmFrames> {
    let text = named.display().to_string();
    let of = |word: &str, names: &[&str]| -> Result<Vec<Vec<PathBuf>>> {
        let mut frames: BTreeMap<u64, Vec<PathBuf>> = BTreeMap::new();
        for name in names {
            for (number, file) in series(Path::new(&text.replace(word, name)))? {
                frames.entry(number).or_default().push(file);
            }
        }
        if let Some((number, _)) = frames.iter().find(|(_, f)| f.len() < names.len()) {
            return refuse(format!(
                "Frame {number} of {text} has not all of its {} pictures; render it first.",
                names.len()
            ));
        }
        Ok(frames.into_values().collect())
    };
    if text.contains(EYE_WORD) {
        return checked(of(EYE_WORD, &Side::BOTH.map(Side::name))?, Laid::Eyes);
    }
    if text.contains(FACE_WORD) {
        return checked(of(FACE_WORD, &Face::ALL.map(Face::name))?, Laid::Faces);
    }
    let files = series(named)?.into_values();
    checked(files.map(|file| vec![file]).collect(), Laid::Alone)
}

/// A name in parts: what stands before its last number, the number, and what comes after.
fn numbered(name: &str) -> Option<(&str, u64, &str)> {
    let end = name.rfind(|c: char| c.is_ascii_digit())? + 1;
    let from = name[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |i| i + 1);
    Some((&name[..from], name[from..end].parse().ok()?, &name[end..]))
}

/// The pictures of a folder, or of a name whose number counts, like `out/00000.png` or `out/{frame:05}.png`, by their numbers.
fn series(named: &Path) -> Result<BTreeMap<u64, PathBuf>> {
    let shown = named.display();
    let (folder, wanted) = if named.is_dir() {
        (named, None)
    } else {
        let name = named.file_name().and_then(|n| n.to_str()).unwrap_or("");
        let folder = match named.parent() {
            Some(p) if !p.as_os_str().is_empty() => p,
            _ => Path::new("."),
        };
        let parts = match (name.find("{frame"), name.find('}')) {
            (Some(open), Some(close)) if open < close => Some((&name[..open], &name[close + 1..])),
            _ => numbered(name).map(|(before, _, after)| (before, after)),
        };
        if parts.is_none() && named.is_file() {
            return Ok(BTreeMap::from([(0, named.to_owned())]));
        }
        match parts {
            Some((before, after)) => (folder, Some((before.to_owned(), after.to_owned()))),
            None => {
                return refuse(format!(
                    "There is no folder and no picture {shown}; name the folder of the frames."
                ));
            }
        }
    };
    let mut series: BTreeMap<(String, String), BTreeMap<u64, PathBuf>> = BTreeMap::new();
    let entries = std::fs::read_dir(folder).map_err(FileError::io("Reading", folder))?;
    for entry in entries {
        let path = entry.map_err(FileError::io("Reading", folder))?.path();
        let Some(name) = path.file_name().and_then(|n| n.to_str()) else {
            continue;
        };
        let Some((before, number, after)) = numbered(name).filter(|_| !name.starts_with('.'))
        else {
            continue;
        };
        if PictureFormat::from_path(&path).is_err() {
            continue;
        }
        let key = (before.to_owned(), after.to_owned());
        if wanted.as_ref().is_none_or(|w| *w == key) {
            series.entry(key).or_default().insert(number, path);
        }
    }
    let mut found = series.into_iter();
    let Some((_, frames)) = found.next() else {
        return refuse(format!(
            "There are no numbered pictures in {shown}; name the folder of the frames."
        ));
    };
    if let Some((other, _)) = found.next() {
        return refuse(format!(
            "There are several series of frames in {shown}, one of them {}NUMBER{}; name one of its pictures, or all that belong together with {{eye}} or {{face}} in place of the word that tells them apart.",
            other.0, other.1
        ));
    }
    let numbers: Vec<u64> = frames.keys().copied().collect();
    if let Some(gap) = gap(&numbers) {
        return refuse(format!(
            "{gap} missing between the others in {shown}; render them first."
        ));
    }
    Ok(frames)
}

/// The first gap between numbers that go up evenly, in words.
fn gap(numbers: &[u64]) -> Option<String> {
    let step = numbers.windows(2).map(|w| w[1] - w[0]).min()?;
    let wide = numbers.windows(2).find(|w| w[1] - w[0] != step)?;
    let (first, last) = (wide[0] + step, wide[1] - 1);
    Some(match first >= last {
        true => format!("Frame {first} is"),
        false => format!("Frames {first}-{last} are"),
    })
}

/// Frames of one format and one size.
fn checked(frames: Vec<Vec<PathBuf>>, laid: Laid) -> Result<FilmFrames> {
    let mut first: Option<(PictureFormat, (u32, u32))> = None;
    let mut deep = false;
    for file in frames.iter().flatten() {
        let picture = PictureRows::open(file)?;
        let this = (picture.format, (picture.width, picture.height));
        match first {
            None => (first, deep) = (Some(this), picture.depth != Depth::Eight),
            Some(wanted) if wanted == this => {}
            Some((_, (w, h))) => {
                return refuse(format!(
                    "{} is {} x {} px and the frames before it {w} x {h} px or of another format; a film has one size.",
                    file.display(),
                    picture.width,
                    picture.height
                ));
            }
        }
    }
    let Some((format, (width, height))) = first else {
        return refuse("There are no frames.");
    };
    let size = match laid {
        Laid::Alone => (width, height),
        Laid::Views { crop } => (width.saturating_sub(crop), 2 * height),
        Laid::Eyes => (width, 2 * height),
        Laid::Faces if width != height => {
            return refuse(format!(
                "The faces are {width} x {height} px, and a face of a cube is square; render them with a field of view of 90 degrees and equal sides."
            ));
        }
        // As fine as the faces are.
        Laid::Faces => {
            let cube = Shape::CubeFaces(CubeLayout::in_our_order(1, 6));
            let size = convert::natural_size(cube, width, Shape::Equirect)?;
            (size.width(), size.height())
        }
    };
    Ok(FilmFrames {
        frames,
        laid,
        format,
        size,
        deep,
    })
}

/// What frames say themselves about their sphere and eyes; nothing if they do not.
pub fn told_sphere(frames: &FilmFrames) -> Result<Option<Sphere>> {
    let full = |stereo| Sphere {
        projection: film::FilmProjection::FULL,
        stereo,
        pose_deg: [0.0; 3],
        opening_deg: None,
    };
    let Some(first) = frames.frames.first().and_then(|f| f.first()) else {
        return Ok(None);
    };
    if frames.laid == Laid::Faces {
        return Ok(Some(full(FilmStereo::Mono)));
    }
    let found = inspect::inspect(first)?;
    if frames.laid == Laid::Eyes {
        return Ok(found.sphere.then_some(full(FilmStereo::TopBottom)));
    }
    if let Some(Shape::Cube(faces)) = shape_told(first)? {
        return Ok((faces == film::cube_layout()).then(|| Sphere {
            projection: film::FilmProjection::Cube {
                layout: 0,
                padding: 0,
            },
            ..full(FilmStereo::Mono)
        }));
    }
    let layout = found.properties.words.as_deref().and_then(layout_told);
    if layout.is_some_and(|(packing, _)| packing.right_first) {
        return refuse(RIGHT_FIRST);
    }
    let stereo = match layout.map(|(packing, shape)| (packing.arrangement, shape)) {
        Some((Arrangement::TopBottom, Shape::Equirect)) => FilmStereo::TopBottom,
        Some((Arrangement::SideBySide, Shape::Equirect)) => FilmStereo::SideBySide,
        Some(_) => return Ok(None),
        None if found.sphere => FilmStereo::Mono,
        None => return Ok(None),
    };
    Ok(Some(full(stereo)))
}

/// Whether a JPEG ends with its end marker (ITU-T T.81, B.1.1.3), zeros after it aside; the file is at its beginning again.
fn ends_as_jpeg(file: &mut std::fs::File) -> std::io::Result<bool> {
    const LOOKED_AT: i64 = 4096;
    let length = file.seek(SeekFrom::End(0))? as i64;
    file.seek(SeekFrom::Start((length - LOOKED_AT).max(0) as u64))?;
    let mut end = Vec::new();
    file.read_to_end(&mut end)?;
    file.rewind()?;
    let padding = end.iter().rev().take_while(|b| **b == 0).count();
    Ok(end[..end.len() - padding].ends_with(&[0xff, 0xd9]))
}

/// The shape that a frame's file says it has.
fn shape_told(file: &Path) -> Result<Option<Shape>> {
    Ok(PictureRows::open(file)?.told_shape)
}

/// Refuses frames that say that their faces lie otherwise than players take them.
pub fn check_faces(frames: &FilmFrames) -> Result<()> {
    let Some(first) = frames.frames.first().and_then(|f| f.first()) else {
        return Ok(());
    };
    let known = film::cube_layout();
    match shape_told(first)? {
        Some(shape) if shape != Shape::Cube(known) => {
            let order = known.order().map(|cell| cell.to_string()).join(",");
            refuse(format!(
                "{} says that it is {shape}, and players know one order of faces; lay them so first: owl-dome convert IN -o OUT --to cube-3x2 --order {order}",
                first.display()
            ))
        }
        _ => Ok(()),
    }
}

/// Hands a frame on: a JPEG alone as it is, others as values of their own curve (linear ones made brighter by so many stops), unpacked
/// here, which costs less than letting ffmpeg do it. What is clear is black.
pub(super) fn write_frame(
    files: &[PathBuf],
    frames: &FilmFrames,
    stops: f32,
    to: &mut dyn Write,
) -> Result<()> {
    let Some(first) = files.first() else {
        return refuse("There are no frames.");
    };
    if frames.as_they_are() {
        let mut bytes = std::fs::File::open(first).map_err(FileError::io("Reading", first))?;
        // The encoder would not say which one it is.
        if !ends_as_jpeg(&mut bytes).map_err(FileError::io("Reading", first))? {
            return refuse(format!(
                "The frame {} is cut short; render it again with --continue.",
                first.display()
            ));
        }
        std::io::copy(&mut bytes, to).map_err(FileError::io("Handing on", first))?;
        return Ok(());
    }
    let mut out = Values::new(frames, first, stops, to);
    match frames.laid {
        Laid::Alone => out.picture(first, frames.size),
        Laid::Eyes => {
            let size = (frames.size.0, frames.size.1 / 2);
            files.iter().try_for_each(|eye| out.picture(eye, size))
        }
        Laid::Views { crop } => {
            for side in Side::BOTH {
                for strip in packing::eye(first, side, &[], crop, None)? {
                    out.light(&strip?.beauty.samples)?;
                }
            }
            Ok(())
        }
        Laid::Faces => out.sphere(files, frames.size),
    }
}

/// Values on their way to the encoder.
struct Values<'a> {
    to: &'a mut dyn Write,
    /// The frame's first file, for messages.
    file: &'a Path,
    tone: Tone,
    deep: bool,
}

impl<'a> Values<'a> {
    fn new(frames: &FilmFrames, file: &'a Path, stops: f32, to: &'a mut dyn Write) -> Self {
        let linear = !matches!(frames.format, PictureFormat::Png | PictureFormat::Jpeg);
        Self {
            to,
            file,
            tone: Tone {
                exposure_stops: if linear { stops } else { 0.0 },
                ..Tone::default()
            },
            deep: frames.deep,
        }
    }

    fn bytes(&mut self, bytes: &[u8]) -> Result<()> {
        let written = self.to.write_all(bytes);
        Ok(written.map_err(FileError::io("Handing on", self.file))?)
    }

    /// Light, three values a pixel.
    fn light(&mut self, light: &[f32]) -> Result<()> {
        let values = self.tone.to_srgb16(light);
        let bytes: Vec<u8> = match self.deep {
            true => values.iter().flat_map(|v| v.to_le_bytes()).collect(),
            // 65535 is 255 times 257.
            false => (values.iter())
                .map(|v| ((u32::from(*v) + 128) / 257) as u8)
                .collect(),
        };
        self.bytes(&bytes)
    }

    fn pixels(&mut self, pixels: &[Pixel]) -> Result<()> {
        let light: Vec<f32> = pixels.iter().flat_map(|p| [p[0], p[1], p[2]]).collect();
        self.light(&light)
    }

    /// A whole file.
    fn picture(&mut self, file: &Path, (width, height): (u32, u32)) -> Result<()> {
        let rows = PictureRows::open(file)?;
        if (rows.width, rows.height) != (width, height) {
            return refuse(format!(
                "{} is {} x {} px by now and the frames before it {width} x {height} px; a film has one size.",
                file.display(),
                rows.width,
                rows.height,
            ));
        }
        for row in rows {
            match row? {
                Row::Bytes { samples: 3, bytes } if !self.deep => self.bytes(&bytes)?,
                row => self.pixels(&row.into_light())?,
            }
        }
        Ok(())
    }

    /// The sphere of six faces, a strip at a time.
    fn sphere(&mut self, faces: &[PathBuf], size: (u32, u32)) -> Result<()> {
        let files: Vec<_> = faces.iter().cloned().map(Some).collect();
        let guess = FaceGuess {
            files: files.try_into().map_err(|_| {
                WorkError::Request("A cube has six faces; render the frame again.".into())
            })?,
            certain: true,
            by: "words",
        };
        let cube = CubeLayout::in_our_order(1, 6);
        let loaded = convert::load_faces(&guess, cube, &mut |_| true)?;
        let turn = Orientation::default();
        let source = &loaded.source;
        let sphere = Conversion::new(source, Shape::Equirect, size, turn, Kernel::Bicubic);
        for top in (0..size.1).step_by(STRIP as usize) {
            self.pixels(&sphere.rows(top, STRIP.min(size.1 - top)))?;
        }
        Ok(())
    }
}
