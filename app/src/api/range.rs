//! Files with byte ranges (RFC 9110, section 14), so that a broken download can go on.

use rocket::http::{ContentType, Header, Status};
use rocket::request::Request;
use rocket::response::{Responder, Response, Result};
use rocket::tokio::fs::File;
use rocket::tokio::io::AsyncReadExt;
use std::io::{Seek, SeekFrom};
use std::path::PathBuf;
use std::time::UNIX_EPOCH;

/// A file to be sent.
pub(super) struct RangedFile {
    pub(super) path: PathBuf,
    pub(super) kind: ContentType,
    /// The name to save it under, for downloads.
    pub(super) save_as: Option<String>,
}

/// A strong validator of a file as it is now: length and time of change (RFC 9110, section 8.8.3).
fn entity_tag(about: &std::fs::Metadata) -> String {
    let changed = about
        .modified()
        .ok()
        .and_then(|t| t.duration_since(UNIX_EPOCH).ok())
        .map_or(0, |d| d.as_nanos());
    format!("\"{:x}-{changed:x}\"", about.len())
}

/// Whether a list of validators names one, weakly compared as RFC 9110, section 13.1.2, asks.
fn names(tags: &str, tag: &str) -> bool {
    tags.split(',')
        .map(|t| t.trim().trim_start_matches("W/"))
        .any(|t| t == "*" || t == tag)
}

/// What is asked of a file of `length` bytes: first byte and number of bytes, or `None` if it cannot be.
fn parse(range: &str, length: u64) -> Option<(u64, u64)> {
    let spec = range.strip_prefix("bytes=")?;
    let (from, to) = spec.split_once('-')?;
    let (from, to) = (from.trim(), to.trim());
    let (first, last) = if from.is_empty() {
        let tail: u64 = to.parse().ok()?;
        (length.saturating_sub(tail), length.checked_sub(1)?)
    } else {
        let first: u64 = from.parse().ok()?;
        let last = if to.is_empty() {
            length.checked_sub(1)?
        } else {
            to.parse().ok()?
        };
        (first, last.min(length.checked_sub(1)?))
    };
    (first <= last && first < length).then(|| (first, last - first + 1))
}

impl<'r> Responder<'r, 'static> for RangedFile {
    fn respond_to(self, request: &'r Request<'_>) -> Result<'static> {
        let opened = std::fs::File::open(&self.path).and_then(|f| Ok((f.metadata()?, f)));
        let Ok((about, file)) = opened else {
            return Err(Status::NotFound);
        };
        let length = about.len();
        let tag = entity_tag(&about);
        let mut response = Response::build();
        response
            .header(Header::new("Accept-Ranges", "bytes"))
            .header(Header::new("ETag", tag.clone()))
            // Kept, but asked about each time: a picture may be made anew under its name.
            .header(Header::new("Cache-Control", "no-cache"));
        let told = |name| request.headers().get_one(name);
        if told("If-None-Match").is_some_and(|tags| names(tags, &tag)) {
            return response.status(Status::NotModified).ok();
        }
        response.header(self.kind);
        if let Some(name) = &self.save_as {
            // RFC 6266 with RFC 5987 coding, which every browser takes.
            let coded =
                rocket::http::RawStr::percent_encode(rocket::http::RawStr::new(name)).to_string();
            response.header(Header::new(
                "Content-Disposition",
                format!("attachment; filename*=UTF-8''{coded}"),
            ));
        }
        // Several ranges at once are answered with the whole file, as the standard allows.
        // A part of another version of the file than the caller has is of no use: then all of it is sent.
        let same = told("If-Range").is_none_or(|t| t.trim() == tag);
        let asked = told("Range").filter(|r| same && !r.contains(','));
        let (first, count) = match asked.map(|r| parse(r, length)) {
            None => (0, length),
            Some(Some(part)) => {
                let (first, count) = part;
                response.status(Status::PartialContent).header(Header::new(
                    "Content-Range",
                    format!("bytes {first}-{}/{length}", first + count - 1),
                ));
                part
            }
            Some(None) => {
                return response
                    .status(Status::RangeNotSatisfiable)
                    .header(Header::new("Content-Range", format!("bytes */{length}")))
                    .ok();
            }
        };
        response.header(Header::new("Content-Length", count.to_string()));
        // Placed before the first byte is asked for; a plain file seeks at once.
        let mut file = file;
        file.seek(SeekFrom::Start(first))
            .map_err(|_| Status::InternalServerError)?;
        response
            .streamed_body(File::from_std(file).take(count))
            .ok()
    }
}

#[cfg(test)]
mod tests {
    use super::parse;

    /// The examples of RFC 9110, section 14.1.2, for a representation of 10000 bytes.
    #[test]
    fn ranges_of_the_standard() {
        assert_eq!(parse("bytes=0-499", 10_000), Some((0, 500)));
        assert_eq!(parse("bytes=500-999", 10_000), Some((500, 500)));
        assert_eq!(parse("bytes=-500", 10_000), Some((9_500, 500)));
        assert_eq!(parse("bytes=9500-", 10_000), Some((9_500, 500)));
        assert_eq!(parse("bytes=10000-", 10_000), None);
        assert_eq!(parse("bytes=5-2", 10_000), None);
        assert_eq!(parse("bytes=0-99999", 10_000), Some((0, 10_000)));
        assert_eq!(parse("bytes=0-0", 0), None);
    }
}
