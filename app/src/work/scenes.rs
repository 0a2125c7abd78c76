//! Scenes in memory and their light: loaded when first needed, the last few kept.

use super::{App, Result, WorkError, distributions};
use crate::model::settings::{ReplacedScene, SceneSettings};
use dome_files::budget::Claim;
use dome_files::linear_picture;
use dome_files::{FileError, Fingerprint};
use dome_imaging::Picture;
use dome_imaging::surroundings::{self, shape_of_size, to_equirect};
use dome_optics::Shape;
use dome_optics::projection::CubeLayout;
use dome_trace::scene::Document;
use dome_trace::stand::starts::{Start, suggest};
use dome_trace::{
    Illumination, ImportOptions, ImportReport, Imported, LightScale, ObjectMove, Scene, Sky,
    TraceError,
};
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

/// Things of each kind that are kept in memory.
const KEPT: usize = 3;

/// The last few things by what they were made from, most recently used last.
struct Recent<K, V> {
    kept: Mutex<Vec<(K, Arc<Slot<V>>)>>,
}

/// A thing that is there or is being made. Whoever wants the same one waits; all others do not.
struct Slot<V>(Mutex<Option<Arc<V>>>);

impl<K, V> Default for Recent<K, V> {
    fn default() -> Self {
        Self {
            kept: Mutex::new(Vec::new()),
        }
    }
}

impl<K: PartialEq, V> Recent<K, V> {
    /// What is kept under a key, or made now. Making holds up those who want the same, so that nothing is made twice.
    fn get(&self, key: K, make: impl FnOnce() -> Result<V>) -> Result<Arc<V>> {
        let slot = {
            let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
            let slot = match kept.iter().position(|(k, _)| *k == key) {
                Some(i) => kept.remove(i).1,
                None => Arc::new(Slot(Mutex::new(None))),
            };
            kept.push((key, Arc::clone(&slot)));
            if kept.len() > KEPT {
                kept.remove(0);
            }
            slot
        };
        let mut value = slot.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(value) = &*value {
            return Ok(Arc::clone(value));
        }
        let made = Arc::new(make()?);
        *value = Some(Arc::clone(&made));
        Ok(made)
    }

    /// What was used last of what is there and not being made.
    fn latest(&self, which: impl Fn(&K) -> bool) -> Option<Arc<V>> {
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        (kept.iter().rev())
            .filter(|(k, _)| which(k))
            .find_map(|(_, slot)| slot.0.try_lock().ok()?.clone())
    }

    /// Forgets what is there and not being made.
    fn forget_idle(&self) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(_, slot)| slot.0.try_lock().map_or(true, |v| v.is_none()));
    }

    fn forget(&self, which: impl Fn(&K) -> bool) {
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(k, _)| !which(k));
    }
}

/// A scene is another one in another unit, with another axis up, at another moment, or with other things moved.
type SceneKey = (OpenedKey, u64, Vec<ObjectMove>);

/// A scene file as it was read: what it depends on beside the file.
type OpenedKey = (
    i64,
    (dome_trace::Unit, Option<dome_trace::Up>),
    [u64; 3],
    Option<ReplacedScene>,
);

/// A scene file as it was read, to be placed at any moment.
pub struct Opened {
    /// What it holds.
    pub document: Arc<Document>,
    /// What was found when it was read.
    pub report: ImportReport,
}

/// The scenes that are in memory, their light, and the pictures that surround them.
#[derive(Default)]
pub struct Scenes {
    opened: Recent<OpenedKey, Opened>,
    scenes: Recent<SceneKey, Scene>,
    lights: Recent<(i64, SceneSettings, bool, u32), Illumination>,
    pictures: Recent<(i64, String), (Picture, Claim)>,
    starts: Recent<SceneKey, Vec<Start>>,
}

fn scene_key(project: i64, settings: &SceneSettings) -> SceneKey {
    (
        opened_key(project, settings),
        settings.time_s.to_bits(),
        settings.moves.clone(),
    )
}

