//! Frames of a sequence on disk: which are there, whole, and of which picture. They are found by reading, not by their names.

use crate::error::Result;
use crate::fingerprint::Description;
use crate::format::PictureFormat;
use crate::inspect::{Findings, inspect};
use crate::rows::PictureRows;
use std::path::{Path, PathBuf};

/// What lies where a frame should.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Found {
    /// Nothing.
    Missing,
    /// It, and whole.
    Whole,
    /// Something that cannot be read to its end, and why.
    Broken(String),
    /// A picture of something else, and in what it differs, in a few words.
    Foreign(String),
}

/// What lies at the files of one frame: the first that is not as it should be counts.
pub fn look(files: &[PathBuf], wanted: &Description) -> Found {
    (files.iter().map(|file| look_at(file, wanted)))
        .find(|found| *found != Found::Whole)
        .unwrap_or(Found::Whole)
}

fn look_at(file: &Path, wanted: &Description) -> Found {
    // A link to nowhere is as good as nothing: the frame takes its place.
    if !file.exists() {
        return Found::Missing;
    }
    let found = match read_whole(file) {
        Ok(found) => found,
        Err(e) => return Found::Broken(e.to_string()),
    };
    let wanted_picture = wanted.fingerprint();
    match (&found.description, found.properties.picture) {
        (Some(of), _) if of.fingerprint() == wanted_picture => Found::Whole,
        (Some(of), _) => Found::Foreign(of.told_differences(wanted)),
        (None, Some(picture)) if picture == wanted_picture => Found::Whole,
        (None, Some(_)) => Found::Foreign("another picture by its fingerprint".into()),
        (None, None) => Found::Foreign("it does not say which picture it is".into()),
    }
}

/// Reads a picture to its last pixel.
fn read_whole(file: &Path) -> Result<Findings> {
    let found = inspect(file)?;
    // An OpenEXR was read to its end just now.
    if found.format != PictureFormat::Exr {
        PictureRows::open(file)?.try_for_each(|row| row.map(drop))?;
    }
    Ok(found)
}
