//! Brought pictures of two eyes: how they lie, what they look like through glasses, what spoils them, and what is made of them.

use super::convert;
use super::package::file_name;
use super::pair_files::{self, Writing};
use super::pictures::{as_it_lies, keep, path_of, shape_of};
use super::screen::{DISPLAY_WIDTH, FLAT_WIDTH, save_jpeg};
use super::told::Event;
use super::told::pictures::{DiagnosisInfo, PairCheckInfo};
use super::{App, Result, WorkError};
use crate::folder::remove;
use crate::model::pictures::{BroughtPicture, OfEyesRequest, PairRequest};
use dome_files::eyes_in::{self, TwoEyes};
use dome_files::inspect::inspect;
use dome_files::picture_file::layout_told;
use dome_files::rows::PictureRows;
use dome_files::{FileError, PictureFormat};
use dome_imaging::anaglyph::{Anaglyph, difference, mixed};
use dome_imaging::pair_check::{check, mended};
use dome_imaging::{Picture, Strip, Tone};
use dome_optics::Shape;
use dome_optics::rig::{Packing, Side};
use std::path::{Path, PathBuf};

/// The word for both eyes as views of one OpenEXR, which is no packing.
const VIEWS: &str = "views";
/// Steps of the chart of parallax.
const STEPS: usize = 120;

/// How the eyes lie, where a picture holds two and does not hold them as views.
fn packing_of(picture: &BroughtPicture) -> Result<Option<Packing>> {
    match picture.packing.as_deref() {
        None | Some(VIEWS) => Ok(None),
        Some(name) => Ok(Some(name.parse()?)),
    }
}

/// Width and height of each eye of a picture, or of the picture itself.
pub(super) fn eye_size(picture: &BroughtPicture) -> Result<(u32, u32)> {
    let size = (picture.width, picture.height);
    match packing_of(picture)? {
        Some(packing) => Ok(packing.eye_size(size)?),
        None => Ok(size),
    }
}

/// What a picture's file tells of two eyes in it, or what its ratio and its halves suggest.
pub(super) fn with_eyes(
    mut picture: BroughtPicture,
    path: &Path,
    small: &Picture,
) -> BroughtPicture {
    let told = inspect(path).ok();
    let words = told.as_ref().and_then(|t| t.properties.words.clone());
    if eyes_in::has_views(path) {
        picture.packing = Some(VIEWS.into());
        picture.packing_told = true;
    } else if let Some((packing, shape)) = words.as_deref().and_then(layout_told)
        && packing.is_packed()
    {
        picture.packing = Some(packing.to_string());
        picture.packing_told = true;
        picture.shape = Some(shape.to_string());
        picture.shape_told = true;
    } else if !picture.shape_told
        && let Some(packing) = eyes_in::likely(small)
    {
        picture.packing = Some(packing.to_string());
        picture.shape = eye_size(&picture)
            .ok()
            .and_then(|(w, h)| Shape::of_size(w, h))
            .map(|s| s.to_string());
    }
    picture
}

/// Both eyes of a picture, in memory.
fn eyes_of(app: &App, picture: &BroughtPicture) -> Result<TwoEyes> {
    if picture.packing.is_none() {
        return Err(WorkError::Conflict(format!(
            "{} is said to be one eye's; say first how two lie in it.",
            picture.file
        )));
    }
    let path = path_of(app, picture);
    Ok(eyes_in::of_one(&path, packing_of(picture)?)?)
}

/// Refuses what takes one eye alone.
pub(super) fn one_eye_only(picture: &BroughtPicture) -> Result<()> {
    match &picture.packing {
        None => Ok(()),
        Some(_) => Err(WorkError::Conflict(format!(
            "{} holds both eyes; take one of them out first.",
            picture.file
        ))),
    }
}

