//! Buffers compressed by EXT_meshopt_compression (the extension's text, version of 2022): decoded into the buffer that
//! stands in for them, before anything reads it.

use crate::error::TraceError;
use dome_files::budget;
use serde_json::Value;

/// The extension's name, and that of its successor with the same data.
pub(super) const NAMES: [&str; 2] = ["EXT_meshopt_compression", "KHR_meshopt_compression"];

/// The extension's part of a buffer or buffer view.
pub(super) fn part(of: &Value) -> Option<&Value> {
    NAMES
        .iter()
        .map(|n| &of["extensions"][*n])
        .find(|v| v.is_object())
}

/// Whether a buffer holds nothing itself: what its views show is decoded from another one.
pub(super) fn stands_in(buffer: &Value) -> bool {
    part(buffer).is_some() && buffer["uri"].is_null()
}

/// Decodes every compressed view into its place.
pub(super) fn decode(json: &Value, buffers: &mut [Vec<u8>], name: &str) -> Result<(), TraceError> {
    for (i, view) in json["bufferViews"]
        .as_array()
        .into_iter()
        .flatten()
        .enumerate()
    {
        let Some(packed) = part(view) else { continue };
        let bad = |what: &str| {
            TraceError::damaged(name, format!("its compressed buffer view {i} {what}"))
        };
        let number = |v: &Value, usual: Option<u64>| {
            v.as_u64().or(usual).ok_or_else(|| bad("misses a number"))
        };
        let (from, start, length) = (
            number(&packed["buffer"], None)? as usize,
            number(&packed["byteOffset"], Some(0))? as usize,
            number(&packed["byteLength"], None)? as usize,
        );
        let (stride, count) = (
            number(&packed["byteStride"], None)? as usize,
            number(&packed["count"], None)? as usize,
        );
        let source = buffers
            .get(from)
            .and_then(|b| b.get(start..start.checked_add(length)?))
            .ok_or_else(|| bad("reaches beyond its buffer"))?;
        let size = stride
            .checked_mul(count)
            .ok_or_else(|| bad("is too large"))?;
        let to = number(&view["buffer"], None)? as usize;
        let at = number(&view["byteOffset"], Some(0))? as usize;
        let fits = buffers
            .get(to)
            .is_some_and(|b| at.checked_add(size).is_some_and(|end| end <= b.len()));
        if !fits {
            return Err(bad("does not fit the buffer that stands in for it"));
        }
        let _memory = budget::claim(2 * size as u64, name)?;
        let mut bytes = match packed["mode"].as_str() {
            Some("ATTRIBUTES") => attributes(source, stride, count),
            Some("TRIANGLES") => indices(source, stride, count, false),
            Some("INDICES") => indices(source, stride, count, true),
            _ => None,
        }
        .filter(|b| b.len() == size)
        .ok_or_else(|| bad("cannot be decoded"))?;
        match packed["filter"].as_str().unwrap_or("NONE") {
            "NONE" => {}
            filter => filtered(filter, &mut bytes, stride)
                .ok_or_else(|| bad("has a filter that does not fit it"))?,
        }
        buffers[to][at..at + size].copy_from_slice(&bytes);
    }
    Ok(())
}

/// So many bytes, as the library wants them: one value an element.
#[derive(Clone, Copy)]
#[repr(transparent)]
struct Element<const N: usize>([u8; N]);

impl<const N: usize> Default for Element<N> {
    fn default() -> Self {
        Self([0; N])
    }
}

fn attributes(source: &[u8], stride: usize, count: usize) -> Option<Vec<u8>> {
    fn of<const N: usize>(source: &[u8], count: usize) -> Option<Vec<u8>> {
        let elements: Vec<Element<N>> = meshopt::decode_vertex_buffer(source, count).ok()?;
        Some(elements.into_iter().flat_map(|e| e.0).collect())
    }
    macro_rules! by_stride {
        ($($n:literal)*) => {
            match stride {
                $($n => of::<$n>(source, count),)*
                _ => None,
            }
        };
    }
    by_stride!(4 8 12 16 20 24 28 32 36 40 44 48 52 56 60 64 80 96 128 256)
}

fn indices(source: &[u8], stride: usize, count: usize, sequence: bool) -> Option<Vec<u8>> {
    let narrow = |v: Vec<u16>| v.into_iter().flat_map(u16::to_le_bytes).collect();
    let wide = |v: Vec<u32>| v.into_iter().flat_map(u32::to_le_bytes).collect();
    // The library writes whole triangles whatever the count says.
    if !sequence && !count.is_multiple_of(3) {
        return None;
    }
    match (stride, sequence) {
        (2, false) => meshopt::decode_index_buffer::<u16>(source, count)
            .ok()
            .map(narrow),
        (4, false) => meshopt::decode_index_buffer::<u32>(source, count)
            .ok()
            .map(wide),
        (2, true) => meshopt::decode_index_sequence::<u16>(source, count)
            .ok()
            .map(narrow),
        (4, true) => meshopt::decode_index_sequence::<u32>(source, count)
            .ok()
            .map(wide),
        _ => None,
    }
}

