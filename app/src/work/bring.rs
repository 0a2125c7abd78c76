//! Bringing a scene in as a new project, and filling an empty data folder with the demo.

use super::package::file_name;
use super::scenes::{Opened, options, surroundings_picture};
use super::screen::{CARD_WIDTH, save_jpeg};
use super::told::{Event, SurroundingsFile};
use super::{App, Result, WorkError};
use crate::folder::remove;
use crate::model::paths::{PathKey, ViewpointPath};
use crate::model::places::{NewViewpoint, Pose};
use crate::model::rigs::{Rig, RigKind};
use crate::model::scenes::MoverInfo;
use crate::model::scenes::{CameraInfo, FrameGuess, LeftOutInfo, ObjectInfo, SceneSummary};
use crate::model::settings::SceneSettings;
use dome_files::{FileError, archive, atomic};
use dome_optics::PanoramaSize;
use dome_trace::preview::{LiveView, Preview};
use dome_trace::stand::clearance::EYE_SEPARATION;
use dome_trace::{ImportOptions, ImportReport, Imported, Scene, TraceError, import, stand};
use glam::Vec3;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

/// Width of the demo's picture from elsewhere, pixels.
const DEMO_SPHERE: u32 = 2048;

/// Longest name of a project or viewpoint, characters.
const MAX_NAME: usize = 80;

/// A name without white space at its ends, neither empty nor too long.
pub fn check_name(name: &str, of: &str) -> Result<String> {
    let name: String = name.trim().chars().filter(|c| !c.is_control()).collect();
    if name.is_empty() || name.chars().count() > MAX_NAME {
        return Err(WorkError::Request(format!(
            "The name of a {of} must have 1 to {MAX_NAME} characters."
        )));
    }
    Ok(name)
}

/// The ending of an upload, if it is a scene's.
pub fn scene_ending(file: &str) -> Result<&'static str> {
    let ending = Path::new(file)
        .extension()
        .map(|e| e.to_string_lossy().to_ascii_lowercase())
        .unwrap_or_default();
    match import::ENDINGS.iter().find(|e| **e == ending) {
        Some(&"gltf") => Err(WorkError::Request(
            "A .gltf needs its other files; pack the whole folder as a .zip, or export a .glb."
                .into(),
        )),
        Some(ending) => Ok(ending),
        None => Err(WorkError::Request(format!(
            "{} is not a scene; add a .glb, .obj or .ply, or a .zip with .gltf or .obj and its files.",
            if file.is_empty() { "The file" } else { file }
        ))),
    }
}

/// Makes a project from an uploaded file, which is moved or removed. Whatever fails leaves nothing behind.
pub fn bring(
    app: &App,
    upload: &Path,
    file: &str,
    inside: Option<&str>,
    name: &str,
    places: &[NewViewpoint],
) -> Result<i64> {
    let outcome = check_name(name, "project").and_then(|name| {
        let ending = scene_ending(file)?;
        let id = app.store.add_project(&name, now_s())?;
        fill(app, id, upload, (file, inside), ending, places)
            .inspect_err(|_| {
                // The first error is the one to tell.
                let _ = app.store.remove_project(id);
                app.sweep();
            })
            .map(|()| id)
    });
    remove(upload);
    outcome
}

/// Makes a project from the folder of one whose database was lost; the folders are moved, but what fails stays where it was.
pub(super) fn bring_folder(app: &App, scene: &Path, surroundings: &Path) -> Result<i64> {
    let mut files = Vec::new();
    list(scene, Path::new(""), &mut files);
    let display = dome_files::error::display_name(scene);
    // Of several scenes in one folder the first is taken: which one it was is lost.
    let found = match import::find_scene(&files, &display, None) {
        Err(TraceError::Several { list, .. }) => {
            import::find_scene(&files, &display, list.first().map(String::as_str))
        }
        other => other,
    }?;
    let stem = found.file_stem().unwrap_or_default().to_string_lossy();
    let id = app
        .store
        .add_project(&check_name(&stem, "project")?, now_s())?;
    let to = app.folder.project(id);
    let moved =
        |from: &Path, to: &Path| std::fs::rename(from, to).map_err(FileError::io("Moving", from));
    let outcome = std::fs::create_dir_all(&to)
        .map_err(FileError::io("Making", &to))
        .and_then(|()| moved(scene, &app.folder.scene(id)))
        .map_err(WorkError::from)
        .and_then(|()| {
            let name = dome_files::error::display_name(&found);
            read_in(app, id, name, &found, &[]).inspect_err(|_| {
                let _ = moved(&app.folder.scene(id), scene);
            })
        });
    if let Err(e) = outcome {
        let _ = app.store.remove_project(id);
        app.sweep();
        return Err(e);
    }
    if surroundings.is_dir() {
        moved(surroundings, &app.folder.surroundings(id))?;
    }
    Ok(id)
}