fn opened_key(project: i64, settings: &SceneSettings) -> OpenedKey {
    (
        project,
        (settings.unit, settings.up),
        settings.origin.map(f64::to_bits),
        settings.replaced.clone(),
    )
}

impl Scenes {
    /// A project's scene as it is now.
    pub fn get(&self, app: &App, project: i64) -> Result<Arc<Scene>> {
        let settings = app.store.settings(project)?;
        self.get_as(app, project, &settings)
    }

    /// A project's scene in the unit and at the moment of some settings.
    pub fn get_as(&self, app: &App, project: i64, settings: &SceneSettings) -> Result<Arc<Scene>> {
        self.scenes.get(scene_key(project, settings), || {
            self.place(app, project, settings)
        })
    }

    /// A project's scene file, read once.
    pub fn open(&self, app: &App, project: i64, settings: &SceneSettings) -> Result<Arc<Opened>> {
        self.opened.get(opened_key(project, settings), || {
            let row = app.store.project(project)?;
            let replaced = settings.replaced.as_ref().map(|r| &r.file);
            let file = replaced.unwrap_or(&row.scene_file);
            let path = app.folder.scene(project).join(file);
            let Imported {
                document, report, ..
            } = self.read(&path, &options(settings))?;
            Ok(Opened { document, report })
        })
    }

    /// A project's scene placed anew at the moment of some settings; where memory does not reach, what nobody uses gives way.
    pub fn place(&self, app: &App, project: i64, settings: &SceneSettings) -> Result<Scene> {
        let opened = self.open(app, project, settings)?;
        let place = || opened.document.place(settings.time_s, &settings.moves);
        let first = place();
        let Err(TraceError::File(FileError::OutOfMemory { .. })) = first else {
            return Ok(first?);
        };
        self.forget_idle();
        Ok(place()?)
    }

    /// Reads a scene; where memory does not reach, those that nobody uses give way.
    pub fn read(&self, path: &Path, options: &ImportOptions) -> Result<Imported> {
        let first = dome_trace::load(path, options);
        let Err(TraceError::File(FileError::OutOfMemory { .. })) = first else {
            return Ok(first?);
        };
        self.forget_idle();
        Ok(dome_trace::load(path, options)?)
    }

    /// Memory of a project's scene as it was last used, with its textures, bytes; nothing while it is not in memory.
    pub fn bytes(&self, project: i64) -> Option<u64> {
        let scene = self.scenes.latest(|k| k.0.0 == project)?;
        Some(scene.memory_bytes())
    }

    /// Forgets what can be made again, because memory is short.
    pub fn forget_idle(&self) {
        self.lights.forget(|_| true);
        self.pictures.forget(|_| true);
        self.starts.forget(|_| true);
        self.scenes.forget_idle();
        self.opened.forget_idle();
    }

    /// The light of a project's scene for pictures whose 1 is `white_cd_m2`; only a draft uses the draft brightness.
    pub fn light(
        &self,
        app: &App,
        project: i64,
        settings: &SceneSettings,
        draft: bool,
        white_cd_m2: f32,
    ) -> Result<Arc<Illumination>> {
        let scene = self.get_as(app, project, settings)?;
        let picture = match &settings.surroundings.sky {
            Sky::Picture { file } => Some(self.picture(app, project, file)?),
            _ => None,
        };
        let key = (project, settings.lit(), draft, white_cd_m2.to_bits());
        self.lights.get(key, || {
            let gain = if draft {
                settings.draft_stops.exp2()
            } else {
                1.0
            };
            let tables = distributions::tables(app, project, &settings.lights)?;
            Ok(Illumination::measured(
                &scene,
                &settings.surroundings,
                picture.as_deref().map(|p| &p.0),
                (&settings.lights, &tables),
                LightScale {
                    white_cd_m2,
                    file_cd_m2: settings.file_cd_m2,
                    gain,
                },
            ))
        })
    }

