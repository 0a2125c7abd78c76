//! The frames of a film: found by their numbers, checked, and handed on to the encoder.

use super::packing;
use super::{Result, WorkError};
use dome_files::film::{self, FilmStereo, Sphere};
use dome_files::picture_file::layout_told;
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat, inspect};
use dome_imaging::Tone;
use dome_imaging::convert::Row;
use dome_optics::rig::{Arrangement, Side};
use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// The frames of a film, in order.
#[derive(Clone, Debug)]
pub struct FilmFrames {
    /// Files, the first frame's first.
    pub files: Vec<PathBuf>,
    /// Their format.
    pub format: PictureFormat,
    /// Width and height, pixels.
    pub size: (u32, u32),
    /// Whether they have more than 8 bits a channel.
    pub deep: bool,
    /// Whether both eyes are views of each file; they are laid one above the other on the way.
    pub views: bool,
    /// What goes from the outer side of each eye of such frames, pixels.
    pub crop: u32,
}

impl FilmFrames {
    /// The frames of an order, in their order. Only the first is opened; each is read when its turn comes.
    pub fn of_order(files: Vec<PathBuf>, (views, crop): (bool, u32)) -> Result<Self> {
        let first = files.first().cloned().into_iter().collect();
        let mut frames = checked(first)?;
        if views {
            frames.views = true;
            frames.crop = crop;
            frames.size.0 = frames.size.0.saturating_sub(crop);
            frames.size.1 *= 2;
        }
        Ok(Self { files, ..frames })
    }
}

/// One picture alone, whatever numbers stand in its name.
pub fn one_picture(file: &Path) -> Result<FilmFrames> {
    checked(vec![file.to_owned()])
}

/// A name in parts: what stands before its last number, the number, and what comes after.
fn numbered(name: &str) -> Option<(&str, u64, &str)> {
    let end = name.rfind(|c: char| c.is_ascii_digit())? + 1;
    let from = name[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |i| i + 1);
    Some((&name[..from], name[from..end].parse().ok()?, &name[end..]))
}

/// Finds the frames of a folder, or of a name whose number counts, like `out/00000.png` or `out/{frame:05}.png`.
pub fn find_frames(named: &Path) -> Result<FilmFrames> {
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
            return checked(vec![named.to_owned()]);
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
            "There are several series of frames in {shown}, one of them {}NUMBER{}; name one of its pictures.",
            other.0, other.1
        ));
    }
    let numbers: Vec<u64> = frames.keys().copied().collect();
    if let Some(gap) = gap(&numbers) {
        return refuse(format!(
            "{gap} missing between the others in {shown}; render them first."
        ));
    }
    checked(frames.into_values().collect())
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
fn checked(files: Vec<PathBuf>) -> Result<FilmFrames> {
    let mut first: Option<(PictureFormat, (u32, u32))> = None;
    let mut deep = false;
    for file in &files {
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
    match first {
        Some((format, size)) => Ok(FilmFrames {
            files,
            format,
            size,
            deep,
            views: false,
            crop: 0,
        }),
        None => refuse("There are no frames."),
    }
}

/// What frames say themselves about their sphere and eyes; nothing if they do not.
pub fn told_sphere(frames: &FilmFrames) -> Result<Option<Sphere>> {
    let Some(first) = frames.files.first() else {
        return Ok(None);
    };
    let found = inspect::inspect(first)?;
    let layout = found.properties.words.as_deref().and_then(layout_told);
    let stereo = match layout.map(|(packing, shape)| (packing.arrangement, shape)) {
        Some((Arrangement::TopBottom, dome_optics::Shape::Equirect)) => FilmStereo::TopBottom,
        Some((Arrangement::SideBySide, dome_optics::Shape::Equirect)) => FilmStereo::SideBySide,
        Some(_) => return Ok(None),
        None if found.sphere => FilmStereo::Mono,
        None => return Ok(None),
    };
    Ok(Some(Sphere {
        projection: film::FilmProjection::FULL,
        stereo,
        pose_deg: [0.0; 3],
        opening_deg: None,
    }))
}

/// Hands a frame on: a JPEG as it is, others as values of their own curve (linear ones made brighter by so many stops), unpacked here, which costs less than letting ffmpeg do it. What is
/// clear is black.
pub(super) fn write_frame(
    file: &Path,
    frames: &FilmFrames,
    stops: f32,
    to: &mut dyn Write,
) -> Result<()> {
    let failed = || FileError::io("Handing on", file);
    if frames.format == PictureFormat::Jpeg {
        let mut bytes = std::fs::File::open(file).map_err(FileError::io("Reading", file))?;
        std::io::copy(&mut bytes, to).map_err(failed())?;
        return Ok(());
    }
    let linear = frames.format != PictureFormat::Png;
    let tone = Tone {
        exposure_stops: if linear { stops } else { 0.0 },
        ..Tone::default()
    };
    let values = |light: &[f32]| -> Vec<u8> {
        let values = tone.to_srgb16(light);
        match frames.deep {
            true => values.iter().flat_map(|v| v.to_le_bytes()).collect(),
            // 65535 is 255 times 257.
            false => (values.iter())
                .map(|v| ((u32::from(*v) + 128) / 257) as u8)
                .collect(),
        }
    };
    if frames.views {
        // The left eye above the right one.
        for side in Side::BOTH {
            for strip in packing::eye(file, side, &[], frames.crop, None)? {
                let bytes = values(&strip?.beauty.samples);
                to.write_all(&bytes).map_err(failed())?;
            }
        }
        return Ok(());
    }
    let rows = PictureRows::open(file)?;
    if (rows.width, rows.height) != frames.size {
        return refuse(format!(
            "{} is {} x {} px by now and the frames before it {} x {} px; a film has one size.",
            file.display(),
            rows.width,
            rows.height,
            frames.size.0,
            frames.size.1
        ));
    }
    for row in rows {
        match row? {
            Row::Bytes { samples: 3, bytes } if !frames.deep => {
                to.write_all(&bytes).map_err(failed())?;
            }
            row => {
                let light = row.into_light();
                let light: Vec<f32> = light.iter().flat_map(|p| [p[0], p[1], p[2]]).collect();
                to.write_all(&values(&light)).map_err(failed())?;
            }
        }
    }
    Ok(())
}