/// Says how two eyes lie in a picture; `mono` says that it is one eye's.
pub fn set_eyes(app: &App, id: i64, packing: &str) -> Result<BroughtPicture> {
    let mut picture = app.store.picture(id)?;
    let path = path_of(app, &picture);
    picture.packing = match packing {
        "mono" => None,
        VIEWS if eyes_in::has_views(&path) => Some(VIEWS.into()),
        VIEWS => {
            return Err(WorkError::Request(format!(
                "{} holds no views of two eyes; say how they lie in it.",
                picture.file
            )));
        }
        name => {
            let packing: Packing = name.parse()?;
            if !packing.is_packed() {
                return Err(WorkError::Request(
                    "Two eyes lie one above the other or side by side in one picture; join two pictures by choosing both."
                        .into(),
                ));
            }
            packing.eye_size((picture.width, picture.height))?;
            Some(packing.to_string())
        }
    };
    picture.packing_told = true;
    // What each eye is follows from its size, as that of one eye does.
    let (width, height) = eye_size(&picture)?;
    picture.shape = Shape::of_size(width, height).map(|s| s.to_string());
    picture.shape_told = false;
    keep(app, &picture, &mut |_| true)?;
    app.tell(Event::Pictures);
    Ok(picture)
}

/// Each eye for the screen: unrolled if its shape is known.
pub(super) fn draw_eyes(app: &App, picture: &BroughtPicture) -> Result<()> {
    let eyes = eyes_of(app, picture)?;
    let folder = app.folder.picture(picture.id).join("screen");
    let shape = shape_of(picture).ok();
    for (side, eye) in Side::BOTH.iter().zip(&eyes.eyes) {
        let target = app.folder.picture_eye(picture.id, side.name());
        let Some(shape) = shape else {
            let small = convert_small(eye, FLAT_WIDTH);
            save_jpeg(&target, &small)?;
            continue;
        };
        // What unrolls pictures reads files.
        let alone = folder.join(format!("{}.exr", side.name()));
        let writing = Writing {
            quality: 95,
            shape: Some(shape),
        };
        pair_files::write_eye(&alone, &eyes, eye, writing)?;
        let sphere = convert::load_any(std::slice::from_ref(&alone), Some(shape), &mut |_| true)
            .and_then(|loaded| {
                let natural = convert::natural_size(shape, eye.width, Shape::Equirect)?;
                let width = natural.width().min(DISPLAY_WIDTH) & !1;
                Ok(convert::sphere(&loaded, width.max(4)))
            });
        remove(&alone);
        save_jpeg(&target, &sphere?)?;
    }
    let left = app.folder.picture_eye(picture.id, Side::Left.name());
    let sphere = app.folder.picture_sphere(picture.id);
    if shape.is_some() {
        std::fs::copy(&left, &sphere).map_err(FileError::io("Copying", &left))?;
    } else {
        remove(&sphere);
    }
    Ok(())
}

fn convert_small(picture: &Picture, width: u32) -> Picture {
    match picture.width > width {
        true => dome_imaging::scale::shrink_to_width(picture, width),
        false => picture.clone(),
    }
}

/// What is shown of a picture's two eyes on one screen, as JPEG: `left`, `right`, an anaglyph or `difference`.
pub fn shown(app: &App, id: i64, show: &str) -> Result<Vec<u8>> {
    let picture = app.store.picture(id)?;
    if picture.packing.is_none() {
        return Err(WorkError::Conflict(format!(
            "{} is one eye's; say first how two lie in it.",
            picture.file
        )));
    }
    if let Some(side) = Side::from_name(show) {
        let path = app.folder.picture_eye(id, side.name());
        return Ok(std::fs::read(&path).map_err(FileError::io("Reading", &path))?);
    }
    let of = |side: Side| -> Result<Picture> {
        let path = app.folder.picture_eye(picture.id, side.name());
        Ok(dome_files::linear_picture::read(&path)?.picture)
    };
    let strip = |p: Picture| Strip {
        top: 0,
        width: p.width,
        samples: p.samples,
    };
    let left = of(Side::Left)?;
    let (width, height) = (left.width, left.height);
    let made = match (show, Anaglyph::from_name(show)) {
        ("difference", _) => mixed(&strip(left), &strip(of(Side::Right)?), difference),
        (_, Some(kind)) => mixed(&strip(left), &strip(of(Side::Right)?), |l, r| kind.of(l, r)),
        (other, None) => {
            return Err(WorkError::Request(format!(
                "\"{other}\" is nothing that two eyes are shown as; take left, right, difference or an anaglyph."
            )));
        }
    };
    let shown = Picture {
        width,
        height,
        samples: made.samples,
    };
    super::preview::screen_jpeg(&shown, &Tone::default(), 92)
}

