//! Writing files so that they are whole or not there: beside the target, synced, renamed. Where the system can, they have no name
//! until they are whole, and nothing is left of those whose writer was killed; only one that replaces another has a hidden name
//! between two calls of the system.

use crate::beside::Beside;
use crate::error::{FileError, Result};
use atomic_write_file::AtomicWriteFile;
use rustix::fs::CWD;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::os::fd::AsRawFd;
use std::path::{Path, PathBuf};

/// Longest name of a file that another name can be made of, bytes: file systems take 255, and what is not whole is called by eight
/// more while it comes to its place.
const LONGEST_NAME: usize = 247;

/// Writes a file through `fill`. Until everything is on disk the target keeps its old bytes; after an
/// error nothing is left behind.
///
/// A link stays one: what it leads to is written. What is no file, a device or a pipe, is refused.
pub fn write(path: &Path, fill: impl FnOnce(&mut BufWriter<File>) -> Result<()>) -> Result<()> {
    write_over(path, Over::Anything, fill)
}

/// What a file that is written may take the place of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Over {
    /// Whatever is there.
    #[default]
    Anything,
    /// Nothing: what came to the name while it was written stays, and it is refused.
    Nothing,
}

/// The same; `over` says what the file may take the place of.
pub fn write_over(
    path: &Path,
    over: Over,
    fill: impl FnOnce(&mut BufWriter<File>) -> Result<()>,
) -> Result<()> {
    let led = target(path)?;
    let path = led.as_path();
    if path.file_name().is_none_or(|n| n.len() <= LONGEST_NAME) {
        return write_at((path, path), over, fill);
    }
    let beside = Beside::new(folder_of(path))?;
    let short = beside.join("whole");
    write_at((&short, path), Over::Anything, fill)?;
    if over == Over::Nothing && path.exists() {
        return Err(taken(path));
    }
    keep(&short, path)
}

/// The sentence for a name that another file took meanwhile.
fn taken(path: &Path) -> FileError {
    FileError::Request(format!(
        "Another file came to {} while this one was written, and nothing is overwritten; move it away, and make this one again.",
        path.display()
    ))
}

/// The file that a name leads to: through links, where there are some.
fn target(path: &Path) -> Result<PathBuf> {
    let Ok(there) = std::fs::symlink_metadata(path) else {
        return Ok(path.to_owned());
    };
    let led = match there.is_symlink() {
        true => {
            let to = std::fs::read_link(path).map_err(FileError::io("Following", path))?;
            let to = folder_of(path).join(to);
            // One that leads to nothing yet is written where it leads.
            std::fs::canonicalize(path).unwrap_or(to)
        }
        false => path.to_owned(),
    };
    match std::fs::metadata(&led) {
        Ok(meta) if !meta.is_file() => Err(FileError::Request(format!(
            "{} is not a file but a folder, a device or a pipe; name a file to write.",
            path.display()
        ))),
        _ => Ok(led),
    }
}

/// The folder of a file.
fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    }
}

/// Writes a file at a place; what goes wrong is told of the one that it is for.
fn write_at(
    (at, target): (&Path, &Path),
    over: Over,
    fill: impl FnOnce(&mut BufWriter<File>) -> Result<()>,
) -> Result<()> {
    let io = |action| FileError::io(action, target);
    // Readable too, as any file is that was made anew: what fills it may count on that.
    let beside = AtomicWriteFile::options()
        .read(true)
        .open(at)
        .map_err(io("Writing"))?;
    let mut writer = BufWriter::with_capacity(
        1 << 20,
        beside.as_file().try_clone().map_err(io("Writing"))?,
    );
    fill(&mut writer)?;
    writer
        .into_inner()
        .map_err(|e| io("Writing")(e.into_error()))?;
    beside.as_file().sync_all().map_err(io("Saving"))?;
    if named(beside.as_file(), at).is_ok() {
        beside.discard().map_err(io("Saving"))?;
        return sync_folder(folder_of(at));
    }
    if over == Over::Nothing && std::fs::symlink_metadata(at).is_ok() {
        beside.discard().map_err(io("Saving"))?;
        return Err(taken(target));
    }
    // What is there already is replaced: synced, renamed, and the folder synced, with which the new name is durable.
    beside.commit().map_err(io("Saving"))
}

/// Writes a new file through `fill`: what is there already, be it that it came while this one was written, stays as it is. Gives whether
/// the file was written.
pub fn write_new(path: &Path, fill: impl FnOnce(&mut File) -> Result<()>) -> Result<bool> {
    let io = |action| FileError::io(action, path);
    let beside = AtomicWriteFile::options()
        .read(true)
        .open(path)
        .map_err(io("Writing"))?;
    let mut file = beside.as_file().try_clone().map_err(io("Writing"))?;
    fill(&mut file)?;
    beside.as_file().sync_all().map_err(io("Saving"))?;
    let named = named(beside.as_file(), path);
    if named.is_err() && std::fs::symlink_metadata(path).is_err() {
        // A disk that knows of no links: this is as near as it comes.
        return beside.commit().map_err(io("Saving")).map(|()| true);
    }
    beside.discard().map_err(io("Saving"))?;
    sync_folder(folder_of(path))?;
    Ok(named.is_ok())
}

