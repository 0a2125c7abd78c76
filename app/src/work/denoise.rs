//! Taking the noise out of strips on their way to a file.

use super::recipe::only;
use super::told::Machine;
use dome_files::FileError;
use dome_imaging::denoise::library::{DenoiseLibrary, LibraryFilter};
use dome_imaging::denoise::plain::PlainFilter;
pub use dome_imaging::denoise::told::Remaining;
use dome_imaging::denoise::{Filtered, Guides, denoise};
use dome_imaging::{LayeredStrip, Picture};
use dome_optics::neighbourhood::Edges;
use dome_optics::{PictureSize, Projection};
use dome_trace::preview::Preview;
use dome_trace::{Pass, PassSet};
use std::path::PathBuf;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

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

/// What is said where denoising turned out to do harm.
const DID_HARM: &str = "Denoising was left out: it took more detail than noise. For less noise render it without denoising.";

/// The same as [`written`], for a picture by itself: where denoising did harm, as what is left tells, it is written again as it was
/// rendered, and a sentence says so.
pub fn written_better<T>(
    wanted: bool,
    left: &Mutex<Remaining>,
    mut write: impl FnMut(&Way) -> Result<T, FileError>,
) -> Result<(T, Option<&'static str>), FileError> {
    let sum = || left.lock().unwrap_or_else(PoisonError::into_inner);
    let mut anew = |way: &Way| {
        *sum() = Remaining::default();
        write(way)
    };
    let done = written(wanted, &mut anew)?;
    let worse = sum().is_worse();
    match worse {
        true => Ok((anew(&Way::None)?, Some(DID_HARM))),
        false => Ok(done),
    }
}

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

/// What the comments of a part begin a line with whose noise goes when it is joined with the others.
const STILL_NOISY: &str = "Its noise is still in it: owl-dome join takes it out.";

/// The line that a part's comments get whose noise goes later; parts of one picture have the same. `raw_percent` is what it was
/// rendered to, where a noise was asked for.
pub fn still_noisy(raw_percent: Option<f32>) -> String {
    let raw = raw_percent.map_or_else(String::new, |raw| format!(" Rendered to {raw} %."));
    format!("{STILL_NOISY}{raw}")
}

/// The line of a part whose noise stays, since taking it out would gain nothing; what denoising looks at goes when parts are joined.
pub const STAYS_NOISY: &str = "Its noise stays in it: taking it out would gain nothing.";

/// Comments that begin with one of these lines, cut: the line, and what they say without it.
pub fn noisy_line(comments: &str) -> Option<(&str, &str)> {
    let (line, rest) = comments.split_once('\n').unwrap_or((comments, ""));
    (line.starts_with(STILL_NOISY) || line == STAYS_NOISY).then_some((line, rest))
}

/// What is denoised, and what of it is wanted.
pub struct Job<'a> {
    /// The passes that the strips hold.
    pub made: &'a PassSet,
    /// Those that are wanted of them, and what denoising tells itself.
    pub wanted: &'a PassSet,
    /// Shape and size of the picture.
    pub size: PictureSize,
}

/// Why pictures of a shape cannot be denoised, in a sentence; nothing where they can.
pub fn refused(shape: &dome_optics::Shape) -> Option<String> {
    Edges::of(shape).is_none().then(|| {
        format!(
            "The edges of {shape} meet inside the picture, and denoising would show them; render the full sphere, denoised, and convert it."
        )
    })
}

/// The strips with their noise taken out in some way, and the passes that are wanted; what is left of the noise is added to
/// `left`. Where `go_on` says no, the library stops.
pub fn denoised<'a>(
    strips: impl Iterator<Item = Result<LayeredStrip, FileError>> + 'a,
    job: Job<'_>,
    way: &Way,
    left: &'a Mutex<Remaining>,
    go_on: impl Fn() -> bool + Sync + 'a,
) -> Strips<'a> {
    let (made, wanted, size) = (job.made.clone(), job.wanted.clone(), job.size);
    let place = |pass: Pass| made.iter().position(|p| p == pass);
    let guides = (place(Pass::Albedo).zip(place(Pass::Normal))).map(|(albedo, normal)| Guides {
        albedo,
        normal,
        halves: place(Pass::Halves),
    });
    let how = match way {
        Way::None => None,
        _ => guides.zip(Edges::of(&size.shape)),
    };
    let Some((guides, edges)) = how else {
        return Box::new(strips.map(move |s| {
            let strip = s?;
            let none = (wanted.has(Pass::TakenOut)).then(|| vec![0.0; strip.beauty.samples.len()]);
            let mut strip = only(strip, &made, &wanted);
            // Nothing was taken out.
            strip.layers.extend(none);
            Ok(strip)
        }));
    };
    let height = size.height();
    let finish = move |filtered: Result<Filtered, FileError>| {
        let filtered = filtered?;
        let weight =
            |column, row| (size.shape).solid_angle(column, row, size.width(), size.height());
        let told =
            (guides.halves).and_then(|i| filtered.remaining(&filtered.strip.layers[i], weight));
        if let Some(told) = told {
            (left.lock().unwrap_or_else(PoisonError::into_inner)).add(told);
        }
        let mut taken = wanted.has(Pass::TakenOut).then(|| filtered.taken());
        // The last of all passes.
        let mut strip = only(filtered.strip, &made, &wanted);
        strip.layers.extend(taken.take());
        Ok(strip)
    };
    let Way::Library(found) = way else {
        return Box::new(denoise(PlainFilter, strips, height, edges, guides).map(finish));
    };
    let library = Arc::clone(found);
    let filter = LibraryFilter { library, go_on };
    Box::new(denoise(filter, strips, height, edges, guides).map(finish))
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

/// What this machine can do.
pub fn machine() -> Machine {
    Machine {
        denoiser: the_library().is_some(),
    }
}

/// By what noise is taken out here.
pub fn way() -> Way {
    the_library().map_or(Way::BuiltIn, Way::Library)
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

/// A live picture without its noise, where the denoising library is there; our own filter would take too long for one. Nothing once
/// `go_on` says no.
pub fn calmed(preview: &Preview, go_on: impl Fn() -> bool + Sync) -> Option<Picture> {
    let guides = Guides {
        albedo: 0,
        normal: 1,
        halves: None,
    };
    let (width, height) = preview.size();
    let strips = std::iter::once(Ok::<_, FileError>(preview.layered()));
    let filter = LibraryFilter {
        library: the_library()?,
        go_on,
    };
    let mut filtered = denoise(filter, strips, height, Edges::Sphere, guides);
    let strip = filtered.next()?.ok()?.strip;
    Some(Picture {
        width,
        height,
        samples: strip.beauty.samples,
    })
}
