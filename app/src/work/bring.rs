//! Bringing a scene in as a new project, and filling an empty data folder with the demo.

use super::package::file_name;
use super::queue::{CARD_WIDTH, save_jpeg};
use super::{App, Result, WorkError};
use crate::api::types::{Event, LeftOutInfo, ObjectInfo, Pose, SceneSummary, ViewpointDraft};
use crate::folder::remove;
use dome_files::{FileError, archive};
use dome_optics::PanoramaSize;
use dome_trace::preview::Preview;
use dome_trace::{Imported, import, stand};
use glam::Vec3;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

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
        Some(&"obj") => Err(WorkError::Request(
            "An .obj needs its .mtl and textures; pack them together as a .zip.".into(),
        )),
        Some(ending) => Ok(ending),
        None => Err(WorkError::Request(format!(
            "{} is not a scene; bring a .glb, or a .zip with .gltf or .obj and its files.",
            if file.is_empty() { "The file" } else { file }
        ))),
    }
}

/// Makes a project from an uploaded file, which is moved or removed. Whatever fails leaves nothing behind.
pub fn bring(
    app: &App,
    upload: &Path,
    file: &str,
    name: &str,
    places: &[ViewpointDraft],
) -> Result<i64> {
    let outcome = check_name(name, "project").and_then(|name| {
        let ending = scene_ending(file)?;
        let created = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .map_or(0, |d| d.as_secs() as i64);
        let id = app.store.add_project(&name, created)?;
        fill(app, id, upload, file, ending, places)
            .inspect_err(|_| {
                remove(&app.folder.project(id));
                // The first error is the one to tell.
                let _ = app.store.remove_project(id);
            })
            .map(|()| id)
    });
    remove(upload);
    outcome
}

fn fill(
    app: &App,
    id: i64,
    upload: &Path,
    file: &str,
    ending: &str,
    places: &[ViewpointDraft],
) -> Result<()> {
    let folder = app.folder.scene(id);
    remove(&app.folder.project(id));
    std::fs::create_dir_all(&folder).map_err(FileError::io("Making", &folder))?;
    let display = Path::new(file)
        .file_name()
        .map_or_else(|| file.into(), |n| n.to_string_lossy().into_owned());
    let scene_file = if ending == "zip" {
        let files = archive::unpack(upload, &folder, archive::Limits::default())
            .map_err(|e| renamed(e, upload, &display))?;
        import::find_scene(&files, &display)?
    } else {
        // Under its own name, so that messages call it what the artist calls it.
        let stem = Path::new(&display).file_stem().unwrap_or_default();
        let target = PathBuf::from(format!("{}.{ending}", file_name(&stem.to_string_lossy())));
        let at = folder.join(&target);
        std::fs::rename(upload, &at).map_err(FileError::io("Moving", &at))?;
        target
    };
    let Imported { scene, report } = dome_trace::load(&folder.join(&scene_file))?;
    let (low, high) = scene.bounds();
    let corner = |v: Vec3| v.to_array().map(f64::from);
    let summary = SceneSummary {
        file: display,
        format: report.format,
        triangles: scene.triangle_count() as u64,
        // The last one is the plain grey for meshes that name none.
        materials: scene.materials().len() as u32 - 1,
        textures: scene.pictures().len() as u32,
        objects: scene
            .objects()
            .iter()
            .filter(|o| o.triangles > 0)
            .map(|o| {
                let material = &scene.materials()[o.material as usize];
                ObjectInfo {
                    name: o.name.clone(),
                    triangles: o.triangles,
                    material: material.name.clone(),
                    size: corner(o.max - o.min),
                    light: material.emits(),
                }
            })
            .collect(),
        min: corner(low),
        max: corner(high),
        left_out: report
            .left_out
            .into_iter()
            .map(|l| LeftOutInfo {
                what: l.what,
                why: l.why,
            })
            .collect(),
        notices: report.notices,
    };
    app.store
        .set_scene(id, &scene_file.to_string_lossy(), &summary, &scene.sky)?;
    if places.is_empty() {
        app.store.add_viewpoint(
            id,
            &ViewpointDraft {
                name: "Middle".into(),
                pose: Pose {
                    position: stand::middle(&scene).to_array(),
                    heading_deg: 0.0,
                    pitch_deg: 0.0,
                    roll_deg: 0.0,
                },
                unlocked: false,
            },
        )?;
    }
    for place in places {
        app.store.add_viewpoint(id, place)?;
    }
    app.scenes.put(id, Arc::new(scene));
    Ok(())
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
    let sky = app.store.project(id)?.sky;
    let mut preview = Preview::new(PanoramaSize::from_width(CARD_WIDTH / 2)?);
    preview.refine(
        &scene,
        &sky,
        &super::preview::eye(&viewpoint.pose),
        Duration::from_secs(12),
    );
    save_jpeg(&card, &preview.picture())?;
    app.tell(Event::Project { project: id });
    Ok(())
}

/// Fills an empty data folder with the Merlow Observatory; one that holds projects stays as it is.
pub fn demo(app: &App) -> Result<()> {
    if !app.store.project_cards()?.is_empty() {
        return Ok(());
    }
    let upload = app.folder.incoming().join("merlow.glb");
    dome_files::atomic::write_bytes(&upload, &merlow::build())?;
    let places: Vec<ViewpointDraft> = merlow::PLACES
        .iter()
        .map(|p| ViewpointDraft {
            name: p.name.into(),
            pose: Pose {
                position: p.position,
                heading_deg: p.heading_deg,
                pitch_deg: 0.0,
                roll_deg: 0.0,
            },
            unlocked: false,
        })
        .collect();
    bring(app, &upload, "merlow.glb", merlow::NAME, &places)?;
    Ok(())
}
