//! Reading two eyes from files: two pictures, views of one OpenEXR, or one picture that both lie in.

use crate::budget::Claim;
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::ExrStrips;
use crate::format::PictureFormat;
use crate::linear_picture::{self, LinearPicture};
use crate::rows::Depth;
use dome_imaging::Picture;
use dome_optics::rig::{Arrangement, Packing, Side};
use std::path::Path;

/// Two pictures of the same size, in linear light.
#[derive(Debug)]
pub struct TwoEyes {
    /// The left eye's and the right eye's picture.
    pub eyes: [Picture; 2],
    /// How finely their values were told.
    pub depth: Depth,
    /// How they lay in their files.
    pub packing: Packing,
    /// Whether `packing` was told or found in the file, not guessed from its ratio.
    pub told: bool,
    /// Luminance of the value 1 that they tell, cd/m^2.
    pub white_cd_m2: Option<f32>,
    /// What is to be said about them, one sentence each.
    pub notices: Vec<String>,
    memory: Claim,
}

impl TwoEyes {
    /// The memory they take, bytes.
    pub fn bytes(&self) -> u64 {
        self.memory.bytes()
    }
}

/// Whether a file is an OpenEXR with both eyes as views.
pub fn has_views(path: &Path) -> bool {
    matches!(PictureFormat::from_path(path), Ok(PictureFormat::Exr))
        && ExrStrips::open(path).is_ok_and(|s| s.header.has_both_eyes())
}

/// What the pictures of two eyes were read with, but for the pictures.
#[derive(Default)]
struct Read {
    depth: Option<Depth>,
    white_cd_m2: Option<f32>,
    notices: Vec<String>,
    memory: Claim,
}

impl Read {
    /// The picture; what its file told is added to what others told.
    fn take(&mut self, read: LinearPicture) -> Picture {
        let finer = |d: Depth| match d {
            Depth::Eight => 0,
            Depth::Sixteen => 1,
            Depth::Half => 2,
            Depth::Float => 3,
        };
        let most = self.depth.into_iter().chain([read.depth]);
        self.depth = most.max_by_key(|d| finer(*d));
        self.white_cd_m2 = self.white_cd_m2.or(read.white_cd_m2);
        for notice in read.notices {
            if !self.notices.contains(&notice) {
                self.notices.push(notice);
            }
        }
        self.memory.join(read.memory);
        read.picture
    }

    fn eyes(self, eyes: [Picture; 2], packing: Packing, told: bool) -> TwoEyes {
        TwoEyes {
            eyes,
            depth: self.depth.unwrap_or(Depth::Half),
            packing,
            told,
            white_cd_m2: self.white_cd_m2,
            notices: self.notices,
            memory: self.memory,
        }
    }
}

/// Two pictures, the left eye's first.
pub fn of_two(left: &Path, right: &Path) -> Result<TwoEyes> {
    let mut read = Read::default();
    let a = read.take(linear_picture::read(left)?);
    let b = read.take(linear_picture::read(right)?);
    same_size(&a, &b, [&display_name(left), &display_name(right)])?;
    Ok(read.eyes([a, b], Packing::TWO_FILES, true))
}

fn same_size(a: &Picture, b: &Picture, [left, right]: [&str; 2]) -> Result<()> {
    if (a.width, a.height) == (b.width, b.height) {
        return Ok(());
    }
    Err(FileError::Request(format!(
        "{left} is {} x {} px and {right} is {} x {} px; two eyes have the same size.",
        a.width, a.height, b.width, b.height
    )))
}