/// All files below a folder, relative to it.
fn list(folder: &Path, below: &Path, files: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder.join(below))
        .into_iter()
        .flatten()
        .flatten()
    {
        let path = below.join(entry.file_name());
        if entry.file_type().is_ok_and(|t| t.is_dir()) {
            list(folder, &path, files);
        } else {
            files.push(path);
        }
    }
    files.sort();
}

fn now_s() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |d| d.as_secs() as i64)
}

fn fill(
    app: &App,
    id: i64,
    upload: &Path,
    (file, inside): (&str, Option<&str>),
    ending: &str,
    places: &[NewViewpoint],
) -> Result<()> {
    let folder = app.folder.scene(id);
    remove(&app.folder.project(id));
    let (scene_file, display) = lay_down(&folder, upload, (file, inside), ending)?;
    read_in(app, id, display, &scene_file, places)
}

/// Lays an upload down in a folder: the scene's file within it, and what the artist calls it.
pub(super) fn lay_down(
    folder: &Path,
    upload: &Path,
    (file, inside): (&str, Option<&str>),
    ending: &str,
) -> Result<(PathBuf, String)> {
    std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
    let display = Path::new(file)
        .file_name()
        .map_or_else(|| file.into(), |n| n.to_string_lossy().into_owned());
    let scene_file = if ending == "zip" {
        let files = archive::unpack(upload, folder, archive::Limits::default())
            .map_err(|e| renamed(e, upload, &display))?;
        import::find_scene(&files, &display, inside)?
    } else {
        // Under its own name, so that messages call it what the artist calls it.
        let stem = Path::new(&display).file_stem().unwrap_or_default();
        let target = PathBuf::from(format!("{}.{ending}", file_name(&stem.to_string_lossy())));
        let at = folder.join(&target);
        atomic::keep(upload, &at)?;
        target
    };
    Ok((scene_file, display))
}

/// Reads the scene that lies in a project's folder, and gives the project its viewpoints.
fn read_in(
    app: &App,
    id: i64,
    display: String,
    scene_file: &Path,
    places: &[NewViewpoint],
) -> Result<()> {
    let folder = app.folder.scene(id);
    let mut settings = SceneSettings::default();
    // Where its origin is to be is chosen once: what is placed in the project later keeps it.
    let choose = ImportOptions {
        origin: None,
        ..options(&settings)
    };
    let Imported {
        document,
        scene,
        report,
    } = app.scenes.read(&folder.join(scene_file), &choose)?;
    settings.surroundings.sky = scene.sky.clone();
    settings.surroundings.unit_cd_m2 = report.light.sky_cd_m2;
    settings.file_cd_m2 = report.light.file_cd_m2;
    settings.exposure_stops = report.light.exposure_stops;
    settings.origin = report.origin;
    let summary = summarise(display, &scene, &report);
    app.store
        .set_scene(id, &scene_file.to_string_lossy(), &summary, &settings)?;
    if places.is_empty() {
        app.store.add_viewpoint(
            id,
            &NewViewpoint {
                name: "Viewpoint 1".into(),
                pose: Pose {
                    position: stand::middle(&scene).to_array(),
                    heading_deg: 0.0,
                    pitch_deg: 0.0,
                    roll_deg: 0.0,
                },
                ..NewViewpoint::default()
            },
        )?;
    }
    for place in places {
        app.store.add_viewpoint(id, place)?;
    }
    app.scenes
        .put_opened(id, &settings, Opened { document, report })?;
    app.scenes.put(id, &settings, scene)?;
    Ok(())
}

