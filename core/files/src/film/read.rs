//! What a film says of itself: its index, and both forms of what makes it a sphere.

use super::boxes::{self, Kind, Node};
use super::{FilmProjection, FilmStereo, Sphere, matroska, sa3d, sound, st3d, sv3d, uuid};
use crate::budget::Claim;
use crate::error::{FileError, Result, display_name};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

/// Largest index that is read, bytes: hours of film have a few megabytes.
const LARGEST_INDEX: u64 = 512 << 20;
/// Most boxes at the top of a file: a day of fragments.
const MOST_TOP: usize = 1_000_000;
/// Kinds with which a film may begin.
const FIRST: [&Kind; 7] = [
    b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip", b"styp",
];

/// A box at the top of a file.
#[derive(Clone, Copy, Debug)]
pub(super) struct Top {
    pub(super) kind: Kind,
    pub(super) start: u64,
    pub(super) size: u64,
    /// Bytes of its header.
    pub(super) head: u64,
}

impl Top {
    pub(super) fn end(&self) -> u64 {
        self.start + self.size
    }
}

/// What a film's file says.
#[derive(Clone, Debug, PartialEq)]
pub struct FilmFindings {
    /// Width of its picture, pixels.
    pub width: u32,
    /// Height of its picture, pixels.
    pub height: u32,
    /// The four letters of how it is encoded, e.g. `avc1`.
    pub codec: String,
    /// How long it lasts, seconds; nothing where the index does not say.
    pub lasts_s: Option<f64>,
    /// What the newer form says.
    pub newer: Option<Sphere>,
    /// What the older form says.
    pub older: Option<Sphere>,
    /// Whether it is Matroska, which has one form alone.
    pub matroska: bool,
    /// Its first sound.
    pub sound: Option<FilmSound>,
    /// What is wrong, one sentence each.
    pub problems: Vec<String>,
}

/// What a film's file says about its sound.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FilmSound {
    /// Channels.
    pub channels: u16,
    /// Whether they are first-order ambisonics by the file's words (ACN, SN3D).
    pub ambisonic: bool,
    /// In which of its channels W, Y, Z and X are, where they are not in this order.
    pub map: Option<[u8; 4]>,
}

impl FilmFindings {
    /// What players will take it for: the newer form counts where both are there.
    pub fn sphere(&self) -> Option<Sphere> {
        let mut sphere = self.newer.or(self.older)?;
        sphere.opening_deg = sphere
            .opening_deg
            .or(self.older.and_then(|o| o.opening_deg));
        Some(sphere)
    }
}

/// Whether a file begins as films do.
pub fn is_film(path: &Path) -> bool {
    let mut head = [0; 8];
    let read = open(path).and_then(|mut f| f.read_exact(&mut head));
    read.is_ok()
        && (FIRST.iter().any(|kind| head[4..] == kind[..])
            || head[..4] == matroska::EBML.to_be_bytes())
}

/// Opens what is a file: a pipe would wait for somebody who writes into it.
fn open(path: &Path) -> std::io::Result<File> {
    match std::fs::metadata(path)?.is_file() {
        true => File::open(path),
        false => Err(std::io::ErrorKind::InvalidInput.into()),
    }
}

/// Refuses a name whose ending says another kind of film than is written.
pub(super) fn check_ending(output: &Path, matroska: bool) -> Result<()> {
    let ending = output.extension().and_then(|e| e.to_str()).unwrap_or("");
    let ending = ending.to_ascii_lowercase();
    let other = match matroska {
        true => ["mp4", "mov", "m4v"].as_slice(),
        false => ["mkv", "webm"].as_slice(),
    };
    if !other.contains(&ending.as_str()) {
        return Ok(());
    }
    let (is, names) = match matroska {
        true => ("Matroska", ".mkv or .webm"),
        false => ("MP4 or QuickTime", ".mp4 or .mov"),
    };
    Err(FileError::Request(format!(
        "The film is {is}, and tagging does not make another kind of it; name {} {names}.",
        display_name(output)
    )))
}

/// Whether a file begins as Matroska does.
pub(super) fn is_matroska(path: &Path) -> bool {
    let mut head = [0; 4];
    let read = open(path).and_then(|mut f| f.read_exact(&mut head));
    read.is_ok() && head == matroska::EBML.to_be_bytes()
}