/// Gives a file its name where there is none yet, in one step: one that is to replace another is called otherwise for a moment, and
/// would stay so if its writer was killed just then.
fn named(file: &File, at: &Path) -> std::io::Result<()> {
    let open = format!("/proc/self/fd/{}", file.as_raw_fd());
    let follow = rustix::fs::AtFlags::SYMLINK_FOLLOW;
    Ok(rustix::fs::linkat(CWD, open, CWD, at, follow)?)
}

/// Moves a file that arrived to where it stays, on the same disk: its bytes are durable before its name is.
pub fn keep(from: &Path, to: &Path) -> Result<()> {
    let io = |action, path| FileError::io(action, path);
    File::open(from)
        .and_then(|f| f.sync_all())
        .map_err(io("Saving", from))?;
    let led = target(to)?;
    std::fs::rename(from, &led).map_err(io("Moving", to))?;
    sync_folder(folder_of(&led))
}

/// Makes the names in a folder durable.
pub fn sync_folder(folder: &Path) -> Result<()> {
    File::open(folder)
        .and_then(|f| f.sync_all())
        .map_err(FileError::io("Saving", folder))
}

/// Writes `bytes` as a whole file.
pub fn write_bytes(path: &Path, bytes: &[u8]) -> Result<()> {
    write(path, |w| {
        w.write_all(bytes).map_err(FileError::io("Writing", path))
    })
}

/// Writes `bytes` as a whole file that survives the program, but perhaps no power cut.
pub fn write_bytes_soon(path: &Path, bytes: &[u8]) -> Result<()> {
    let io = || FileError::io("Writing", path);
    let mut beside = tempfile::Builder::new()
        .prefix(".unfinished-")
        .tempfile_in(folder_of(path))
        .map_err(io())?;
    beside.write_all(bytes).map_err(io())?;
    beside.persist(path).map(drop).map_err(|e| io()(e.error))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What comes to a name while a new file is written for it stays, and nothing is left of the new one.
    #[test]
    fn a_new_file_replaces_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let at = folder.path().join("a.txt");
        let written = write_new(&at, |out| {
            out.write_all(b"mine").unwrap();
            std::fs::write(&at, "another's").unwrap();
            Ok(())
        });
        assert!(!written.unwrap());
        assert_eq!(std::fs::read(&at).unwrap(), b"another's");
        std::fs::remove_file(&at).unwrap();
        let mine = |out: &mut File| {
            out.write_all(b"mine")
                .map_err(FileError::io("Writing", &at))
        };
        assert!(write_new(&at, mine).unwrap());
        assert_eq!(std::fs::read(&at).unwrap(), b"mine");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
    }

    /// A file that takes no other's place is refused where one came while it was written, with nothing left of it; under a long name too.
    #[test]
    fn what_came_meanwhile_stays() {
        for name in ["a.txt".to_owned(), "n".repeat(250)] {
            let folder = tempfile::tempdir().unwrap();
            let at = folder.path().join(name);
            let mine = |w: &mut BufWriter<File>| {
                w.write_all(b"mine").map_err(FileError::io("Writing", &at))
            };
            let refused = write_over(&at, Over::Nothing, |w| {
                std::fs::write(&at, "another's").unwrap();
                mine(w)
            });
            let why = refused.unwrap_err().to_string();
            assert!(
                why.contains("nothing is overwritten; move it away"),
                "{why}"
            );
            assert_eq!(std::fs::read(&at).unwrap(), b"another's");
            std::fs::remove_file(&at).unwrap();
            write_over(&at, Over::Nothing, mine).unwrap();
            assert_eq!(std::fs::read(&at).unwrap(), b"mine");
            assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
        }
    }

    /// A new file comes to its name at once, and another one is never put over what is there that way.
    #[test]
    fn a_new_file_is_named_in_one_step() {
        let folder = tempfile::tempdir().unwrap();
        let at = folder.path().join("a.txt");
        for there in [false, true] {
            let mut beside = AtomicWriteFile::open(&at).unwrap();
            beside.write_all(if there { b"2" } else { b"1" }).unwrap();
            assert_eq!(named(beside.as_file(), &at).is_err(), there);
            beside.discard().unwrap();
            assert_eq!(std::fs::read(&at).unwrap(), b"1");
        }
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
    }
}