    /// The fingerprint of the picture that surrounds a scene, if one does.
    pub fn sky_picture(
        &self,
        app: &App,
        project: i64,
        settings: &SceneSettings,
    ) -> Result<Option<Fingerprint>> {
        let Sky::Picture { file } = &settings.surroundings.sky else {
            return Ok(None);
        };
        let path = app.folder.surroundings(project).join(file);
        Ok(Some(Fingerprint::of_file(&path)?))
    }

    /// A picture that surrounds scenes, read once, with its memory.
    pub fn picture(&self, app: &App, project: i64, file: &str) -> Result<Arc<(Picture, Claim)>> {
        self.pictures.get((project, file.to_owned()), || {
            let path = app.folder.surroundings(project).join(file);
            let read = surroundings_picture(&path)?;
            Ok((read.picture, read.memory))
        })
    }

    /// Where to stand first in a project's scene.
    pub fn starts(
        &self,
        app: &App,
        project: i64,
        settings: &SceneSettings,
    ) -> Result<Arc<Vec<Start>>> {
        let scene = self.get_as(app, project, settings)?;
        self.starts
            .get(scene_key(project, settings), || Ok(suggest(&scene)))
    }

    /// Puts a scene that was just placed, so that it need not be placed again.
    pub fn put(&self, project: i64, settings: &SceneSettings, scene: Scene) -> Result<Arc<Scene>> {
        self.scenes.forget(|k| k.0.0 == project);
        self.lights.forget(|k| k.0 == project);
        self.scenes.get(scene_key(project, settings), || Ok(scene))
    }

    /// Puts a scene file that was just read, likewise.
    pub fn put_opened(&self, project: i64, settings: &SceneSettings, opened: Opened) -> Result<()> {
        self.opened
            .get(opened_key(project, settings), || Ok(opened))?;
        Ok(())
    }

    /// Forgets everything of a project.
    pub fn forget(&self, project: i64) {
        self.opened.forget(|k| k.0 == project);
        self.scenes.forget(|k| k.0.0 == project);
        self.lights.forget(|k| k.0 == project);
        self.pictures.forget(|k| k.0 == project);
        self.starts.forget(|k| k.0.0 == project);
    }
}

/// How a scene is read under some settings.
pub fn options(settings: &SceneSettings) -> ImportOptions {
    ImportOptions {
        unit: settings.unit,
        up: settings.up,
        time_s: settings.time_s,
        moves: settings.moves.clone(),
        inside: None,
        origin: Some(settings.origin),
    }
}

/// A picture of surroundings, ready to be lit by.
pub struct SurroundingsPicture {
    /// Unrolled.
    pub picture: Picture,
    /// The shape that it had.
    pub shape: &'static str,
    /// What its 1 is, cd/m², if it says so.
    pub unit_cd_m2: Option<f32>,
    /// Odd things, one sentence each.
    pub notices: Vec<String>,
    /// Its memory.
    pub memory: Claim,
}

/// A picture of surroundings made equirectangular, the name of its shape, what is odd about it, and its memory.
pub fn surroundings_picture(path: &Path) -> Result<SurroundingsPicture> {
    let read = linear_picture::read(path)?;
    let (w, h) = (read.picture.width, read.picture.height);
    let mut shape = shape_of_size(w, h).ok_or_else(|| {
        WorkError::Request(format!(
            "{} is {w} x {h} px, which is no shape of surroundings; add a latitude-longitude picture (2:1), an angular map (1:1), a cube cross (4:3 or 3:4) or a cube strip (6:1 or 1:6).",
            dome_files::error::display_name(path)
        ))
    })?;
    // OpenEXR's own cube is stacked and says so in its header.
    let is_exr_cube = shape.cube().is_some_and(|c| c.rows == 6)
        && dome_files::exr_picture::ExrStrips::open(path)
            .is_ok_and(|e| e.header.envmap == Some("cube"));
    if is_exr_cube {
        shape = Shape::Cube(CubeLayout::openexr());
    }
    Ok(SurroundingsPicture {
        picture: to_equirect(read.picture, shape),
        shape: surroundings::name(shape),
        unit_cd_m2: read.white_cd_m2,
        notices: read.notices,
        memory: read.memory,
    })
}
