//! Why a scene could not be taken.

use dome_files::FileError;
use thiserror::Error;

/// Each message says what, where and what to do.
#[derive(Debug, Error)]
pub enum TraceError {
    /// A file could not be read.
    #[error(transparent)]
    File(#[from] FileError),
    /// The scene file is not what it claims to be.
    #[error("The scene {name} is damaged: {detail}. Export it again.")]
    Damaged {
        /// The file.
        name: String,
        /// What is wrong and where.
        detail: String,
    },
    /// The scene needs something that is not there yet.
    #[error("The scene {name} cannot be read: {detail}.")]
    Unsupported {
        /// The file.
        name: String,
        /// What it needs and what to do.
        detail: String,
    },
    /// An archive holds several scenes, and it was not said which.
    #[error("{name} holds several scenes: {}. Say which one to read (--inside), or pack one at a time.", list.join(", "))]
    Several {
        /// The archive.
        name: String,
        /// The scenes in it.
        list: Vec<String>,
    },
    /// There is nothing to render.
    #[error("The scene {name} holds no triangles; export its meshes too.")]
    Empty {
        /// The file.
        name: String,
    },
}

impl TraceError {
    pub(crate) fn damaged(name: &str, detail: impl ToString) -> Self {
        Self::Damaged {
            name: name.to_owned(),
            detail: detail.to_string().trim_end_matches('.').to_owned(),
        }
    }

    pub(crate) fn unsupported(name: &str, detail: impl ToString) -> Self {
        Self::Unsupported {
            name: name.to_owned(),
            detail: detail.to_string(),
        }
    }
}