/// What came in, in words and numbers.
pub(super) fn summarise(file: String, scene: &Scene, report: &ImportReport) -> SceneSummary {
    let (low, high) = scene.bounds();
    // What has no size just now may have no place either; only numbers are kept.
    let finite = |v: [f64; 3]| v.map(|x| if x.is_finite() { x } else { 0.0 });
    let corner = |v: Vec3| finite(v.to_array().map(f64::from));
    SceneSummary {
        file,
        format: report.format.clone(),
        triangles: scene.triangle_count() as u64,
        // The last one is the plain grey for meshes that name none.
        materials: scene.materials().len() as u32 - 1,
        textures: scene.pictures().len() as u32,
        objects: scene
            .objects()
            .iter()
            .filter(|o| o.triangles > 0)
            .map(|o| ObjectInfo {
                name: o.name.clone(),
                triangles: o.triangles,
                material: scene.materials()[o.material as usize].name.clone(),
                size: corner(o.max - o.min),
                light: o.emits,
            })
            .collect(),
        min: corner(low),
        max: corner(high),
        left_out: report
            .left_out
            .iter()
            .map(|l| LeftOutInfo {
                what: l.what.clone(),
                why: l.why.clone(),
            })
            .collect(),
        notices: report.notices.clone(),
        understood: report.understood.clone(),
        light_why: report.light.why.clone(),
        cameras: scene
            .cameras()
            .iter()
            .map(|c| CameraInfo {
                name: c.name.clone(),
                pose: Pose {
                    position: finite(c.position),
                    heading_deg: c.orientation.heading_deg,
                    pitch_deg: c.orientation.pitch_deg,
                    roll_deg: c.orientation.roll_deg,
                },
                node: c.node,
            })
            .collect(),
        motion_s: report.motion.length_s,
        movers: scene
            .movers()
            .iter()
            .map(|m| MoverInfo {
                name: m.name.clone(),
                node: m.node,
                camera: m.camera,
                times: m.times.clone(),
                points: m.points.iter().map(|p| finite(*p)).collect(),
                now: finite(m.now),
            })
            .collect(),
        guess: report.unit.as_ref().map(|unit| FrameGuess {
            used: report.up.used,
            up: report.up.guess.up,
            up_sure: report.up.guess.sure,
            up_why: report.up.guess.why.clone(),
            up_told: report.up.told,
            unit: unit.unit,
            unit_sure: unit.sure,
            unit_why: unit.why.clone(),
        }),
        offset_m: report.offset_m,
    }
}

/// A path that is free for a file of this name; the name gets a number if another file has it.
fn free_path(folder: &Path, stem: &str, ending: &str) -> PathBuf {
    let mut path = folder.join(format!("{stem}.{ending}"));
    let mut number = 2;
    while path.exists() {
        path = folder.join(format!("{stem} {number}.{ending}"));
        number += 1;
    }
    path
}

/// Takes a picture as surroundings of a project; the upload is moved or removed.
pub fn bring_surroundings(
    app: &App,
    id: i64,
    upload: &Path,
    file: &str,
) -> Result<SurroundingsFile> {
    let outcome = (|| {
        app.store.project_name(id)?;
        let path = Path::new(file);
        let ending = path
            .extension()
            .map(|e| e.to_string_lossy().to_ascii_lowercase());
        let ending = ending.filter(|e| ["exr", "hdr", "jpg", "jpeg", "png"].contains(&e.as_str()));
        let Some(ending) = ending else {
            return Err(WorkError::Request(format!(
                "{file} is no picture of surroundings; add an .exr or .hdr (or a .jpg or .png, which light weakly)."
            )));
        };
        let stem = path.file_stem().unwrap_or_default().to_string_lossy();
        let stem = file_name(&stem);
        let name = format!("{stem}.{ending}");
        // Read before it is kept, so that nothing wrong stays; under its own name, for the messages.
        let folder =
            tempfile::tempdir_in(app.folder.incoming()).map_err(FileError::io("Making", upload))?;
        let at = folder.path().join(&name);
        atomic::keep(upload, &at)?;
        let read = surroundings_picture(&at)?;
        let kept = app.folder.surroundings(id);
        std::fs::create_dir_all(&kept).map_err(FileError::io("Making", &kept))?;
        // An order that waits may need the picture that has the name already: it stays.
        let to = free_path(&kept, &stem, &ending);
        atomic::keep(&at, &to)?;
        Ok(SurroundingsFile {
            file: dome_files::error::display_name(&to),
            shape: read.shape.into(),
            unit_cd_m2: read.unit_cd_m2,
            notices: read.notices,
        })
    })();
    remove(upload);
    outcome
}

/// Takes a sound for films of a project; the upload is moved or removed. Gives the name under which it is kept.
pub fn bring_sound(app: &App, id: i64, upload: &Path, file: &str) -> Result<String> {
    let outcome = (|| {
        app.store.project_name(id)?;
        let stem = Path::new(file).file_stem().unwrap_or_default();
        let stem = file_name(&stem.to_string_lossy());
        super::sound::channels(upload).map_err(|e| {
            WorkError::Request(
                e.to_string()
                    .replace(&dome_files::error::display_name(upload), file),
            )
        })?;
        let kept = app.folder.sounds(id);
        std::fs::create_dir_all(&kept).map_err(FileError::io("Making", &kept))?;
        let to = free_path(&kept, &stem, "wav");
        atomic::keep(upload, &to)?;
        Ok(dome_files::error::display_name(&to))
    })();
    remove(upload);
    outcome
}

