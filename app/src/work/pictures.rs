//! Pictures made elsewhere: brought in, shown, looked at for seams and faults. What is made from them is in `picture_jobs`.

use super::convert::{self, Each, Loaded};
use super::package::file_name;
use super::screen::{DISPLAY_WIDTH, FLAT_WIDTH, save_jpeg, shrink};
use super::told::Event;
use super::told::pictures::{AssemblyGuess, DiagnosisInfo, SeamInfo};
use super::{App, Result, WorkError, diagnose, picture_pairs};
use crate::folder::remove;
use crate::model::pictures::BroughtPicture;
use dome_files::faces::{self, FaceGuess};
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat, atomic};
use dome_imaging::diagnosis::Fault;
use dome_imaging::{Picture, Strip, balls, seams};
use dome_optics::Shape;
use std::path::{Path, PathBuf};

/// Side of each ball, pixels.
const BALL: u32 = 256;
/// Unrolled spheres wider than this are made smaller for the screen while they are read, pixels.
const MOST_FOR_SCREEN: u32 = 8192;

pub(super) fn depth_name(depth: Depth) -> &'static str {
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

pub(super) fn shape_of(picture: &BroughtPicture) -> Result<Shape> {
    let name = picture.shape.as_deref().ok_or_else(|| {
        WorkError::Conflict(format!(
            "{} is {} x {} px, which no shape suggests; say first what it is.",
            picture.file, picture.width, picture.height
        ))
    })?;
    Ok(name.parse()?)
}

fn load(app: &App, picture: &BroughtPicture) -> Result<Loaded> {
    load_while(app, picture, &mut |_| true)
}

fn load_while(app: &App, picture: &BroughtPicture, each: &mut Each) -> Result<Loaded> {
    picture_pairs::one_eye_only(picture)?;
    convert::load_any(&[path_of(app, picture)], Some(shape_of(picture)?), each)
}

/// Takes an uploaded file, which is moved or removed, as a picture. Whatever fails leaves nothing behind.
pub fn bring(app: &App, upload: &Path, file: &str) -> Result<BroughtPicture> {
    let outcome = brought(app, upload, file);
    remove(upload);
    app.tell(Event::Pictures);
    outcome
}

fn brought(app: &App, upload: &Path, file: &str) -> Result<BroughtPicture> {
    let id = app.store.add_brought()?;
    let outcome = taken_in(app, id, upload, file);
    if outcome.is_err() {
        // The first error is the one to tell.
        let _ = app.store.remove_picture(id);
        app.sweep();
    }
    outcome
}

fn taken_in(app: &App, id: i64, upload: &Path, file: &str) -> Result<BroughtPicture> {
    let stem = Path::new(file)
        .file_stem()
        .unwrap_or_default()
        .to_string_lossy();
    let format = PictureFormat::from_path(Path::new(file))?;
    let name = format!("{}.{}", file_name(&stem), format.ending());
    let path = folder_for(app, id)?.join(&name);
    atomic::keep(upload, &path)?;
    let rows = PictureRows::open(&path).map_err(|e| renamed(e, &name, file))?;
    let suggested = Shape::of_size(rows.width, rows.height);
    let picture = BroughtPicture {
        shape: rows.told_shape.or(suggested).map(|s| s.to_string()),
        ..as_it_lies(id, name, &path, &rows)
    };
    drop(rows);
    let small = smaller(&path, FLAT_WIDTH, &mut |_| true)?;
    let picture = picture_pairs::with_eyes(picture, &path, &small);
    if picture.packing.is_some() && !picture.packing_told {
        // A guess must not keep a picture out.
        if keep(app, &picture, &mut |_| true).is_ok() {
            return Ok(picture);
        }
        let one = BroughtPicture {
            packing: None,
            shape: suggested.map(|s| s.to_string()),
            ..picture
        };
        keep(app, &one, &mut |_| true)?;
        return Ok(one);
    }
    keep(app, &picture, &mut |_| true)?;
    Ok(picture)
}

