//! Pictures made from others as jobs: in another shape, of six faces, without a fault.

use super::convert::{self, Each, Held, Loaded, Wanted};
use super::package::file_name;
use super::picture_pairs::{self, Make};
use super::pictures::{as_it_lies, diagnosed, folder_for, keep, path_of, shape_of};
use super::running::{Ended, Running};
use super::told::Event;
use super::told::jobs::JobInfo;
use super::{App, Result, WorkError, diagnose};
use crate::model::jobs::{JobKind, NewJob};
use crate::model::kept;
use crate::model::pictures::{
    AssemblyRequest, BroughtPicture, ConvertRequest, OfEyesRequest, PairRequest,
};
use dome_files::faces::FaceGuess;
use dome_files::rows::PictureRows;
use dome_files::{PictureFormat, archive};
use dome_imaging::convert::Kernel;
use dome_imaging::diagnosis::Fault;
use dome_optics::projection::{Cell, CubeLayout, Face};
use dome_optics::{Orientation, PictureSize, Shape};
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Share of the work that reading takes, and where writing ends; what is left are the pictures for the screen.
const READ: f64 = 0.25;
const WRITTEN: f64 = 0.85;
/// Bytes of a pixel at most: four channels of single floats.
const PIXEL_BYTES: u64 = 16;

/// What is asked of a job, as it is kept.
#[derive(Clone, Serialize, Deserialize)]
#[serde(tag = "task", rename_all = "kebab-case")]
enum Task {
    /// A picture in another shape.
    Convert {
        picture: i64,
        request: ConvertRequest,
    },
    /// A sphere of six faces.
    Assemble { request: AssemblyRequest },
    /// A picture without its fault, found against another one if that is given.
    Mend { picture: i64, against: Option<i64> },
    /// Two eyes laid into one file.
    Lay { picture: i64, request: PairRequest },
    /// One picture of two eyes.
    OfEyes {
        picture: i64,
        request: OfEyesRequest,
    },
    /// A pair without what spoils it.
    MendPair { picture: i64 },
}

/// How a picture is made from what is read.
struct Plan {
    /// Name of the file without its ending.
    name: String,
    /// Ending of the file.
    ending: String,
    /// From what, for people.
    made_from: String,
    wanted: Wanted,
}

impl Plan {
    fn file(&self) -> String {
        format!("{}.{}", file_name(&self.name), self.ending)
    }
}

fn kernel_of(name: &str) -> Result<Kernel> {
    match name {
        "bilinear" => Ok(Kernel::Bilinear),
        "bicubic" => Ok(Kernel::Bicubic),
        "lanczos" => Ok(Kernel::Lanczos),
        other => Err(WorkError::Request(format!(
            "There is no kernel \"{other}\"; take bilinear, bicubic or lanczos."
        ))),
    }
}

/// The size of a result: as wide as asked, or with the detail of its source.
fn size_of_result(from: Shape, width: u32, to: Shape, asked: u32) -> Result<PictureSize> {
    if asked == 0 {
        convert::natural_size(from, width, to)
    } else {
        Ok(PictureSize::new(to, Some(asked), None)?)
    }
}

fn conversion(app: &App, id: i64, request: &ConvertRequest) -> Result<(BroughtPicture, Plan)> {
    let from = app.store.picture(id)?;
    picture_pairs::one_eye_only(&from)?;
    let shape = shape_of(&from)?;
    let to: Shape = request.shape.parse()?;
    let size = size_of_result(shape, from.width, to, request.width)?;
    let [heading_deg, pitch_deg, roll_deg] = request.turn;
    if !request.turn.iter().all(|v| v.is_finite()) {
        return Err(WorkError::Request(
            "The turn must be three numbers, degrees; correct it.".into(),
        ));
    }
    let stem = Path::new(&from.file).with_extension("");
    let kind = request.shape.replace(':', "-");
    let plan = Plan {
        name: format!("{} {}", stem.to_string_lossy(), kind),
        ending: request.format.clone(),
        made_from: format!("{}, {} made {}", from.file, shape, to),
        wanted: Wanted {
            size,
            turn: Orientation {
                heading_deg,
                pitch_deg,
                roll_deg,
            },
            kernel: kernel_of(&request.kernel)?,
        },
    };
    PictureFormat::from_path(Path::new(&plan.file()))?;
    Ok((from, plan))
}

