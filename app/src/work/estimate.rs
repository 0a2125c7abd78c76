//! What an order will take: size, disk and memory.

use super::{App, Result};
use crate::api::types::Estimate;
use dome_files::strip_file;
use dome_optics::{PanoramaSize, PictureSize, Shape};
use dome_trace::PassSet;
use dome_trace::render::STRIP_ROWS;

/// The shape and size that an order asks for. Six files are one stack of faces here.
pub fn picture_size(shape: Option<&str>, width: u32) -> Result<PictureSize> {
    let shape: Shape = shape.unwrap_or("equirect").parse()?;
    Ok(match shape {
        Shape::Equirect => PanoramaSize::from_width(width)?.into(),
        Shape::CubeFaces(layout) => PictureSize::new(Shape::Cube(layout), Some(width), None)?,
        other => PictureSize::new(other, Some(width), None)?,
    })
}

/// Largest size that a master can have, bytes: compression only makes it smaller; tables and header are
/// counted generously.
pub fn master_bytes(size: &PictureSize, passes: &PassSet) -> u64 {
    let pixels = u64::from(size.width()) * u64::from(size.height());
    pixels * strip_file::pixel_bytes(&passes.layers()) + 16 * u64::from(size.height()) + 4096
}

/// Space needed while rendering, bytes: strips and master are both there at the end, and the pictures for
/// the screen.
pub fn working_bytes(size: &PictureSize, passes: &PassSet) -> u64 {
    2 * master_bytes(size, passes) + (8 << 20)
}

/// Everything that an order will take.
pub fn estimated(app: &App, size: &PictureSize, passes: &PassSet) -> Estimate {
    let width = size.width();
    let channels: u64 = passes
        .layers()
        .iter()
        .map(|l| l.channels.len() as u64 + 1)
        .sum();
    Estimate {
        height: size.height(),
        master_bytes: master_bytes(size, passes),
        working_bytes: working_bytes(size, passes),
        free_bytes: app.folder.free_bytes(),
        pixels_per_degree: size.shape.sphere_width(width) / 360.0,
        // A strip with its sums and layers, some blocks being compressed, and the table of lines.
        memory_bytes: u64::from(width) * u64::from(STRIP_ROWS) * (120 + 8 * channels)
            + 16 * u64::from(size.height())
            + (24 << 20),
    }
}
