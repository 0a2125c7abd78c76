//! Folders for what is worked on beside its target: they go away by themselves, and those that killed programs left are cleared away.

use crate::error::{FileError, Result};
use std::fs::File;
use std::path::{Path, PathBuf};

/// Beginning of their names.
const NAME: &str = ".unfinished-work-";
/// Beginning of the names of those for films before this one was for all; they were held in the same way.
const EARLIER: &str = ".unfinished-film-";

/// A folder inside another one, held by a lock for as long as somebody works in it; it goes with its content when dropped.
#[derive(Debug)]
pub struct Beside {
    made: tempfile::TempDir,
    _held: File,
}

impl Beside {
    /// Makes one in a folder. Those there that nobody holds any more were left by programs that were killed, and are removed with
    /// all that is in them. Where nothing can be locked they stay.
    pub fn new(folder: &Path) -> Result<Self> {
        let failed = || FileError::io("Writing", folder);
        let open = |at: &Path| File::open(at);
        // One at a time looks and makes its own, which is locked before the next one looks.
        let gate = open(folder).map_err(failed())?;
        let _ = gate.lock();
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = entry.file_name();
            let ours = [NAME, EARLIER].map(|b| name.to_string_lossy().starts_with(b));
            if ours.contains(&true) && open(&entry.path()).is_ok_and(|l| l.try_lock().is_ok()) {
                let _ = std::fs::remove_dir_all(entry.path());
            }
        }
        let made = tempfile::Builder::new()
            .prefix(NAME)
            .tempdir_in(folder)
            .map_err(failed())?;
        let held = open(made.path()).map_err(failed())?;
        let _ = held.lock();
        Ok(Self { made, _held: held })
    }

    /// The folder.
    pub fn path(&self) -> &Path {
        self.made.path()
    }

    /// A file or folder in it.
    pub fn join(&self, name: &str) -> PathBuf {
        self.made.path().join(name)
    }
}
