//! Taking the noise out of strips on their way to a file.

use dome_files::FileError;
use dome_imaging::LayeredStrip;
use dome_imaging::denoise::library::DenoiseLibrary;
use dome_imaging::denoise::{Guides, library, plain};
use dome_optics::PanoramaSize;
use dome_trace::{Pass, PassSet};
use std::path::PathBuf;

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
            let guides = Guides { albedo, normal };
            match DenoiseLibrary::find(&folders()) {
                Some(found) => Box::new(library::denoise(found, strips, size.height(), guides)),
                None => Box::new(plain::denoise(strips, size.height(), guides)),
            }
        }
        _ => Box::new(strips),
    }
}

/// Where the denoising library is looked for beside the system's own places: `denoiser/lib/` beside the
/// binary, and where this project's scripts put it.
fn folders() -> Vec<PathBuf> {
    let beside = std::env::current_exe()
        .ok()
        .and_then(|exe| Some(exe.parent()?.join("denoiser/lib")));
    beside
        .into_iter()
        .chain([PathBuf::from(".fetched/denoiser/lib")])
        .collect()
}

/// What takes the noise out, in words.
pub fn denoiser() -> &'static str {
    if DenoiseLibrary::find(&folders()).is_some() {
        "the open denoising library"
    } else {
        "the built-in filter"
    }
}