fn assembly(app: &App, request: &AssemblyRequest) -> Result<(FaceGuess, CubeLayout, Plan)> {
    let mut files: [Option<PathBuf>; 6] = Default::default();
    let mut side = None;
    let mut name = String::from("sphere");
    for (to, choice) in files.iter_mut().zip(&request.faces) {
        if let Some(id) = choice.picture {
            let picture = app.store.picture(id)?;
            // A guess is nothing against whoever calls it a face.
            if picture.packing_told {
                picture_pairs::one_eye_only(&picture)?;
            }
            if side.is_none() {
                name = format!("{} sphere", common_name(&picture.file));
            }
            side = side.or(Some(picture.width));
            *to = Some(path_of(app, &picture));
        }
    }
    if files.iter().flatten().count() < 5 {
        return Err(WorkError::Request(
            "A cube has six faces, of which one may be missing; put five or six pictures in their places."
                .into(),
        ));
    }
    let order: [Cell; 6] = std::array::from_fn(|i| Cell {
        face: Face::ALL[i],
        turns: request.faces[i].turns % 4,
    });
    let layout = CubeLayout::grid(1, 6, order);
    let guess = FaceGuess {
        files,
        certain: true,
        by: "hand",
    };
    let cube = Shape::CubeFaces(layout);
    let size = size_of_result(cube, side.unwrap_or(0), Shape::Equirect, request.width)?;
    let present = guess.files.iter().flatten().count();
    let mut made_from = format!("{present} faces of a cube");
    for face in guess.missing() {
        made_from.push_str(&format!(", {} missing", face.name()));
    }
    let plan = Plan {
        name,
        ending: request.format.clone(),
        made_from,
        wanted: Wanted {
            size,
            turn: Orientation::default(),
            kernel: Kernel::Bicubic,
        },
    };
    PictureFormat::from_path(Path::new(&plan.file()))?;
    Ok((guess, layout, plan))
}

/// What faces are called without their face.
fn common_name(file: &str) -> String {
    let stem = Path::new(file).with_extension("");
    let stem = stem.to_string_lossy();
    match stem.rsplit_once(['-', '_', ' ', '.']) {
        Some((before, _)) if !before.is_empty() => before.to_owned(),
        // A number at the end is the face's.
        _ => match stem.trim_end_matches(|c: char| c.is_ascii_digit()) {
            "" => "cube".into(),
            name => name.to_owned(),
        },
    }
}

/// Queues the making of a picture; `pixels` are those of the result.
fn queue(app: &App, kind: JobKind, what: String, pixels: u64, task: &Task) -> Result<JobInfo> {
    let disk = pixels * PIXEL_BYTES + (8 << 20);
    app.room_on_disk(&what, disk)?;
    let job = NewJob {
        kind,
        project: None,
        asked: kept::write(task).map_err(crate::store::StoreError::from)?,
        what,
        // Readers claim what they take.
        held: false,
        memory: 0,
        disk,
        on_farm: false,
    };
    let (_, job) = app.store.add_picture(&job)?;
    app.queued(job)
}

fn pixels_of(size: PictureSize) -> u64 {
    u64::from(size.width()) * u64::from(size.height())
}

/// Orders a picture in another shape.
pub fn convert(app: &App, id: i64, request: ConvertRequest) -> Result<JobInfo> {
    let (_, plan) = conversion(app, id, &request)?;
    let pixels = pixels_of(plan.wanted.size);
    let task = Task::Convert {
        picture: id,
        request,
    };
    queue(app, JobKind::Conversion, plan.made_from, pixels, &task)
}

/// Orders a sphere of six faces.
pub fn assemble(app: &App, request: AssemblyRequest) -> Result<JobInfo> {
    let (guess, _, plan) = assembly(app, &request)?;
    check_faces(&guess)?;
    let pixels = pixels_of(plan.wanted.size);
    let task = Task::Assemble { request };
    queue(app, JobKind::Assembly, plan.made_from, pixels, &task)
}

/// Faces that are no squares of one size are refused at once.
fn check_faces(guess: &FaceGuess) -> Result<()> {
    convert::open_faces(guess).map(|_| ())
}

/// Orders the picture as it should be.
pub fn mend(app: &App, id: i64, against: Option<i64>) -> Result<JobInfo> {
    let from = app.store.picture(id)?;
    let (flat, _, info, _) = diagnosed(app, id, against)?;
    if !info.can_mend {
        return Err(WorkError::Conflict(format!(
            "{} There is nothing to mend.",
            info.what
        )));
    }
    let pixels = u64::from(flat.width) * u64::from(flat.height);
    let what = mended(&from, &info.fault);
    let task = Task::Mend {
        picture: id,
        against,
    };
    queue(app, JobKind::Mending, what, pixels, &task)
}

/// Orders two eyes laid into one file.
pub fn lay(app: &App, id: i64, request: PairRequest) -> Result<JobInfo> {
    let plan = picture_pairs::plan(app, id, &Make::Laid(&request))?;
    let task = Task::Lay {
        picture: id,
        request,
    };
    queue(app, JobKind::Conversion, plan.made_from, plan.pixels, &task)
}

/// Orders one picture of two eyes.
pub fn of_eyes(app: &App, id: i64, request: OfEyesRequest) -> Result<JobInfo> {
    let plan = picture_pairs::plan(app, id, &Make::Of(&request))?;
    let task = Task::OfEyes {
        picture: id,
        request,
    };
    queue(app, JobKind::Conversion, plan.made_from, plan.pixels, &task)
}

