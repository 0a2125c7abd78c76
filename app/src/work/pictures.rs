//! Pictures made elsewhere: brought in, converted, assembled, looked at for seams and faults.

use super::convert::{self, Held, Loaded, Wanted};
use super::package::file_name;
use super::screen::{DISPLAY_WIDTH, FLAT_WIDTH, save_jpeg, shrink};
use super::{App, Result, WorkError, diagnose};
use crate::api::picture_types::{
    AssemblyGuess, AssemblyRequest, BroughtPicture, ConvertRequest, DiagnosisInfo, PictureWork,
    SeamInfo,
};
use crate::api::types::Event;
use crate::folder::remove;
use dome_files::faces::{self, FaceGuess};
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat, archive, atomic};
use dome_imaging::convert::Kernel;
use dome_imaging::diagnosis::Fault;
use dome_imaging::{Picture, Strip, balls, seams};
use dome_optics::projection::{Cell, CubeLayout, Face};
use dome_optics::{Orientation, PictureSize, Shape};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError, TryLockError};
use std::time::{Duration, Instant};

/// Side of each ball, pixels.
const BALL: u32 = 256;
/// Unrolled spheres wider than this are made smaller for the screen while they are read, pixels.
const MOST_FOR_SCREEN: u32 = 8192;
/// How often is told how far the making of a picture is.
const TOLD_EVERY: Duration = Duration::from_millis(200);

/// Pictures that are being made.
#[derive(Default)]
pub struct Making {
    works: Mutex<BTreeMap<i64, (PictureWork, bool)>>,
    one_at_a_time: Mutex<()>,
}

impl Making {
    fn lock(&self) -> MutexGuard<'_, BTreeMap<i64, (PictureWork, bool)>> {
        self.works.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// All of them.
    pub fn all(&self) -> Vec<PictureWork> {
        self.lock().values().map(|w| w.0.clone()).collect()
    }

    /// Stops one; one that is done already is left alone.
    pub fn stop(&self, id: i64) {
        if let Some(work) = self.lock().get_mut(&id) {
            work.1 = true;
        }
    }

    /// Stops them all.
    pub fn stop_all(&self) {
        for work in self.lock().values_mut() {
            work.1 = true;
        }
    }

    /// Waits until no other is being made, since each takes all cores and much memory; `None` if it is stopped meanwhile.
    fn turn(&self, id: i64) -> Option<MutexGuard<'_, ()>> {
        loop {
            match self.one_at_a_time.try_lock() {
                Ok(turn) => return Some(turn),
                Err(TryLockError::Poisoned(turn)) => return Some(turn.into_inner()),
                Err(TryLockError::WouldBlock) if self.stopped(id) => return None,
                Err(TryLockError::WouldBlock) => std::thread::sleep(Duration::from_millis(50)),
            }
        }
    }

    fn stopped(&self, id: i64) -> bool {
        self.lock().get(&id).is_some_and(|w| w.1)
    }
}

fn depth_name(depth: Depth) -> &'static str {
    match depth {
        Depth::Eight => "8 bit",
        Depth::Sixteen => "16 bit",
        Depth::Half => "half float",
        Depth::Float => "float",
    }
}

/// Where a picture's file lies.
pub fn path_of(app: &App, picture: &BroughtPicture) -> PathBuf {
    app.folder.picture(picture.id).join(&picture.file)
}

/// What is given to whoever saves it: six faces go into one archive.
pub fn download_of(app: &App, picture: &BroughtPicture) -> (PathBuf, String) {
    if is_faces(picture) {
        let name = Path::new(&picture.file).with_extension("zip");
        let path = app.folder.picture(picture.id).join(&name);
        return (path, name.to_string_lossy().into_owned());
    }
    (path_of(app, picture), picture.file.clone())
}

fn is_faces(picture: &BroughtPicture) -> bool {
    let shape = picture.shape.as_deref().unwrap_or_default();
    shape.starts_with("cube-faces")
}