/// Two eyes of one file: its views, or both halves of the picture by `packing`, which is guessed from the ratio if it is not
/// told.
pub fn of_one(path: &Path, packing: Option<Packing>) -> Result<TwoEyes> {
    let name = display_name(path);
    let mut read = Read::default();
    if has_views(path) {
        let a = read.take(linear_picture::read_eye(path, Side::Left)?);
        let b = read.take(linear_picture::read_eye(path, Side::Right)?);
        let [left, right] = ["left", "right"].map(|eye| format!("The {eye} eye of {name}"));
        same_size(&a, &b, [&left, &right])?;
        return Ok(read.eyes([a, b], Packing::MONO, true));
    }
    let picture = read.take(linear_picture::read(path)?);
    let told = packing.is_some();
    let packing = match packing {
        Some(packing) => packing,
        None => guessed(&picture).ok_or_else(|| {
            FileError::Request(format!(
                "{name} is {} x {} px, which may be one eye or two; say how they lie with --packing, e.g. top-bottom.",
                picture.width, picture.height
            ))
        })?,
    };
    if !packing.is_packed() {
        return Err(FileError::Request(format!(
            "{name} is one picture; give the other eye's too, or say how both lie with --packing."
        )));
    }
    let size = packing.eye_size((picture.width, picture.height));
    size.map_err(|e| FileError::Request(e.to_string()))?;
    read.memory.grow(
        u64::from(picture.width) * u64::from(picture.height) * 24,
        &name,
    )?;
    Ok(read.eyes(halves(&picture, packing), packing, told))
}

/// Halves that are more alike than this are two eyes.
const ALIKE: f64 = 0.6;
/// And more than this, they are even if nobody says so.
const MUCH_ALIKE: f64 = 0.9;
/// Pictures lower or narrower than this are not looked at, pixels.
const TINY: u32 = 64;

/// How two eyes lie in a picture that is said to hold them, by its ratio and by how alike its halves are. Nothing where it
/// cannot be told.
pub fn guessed(picture: &Picture) -> Option<Packing> {
    guessed_if(picture, ALIKE)
}

/// The same of a picture that may as well be of one eye: only what is hardly anything else is taken for two. A picture twice as
/// wide as high is a sphere far more often than a pair, and the halves of a room may be alike; tiny ones tell nothing.
pub fn likely(picture: &Picture) -> Option<Packing> {
    let sphere = (f64::from(picture.width) / f64::from(picture.height.max(1)) - 2.0).abs() < 0.04;
    let tiny = picture.width.min(picture.height) < TINY;
    match sphere || tiny {
        true => None,
        false => guessed_if(picture, MUCH_ALIKE),
    }
}

fn guessed_if(picture: &Picture, least: f64) -> Option<Packing> {
    let ratio = f64::from(picture.width) / f64::from(picture.height.max(1));
    let near = |wanted: f64| (ratio / wanted - 1.0).abs() < 0.02;
    // Halves of a pair are much alike, halves of one picture are not.
    let alike = |packing: Packing| {
        packing.eye_size((picture.width, picture.height)).is_ok()
            && likeness(picture, packing) > least
    };
    let squeezed = |p: Packing| Packing {
        squeezed: true,
        ..p
    };
    let candidates: &[Packing] = if near(4.0) {
        &[Packing::SIDE_BY_SIDE]
    } else if near(1.0) {
        &[Packing::TOP_BOTTOM]
    } else if near(2.0) {
        // Of 180 degrees two squares, or a sphere with both eyes squeezed.
        &[Packing::SIDE_BY_SIDE, squeezed(Packing::TOP_BOTTOM)]
    } else {
        &[Packing::TOP_BOTTOM, Packing::SIDE_BY_SIDE]
    };
    candidates.iter().copied().find(|p| alike(*p))
}