/// Orders a pair without what spoils it.
pub fn mend_pair(app: &App, id: i64) -> Result<JobInfo> {
    let plan = picture_pairs::plan(app, id, &Make::Mended)?;
    let task = Task::MendPair { picture: id };
    queue(app, JobKind::Mending, plan.made_from, plan.pixels, &task)
}

fn mended(from: &BroughtPicture, fault: &str) -> String {
    format!("{}, mended: {fault}", from.file)
}

/// Makes the picture of a job. What was begun of it before is of no use: it is made anew from its beginning.
pub(super) fn run(app: &Arc<App>, running: &Running) -> Result<Ended> {
    let task: Task = kept::read(&running.job.asked).map_err(crate::store::StoreError::from)?;
    let id = running.job.makes;
    let folder = folder_for(app, id)?;
    let made = match &task {
        Task::Convert { picture, request } => {
            let (from, plan) = conversion(app, *picture, request)?;
            let shape = shape_of(&from)?;
            make(running, &folder, &plan, &|each| {
                convert::open_any(&[path_of(app, &from)], Some(shape), &folder, each)
            })
        }
        Task::Assemble { request } => {
            let (guess, layout, plan) = assembly(app, request)?;
            make(running, &folder, &plan, &|each| {
                Ok(convert::load_faces(&guess, layout, each)?.held())
            })
        }
        Task::Mend { picture, against } => {
            let app = Arc::clone(app);
            let (picture, against, folder) = (*picture, *against, folder.clone());
            let mended = running.until_stopped(move |given_up| {
                mend_into(&app, (id, picture), against, &folder, given_up)
            });
            let Some(mended) = mended else {
                return Ok(Ended::Stopped);
            };
            mended
        }
        Task::Lay { picture, .. } | Task::OfEyes { picture, .. } | Task::MendPair { picture } => {
            let (app, picture, folder) = (Arc::clone(app), *picture, folder.clone());
            let task = task.clone();
            let made = running.until_stopped(move |given_up| {
                let make = match &task {
                    Task::Lay { request, .. } => Make::Laid(request),
                    Task::OfEyes { request, .. } => Make::Of(request),
                    _ => Make::Mended,
                };
                let go_on = || !given_up.load(Ordering::Relaxed);
                picture_pairs::make(&app, (id, picture), &make, &folder, &go_on)
            });
            let Some(made) = made else {
                return Ok(Ended::Stopped);
            };
            made
        }
    }?;
    keep(app, &made, &mut |share| {
        running.share(WRITTEN + (0.99 - WRITTEN) * share)
    })?;
    app.tell(Event::Pictures);
    Ok(Ended::Done(None))
}

fn make(
    running: &Running,
    folder: &Path,
    plan: &Plan,
    open: &dyn Fn(&mut Each) -> Result<Loaded<Held>>,
) -> Result<BroughtPicture> {
    let size = plan.wanted.size;
    let file = plan.file();
    let path = folder.join(&file);
    let rows = f64::from(size.height());
    let loaded = open(&mut |share| running.share(READ * share))?;
    let written = convert::write(&loaded, &plan.wanted, &path, |row| {
        running.share(READ + (WRITTEN - READ) * f64::from(row) / rows)
    })?;
    if written.len() > 1 {
        archive::pack(&written, &path.with_extension("zip"))?;
    }
    let first = PictureRows::open(written.first().unwrap_or(&path))?;
    let turn = &plan.wanted.turn;
    Ok(BroughtPicture {
        bytes: (written.iter())
            .map(|p| std::fs::metadata(p).map_or(0, |m| m.len()))
            .sum(),
        shape: Some(size.shape.to_string()),
        shape_told: true,
        heading_deg: (loaded.heading_deg.filter(|_| turn.is_level())).map_or(0.0, |h| {
            dome_optics::angle::wrap_heading_deg(h + turn.heading_deg)
        }),
        made_from: plan.made_from.clone(),
        ..as_it_lies(running.job.makes, file, &path, &first)
    })
}

fn mend_into(
    app: &App,
    (id, picture): (i64, i64),
    against: Option<i64>,
    folder: &Path,
    given_up: &AtomicBool,
) -> Result<BroughtPicture> {
    let from = app.store.picture(picture)?;
    let go_on = || !given_up.load(Ordering::Relaxed);
    let (flat, depth, info, fault) = diagnosed(app, picture, against)?;
    if matches!(fault, Fault::None | Fault::NotASphere) {
        return Err(WorkError::Conflict(info.what));
    }
    let own = PathBuf::from(&from.file);
    let stem = own.with_extension("").to_string_lossy().into_owned();
    let ending = own.extension().unwrap_or_default().to_string_lossy();
    let file = format!("{}.{ending}", file_name(&format!("{stem} mended")));
    let path = folder.join(&file);
    diagnose::write_mended(&flat, depth, fault, &path, &go_on)?;
    let rows = PictureRows::open(&path)?;
    Ok(BroughtPicture {
        shape: Some(Shape::Equirect.to_string()),
        shape_told: true,
        heading_deg: 0.0,
        made_from: mended(&from, &info.fault),
        ..as_it_lies(id, file, &path, &rows)
    })
}