fn shape_of(picture: &BroughtPicture) -> Result<Shape> {
    let name = picture.shape.as_deref().ok_or_else(|| {
        WorkError::Conflict(format!(
            "{} is {} x {} px, which no shape suggests; say first what it is.",
            picture.file, picture.width, picture.height
        ))
    })?;
    Ok(name.parse()?)
}

fn load(app: &App, picture: &BroughtPicture) -> Result<Loaded> {
    convert::load_any(&[path_of(app, picture)], Some(shape_of(picture)?))
}

/// Takes an uploaded file, which is moved or removed, as a picture. Whatever fails leaves nothing behind.
pub fn bring(app: &App, upload: &Path, file: &str) -> Result<BroughtPicture> {
    let stem = Path::new(file)
        .file_stem()
        .unwrap_or_default()
        .to_string_lossy();
    let outcome = make_one(app, &|id, folder| {
        let format = PictureFormat::from_path(Path::new(file))?;
        let name = format!("{}.{}", file_name(&stem), format.ending());
        let path = folder.join(&name);
        atomic::keep(upload, &path)?;
        let rows = PictureRows::open(&path).map_err(|e| renamed(e, &name, file))?;
        let suggested = Shape::of_size(rows.width, rows.height);
        let picture = BroughtPicture {
            id,
            width: rows.width,
            height: rows.height,
            bytes: std::fs::metadata(&path).map_or(0, |m| m.len()),
            depth: depth_name(rows.depth).into(),
            alpha: rows.alpha,
            shape: rows.told_shape.or(suggested).map(|s| s.to_string()),
            shape_told: rows.told_shape.is_some(),
            heading_deg: rows.heading_deg.unwrap_or(0.0),
            file: name,
            made_from: String::new(),
        };
        drop(rows);
        Ok(picture)
    });
    remove(upload);
    outcome
}

/// Errors call an upload by the name that its owner knows.
fn renamed(error: FileError, kept: &str, own: &str) -> WorkError {
    WorkError::Request(error.to_string().replace(kept, own))
}

/// Makes a picture in a folder of its own; a failure leaves nothing behind.
fn make_one(
    app: &App,
    make: &dyn Fn(i64, &Path) -> Result<BroughtPicture>,
) -> Result<BroughtPicture> {
    let id = app.store.add_picture()?;
    let folder = app.folder.picture(id);
    let outcome = std::fs::create_dir_all(folder.join("screen"))
        .map_err(|e| FileError::io("Making", &folder)(e).into())
        .and_then(|()| make(id, &folder))
        .and_then(|picture| {
            draw(app, &picture)?;
            app.store.set_picture(&picture)?;
            Ok(picture)
        });
    if outcome.is_err() {
        // The first error is the one to tell.
        let _ = app.store.remove_picture(id);
        app.sweep();
    }
    app.tell(Event::Pictures);
    outcome
}

/// The pictures for the screen: as it is, and unrolled if its shape is known.
fn draw(app: &App, picture: &BroughtPicture) -> Result<()> {
    remove(&app.folder.picture_balls(picture.id));
    if !is_faces(picture) {
        let flat = smaller(&path_of(app, picture), FLAT_WIDTH)?;
        save_jpeg(&app.folder.picture_flat(picture.id), &flat)?;
    }
    let sphere = app.folder.picture_sphere(picture.id);
    let Ok(shape) = shape_of(picture) else {
        remove(&sphere);
        return Ok(());
    };
    shape.size(Some(picture.width), Some(stacked(picture)))?;
    if shape == Shape::Equirect && picture.width > MOST_FOR_SCREEN {
        // Made smaller while it is read; it need not fit into memory.
        return save_jpeg(&sphere, &smaller(&path_of(app, picture), DISPLAY_WIDTH)?);
    }
    let loaded = load(app, picture)?;
    let natural = convert::natural_size(shape, picture.width, Shape::Equirect)?;
    let width = natural.width().min(DISPLAY_WIDTH) & !1;
    save_jpeg(&sphere, &convert::sphere(&loaded, width.max(4)))
}

