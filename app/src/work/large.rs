//! Conversion of spheres that are larger than memory: block by block of the result, each from the part of the
//! source that it needs.

use dome_files::FileError;
use dome_files::budget;
use dome_files::scratch::Scratch;
use dome_imaging::convert::{
    Block, Conversion, Kernel, Layout, Pixel, Source, SourceBuilder, TILE, TILE_ROWS,
};
use dome_optics::Shape;

/// Most memory for the part of the source that a block needs, bytes; a block that needs more is halved.
const MOST_FOR_PART: u64 = 384 << 20;
/// About so much memory takes a strip of the result, bytes.
const FOR_STRIP: u32 = 96 << 20;
/// Rows that are read back at a time.
const TAKEN: u32 = 64;

/// Rows of the result that are made at a time.
pub fn rows_at_a_time(width: u32) -> u32 {
    let rows = FOR_STRIP / (width * size_of::<Pixel>() as u32);
    (rows / TILE_ROWS * TILE_ROWS).clamp(TILE_ROWS, 1024)
}

/// The pixels of a block of the result, row by row; `go_on` is asked before every part and may stop it.
pub fn convert(
    scratch: &Scratch,
    layout: &Layout,
    kernel: Kernel,
    block: Block,
    go_on: &mut dyn FnMut() -> bool,
) -> Result<Vec<Pixel>, FileError> {
    by_parts(scratch, layout, kernel, block, MOST_FOR_PART, go_on)
}

fn by_parts(
    scratch: &Scratch,
    layout: &Layout,
    kernel: Kernel,
    block: Block,
    most: u64,
    go_on: &mut dyn FnMut() -> bool,
) -> Result<Vec<Pixel>, FileError> {
    if !go_on() {
        return Err(FileError::Request("The conversion was stopped.".into()));
    }
    let window = layout.window(block);
    let bytes = Source::bytes(
        Shape::Equirect,
        window.width,
        window.height,
        scratch.is_bytes(),
    );
    let halves = block.halves((TILE as u32, TILE_ROWS));
    if let (true, Some([a, b])) = (bytes > most, halves) {
        let first = by_parts(scratch, layout, kernel, a, most, go_on)?;
        let second = by_parts(scratch, layout, kernel, b, most, go_on)?;
        if a.left == b.left {
            return Ok([first, second].concat());
        }
        // Side by side: row by row one after the other.
        let rows = first
            .chunks(a.width as usize)
            .zip(second.chunks(b.width as usize));
        return Ok(rows.flat_map(|(a, b)| [a, b].concat()).collect());
    }
    let _memory = budget::claim(bytes, "The part of the picture that is converted at a time")?;
    let mut builder = SourceBuilder::new(Shape::Equirect, scratch.width, scratch.height);
    if scratch.is_bytes() {
        builder = builder.compact();
    }
    let mut builder = builder.cut_to(&window);
    let end = window.top + window.height;
    for top in (window.top..end).step_by(TAKEN as usize) {
        builder.rows(&scratch.rows(top..(top + TAKEN).min(end), window.left, window.width)?);
    }
    Ok(Conversion::of(&builder.finish(), layout.clone(), kernel).block(block))
}

#[cfg(test)]
mod tests {
    use super::*;
    use dome_files::picture_file::{self, PictureSpec};
    use dome_files::rows::PictureRows;
    use dome_files::{PictureFormat, picture_file::plain};
    use dome_imaging::Strip;
    use dome_optics::Orientation;

    const SIZE: (u32, u32) = (1024, 512);

    /// Made from parts read back from disk, a picture is the one that is made in memory, whatever its depth.
    #[test]
    fn by_parts_it_is_the_same_picture() {
        let folder = tempfile::tempdir().unwrap();
        let value = |i: u32| (i.wrapping_mul(2_654_435_761) >> 20) as f32 / 4096.0;
        for (name, float) in [
            ("bytes.png", false),
            ("half.exr", false),
            ("float.exr", true),
        ] {
            let path = folder.path().join(name);
            let format = PictureFormat::from_path(&path).unwrap();
            let mut spec = PictureSpec::panorama(format, SIZE.0, SIZE.1, 0.0);
            spec.deep = float;
            let strip = Strip {
                top: 0,
                width: SIZE.0,
                samples: (0..SIZE.0 * SIZE.1 * 3).map(value).collect(),
            };
            picture_file::write(&path, &spec, plain([Ok(strip)])).unwrap();
            let rows = || PictureRows::open(&path).unwrap();
            let scratch = Scratch::of(rows(), folder.path(), |_| true).unwrap();
            assert_eq!(scratch.is_bytes(), name == "bytes.png");
            for to in ["cube-1x6", "perspective:100x80", "equirect"] {
                let to: Shape = to.parse().unwrap();
                let size = to.size(Some(384), None).unwrap();
                let turn = Orientation {
                    heading_deg: 170.0,
                    pitch_deg: 20.0,
                    roll_deg: 5.0,
                };
                let layout = Layout::new(Shape::Equirect, SIZE, to, size, turn);
                let block = Block {
                    left: 0,
                    top: 0,
                    width: size.0,
                    height: size.1,
                };
                let mut whole = SourceBuilder::new(Shape::Equirect, SIZE.0, SIZE.1);
                if scratch.is_bytes() {
                    whole = whole.compact();
                }
                for row in rows() {
                    whole.rows(&[row.unwrap()]);
                }
                let wanted =
                    Conversion::of(&whole.finish(), layout.clone(), Kernel::Bicubic).block(block);
                // A sixteenth of the picture at most.
                let most = u64::from(SIZE.0 * SIZE.1);
                let got = by_parts(&scratch, &layout, Kernel::Bicubic, block, most, &mut || {
                    true
                })
                .unwrap();
                assert_eq!(got.len(), wanted.len());
                for (i, (a, b)) in got.iter().zip(&wanted).enumerate() {
                    let off = (*a - *b).abs().max_element();
                    assert!(off < 5e-3, "{name} to {to} at {i}: {a} {b}");
                }
            }
        }
        // A stop is heard, between parts too.
        let rows = PictureRows::open(&folder.path().join("bytes.png")).unwrap();
        let stopped = Scratch::of(rows, folder.path(), |row| row < 100);
        assert!(stopped.err().unwrap().to_string().contains("stopped"));
    }
}
