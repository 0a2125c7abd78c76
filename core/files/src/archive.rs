//! Unpacking a `.zip` that holds a scene: bounded, and only ever into its own folder; and packing files together.

use crate::atomic;
use crate::budget::told as told_bytes;
use crate::error::{FileError, Result, display_name};
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{BufReader, Read, Write};
use std::path::{Component, Path, PathBuf};
use zip::ZipArchive;

/// What an archive may hold.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Most files.
    pub files: usize,
    /// Most bytes after unpacking, all files together.
    pub bytes: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            files: 10_000,
            bytes: 8 << 30,
        }
    }
}

/// Unpacks into `folder`, which must exist, and gives the files' paths relative to it.
pub fn unpack(archive: &Path, folder: &Path, limits: Limits) -> Result<Vec<PathBuf>> {
    let name = display_name(archive);
    let file = File::open(archive).map_err(FileError::io("Reading", archive))?;
    let mut zip =
        ZipArchive::new(BufReader::new(file)).map_err(|e| FileError::damaged(&name, e))?;
    if zip.len() > limits.files {
        return Err(FileError::TooLarge {
            what: name,
            detail: format!(
                "{} files, and {} are allowed; pack the scene alone",
                zip.len(),
                limits.files
            ),
        });
    }
    // What it says of itself is no proof, but enough to refuse before anything is written.
    let told = (0..zip.len())
        .filter_map(|i| zip.by_index_raw(i).ok().map(|e| e.size()))
        .fold(0, u64::saturating_add);
    let free =
        rustix::fs::statvfs(folder).map_or(u64::MAX, |s| s.f_bavail.saturating_mul(s.f_frsize));
    if told <= limits.bytes && told > free {
        return Err(FileError::TooLarge {
            what: name,
            detail: format!(
                "{} when unpacked, and {} are free for {}; make room there",
                told_bytes(told),
                told_bytes(free),
                folder.display()
            ),
        });
    }
    let mut left = limits.bytes;
    let mut unpacked = Vec::new();
    for i in 0..zip.len() {
        let mut entry = zip.by_index(i).map_err(|e| FileError::damaged(&name, e))?;
        let inside = entry
            .name()
            .map_err(|e| FileError::damaged(&name, e))?
            .into_owned();
        let Some(relative) = safe_relative(&inside) else {
            return Err(FileError::unsupported(
                format!("The file name \"{inside}\" in {name}"),
                "it leads out of the archive's own folder; pack it again with plain relative names",
            ));
        };
        if entry.is_symlink() {
            return Err(FileError::unsupported(
                format!("The link \"{inside}\" in {name}"),
                "pack the file itself instead of a link to it",
            ));
        }
        if entry.is_dir() {
            continue;
        }
        let target = folder.join(&relative);
        if let Some(parent) = target.parent() {
            std::fs::create_dir_all(parent).map_err(FileError::io("Unpacking", parent))?;
        }
        let mut out = File::create_new(&target).map_err(FileError::io("Unpacking", &target))?;
        let mut buffer = vec![0; 256 << 10];
        loop {
            let n = entry
                .read(&mut buffer)
                .map_err(|e| FileError::damaged(format!("\"{inside}\" in {name}"), e))?;
            if n == 0 {
                break;
            }
            // Counted while unpacking: what the archive says of itself may be a lie.
            left = left
                .checked_sub(n as u64)
                .ok_or_else(|| FileError::TooLarge {
                    what: name.clone(),
                    detail: format!(
                        "it swells beyond {} bytes when unpacked; pack the scene alone",
                        limits.bytes
                    ),
                })?;
            out.write_all(&buffer[..n])
                .map_err(FileError::io("Unpacking", &target))?;
        }
        out.sync_all().map_err(FileError::io("Saving", &target))?;
        unpacked.push(relative);
    }
    // The names are durable once their folders are.
    let folders: BTreeSet<&Path> = unpacked
        .iter()
        .flat_map(|p| p.ancestors().skip(1))
        .collect();
    for inside in folders {
        atomic::sync_folder(&folder.join(inside))?;
    }
    Ok(unpacked)
}

/// A path that stays below its folder, or `None`: no root, no drive, no climbing, no hidden tricks.
pub fn safe_relative(name: &str) -> Option<PathBuf> {
    if name.contains(['\\', '\0', ':']) {
        return None;
    }
    let mut out = PathBuf::new();
    for part in Path::new(name).components() {
        match part {
            Component::Normal(p) => out.push(p),
            Component::CurDir => {}
            _ => return None,
        }
    }
    (!out.as_os_str().is_empty()).then_some(out)
}
/// Puts files together into one archive. They are packed in themselves and are only stored.
pub fn pack(files: &[PathBuf], archive: &Path) -> Result<()> {
    let io = || FileError::io("Writing", archive);
    let wrong = |e: zip::result::ZipError| io()(std::io::Error::other(e));
    atomic::write(archive, |w| {
        let mut zip = zip::ZipWriter::new_stream(w);
        let plain = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        for file in files {
            zip.start_file(display_name(file), plain).map_err(wrong)?;
            let mut from = File::open(file).map_err(FileError::io("Reading", file))?;
            std::io::copy(&mut from, &mut zip).map_err(io())?;
        }
        zip.finish().map_err(wrong).map(drop)
    })
}
