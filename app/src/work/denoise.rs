//! Taking the noise out of strips on their way to a file.

use dome_files::FileError;
use dome_imaging::LayeredStrip;
use dome_imaging::denoise::{Guides, denoise};
use dome_optics::PanoramaSize;
use dome_trace::{Pass, PassSet};

type Strips<'a> = Box<dyn Iterator<Item = Result<LayeredStrip, FileError>> + 'a>;

/// The strips, with their noise taken out if that is wanted. `made` are the passes that the strips hold;
/// without albedo and normal among them nothing can be taken out.
pub fn denoised<'a>(
    strips: impl Iterator<Item = Result<LayeredStrip, FileError>> + 'a,
    made: &PassSet,
    size: PanoramaSize,
    wanted: bool,
) -> Strips<'a> {
    let place = |pass: Pass| made.iter().position(|p| p == pass);
    match (place(Pass::Albedo), place(Pass::Normal)) {
        (Some(albedo), Some(normal)) if wanted => {
            Box::new(denoise(strips, size.height(), Guides { albedo, normal }))
        }
        _ => Box::new(strips),
    }
}