/// A picture file made smaller while it is read.
fn smaller(path: &Path, width: u32) -> Result<Picture> {
    let rows = PictureRows::open(path)?;
    let size = (rows.width, rows.height);
    let strips = rows.light().enumerate().map(|(y, row)| {
        Ok(Strip {
            top: y as u32,
            width: size.0,
            samples: row?.iter().flat_map(|p| [p.x, p.y, p.z]).collect(),
        })
    });
    shrink(strips, size, width.min(size.0))
}

/// Height of a picture, of six faces that of all of them.
fn stacked(picture: &BroughtPicture) -> u32 {
    if is_faces(picture) {
        picture.width * 6
    } else {
        picture.height
    }
}

/// Says what a picture is.
pub fn set_shape(app: &App, id: i64, shape: &str) -> Result<BroughtPicture> {
    let mut picture = app.store.picture(id)?;
    let shape: Shape = shape.parse()?;
    shape.size(Some(picture.width), Some(stacked(&picture)))?;
    picture.shape = Some(shape.fitted(picture.width, picture.height).to_string());
    picture.shape_told = true;
    draw(app, &picture)?;
    app.store.set_picture(&picture)?;
    app.tell(Event::Pictures);
    Ok(picture)
}

/// Removes a picture.
pub fn discard(app: &App, id: i64) -> Result<()> {
    app.store.remove_picture(id)?;
    app.sweep();
    app.tell(Event::Pictures);
    Ok(())
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

/// Converts a picture to another shape.
pub fn convert(app: &App, id: i64, request: &ConvertRequest) -> Result<BroughtPicture> {
    let from = app.store.picture(id)?;
    let shape = shape_of(&from)?;
    let to: Shape = request.shape.parse()?;
    let size = size_of_result(shape, from.width, to, request.width)?;
    let [heading_deg, pitch_deg, roll_deg] = request.turn;
    if !request.turn.iter().all(|v| v.is_finite()) {
        return Err(WorkError::Request(
            "The turn must be three numbers, degrees; correct it.".into(),
        ));
    }
    let wanted = Wanted {
        size,
        turn: Orientation {
            heading_deg,
            pitch_deg,
            roll_deg,
        },
        kernel: kernel_of(&request.kernel)?,
    };
    let made_from = format!("{}, {} made {}", from.file, shape, to);
    let stem = Path::new(&from.file).with_extension("");
    let kind = request.shape.replace(':', "-");
    let name = format!("{} {}", stem.to_string_lossy(), kind);
    let open = |folder: &Path, each: &mut dyn FnMut(u32) -> bool| {
        convert::open_any(&[path_of(app, &from)], Some(shape), folder, each)
    };
    make(app, &name, &made_from, &request.format, &wanted, &open)
}

/// Opens what a picture is made from; the rows of a large one are kept in the folder meanwhile.
type Open<'a> = dyn Fn(&Path, &mut dyn FnMut(u32) -> bool) -> Result<Loaded<Held>> + 'a;

fn make(
    app: &App,
    name: &str,
    made_from: &str,
    ending: &str,
    wanted: &Wanted,
    open: &Open,
) -> Result<BroughtPicture> {
    let size = wanted.size;
    let file = format!("{}.{ending}", file_name(name));
    PictureFormat::from_path(Path::new(&file))?;
    make_one(app, &|id, folder| {
        let start = Instant::now();
        let mut told = None;
        let work = PictureWork {
            id,
            what: made_from.to_owned(),
            share: 0.0,
            left_s: None,
        };
        app.making.lock().insert(id, (work.clone(), false));
        let mut report = |share: f64| {
            if told.is_none_or(|t: Instant| t.elapsed() > TOLD_EVERY) {
                told = Some(Instant::now());
                let spent = start.elapsed().as_secs_f64();
                let work = PictureWork {
                    share,
                    left_s: (share > 0.02).then(|| spent / share * (1.0 - share)),
                    ..work.clone()
                };
                if let Some(kept) = app.making.lock().get_mut(&id) {
                    kept.0 = work.clone();
                }
                app.tell(Event::Making { work });
            }
            !app.making.stopped(id)
        };
        let rows = f64::from(size.height());
        let turn = app.making.turn(id);
        let outcome = open(folder, &mut |_| report(0.0)).and_then(|loaded| {
            let path = folder.join(&file);
            let written =
                convert::write(&loaded, wanted, &path, |row| report(f64::from(row) / rows))?;
            Ok((loaded, written))
        });
        drop(turn);
        let stopped = app.making.stopped(id);
        app.making.lock().remove(&id);
        let (loaded, written) = match outcome {
            Err(_) if stopped => {
                return Err(WorkError::Conflict(
                    "The conversion was stopped; nothing was kept of it.".into(),
                ));
            }
            other => other?,
        };
        let faces = written.len() > 1;
        if faces {
            archive::pack(&written, &folder.join(&file).with_extension("zip"))?;
        }
        let first = PictureRows::open(written.first().unwrap_or(&folder.join(&file)))?;
        Ok(BroughtPicture {
            id,
            width: first.width,
            height: first.height,
            bytes: (written.iter())
                .map(|p| std::fs::metadata(p).map_or(0, |m| m.len()))
                .sum(),
            depth: depth_name(first.depth).into(),
            alpha: first.alpha,
            shape: Some(size.shape.to_string()),
            shape_told: true,
            heading_deg: (loaded.heading_deg.filter(|_| wanted.turn.is_level())).map_or(0.0, |h| {
                dome_optics::angle::wrap_heading_deg(h + wanted.turn.heading_deg)
            }),
            file: file.clone(),
            made_from: made_from.to_owned(),
        })
    })
}

/// Which of some pictures is taken for which face.
pub fn guess(app: &App, ids: &[i64]) -> Result<AssemblyGuess> {
    let mut paths = Vec::new();
    for id in ids {
        paths.push((PathBuf::from(app.store.picture(*id)?.file), *id));
    }
    let files: Vec<PathBuf> = paths.iter().map(|p| p.0.clone()).collect();
    let guess = faces::guess(&files)?;
    // Two pictures of the same name are told apart by their order.
    let mut used = Vec::new();
    let faces = guess.files.map(|file| {
        let found = paths
            .iter()
            .find(|p| Some(&p.0) == file.as_ref() && !used.contains(&p.1))?;
        used.push(found.1);
        Some(found.1)
    });
    let by_names = AssemblyGuess {
        faces,
        certain: guess.certain,
        by: guess.by.into(),
        turns: [0; 6],
        confidence: None,
        steps_percent: None,
    };
    if guess.certain {
        return Ok(by_names);
    }
    // The same in the pictures' own files, in the order of the names.
    let mut files: [Option<PathBuf>; 6] = Default::default();
    for (file, id) in files.iter_mut().zip(faces) {
        if let Some(id) = id {
            *file = Some(path_of(app, &app.store.picture(id)?));
        }
    }
    let order = FaceGuess { files, ..guess };
    let found = convert::faces_by_edges(&order)?;
    let Some(found) = found.filter(|f| f.confidence() >= convert::SURE_ENOUGH) else {
        return Ok(by_names);
    };
    Ok(AssemblyGuess {
        faces: found.faces.map(|(picture, _)| faces[picture]),
        certain: false,
        by: "edges".into(),
        turns: found.faces.map(|(_, turns)| turns),
        confidence: Some(found.confidence()),
        steps_percent: Some([found.step_percent, found.second_percent]),
    })
}

/// Makes a sphere of six faces.
pub fn assemble(app: &App, request: &AssemblyRequest) -> Result<BroughtPicture> {
    let mut files: [Option<PathBuf>; 6] = Default::default();
    let mut side = None;
    let mut name = String::from("sphere");
    for (to, choice) in files.iter_mut().zip(&request.faces) {
        if let Some(id) = choice.picture {
            let picture = app.store.picture(id)?;
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
    let wanted = Wanted {
        size,
        turn: Orientation::default(),
        kernel: Kernel::Bicubic,
    };
    let present = guess.files.iter().flatten().count();
    let mut made_from = format!("{present} faces of a cube");
    for face in guess.missing() {
        made_from.push_str(&format!(", {} missing", face.name()));
    }
    let open =
        |_: &Path, _: &mut dyn FnMut(u32) -> bool| Ok(convert::load_faces(&guess, layout)?.held());
    make(app, &name, &made_from, &request.format, &wanted, &open)
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

/// Edges and poles of a picture, worst first.
pub fn find_seams(app: &App, id: i64) -> Result<Vec<SeamInfo>> {
    let loaded = load(app, &app.store.picture(id)?)?;
    Ok(seams::measure(&loaded.source)
        .into_iter()
        .map(|s| SeamInfo {
            edge: s.edge,
            visible: s.visible,
            strength_percent: s.strength,
            lon_deg: s.heading_deg,
            lat_deg: s.pitch_deg,
        })
        .collect())
}

fn diagnosed(
    app: &App,
    id: i64,
    against: Option<i64>,
) -> Result<(dome_imaging::diagnosis::Flat, Depth, DiagnosisInfo, Fault)> {
    let picture = app.store.picture(id)?;
    let (flat, depth, _memory) = diagnose::read(&path_of(app, &picture))?;
    let reference = against
        .map(|other| {
            let other = app.store.picture(other)?;
            diagnose::read(&path_of(app, &other))
        })
        .transpose()?;
    let found = diagnose::find(&flat, reference.as_ref().map(|r| &r.0));
    let (fault, what) = diagnose::told(found.fault, (flat.width, flat.height));
    let can_mend = !matches!(found.fault, Fault::None | Fault::NotASphere);
    let info = DiagnosisInfo {
        fault: fault.into(),
        confidence: found.confidence,
        what,
        can_mend,
    };
    Ok((flat, depth, info, found.fault))
}

/// What is wrong with a picture.
pub fn find_fault(app: &App, id: i64, against: Option<i64>) -> Result<DiagnosisInfo> {
    Ok(diagnosed(app, id, against)?.2)
}

/// Makes the picture as it should be.
pub fn mend(app: &App, id: i64, against: Option<i64>) -> Result<BroughtPicture> {
    let from = app.store.picture(id)?;
    let (flat, depth, info, fault) = diagnosed(app, id, against)?;
    if !info.can_mend {
        return Err(WorkError::Conflict(format!(
            "{} There is nothing to mend.",
            info.what
        )));
    }
    let path = PathBuf::from(&from.file);
    let (stem, ending) = (
        path.with_extension("").to_string_lossy().into_owned(),
        path.extension()
            .unwrap_or_default()
            .to_string_lossy()
            .into_owned(),
    );
    make_one(app, &|new, folder| {
        let file = format!("{}.{ending}", file_name(&format!("{stem} mended")));
        let path = folder.join(&file);
        diagnose::write_mended(&flat, depth, fault, &path)?;
        let rows = PictureRows::open(&path)?;
        Ok(BroughtPicture {
            id: new,
            width: rows.width,
            height: rows.height,
            bytes: std::fs::metadata(&path).map_or(0, |m| m.len()),
            depth: depth_name(rows.depth).into(),
            alpha: rows.alpha,
            shape: Some(Shape::Equirect.to_string()),
            shape_told: true,
            heading_deg: 0.0,
            file,
            made_from: format!("{}, mended: {}", from.file, info.fault),
        })
    })
}

/// The balls under a picture, made when they are first asked for.
pub fn ball_picture(app: &App, id: i64) -> Result<PathBuf> {
    let path = app.folder.picture_balls(id);
    let picture = app.store.picture(id)?;
    if !path.exists() {
        let loaded = load(app, &picture)?;
        save_jpeg(&path, &balls::balls(&loaded.source, BALL))?;
    }
    Ok(path)
}
