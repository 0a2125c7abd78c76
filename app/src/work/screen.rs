//! Pictures for the screen: small, with the screen's tone.

use super::preview::SCREEN_TONE;
use super::{Result, WorkError};
use dome_files::jpeg;
use dome_imaging::scale::Shrink;
use dome_imaging::{Picture, Strip};
use std::path::Path;

/// Width of the picture of a master for the screen, pixels.
pub const DISPLAY_WIDTH: u32 = 2048;
/// Width of a flat picture for the screen, pixels.
pub const FLAT_WIDTH: u32 = 1024;
/// Width of a project's picture on its card, pixels.
pub const CARD_WIDTH: u32 = 640;

/// A picture made smaller while it is read.
pub fn shrink(
    strips: impl Iterator<Item = dome_files::error::Result<Strip>>,
    size: (u32, u32),
    width: u32,
) -> Result<Picture> {
    let width = width.min(size.0);
    let height = u64::from(width) * u64::from(size.1) / u64::from(size.0.max(1));
    let mut shrink = Shrink::new(size, (width, height as u32));
    for strip in strips {
        shrink
            .add(&strip?)
            .map_err(|e| WorkError::Request(e.to_string()))?;
    }
    Ok(shrink.finish())
}

/// Saves a picture as the screen shows it.
pub fn save_jpeg(path: &Path, picture: &Picture) -> Result<()> {
    let jpeg = jpeg::encode_small(
        picture.width,
        picture.height,
        &SCREEN_TONE.to_srgb8(&picture.samples),
        88,
    )?;
    Ok(dome_files::atomic::write_bytes(path, &jpeg)?)
}
