//! The bytes of a glTF scene: buffers and pictures, from inside the file or beside it, every range checked
//! before anything reads it.

use super::read_beside;
use crate::error::TraceError;
use base64::Engine as _;
use gltf::accessor::{DataType, Dimensions};
use std::borrow::Cow;
use std::path::Path;

/// All buffers of a document.
pub(super) fn load(
    document: &gltf::Document,
    mut blob: Option<Vec<u8>>,
    folder: &Path,
    name: &str,
) -> Result<Vec<Vec<u8>>, TraceError> {
    document
        .buffers()
        .map(|buffer| {
            let bytes = match buffer.source() {
                gltf::buffer::Source::Bin => blob.take().ok_or_else(|| {
                    TraceError::damaged(name, "it has no binary part for its first buffer")
                })?,
                gltf::buffer::Source::Uri(uri) => resolve(uri, folder, name)?,
            };
            if bytes.len() < buffer.length() {
                return Err(TraceError::damaged(
                    name,
                    format!(
                        "buffer {} has {} of its {} bytes",
                        buffer.index(),
                        bytes.len(),
                        buffer.length()
                    ),
                ));
            }
            Ok(bytes)
        })
        .collect()
}

/// The bytes behind a URI: data in the URI itself, or a file in the scene's folder.
pub(super) fn resolve(uri: &str, folder: &Path, name: &str) -> Result<Vec<u8>, TraceError> {
    if let Some(data) = uri.strip_prefix("data:") {
        let (_, body) = data
            .split_once(";base64,")
            .ok_or_else(|| TraceError::damaged(name, "a data URI in it is not base64"))?;
        return base64::engine::general_purpose::STANDARD
            .decode(body)
            .map_err(|e| TraceError::damaged(name, format!("a data URI in it is wrong: {e}")));
    }
    let decoded = percent_decoded(uri).ok_or_else(|| {
        TraceError::damaged(name, format!("the file name \"{uri}\" in it is not UTF-8"))
    })?;
    read_beside(folder, &decoded, name)
}

/// File names in URIs carry spaces and such as %20.
fn percent_decoded(uri: &str) -> Option<Cow<'_, str>> {
    if !uri.contains('%') {
        return Some(uri.into());
    }
    let mut out = Vec::with_capacity(uri.len());
    let mut rest = uri.as_bytes();
    while let Some((&b, tail)) = rest.split_first() {
        let hex = (b == b'%')
            .then(|| tail.get(..2))
            .flatten()
            .and_then(|h| std::str::from_utf8(h).ok())
            .and_then(|h| u8::from_str_radix(h, 16).ok());
        match hex {
            Some(value) => {
                out.push(value);
                rest = &tail[2..];
            }
            None => {
                out.push(b);
                rest = tail;
            }
        }
    }
    String::from_utf8(out).ok().map(Cow::from)
}

/// Checks that every accessor stays inside its buffer, so that reading it cannot fail.
pub(super) fn check_accessors(
    document: &gltf::Document,
    buffers: &[Vec<u8>],
    name: &str,
) -> Result<(), TraceError> {
    for view in document.views() {
        let end = view.offset().checked_add(view.length());
        if end.is_none_or(|e| e > buffers[view.buffer().index()].len()) {
            return Err(TraceError::damaged(
                name,
                format!("buffer view {} reaches beyond its buffer", view.index()),
            ));
        }
    }
    for accessor in document.accessors() {
        let size = accessor.size();
        check_span(accessor.view(), accessor.offset(), accessor.count(), size)
            .map_err(|e| TraceError::damaged(name, format!("accessor {} {e}", accessor.index())))?;
        if let Some(sparse) = accessor.sparse() {
            let index_size = match sparse.indices().index_type() {
                gltf::accessor::sparse::IndexType::U8 => 1,
                gltf::accessor::sparse::IndexType::U16 => 2,
                gltf::accessor::sparse::IndexType::U32 => 4,
            };
            check_span(
                Some(sparse.indices().view()),
                sparse.indices().offset(),
                sparse.count(),
                index_size,
            )
            .and_then(|()| {
                check_span(
                    Some(sparse.values().view()),
                    sparse.values().offset(),
                    sparse.count(),
                    size,
                )
            })
            .map_err(|e| {
                TraceError::damaged(
                    name,
                    format!("the sparse part of accessor {} {e}", accessor.index()),
                )
            })?;
        }
    }
    Ok(())
}

fn check_span(
    view: Option<gltf::buffer::View>,
    offset: usize,
    count: usize,
    size: usize,
) -> Result<(), String> {
    if count == 0 || count > 500_000_000 {
        return Err(format!("has {count} elements"));
    }
    let Some(view) = view else { return Ok(()) };
    let stride = view.stride().unwrap_or(size);
    if stride < size {
        return Err(format!(
            "has a stride of {stride} bytes for elements of {size}"
        ));
    }
    let end = stride
        .checked_mul(count - 1)
        .and_then(|n| n.checked_add(offset))
        .and_then(|n| n.checked_add(size));
    match end {
        Some(end) if end <= view.length() => Ok(()),
        _ => Err(format!("reaches beyond its buffer view {}", view.index())),
    }
}

/// Whether an accessor holds what an attribute wants; the library's readers take it on trust.
pub(super) fn is_kind(
    accessor: &gltf::Accessor,
    dimensions: Dimensions,
    types: &[DataType],
) -> bool {
    accessor.dimensions() == dimensions && types.contains(&accessor.data_type())
}