/// Undoes a filter in place (the extension's text, "Filters").
fn filtered(filter: &str, bytes: &mut [u8], stride: usize) -> Option<()> {
    let words = |e: &[u8; 8]| -> [i16; 4] {
        std::array::from_fn(|i| i16::from_le_bytes([e[2 * i], e[2 * i + 1]]))
    };
    let put = |bytes: &mut [u8], words: &[[i16; 4]]| {
        for (to, w) in bytes
            .as_chunks_mut::<2>()
            .0
            .iter_mut()
            .zip(words.as_flattened())
        {
            *to = w.to_le_bytes();
        }
    };
    match (filter, stride) {
        ("OCTAHEDRAL", 4) => {
            let mut all: Vec<[i8; 4]> = (bytes.as_chunks::<4>().0.iter())
                .map(|e| e.map(|b| b as i8))
                .collect();
            meshopt::decode_filter_oct(&mut all);
            for (to, v) in bytes.iter_mut().zip(all.as_flattened()) {
                *to = *v as u8;
            }
        }
        ("OCTAHEDRAL", 8) => {
            let mut all: Vec<[i16; 4]> = bytes.as_chunks::<8>().0.iter().map(words).collect();
            meshopt::decode_filter_oct(&mut all);
            put(bytes, &all);
        }
        ("QUATERNION", 8) => {
            let mut all: Vec<[i16; 4]> = bytes.as_chunks::<8>().0.iter().map(words).collect();
            meshopt::decode_filter_quat(&mut all);
            put(bytes, &all);
        }
        ("EXPONENTIAL", _) if stride.is_multiple_of(4) => {
            let mut all: Vec<[u32; 1]> = (bytes.as_chunks::<4>().0.iter())
                .map(|e| [u32::from_le_bytes(*e)])
                .collect();
            meshopt::decode_filter_exp(&mut all);
            for (to, [v]) in bytes.as_chunks_mut::<4>().0.iter_mut().zip(all) {
                *to = v.to_le_bytes();
            }
        }
        _ => return None,
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Normals and turns come back as they went in, to the steps of their bits; a filter that does not fit is refused.
    #[test]
    fn filters_give_back_unit_vectors() {
        let unit = |i: usize, n: usize| -> [f32; 4] {
            let noise = |k: usize| ((i * 7 + k * 3) as f32 * 12.9898).sin();
            let length = (0..n).map(|k| noise(k) * noise(k)).sum::<f32>().sqrt();
            std::array::from_fn(|k| if k < n { noise(k) / length } else { 0.0 })
        };
        for i in 0..200 {
            let normal = unit(i, 3);
            let packed: Vec<[i16; 4]> = meshopt::encode_filter_oct(&[normal], 16);
            let mut bytes: Vec<u8> = packed
                .as_flattened()
                .iter()
                .flat_map(|v| v.to_le_bytes())
                .collect();
            filtered("OCTAHEDRAL", &mut bytes, 8).unwrap();
            for (b, wanted) in bytes.as_chunks::<2>().0.iter().zip(&normal[..3]) {
                assert!((f32::from(i16::from_le_bytes(*b)) / 32767.0 - wanted).abs() < 1e-3);
            }
            let turn = unit(i, 4);
            let packed = meshopt::encode_filter_quat(&[turn], 16);
            let mut bytes: Vec<u8> = packed
                .as_flattened()
                .iter()
                .flat_map(|v| v.to_le_bytes())
                .collect();
            filtered("QUATERNION", &mut bytes, 8).unwrap();
            let found: Vec<f32> = (bytes.as_chunks::<2>().0.iter())
                .map(|b| f32::from(i16::from_le_bytes(*b)) / 32767.0)
                .collect();
            // A turn and its opposite are one.
            let along: f32 = found.iter().zip(turn).map(|(a, b)| a * b).sum();
            assert!(along.abs() > 0.999, "{found:?} {turn:?}");
        }
        for (wrong, stride) in [
            ("OCTAHEDRAL", 12),
            ("QUATERNION", 4),
            ("EXPONENTIAL", 6),
            ("ODD", 4),
        ] {
            assert!(
                filtered(wrong, &mut [0; 24], stride).is_none(),
                "{wrong} {stride}"
            );
        }
    }
    /// Mantissa times a power of two (the extension's text): 3 x 2^-2, -1 x 2^4.
    #[test]
    fn exponents_are_powers_of_two() {
        let pack = |mantissa: i32, exponent: i32| {
            ((exponent << 24) | (mantissa & 0xff_ffff)).to_le_bytes()
        };
        let mut data = [pack(3, -2), pack(-1, 4)].concat();
        filtered("EXPONENTIAL", &mut data, 8).unwrap();
        let floats: Vec<f32> = data
            .as_chunks::<4>()
            .0
            .iter()
            .map(|b| f32::from_le_bytes(*b))
            .collect();
        assert_eq!(floats, [0.75, -16.0]);
    }
}
