//! Whether a master is still what was written: its sum lies beside it, and is compared whenever the master is used.

use super::Result;
use crate::folder::RenderFolder;
use dome_files::exr_picture::ExrStrips;
use dome_files::{FileError, Fingerprint, atomic};
use std::path::Path;

/// What is said of a picture that was made again.
pub(super) const MADE_AGAIN: &str =
    "The master that was there had been damaged on the disk, so it was made again.";
/// What is said where a damaged one is found.
pub(super) const DAMAGED: &str =
    "The order's master had been damaged on the disk and was removed; Resume makes it again.";

/// Writes down what a finished master is.
pub(super) fn seal(files: &RenderFolder) -> Result<()> {
    let sum = Fingerprint::of_file(&files.master())?;
    Ok(atomic::write_bytes(
        &files.master_sum(),
        sum.to_string().as_bytes(),
    )?)
}

/// Whether a master is there and whole. One that is not what was written is removed with what was made of it. One that has no sum yet, made
/// elsewhere or before sums were kept, is read through and gets one.
pub(super) fn is_whole(files: &RenderFolder) -> Result<bool> {
    let master = files.master();
    if !master.exists() {
        return Ok(false);
    }
    let told = std::fs::read_to_string(files.master_sum()).ok();
    let whole = match told.and_then(|text| text.trim().parse::<Fingerprint>().ok()) {
        Some(told) => Fingerprint::of_file(&master)? == told,
        None => match ExrStrips::open(&master).and_then(ExrStrips::check_whole) {
            Ok(_) => {
                seal(files)?;
                true
            }
            Err(FileError::Damaged { .. }) => false,
            Err(e) => return Err(e.into()),
        },
    };
    if whole {
        return Ok(true);
    }
    for made in [master, files.master_sum(), files.display()] {
        remove(&made)?;
    }
    Ok(false)
}

fn remove(path: &Path) -> Result<()> {
    match std::fs::remove_file(path) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
            Err(FileError::io("Removing", path)(e).into())
        }
        _ => Ok(()),
    }
}