/// The boxes at the top of a file.
pub(super) fn tops(file: &mut File, path: &Path) -> Result<Vec<Top>> {
    let name = display_name(path);
    let io = || FileError::io("Reading", path);
    let length = file.seek(SeekFrom::End(0)).map_err(io())?;
    let mut tops = Vec::new();
    let mut start = 0;
    while start < length {
        if tops.len() == MOST_TOP {
            return Err(FileError::damaged(name, "it has more parts than any film"));
        }
        file.seek(SeekFrom::Start(start)).map_err(io())?;
        let mut head = Vec::with_capacity(16);
        (&mut *file).take(16).read_to_end(&mut head).map_err(io())?;
        let (size, kind, head, _) = boxes::header(&head, length - start, &name)?;
        tops.push(Top {
            kind,
            start,
            size,
            head: head as u64,
        });
        start += size;
    }
    Ok(tops)
}

/// A box of the top in memory.
pub(super) fn load(file: &mut File, top: &Top, path: &Path) -> Result<(Node, Claim)> {
    let name = display_name(path);
    if top.size > LARGEST_INDEX {
        return Err(FileError::TooLarge {
            what: name,
            detail: format!("its box {} has {} bytes", boxes::shown(top.kind), top.size),
        });
    }
    let mut memory = Claim::default();
    // The bytes, and the tree of them.
    memory.grow(top.size * 2, &name)?;
    let io = || FileError::io("Reading", path);
    file.seek(SeekFrom::Start(top.start)).map_err(io())?;
    let mut bytes = Vec::new();
    (&mut *file)
        .take(top.size)
        .read_to_end(&mut bytes)
        .map_err(io())?;
    Ok((boxes::parse(&bytes, &name)?, memory))
}

/// The one index of a film.
pub(super) fn index_of(tops: &[Top], path: &Path) -> Result<Top> {
    let mut found = tops.iter().filter(|t| t.kind == *b"moov");
    match (found.next(), found.next()) {
        (Some(index), None) => Ok(*index),
        (None, _) => Err(FileError::damaged(
            display_name(path),
            "it has no index (moov): it was cut short while it was written, or is no film",
        )),
        (Some(_), Some(_)) => Err(FileError::damaged(
            display_name(path),
            "it has two indices (moov)",
        )),
    }
}

/// The track whose picture is the largest.
pub(super) fn main_track(index: &Node) -> Option<usize> {
    let tracks = index.children.iter().enumerate();
    tracks
        .filter(|(_, t)| t.kind == *b"trak" && boxes::is_video(t))
        .filter_map(|(i, t)| boxes::size_of(t).map(|(w, h)| (i, u64::from(w) * u64::from(h))))
        .max_by_key(|(i, area)| (*area, std::cmp::Reverse(*i)))
        .map(|(i, _)| i)
}

/// Says what a film's file tells; a damaged one gives a sentence.
pub fn inspect(path: &Path) -> Result<FilmFindings> {
    if is_matroska(path) {
        return matroska::inspect(path);
    }
    let name = display_name(path);
    let mut file = File::open(path).map_err(FileError::io("Reading", path))?;
    let top = index_of(&tops(&mut file, path)?, path)?;
    let (index, _memory) = load(&mut file, &top, path)?;
    let track = main_track(&index).map(|i| &index.children[i]);
    let track = track.ok_or_else(|| FileError::damaged(&name, "it has no moving picture"))?;
    Ok(findings(&index, track))
}

fn findings(index: &Node, track: &Node) -> FilmFindings {
    let (width, height) = boxes::size_of(track).unwrap_or((0, 0));
    let entry = boxes::entries(track).first();
    let mut problems = Vec::new();
    let mut told = |found: Option<std::result::Result<Sphere, String>>| match found {
        None => None,
        Some(Ok(sphere)) => Some(sphere),
        Some(Err(problem)) => {
            problems.push(problem);
            None
        }
    };
    let newer = told(entry.and_then(newer));
    let olders: Vec<&Node> = track.children.iter().filter(|c| uuid::is_ours(c)).collect();
    let older = told(olders.first().map(|c| uuid::read(c)));
    if olders.len() > 1 {
        problems.push(format!(
            "Its older 360-degree note is there {} times.",
            olders.len()
        ));
    }
    if let (Some(new), Some(old)) = (newer, older) {
        problems.extend(disagreement(new, old));
    }
    if let Some(sphere) = newer.or(older) {
        problems.extend(wrong_ratio((width, height), &sphere));
    }
    let heard = index.children.iter().find(|c| boxes::is_sound(c));
    let heard = heard.and_then(|trak| {
        let told = boxes::entries(trak).first()?.child(sa3d::KIND);
        let channels = sound::channels(trak)?;
        let map = told.and_then(sa3d::channel_map).filter(|_| channels == sa3d::CHANNELS);
        if told.is_some() && map.is_none() {
            problems.push(
                "What it says about its sound's directions is not first-order ambisonics of four channels (ACN, SN3D); players may turn it wrongly."
                    .into(),
            );
        }
        Some(FilmSound {
            channels,
            ambisonic: map.is_some(),
            map: map.filter(|map| *map != sa3d::PLAIN_MAP),
        })
    });
    FilmFindings {
        matroska: false,
        sound: heard,
        width,
        height,
        codec: entry.map_or_else(String::new, |e| {
            String::from_utf8_lossy(&e.kind).trim().to_owned()
        }),
        lasts_s: lasts(index),
        newer,
        older,
        problems,
    }
}

