//! Pictures that the server keeps as files.

use super::range::RangedFile;
use rocket::http::ContentType;
use std::path::PathBuf;

/// A JPEG for the screen.
pub(super) fn jpeg(path: PathBuf) -> Option<RangedFile> {
    path.exists().then_some(RangedFile {
        path,
        kind: ContentType::JPEG,
        save_as: None,
    })
}
