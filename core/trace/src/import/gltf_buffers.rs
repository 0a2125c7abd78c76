//! The bytes of a glTF scene: buffers and pictures, from inside the file or beside it, every range checked
//! before anything reads it.

use super::{gltf_meshopt, read_beside};
use crate::error::TraceError;
use base64::Engine as _;
use dome_files::budget::{self, Claim};
use gltf::accessor::{DataType, Dimensions};
use serde_json::Value;
use std::borrow::Cow;
use std::path::Path;

/// All buffers of a document, and what they take beside the file itself.
pub(super) fn load(
    document: &gltf::Document,
    json: &Value,
    mut blob: Option<Vec<u8>>,
    folder: &Path,
    name: &str,
) -> Result<(Vec<Vec<u8>>, Claim), TraceError> {
    let mut memory = Claim::default();
    let buffers: Result<_, TraceError> = document
        .buffers()
        .map(|buffer| {
            if gltf_meshopt::stands_in(&json["buffers"][buffer.index()]) {
                memory.grow(buffer.length() as u64, name)?;
                return Ok(vec![0; buffer.length()]);
            }
            let bytes = match buffer.source() {
                gltf::buffer::Source::Bin => blob.take().ok_or_else(|| {
                    TraceError::damaged(name, "it has no binary part for its first buffer")
                })?,
                gltf::buffer::Source::Uri(uri) => {
                    let (bytes, own) = resolve(uri, folder, name)?;
                    memory.join(own);
                    bytes
                }
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
        .collect();
    Ok((buffers?, memory))
}

/// The bytes behind a URI: data in the URI itself, or a file in the scene's folder.
pub(super) fn resolve(
    uri: &str,
    folder: &Path,
    name: &str,
) -> Result<(Vec<u8>, Claim), TraceError> {
    if let Some(data) = uri.strip_prefix("data:") {
        let (_, body) = data
            .split_once(";base64,")
            .ok_or_else(|| TraceError::damaged(name, "a data URI in it is not base64"))?;
        let memory = budget::claim(body.len() as u64 / 4 * 3, name)?;
        let bytes = base64::engine::general_purpose::STANDARD.decode(body);
        return bytes
            .map(|bytes| (bytes, memory))
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
    let stored: usize = buffers.iter().map(Vec::len).sum();
    for accessor in document.accessors() {
        let size = accessor.size();
        // Without a view all is 0 but for the sparse part. More elements than the file has bytes stand for nothing.
        if accessor.view().is_none() && accessor.count() > stored {
            return Err(TraceError::damaged(
                name,
                format!(
                    "accessor {} tells {} elements without data, and the file has {stored} bytes",
                    accessor.index(),
                    accessor.count()
                ),
            ));
        }
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

/// Whether an accessor holds what an attribute wants.
pub(super) fn is_kind(
    accessor: &gltf::Accessor,
    dimensions: &[Dimensions],
    types: &[DataType],
) -> bool {
    dimensions.contains(&accessor.dimensions()) && types.contains(&accessor.data_type())
}

/// Every number type of the format.
pub(super) const ANY_NUMBER: [DataType; 6] = [
    DataType::F32,
    DataType::I8,
    DataType::U8,
    DataType::I16,
    DataType::U16,
    DataType::U32,
];

/// All numbers of an accessor, element by element: sparse ones laid over the others, whole numbers scaled
/// to 0..1 or -1..1 if the accessor says so (glTF 2.0, 3.6.2). The accessor must have been checked.
pub(super) fn floats(accessor: &gltf::Accessor, buffers: &[Vec<u8>]) -> Vec<f32> {
    floats_of(accessor, buffers, None)
}

/// The same for some of its elements.
fn floats_of(accessor: &gltf::Accessor, buffers: &[Vec<u8>], only: Option<&[u32]>) -> Vec<f32> {
    if let (Some(only), true) = (only, accessor.sparse().is_some()) {
        let components = accessor.dimensions().multiplicity();
        let all = floats(accessor, buffers);
        return only
            .iter()
            .flat_map(|&i| &all[i as usize * components..][..components])
            .copied()
            .collect();
    }
    let components = accessor.dimensions().multiplicity();
    let kind = accessor.data_type();
    let width = kind.size();
    let number = |b: &[u8]| -> f32 {
        let scaled = |v: f32, top: f32| {
            if accessor.normalized() {
                (v / top).max(-1.0)
            } else {
                v
            }
        };
        match kind {
            DataType::F32 => f32::from_le_bytes([b[0], b[1], b[2], b[3]]),
            DataType::I8 => scaled(f32::from(b[0] as i8), 127.0),
            DataType::U8 => scaled(f32::from(b[0]), 255.0),
            DataType::I16 => scaled(f32::from(i16::from_le_bytes([b[0], b[1]])), 32767.0),
            DataType::U16 => scaled(f32::from(u16::from_le_bytes([b[0], b[1]])), 65535.0),
            DataType::U32 => {
                let v = u32::from_le_bytes([b[0], b[1], b[2], b[3]]);
                scaled(v as f32, u32::MAX as f32)
            }
        }
    };
    let read = |view: &gltf::buffer::View, offset: usize, count: usize, out: &mut Vec<f32>| {
        let data = &buffers[view.buffer().index()][view.offset()..view.offset() + view.length()];
        let stride = view.stride().unwrap_or(width * components);
        for i in 0..count {
            let element = &data[offset + i * stride..];
            out.extend((0..components).map(|c| number(&element[c * width..][..width])));
        }
    };
    let wanted = only.map_or(accessor.count(), <[u32]>::len);
    let mut values = Vec::with_capacity(wanted * components);
    match (accessor.view(), only) {
        (Some(view), Some(only)) => {
            for &i in only {
                let offset =
                    accessor.offset() + i as usize * view.stride().unwrap_or(width * components);
                read(&view, offset, 1, &mut values);
            }
            return values;
        }
        (None, Some(_)) => return vec![0.0; wanted * components],
        _ => {}
    }
    match accessor.view() {
        Some(view) => read(&view, accessor.offset(), accessor.count(), &mut values),
        None => values.resize(accessor.count() * components, 0.0),
    }
    if let Some(sparse) = accessor.sparse() {
        let view = sparse.indices().view();
        let data = &buffers[view.buffer().index()][view.offset()..view.offset() + view.length()];
        let data = &data[sparse.indices().offset()..];
        let index = |i: usize| match sparse.indices().index_type() {
            gltf::accessor::sparse::IndexType::U8 => usize::from(data[i]),
            gltf::accessor::sparse::IndexType::U16 => {
                usize::from(u16::from_le_bytes([data[2 * i], data[2 * i + 1]]))
            }
            gltf::accessor::sparse::IndexType::U32 => {
                let b = &data[4 * i..4 * i + 4];
                u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as usize
            }
        };
        let mut replaced = Vec::new();
        let values_at = sparse.values();
        read(
            &values_at.view(),
            values_at.offset(),
            sparse.count(),
            &mut replaced,
        );
        for (i, element) in replaced.chunks_exact(components).enumerate() {
            // An index beyond the end has nothing to replace.
            if let Some(to) = values.get_mut(index(i) * components..(index(i) + 1) * components) {
                to.copy_from_slice(element);
            }
        }
    }
    values
}

/// Elements of `N` numbers each; a fourth number that is missing is `fill`.
pub(super) fn vectors<const N: usize>(
    accessor: &gltf::Accessor,
    buffers: &[Vec<u8>],
    fill: f32,
) -> Vec<[f32; N]> {
    vectors_of(accessor, buffers, fill, None)
}

/// The same for some of its elements.
pub(super) fn vectors_of<const N: usize>(
    accessor: &gltf::Accessor,
    buffers: &[Vec<u8>],
    fill: f32,
    only: Option<&[u32]>,
) -> Vec<[f32; N]> {
    let components = accessor.dimensions().multiplicity();
    floats_of(accessor, buffers, only)
        .chunks_exact(components)
        .map(|c| std::array::from_fn(|i| c.get(i).copied().unwrap_or(fill)))
        .collect()
}

/// Whole numbers of an accessor.
pub(super) fn whole(accessor: &gltf::Accessor, buffers: &[Vec<u8>]) -> Vec<u32> {
    // 32-bit indices above 2^24 would lose digits as floats; they are read as they are.
    if accessor.data_type() == DataType::U32
        && accessor.sparse().is_none()
        && let Some(view) = accessor.view()
    {
        let data = &buffers[view.buffer().index()][view.offset()..view.offset() + view.length()];
        let stride = view.stride().unwrap_or(4);
        return (0..accessor.count())
            .map(|i| {
                let b = &data[accessor.offset() + i * stride..][..4];
                u32::from_le_bytes([b[0], b[1], b[2], b[3]])
            })
            .collect();
    }
    floats(accessor, buffers)
        .into_iter()
        .map(|v| v as u32)
        .collect()
}
