//! Conversion of spheres that are larger than memory: block by block of the result, each from the part of the
//! source that it needs.

use dome_files::FileError;
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

/// The pixels of a block of the result, row by row.
pub fn convert(
    scratch: &Scratch,
    layout: &Layout,
    kernel: Kernel,
    block: Block,
) -> Result<Vec<Pixel>, FileError> {
    let window = layout.window(block);
    let bytes = Source::bytes(
        Shape::Equirect,
        window.width,
        window.height,
        scratch.is_bytes(),
    );
    let halves = block.halves((TILE as u32, TILE_ROWS));
    if let (true, Some([a, b])) = (bytes > MOST_FOR_PART, halves) {
        let first = convert(scratch, layout, kernel, a)?;
        let second = convert(scratch, layout, kernel, b)?;
        if a.left == b.left {
            return Ok([first, second].concat());
        }
        // Side by side: row by row one after the other.
        let rows = first
            .chunks(a.width as usize)
            .zip(second.chunks(b.width as usize));
        return Ok(rows.flat_map(|(a, b)| [a, b].concat()).collect());
    }
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