/// What a picture's own file tells of it.
pub(super) fn as_it_lies(id: i64, file: String, path: &Path, rows: &PictureRows) -> BroughtPicture {
    BroughtPicture {
        id,
        width: rows.width,
        height: rows.height,
        bytes: std::fs::metadata(path).map_or(0, |m| m.len()),
        depth: depth_name(rows.depth).into(),
        alpha: rows.alpha,
        shape: rows.told_shape.map(|s| s.to_string()),
        shape_told: rows.told_shape.is_some(),
        heading_deg: rows.heading_deg.unwrap_or(0.0),
        file,
        made_from: String::new(),
        packing: None,
        packing_told: false,
    }
}

/// The folder of a picture, made and empty.
pub(super) fn folder_for(app: &App, id: i64) -> Result<PathBuf> {
    let folder = app.folder.picture(id);
    remove(&folder);
    std::fs::create_dir_all(folder.join("screen")).map_err(FileError::io("Making", &folder))?;
    Ok(folder)
}

/// A picture is there: it is drawn for the screen, and remembered.
pub(super) fn keep(app: &App, picture: &BroughtPicture, each: &mut Each) -> Result<()> {
    draw(app, picture, each)?;
    Ok(app.store.set_picture(picture)?)
}

/// Errors call an upload by the name that its owner knows.
fn renamed(error: FileError, kept: &str, own: &str) -> WorkError {
    WorkError::Request(error.to_string().replace(kept, own))
}

/// The pictures for the screen: as it is, and unrolled if its shape is known.
fn draw(app: &App, picture: &BroughtPicture, each: &mut Each) -> Result<()> {
    remove(&app.folder.picture_balls(picture.id));
    if !is_faces(picture) {
        let flat = smaller(&path_of(app, picture), FLAT_WIDTH, each)?;
        save_jpeg(&app.folder.picture_flat(picture.id), &flat)?;
    }
    if picture.packing.is_some() {
        return picture_pairs::draw_eyes(app, picture);
    }
    let sphere = app.folder.picture_sphere(picture.id);
    let Ok(shape) = shape_of(picture) else {
        remove(&sphere);
        return Ok(());
    };
    shape.size(Some(picture.width), Some(stacked(picture)))?;
    if shape == Shape::Equirect && picture.width > MOST_FOR_SCREEN {
        // Made smaller while it is read; it need not fit into memory.
        return save_jpeg(
            &sphere,
            &smaller(&path_of(app, picture), DISPLAY_WIDTH, each)?,
        );
    }
    let loaded = load_while(app, picture, each)?;
    let natural = convert::natural_size(shape, picture.width, Shape::Equirect)?;
    let width = natural.width().min(DISPLAY_WIDTH) & !1;
    save_jpeg(&sphere, &convert::sphere(&loaded, width.max(4)))
}

/// A picture file made smaller while it is read.
fn smaller(path: &Path, width: u32, each: &mut Each) -> Result<Picture> {
    let rows = PictureRows::open(path)?;
    let size = (rows.width, rows.height);
    let strips = rows.light().enumerate().map(|(y, row)| {
        if !each(y as f64 / f64::from(size.1)) {
            return Err(FileError::Request("The reading was stopped.".into()));
        }
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
    let (width, height) = match picture.packing {
        Some(_) => picture_pairs::eye_size(&picture)?,
        None => (picture.width, stacked(&picture)),
    };
    shape.size(Some(width), Some(height))?;
    let height = match picture.packing {
        Some(_) => height,
        None => picture.height,
    };
    picture.shape = Some(shape.fitted(width, height).to_string());
    picture.shape_told = true;
    keep(app, &picture, &mut |_| true)?;
    app.tell(Event::Pictures);
    Ok(picture)
}

/// Removes a picture; one that a title shows stays.
pub fn discard(app: &App, id: i64) -> Result<()> {
    if let Some(who) = super::titles::shown_by(app, id)? {
        return Err(WorkError::Conflict(format!(
            "{who} shows this picture as a title; take the title out first."
        )));
    }
    app.freeing(|| app.store.remove_picture(id))?;
    app.jobs.stop_removed(&app.store);
    app.sweep();
    app.tell(Event::Pictures);
    app.tell(Event::Jobs);
    Ok(())
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

pub(super) fn diagnosed(
    app: &App,
    id: i64,
    against: Option<i64>,
) -> Result<(dome_imaging::diagnosis::Flat, Depth, DiagnosisInfo, Fault)> {
    let picture = app.store.picture(id)?;
    picture_pairs::one_eye_only(&picture)?;
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
