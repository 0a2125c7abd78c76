//! KTX 2.0 (Khronos, "KTX File Format Specification" 2.0): a cube of half floats with its chain of levels.

use crate::error::{FileError, Result};
use crate::exr_picture::Cut;
use dome_imaging::convert::Pixel;
use half::f16;
use std::path::Path;

const IDENTIFIER: [u8; 12] = [
    0xab, b'K', b'T', b'X', b' ', b'2', b'0', 0xbb, b'\r', b'\n', 0x1a, b'\n',
];
/// `VK_FORMAT_R16G16B16A16_SFLOAT`.
const FORMAT: u32 = 97;
/// Bytes of a pixel, and what levels are aligned to.
const PIXEL: usize = 8;

/// Writes a cube: levels from the largest, each with its six faces one after the other in the order +X -X +Y
/// -Y +Z -Z, square and linear. Tells what half floats cut of their light.
pub fn write_cube(path: &Path, side: u32, levels: &[Vec<Pixel>]) -> Result<Cut> {
    let whole = |level: usize| {
        let side = (side >> level).max(1) as usize;
        6 * side * side
    };
    if levels.is_empty() || (levels.iter().enumerate()).any(|(i, l)| l.len() != whole(i)) {
        return Err(FileError::Request(
            "The levels of the cube do not halve from one to the next; make them again.".into(),
        ));
    }
    let cut = Cut::default();
    crate::atomic::write_bytes(path, &cube(side, levels, &cut))?;
    Ok(cut)
}

fn cube(side: u32, levels: &[Vec<Pixel>], cut: &Cut) -> Vec<u8> {
    let descriptor = descriptor();
    let writer = [b"KTXwriter\0", crate::SOFTWARE.as_bytes(), b"\0"].concat();
    let mut values = (writer.len() as u32).to_le_bytes().to_vec();
    values.extend(&writer);
    values.resize(values.len().next_multiple_of(4), 0);

    let index_end = 80 + 24 * levels.len();
    let values_at = index_end + descriptor.len();
    let mut offset = (values_at + values.len()).next_multiple_of(PIXEL);
    let mut out = IDENTIFIER.to_vec();
    let mut word = |v: u32| out.extend(v.to_le_bytes());
    for v in [FORMAT, 2, side, side, 0, 0, 6, levels.len() as u32, 0] {
        word(v);
    }
    for v in [index_end, descriptor.len(), values_at, values.len()] {
        word(v as u32);
    }
    out.extend([0; 16]); // no supercompression
    // The smallest level comes first in the file, the largest first in the index.
    let mut places = vec![(0, 0); levels.len()];
    for (place, level) in places.iter_mut().zip(levels).rev() {
        *place = (offset, level.len() * PIXEL);
        offset += level.len() * PIXEL;
    }
    for (at, bytes) in places {
        for v in [at, bytes, bytes] {
            out.extend((v as u64).to_le_bytes());
        }
    }
    out.extend(descriptor);
    out.extend(values);
    out.resize(out.len().next_multiple_of(PIXEL), 0);
    for level in levels.iter().rev() {
        for p in level {
            out.extend(
                cut.halves(p.to_array().into_iter())
                    .flat_map(f16::to_le_bytes),
            );
        }
    }
    out
}

/// The basic data format descriptor (Khronos Data Format Specification 1.3, section 5): RGBA, linear, BT.709,
/// alpha multiplied in, four half floats.
fn descriptor() -> Vec<u8> {
    const SAMPLES: [u32; 4] = [0, 1, 2, 15];
    let block = 24 + 16 * SAMPLES.len() as u32;
    let mut words = vec![
        4 + block,
        0,
        2 | (block << 16),
        // Model RGBSDA, primaries BT.709, transfer linear, flag premultiplied.
        1 | (1 << 8) | (1 << 16) | (1 << 24),
        0,
        PIXEL as u32,
        0,
    ];
    for (i, channel) in SAMPLES.into_iter().enumerate() {
        // Signed float, 16 bits.
        words.push((i as u32 * 16) | (15 << 16) | ((channel | 0xc0) << 24));
        words.extend([0, (-1.0f32).to_bits(), 1.0f32.to_bits()]);
    }
    words.into_iter().flat_map(u32::to_le_bytes).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Read back by the crate `ktx2`, which checks header, index and descriptor.
    #[test]
    fn another_reader_finds_what_was_written() {
        let levels: Vec<Vec<Pixel>> = [4usize, 2, 1]
            .iter()
            .map(|side| {
                (0..6 * side * side)
                    .map(|i| Pixel::new(i as f32, 0.5, 1000.0, 1.0))
                    .collect()
            })
            .collect();
        let bytes = cube(4, &levels, &Cut::default());
        let reader = ktx2::Reader::new(&bytes[..]).unwrap();
        let header = reader.header();
        assert_eq!(header.format, Some(ktx2::Format::R16G16B16A16_SFLOAT));
        assert_eq!(
            (
                header.pixel_width,
                header.pixel_height,
                header.face_count,
                header.level_count
            ),
            (4, 4, 6, 3)
        );
        let found: Vec<_> = reader.levels().map(|l| l.data.to_vec()).collect();
        assert_eq!(
            found.iter().map(Vec::len).collect::<Vec<_>>(),
            [768, 192, 48]
        );
        let half = |b: &[u8]| half::f16::from_le_bytes([b[0], b[1]]).to_f32();
        assert_eq!(
            (
                half(&found[0][8..]),
                half(&found[0][2..]),
                half(&found[2][40..])
            ),
            (1.0, 0.5, 5.0)
        );
        assert!(
            write_cube(
                Path::new("x.ktx2"),
                4,
                &levels[..2].iter().rev().cloned().collect::<Vec<_>>()
            )
            .is_err()
        );
    }
}
