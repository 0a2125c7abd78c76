//! Errors of file work.

use std::path::{Path, PathBuf};
use thiserror::Error;

/// Why a file could not be read or written; each message says what, where and what to do.
#[derive(Debug, Error)]
pub enum FileError {
    /// The operating system refused.
    #[error("{action} {path} failed: {source}. Check the path, the rights and the free space.")]
    Io {
        /// What was being done, e.g. "Reading".
        action: &'static str,
        /// The file.
        path: PathBuf,
        /// The system's reason.
        source: std::io::Error,
    },
    /// The bytes are not what they claim to be.
    #[error("{what} is damaged or cut short: {detail}. Export it again from where it was made.")]
    Damaged {
        /// The file or part.
        what: String,
        /// What is wrong and where.
        detail: String,
    },
    /// Not a kind this program handles.
    #[error("{what} is not supported: {detail}.")]
    Unsupported {
        /// The file or part.
        what: String,
        /// What was found and what to use instead.
        detail: String,
    },
    /// Larger than is allowed.
    #[error("{what} is too large: {detail}.")]
    TooLarge {
        /// The file or part.
        what: String,
        /// Size, limit and remedy.
        detail: String,
    },
    /// The process may not use so much memory.
    #[error("{what} needs {} of memory, and {} of the {} that may be used are free. Make it smaller, close other work, or allow more with --memory.", crate::words::told(*needed), crate::words::told(*free), crate::words::told(*limit))]
    OutOfMemory {
        /// What would take it.
        what: String,
        /// Bytes it would take.
        needed: u64,
        /// Bytes that are free.
        free: u64,
        /// Bytes that may be used in all.
        limit: u64,
    },
    /// Noise could not be taken out.
    #[error(transparent)]
    Denoise(#[from] dome_imaging::denoise::DenoiseFailed),
    /// What was asked for makes no sense.
    #[error("{0}")]
    Request(String),
}

/// The result of file work.
pub type Result<T> = std::result::Result<T, FileError>;

impl FileError {
    /// Wraps a system error with what was being done to which file.
    pub fn io(action: &'static str, path: &Path) -> impl FnOnce(std::io::Error) -> Self {
        let path = path.to_owned();
        move |source| Self::Io {
            action,
            path,
            source,
        }
    }

    /// Whether it only lacked room on a disk.
    pub fn is_disk_full(&self) -> bool {
        use std::io::ErrorKind::{QuotaExceeded, StorageFull};
        matches!(self, Self::Io { source, .. } if matches!(source.kind(), StorageFull | QuotaExceeded))
    }

    /// Damaged bytes in `what`.
    pub fn damaged(what: impl Into<String>, detail: impl ToString) -> Self {
        Self::Damaged {
            what: what.into(),
            detail: detail.to_string().trim_end_matches('.').to_owned(),
        }
    }

    /// An unsupported kind of thing.
    pub fn unsupported(what: impl Into<String>, detail: impl ToString) -> Self {
        Self::Unsupported {
            what: what.into(),
            detail: detail.to_string(),
        }
    }
}

/// A file's name for messages, without its folders.
pub fn display_name(path: &Path) -> String {
    path.file_name().map_or_else(
        || path.display().to_string(),
        |n| n.to_string_lossy().into_owned(),
    )
}