/// Whether each eye is a whole sphere.
fn is_round(eyes: &TwoEyes) -> bool {
    eyes.eyes[0].width == 2 * eyes.eyes[0].height
}

/// What spoils a pair, and how far things are apart in it.
pub fn find_faults(app: &App, id: i64) -> Result<PairCheckInfo> {
    let picture = app.store.picture(id)?;
    let eyes = eyes_of(app, &picture)?;
    let [left, right] = &eyes.eyes;
    let round = is_round(&eyes);
    let report = check(left, right, round);
    // What lies within comfort is always on the chart.
    let most = f64::from(report.most);
    let reach = |px: Option<&f32>| px.map_or(0.0, |px| f64::from(*px));
    let (first, last) = (reach(report.places.first()), reach(report.places.last()));
    let (from, to) = (first.min(-1.1 * most), last.max(1.1 * most));
    let mut chart = vec![0.0; STEPS];
    for px in &report.places {
        let at = (f64::from(*px) - from) / (to - from) * STEPS as f64;
        chart[(at as usize).min(STEPS - 1)] += 1.0 / report.places.len() as f64;
    }
    let nearest = report
        .parallax
        .map(|p| f64::from(p[0]))
        .filter(|px| *px < 0.0 && round);
    Ok(PairCheckInfo {
        findings: (report.findings.iter())
            .map(|f| DiagnosisInfo {
                fault: f.fault.name().into(),
                confidence: f64::from(f.confidence),
                what: f.fault.told(),
                can_mend: f.fault.can_mend(),
            })
            .collect(),
        matched: report.matched,
        parallax_px: report.parallax.map(|p| p.map(f64::from)),
        width: left.width,
        round,
        most_px: most,
        chart_px: [from, to],
        chart,
        nearest_m: nearest.map(|px| {
            let angle = -px / f64::from(left.width) * std::f64::consts::TAU;
            dome_optics::rig::scale::EYE_SEPARATION / (2.0 * (angle / 2.0).sin())
        }),
    })
}