/// How alike the halves of a picture are, -1 to 1: the correlation of their luminances, seen coarsely.
fn likeness(picture: &Picture, packing: Packing) -> f64 {
    let (w, h) = packing.cell_size((picture.width, picture.height));
    let (w, h) = match packing.squeezed {
        true => (w, h),
        false => match packing.arrangement {
            Arrangement::SideBySide => (picture.width / 2, picture.height),
            _ => (picture.width, picture.height / 2),
        },
    };
    let (dx, dy) = match packing.arrangement {
        Arrangement::SideBySide => (picture.width / 2, 0),
        _ => (0, picture.height / 2),
    };
    const ACROSS: u32 = 24;
    const DOWN: u32 = 12;
    let mean = |x0: u32, y0: u32, i: u32, j: u32| -> f64 {
        let mut sum = 0.0;
        const POINTS: u32 = 16;
        for a in 0..POINTS * POINTS {
            let at = |k: u32, n: u32, of: u32| {
                ((u64::from(k) * u64::from(POINTS) * 2 + 1 + 2 * u64::from(n)) * u64::from(of)
                    / (u64::from(POINTS) * 2)) as u32
            };
            let x = x0 + (at(i, a % POINTS, w) / ACROSS).min(w.saturating_sub(1));
            let y = y0 + (at(j, a / POINTS, h) / DOWN).min(h.saturating_sub(1));
            let light = dome_imaging::transfer::luminance(picture.pixel(x, y));
            sum += f64::from(light.max(0.0)).sqrt();
        }
        sum / f64::from(POINTS * POINTS)
    };
    let (mut a, mut b) = (Vec::new(), Vec::new());
    for j in 0..DOWN {
        for i in 0..ACROSS {
            a.push(mean(0, 0, i, j));
            b.push(mean(dx, dy, i, j));
        }
    }
    // What all rows or columns have in common, such as a sky above a floor, says nothing.
    let beside = packing.arrangement == Arrangement::SideBySide;
    for half in [&mut a, &mut b] {
        let lines = if beside { DOWN } else { ACROSS };
        for line in 0..lines as usize {
            let places: Vec<usize> = match beside {
                true => (0..ACROSS as usize)
                    .map(|i| line * ACROSS as usize + i)
                    .collect(),
                false => (0..DOWN as usize)
                    .map(|j| j * ACROSS as usize + line)
                    .collect(),
            };
            let mean = places.iter().map(|p| half[*p]).sum::<f64>() / places.len() as f64;
            places.into_iter().for_each(|p| half[p] -= mean);
        }
    }
    let n = a.len() as f64;
    let (ma, mb) = (a.iter().sum::<f64>() / n, b.iter().sum::<f64>() / n);
    let (mut ab, mut aa, mut bb) = (0.0, 0.0, 0.0);
    for (x, y) in a.iter().zip(&b) {
        ab += (x - ma) * (y - mb);
        aa += (x - ma).powi(2);
        bb += (y - mb).powi(2);
    }
    if aa * bb <= 0.0 {
        0.0
    } else {
        ab / (aa * bb).sqrt()
    }
}

/// Both eyes of a packed picture; squeezed ones are stretched again.
pub fn halves(picture: &Picture, packing: Packing) -> [Picture; 2] {
    let (w, h) = (picture.width, picture.height);
    let beside = packing.arrangement == Arrangement::SideBySide;
    let (cw, ch) = if beside { (w / 2, h) } else { (w, h / 2) };
    let cut = |x0: u32, y0: u32| {
        let mut cell = Picture::black(cw, ch);
        for y in 0..ch {
            let from = ((y0 + y) as usize * w as usize + x0 as usize) * 3;
            let to = y as usize * cw as usize * 3;
            cell.samples[to..][..cw as usize * 3]
                .copy_from_slice(&picture.samples[from..][..cw as usize * 3]);
        }
        match (packing.squeezed, beside) {
            (false, _) => cell,
            (true, true) => stretched(&cell, true),
            (true, false) => stretched(&cell, false),
        }
    };
    let (first, second) = (cut(0, 0), if beside { cut(cw, 0) } else { cut(0, ch) });
    if packing.right_first {
        [second, first]
    } else {
        [first, second]
    }
}

/// Twice as wide or as high, by the line through neighbouring pixels; squeezed again it is nearly as it was.
fn stretched(picture: &Picture, across: bool) -> Picture {
    let (w, h) = (picture.width, picture.height);
    let mut out = if across {
        Picture::black(w * 2, h)
    } else {
        Picture::black(w, h * 2)
    };
    let (width, height) = (out.width, out.height);
    for y in 0..height {
        for x in 0..width {
            let (i, last) = if across { (x, w - 1) } else { (y, h - 1) };
            let near = i / 2;
            let far = if i % 2 == 0 {
                near.saturating_sub(1)
            } else {
                (near + 1).min(last)
            };
            let at = |k: u32| match across {
                true => picture.pixel(k, y),
                false => picture.pixel(x, k),
            };
            let (a, b) = (at(near), at(far));
            let to = (y as usize * width as usize + x as usize) * 3;
            for c in 0..3 {
                out.samples[to + c] = 0.75 * a[c] + 0.25 * b[c];
            }
        }
    }
    out
}
