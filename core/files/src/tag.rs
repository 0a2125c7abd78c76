//! Putting panorama properties into pictures made anywhere, without decoding their pixels.

use crate::atomic;
use crate::budget::{self, Claim};
use crate::error::{FileError, Result, display_name};
use crate::format::PictureFormat;
use crate::jpeg::JpegParts;
use crate::limits::MAX_FILE;
use crate::pano::TagRequest;
use crate::png::PngParts;
use std::path::Path;

/// Reads a picture file whole, with a limit and a sentence for what goes wrong, and claims memory for so many copies of it.
pub(crate) fn read_limited(path: &Path, copies: u64) -> Result<(Vec<u8>, Claim)> {
    let meta = std::fs::metadata(path).map_err(FileError::io("Reading", path))?;
    if !meta.is_file() {
        return Err(FileError::Request(format!(
            "{} is not a file; name a picture file.",
            path.display()
        )));
    }
    if meta.len() > MAX_FILE {
        return Err(FileError::TooLarge {
            what: display_name(path),
            detail: format!(
                "{} bytes, and {MAX_FILE} are read; make it smaller",
                meta.len()
            ),
        });
    }
    if meta.len() == 0 {
        return Err(FileError::damaged(display_name(path), "the file is empty"));
    }
    budget::read(path, copies, &display_name(path))
}

/// Writes `input`, with the metadata of `request`, to `output`; both may be the same file.
pub fn tag(input: &Path, output: &Path, request: &TagRequest) -> Result<()> {
    let name = display_name(input);
    // The file, its parts, and what is written.
    let (bytes, _memory) = read_limited(input, 3)?;
    let is = PictureFormat::sniff(&bytes);
    let tagged = match is {
        Some(PictureFormat::Jpeg) => JpegParts::read(bytes, &name)?.tagged(request)?,
        Some(PictureFormat::Png) => PngParts::read(bytes, &name)?.tagged(request)?,
        Some(other) => {
            return Err(FileError::unsupported(
                name,
                format!(
                    "{} carries no XMP panorama properties; give a JPEG or PNG",
                    other.name()
                ),
            ));
        }
        None => {
            return Err(FileError::unsupported(
                name,
                "it is neither JPEG nor PNG; convert it first",
            ));
        }
    };
    if let (Some(is), Ok(named)) = (is, PictureFormat::from_path(output))
        && is != named
    {
        return Err(FileError::Request(format!(
            "{name} is {}, and tagging does not make another kind of it; name {} .{}.",
            is.name(),
            display_name(output),
            is.ending()
        )));
    }
    atomic::write_bytes(output, &tagged)
}