/// Messages name the file as the user knows it, not as it was stored.
fn renamed(e: FileError, upload: &Path, display: &str) -> FileError {
    let stored = dome_files::error::display_name(upload);
    match e {
        FileError::Damaged { what, detail } => FileError::Damaged {
            what: what.replace(&stored, display),
            detail,
        },
        FileError::TooLarge { what, detail } => FileError::TooLarge {
            what: what.replace(&stored, display),
            detail,
        },
        FileError::Unsupported { what, detail } => FileError::Unsupported {
            what: what.replace(&stored, display),
            detail,
        },
        other => other,
    }
}

/// Samples a pixel of a card at most: whoever brought the scene looks round in it by now, and needs the processor.
const CARD_SAMPLES: u32 = 64;

/// Makes the picture on a project's card, unless it has one.
pub fn make_card(app: &App, id: i64) -> Result<()> {
    let card = app.folder.card(id);
    if card.exists() {
        return Ok(());
    }
    let Some(viewpoint) = app.store.viewpoints(id)?.into_iter().next() else {
        return Ok(());
    };
    let scene = app.scenes.get(app, id)?;
    let settings = app.store.settings(id)?;
    let samples = app.previews.enough().min(CARD_SAMPLES);
    let size = PanoramaSize::from_width(CARD_WIDTH / 2)?;
    let mut preview = Preview::new(size).resting_after(samples);
    let view = LiveView {
        scene: &scene,
        light: &*app
            .scenes
            .light(app, id, &settings, false, settings.white_cd_m2())?,
        eye: &super::preview::eye(&viewpoint.pose),
        clay: false,
        glass: settings.glass,
        kept: None,
    };
    preview.refine(&view, Duration::from_secs(12));
    // An order that was finished meanwhile has put a better one there.
    if card.exists() {
        return Ok(());
    }
    save_jpeg(&card, &preview.picture())?;
    app.tell(Event::Project { project: id });
    Ok(())
}

/// The demo's walk up the stair, with a pair of eyes that is comfortable all the way.
fn stair_walk() -> NewViewpoint {
    let keys: Vec<PathKey> = (merlow::stair_walk().iter())
        .map(|k| PathKey {
            separation_m: Some(k.separation_m),
            ..PathKey::at(k.time_s, k.position)
        })
        .collect();
    let first = keys[0];
    NewViewpoint {
        name: "Up the stair".into(),
        pose: Pose {
            position: first.position,
            heading_deg: merlow::WALK_HEADING,
            pitch_deg: 0.0,
            roll_deg: 0.0,
        },
        rig: Rig {
            kind: RigKind::Panoramic,
            separation_m: first.separation_m.unwrap_or(EYE_SEPARATION),
            ..Rig::default()
        },
        path: Some(ViewpointPath {
            keys,
            ease_in_s: merlow::WALK_EASE_S,
            ease_out_s: merlow::WALK_EASE_S,
            constant_speed: true,
            above_floor_m: Some(merlow::EYES_M),
        }),
        ..NewViewpoint::default()
    }
}

/// Fills an empty data folder with the Merlow Observatory; one that holds projects stays as it is.
pub fn demo(app: &App) -> Result<()> {
    if !app.store.project_cards()?.is_empty() {
        return Ok(());
    }
    let upload = app.folder.incoming().join("merlow.glb");
    dome_files::atomic::write_bytes(&upload, &merlow::build())?;
    let places: Vec<NewViewpoint> = merlow::PLACES
        .iter()
        .map(|p| NewViewpoint {
            name: p.name.into(),
            pose: Pose {
                position: p.position,
                heading_deg: p.heading_deg,
                pitch_deg: 0.0,
                roll_deg: 0.0,
            },
            ..NewViewpoint::default()
        })
        .collect();
    let places: Vec<NewViewpoint> = places.into_iter().chain([stair_walk()]).collect();
    let project = bring(app, &upload, "merlow.glb", None, merlow::NAME, &places)?;
    let upload = app.folder.incoming().join("stair.wav");
    atomic::write_bytes(&upload, &merlow::stair_sound())?;
    bring_sound(app, project, &upload, "On the stair.wav")?;
    if app.store.pictures()?.0.is_empty() {
        let sphere = merlow::evening_sphere(DEMO_SPHERE);
        let upload = app.folder.incoming().join("evening.png");
        let (w, h) = sphere.dimensions();
        dome_files::atomic::write(&upload, |out| {
            let kind = dome_files::png::Kind::default();
            dome_files::png::encode(out, w, h, kind, None, |rows| rows(sphere.as_raw()))
        })?;
        super::pictures::bring(app, &upload, "Merlow evening.png")?;
    }
    Ok(())
}