/// What the boxes of a sample entry say.
fn newer(entry: &Node) -> Option<std::result::Result<Sphere, String>> {
    let sv3d = entry.child(sv3d::KIND)?;
    let sphere = sv3d::read(sv3d).and_then(|(projection, pose_deg)| {
        let stereo = entry
            .child(st3d::KIND)
            .map_or(Ok(FilmStereo::Mono), st3d::read)?;
        Ok(Sphere {
            projection,
            stereo,
            pose_deg,
            opening_deg: None,
        })
    });
    Some(sphere)
}

/// In what both forms differ, in a sentence.
fn disagreement(new: Sphere, old: Sphere) -> Option<String> {
    if new.stereo != old.stereo {
        return Some(format!(
            "Its two 360-degree notes disagree: the newer says {}, the older {}; tag it again.",
            new.stereo.name(),
            old.stereo.name()
        ));
    }
    let (FilmProjection::Equirect { bounds: a }, FilmProjection::Equirect { bounds: b }) =
        (new.projection, old.projection)
    else {
        return Some(
            "Its two 360-degree notes disagree: one says a cube, the other an unrolled sphere; tag it again."
                .into(),
        );
    };
    // The older form has whole pixels.
    let apart = a.iter().zip(b).any(|(a, b)| (a - b).abs() > 1e-3);
    apart.then(|| {
        "Its two 360-degree notes disagree about how much of the sphere it shows; tag it again."
            .into()
    })
}

/// A picture whose ratio is not that of what it is said to be.
pub(super) fn wrong_ratio(size: (u32, u32), sphere: &Sphere) -> Option<String> {
    let (w, h) = FilmStereo::eye(size, sphere.stereo);
    let FilmProjection::Equirect { bounds } = sphere.projection else {
        let fits = (f64::from(w) / f64::from(h.max(1)) / 1.5 - 1.0).abs() < 0.02;
        return (!fits).then(|| {
            format!("An eye's picture is {w} x {h} px, which is no cube of 3:2; check how the eyes and the faces lie.")
        });
    };
    let [top, bottom, left, right] = bounds;
    let (full_w, full_h) = (
        f64::from(w) / (1.0 - left - right),
        f64::from(h) / (1.0 - top - bottom),
    );
    let ratio = full_w / full_h;
    let is = |r: f64| (ratio / r - 1.0).abs() < 0.02;
    // Squeezed eyes are half as wide or as high; one eye alone is never squeezed.
    let fits = is(2.0)
        || match sphere.stereo {
            FilmStereo::Mono => false,
            FilmStereo::TopBottom => is(4.0),
            FilmStereo::SideBySide => is(1.0),
        };
    (!fits).then(|| {
        let both = match sphere.stereo {
            FilmStereo::Mono if is(1.0) => " If both eyes lie in it one above the other, say top-bottom.",
            FilmStereo::Mono if is(4.0) => " If both eyes lie in it side by side, say side-by-side.",
            _ => "",
        };
        format!(
            "An eye's picture is {w} x {h} px, which is no sphere of 2:1; check how the eyes lie and whether it was cropped.{both}"
        )
    })
}

/// How long it lasts by its own words, seconds.
fn lasts(index: &Node) -> Option<f64> {
    let head = index.child(b"mvhd")?;
    let (scale, units) = match head.body.first()? {
        0 => (head.u32_at(12)?, u64::from(head.u32_at(16)?)),
        _ => {
            let (high, low) = (head.u32_at(24)?, head.u32_at(28)?);
            (head.u32_at(20)?, (u64::from(high) << 32) | u64::from(low))
        }
    };
    (scale > 0 && units > 0).then(|| units as f64 / f64::from(scale))
}