/// What is to be made of two eyes.
pub(super) enum Make<'a> {
    /// Both laid into one file.
    Laid(&'a PairRequest),
    /// One picture of both.
    Of(&'a OfEyesRequest),
    /// Both without what spoils them.
    Mended,
}

/// What will be made: its file's name, what it is made from, and its pixels.
pub(super) struct Planned {
    file: String,
    pub(super) made_from: String,
    pub(super) pixels: u64,
}

fn wrong(what: &str) -> WorkError {
    WorkError::Request(what.to_owned())
}

/// Checks what is asked before it is queued.
pub(super) fn plan(app: &App, id: i64, make: &Make) -> Result<Planned> {
    let picture = app.store.picture(id)?;
    let stem = Path::new(&picture.file).with_extension("");
    let stem = stem.to_string_lossy();
    let (w, h) = eye_size(&picture)?;
    let (words, ending, size) = match make {
        Make::Laid(request) => {
            if let Some(other) = request.other {
                let other = app.store.picture(other)?;
                one_eye_only(&picture)?;
                one_eye_only(&other)?;
                if (other.width, other.height) != (w, h) || other.id == id {
                    return Err(WorkError::Request(format!(
                        "{} is {w} x {h} px and {} is {} x {} px; two eyes are two pictures of the same size.",
                        picture.file, other.file, other.width, other.height
                    )));
                }
            } else if picture.packing.is_none() {
                return Err(wrong(
                    "One eye makes no pair; choose the right eye's picture too.",
                ));
            }
            let size = if request.packing == VIEWS {
                if request.format != "exr" {
                    return Err(wrong(
                        "Only OpenEXR holds both eyes as views; take it, or another way for them to lie.",
                    ));
                }
                (2 * w, h)
            } else {
                let packing: Packing = request.packing.parse()?;
                if !packing.is_packed() {
                    return Err(wrong(
                        "Say how both eyes lie: top-bottom, side-by-side or as views of one OpenEXR.",
                    ));
                }
                let file = packing.file_size((w, h));
                packing.eye_size(file)?;
                file
            };
            let swapped = if request.swap { ", eyes swapped" } else { "" };
            let words = format!("{}{swapped}", request.packing.replace(':', " "));
            (words, request.format.clone(), size)
        }
        Make::Of(request) => {
            if picture.packing.is_none() {
                return Err(wrong("This picture is one eye's already."));
            }
            let words = match request.show.as_str() {
                "left" | "right" => format!("{} eye", request.show),
                name if Anaglyph::from_name(name).is_some() => format!("anaglyph {name}"),
                other => {
                    return Err(WorkError::Request(format!(
                        "\"{other}\" is neither an eye nor an anaglyph; take left, right, grey, half-colour, full-colour or least-squares."
                    )));
                }
            };
            (words, request.format.clone(), (w, h))
        }
        Make::Mended => {
            if picture.packing.is_none() {
                return Err(wrong(
                    "Only a pair is mended so; this picture is one eye's.",
                ));
            }
            let own = PathBuf::from(&picture.file);
            let ending = own.extension().unwrap_or_default().to_string_lossy();
            let size = (picture.width * 2, picture.height);
            ("mended".to_owned(), ending.into_owned(), size)
        }
    };
    let file = format!("{}.{ending}", file_name(&format!("{stem} {words}")));
    PictureFormat::from_path(Path::new(&file))?;
    Ok(Planned {
        file,
        made_from: format!("{}, {words}", picture.file),
        pixels: u64::from(size.0) * u64::from(size.1),
    })
}

/// Makes it into a folder as picture `id`.
pub(super) fn make(
    app: &App,
    (id, picture): (i64, i64),
    make: &Make,
    folder: &Path,
    go_on: &dyn Fn() -> bool,
) -> Result<BroughtPicture> {
    let asked = || match go_on() {
        true => Ok(()),
        false => Err(WorkError::Request("It was stopped.".into())),
    };
    let planned = plan(app, picture, make)?;
    let from = app.store.picture(picture)?;
    let shape = shape_of(&from).ok();
    let path = folder.join(&planned.file);
    let writing = Writing { quality: 95, shape };
    let mut eyes = match make {
        Make::Laid(PairRequest {
            other: Some(other), ..
        }) => {
            let other = app.store.picture(*other)?;
            eyes_in::of_two(&path_of(app, &from), &path_of(app, &other))?
        }
        _ => eyes_of(app, &from)?,
    };
    asked()?;
    let packing = match make {
        Make::Of(request) => {
            match Anaglyph::from_name(&request.show) {
                Some(kind) => pair_files::write_anaglyph(&path, &eyes, kind, writing)?,
                None => {
                    let side = usize::from(request.show == "right");
                    pair_files::write_eye(&path, &eyes, &eyes.eyes[side], writing)?;
                }
            }
            None
        }
        Make::Laid(request) => {
            if request.swap {
                eyes.eyes.reverse();
            }
            Some(request.packing.clone())
        }
        Make::Mended => {
            let [left, right] = &eyes.eyes;
            let report = check(left, right, is_round(&eyes));
            if !report.findings.iter().any(|f| f.fault.can_mend()) {
                return Err(WorkError::Conflict(
                    "Nothing was found in this pair that can be mended.".into(),
                ));
            }
            asked()?;
            eyes.eyes = mended(left, right, &report.findings);
            asked()?;
            from.packing.clone()
        }
    };
    if let Some(name) = &packing {
        let packing = match name.as_str() {
            VIEWS => None,
            name => Some(name.parse()?),
        };
        pair_files::write_pair(&path, &eyes, writing, packing)?;
    }
    drop(eyes);
    let rows = PictureRows::open(&path)?;
    Ok(BroughtPicture {
        shape: from.shape.clone(),
        shape_told: from.shape_told,
        heading_deg: from.heading_deg,
        made_from: planned.made_from,
        packing_told: packing.is_some(),
        packing,
        ..as_it_lies(id, planned.file, &path, &rows)
    })
}
