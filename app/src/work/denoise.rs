//! Taking the noise out of strips on their way to a file.

use dome_files::FileError;
use dome_imaging::denoise::library::DenoiseLibrary;
use dome_imaging::denoise::{Guides, library, plain};
use dome_imaging::{LayeredStrip, Picture};
use dome_trace::preview::Preview;
use dome_trace::{Pass, PassSet};
use std::path::PathBuf;
use std::sync::{Arc, LazyLock};

type Strips<'a> = Box<dyn Iterator<Item = Result<LayeredStrip, FileError>> + 'a>;

/// By what noise is taken out.
pub enum Way {
    /// It stays.
    None,
    /// The denoising library.
    Library(Arc<DenoiseLibrary>),
    /// The built-in filter.
    BuiltIn,
}

/// What is said where the library failed.
const FAILED_OVER: &str =
    "The denoising library failed, so the whole picture was denoised by the built-in filter.";

/// Writes a picture with its noise taken out, if that is wanted. Where the library fails in the middle, all of it is
/// written again with the built-in filter, and a sentence says so.
pub fn written<T>(
    wanted: bool,
    mut write: impl FnMut(&Way) -> Result<T, FileError>,
) -> Result<(T, Option<&'static str>), FileError> {
    if !wanted {
        return Ok((write(&Way::None)?, None));
    }
    if let Some(library) = the_library() {
        match write(&Way::Library(library)) {
            Err(FileError::Denoise(_)) => {
                return Ok((write(&Way::BuiltIn)?, Some(FAILED_OVER)));
            }
            other => return Ok((other?, None)),
        }
    }
    Ok((write(&Way::BuiltIn)?, None))
}

/// The strips, with their noise taken out in some way. `made` are the passes that the strips hold;
/// without albedo and normal among them nothing can be taken out. Where `go_on` says no, the library stops.
pub fn denoised<'a>(
    strips: impl Iterator<Item = Result<LayeredStrip, FileError>> + 'a,
    made: &PassSet,
    height: u32,
    way: &Way,
    go_on: impl Fn() -> bool + Sync + 'a,
) -> Strips<'a> {
    let place = |pass: Pass| made.iter().position(|p| p == pass);
    let (Some(albedo), Some(normal)) = (place(Pass::Albedo), place(Pass::Normal)) else {
        return Box::new(strips);
    };
    let guides = Guides { albedo, normal };
    match way {
        Way::None => Box::new(strips),
        Way::Library(found) => Box::new(library::denoise(
            Arc::clone(found),
            strips,
            height,
            guides,
            go_on,
        )),
        Way::BuiltIn => Box::new(plain::denoise(strips, height, guides)),
    }
}

/// The one place where the denoising library is looked for: what `OWL_DOME_DENOISER` names, its file or its folder, else
/// the folder `denoiser/lib` beside the program. With `OWL_DOME_DENOISER=none` it is not looked for.
fn place() -> Option<PathBuf> {
    match std::env::var_os("OWL_DOME_DENOISER") {
        Some(named) if named == "none" => None,
        Some(named) => Some(named.into()),
        None => Some(std::env::current_exe().ok()?.parent()?.join("denoiser/lib")),
    }
}

/// The denoising library, looked for once.
fn the_library() -> Option<Arc<DenoiseLibrary>> {
    static FOUND: LazyLock<Option<Arc<DenoiseLibrary>>> =
        LazyLock::new(|| DenoiseLibrary::find(&place()?).map(Arc::new));
    FOUND.clone()
}

/// How noise is taken out here, in one sentence.
pub fn told() -> String {
    match (the_library(), place()) {
        (Some(_), Some(place)) => {
            format!(
                "Noise is taken out by the open denoising library in {}.",
                place.display()
            )
        }
        (_, Some(place)) => format!(
            "Noise is taken out by the built-in filter; the open denoising library is not in {}.",
            place.display()
        ),
        (_, None) => "Noise is taken out by the built-in filter.".into(),
    }
}

/// A live picture without its noise, where the denoising library is there; our own filter would take too long for one.
pub fn calmed(preview: &Preview) -> Option<Picture> {
    let guides = Guides {
        albedo: 0,
        normal: 1,
    };
    let (width, height) = preview.size();
    let strips = std::iter::once(Ok::<_, FileError>(preview.layered()));
    let strip = library::denoise(the_library()?, strips, height, guides, || true)
        .next()?
        .ok()?;
    Some(Picture {
        width,
        height,
        samples: strip.beauty.samples,
    })
}
