//! Bringing scenes in: glTF 2.0 (`.glb`, `.gltf`), OBJ with MTL, PLY, or a `.zip` with one of these.

mod gltf_buffers;
mod gltf_clean;
mod gltf_file;
mod gltf_groups;
mod gltf_material;
mod gltf_mesh;
mod gltf_meshopt;
mod gltf_motion;
mod gltf_paths;
mod obj_file;
mod ply_file;
mod report;
mod unit;
mod up;

pub use crate::scene::{MAX_TRIANGLES, Motion};
pub use report::{ImportReport, LeftOut};
pub use unit::{Unit, UnitGuess};
pub use up::{Up, UpGuess, UpReading};

use crate::error::TraceError;
use crate::moves::ObjectMove;
use crate::photometry::{LightStart, ToldLight};
use crate::scene::{Document, Frame, Scene, SceneBuilder};
use crate::sky::Sky;
use dome_files::archive;
use dome_files::budget::{self, Claim};
use dome_files::error::display_name;
use dome_imaging::transfer::linear_from_srgb;
use glam::{DMat4, DVec3};
use report::Tally;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A scene and what is to be said about it.
pub struct Imported {
    /// The scene as it was read, to be placed at other moments too.
    pub document: Arc<Document>,
    /// Placed at the moment that was asked for, ready to be traced.
    pub scene: Scene,
    /// What came in and what was left out.
    pub report: ImportReport,
}

/// How a scene is to be read.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ImportOptions {
    /// The unit it was made in.
    pub unit: Unit,
    /// The axis that points up in the file; by default what the format says, or what the triangles say.
    pub up: Option<Up>,
    /// The moment of its motion, seconds.
    pub time_s: f64,
    /// Objects that stand elsewhere than the file says.
    pub moves: Vec<ObjectMove>,
    /// Which scene of an archive that holds several.
    pub inside: Option<String>,
    /// Place in the file, in its own axes and unit, that becomes the origin; by default one near the scene if that lies far
    /// from the file's origin.
    pub origin: Option<[f64; 3]>,
}

/// The endings that can be brought in.
pub const ENDINGS: [&str; 5] = ["glb", "gltf", "obj", "ply", "zip"];

fn ending(path: &Path) -> String {
    path.extension()
        .map(|e| e.to_string_lossy().to_ascii_lowercase())
        .unwrap_or_default()
}

/// Loads a scene file. A `.zip` is unpacked into a temporary folder that is removed afterwards.
pub fn load(path: &Path, options: &ImportOptions) -> Result<Imported, TraceError> {
    let name = display_name(path);
    match ending(path).as_str() {
        "glb" | "gltf" => gltf_file::load(path, options),
        "obj" => obj_file::load(path, options),
        "ply" => ply_file::load(path, options),
        "zip" => {
            let folder =
                tempfile::tempdir().map_err(dome_files::FileError::io("Unpacking", path))?;
            let files = archive::unpack(path, folder.path(), archive::Limits::default())?;
            let scene = find_scene(&files, &name, options.inside.as_deref())?;
            load(&folder.path().join(scene), options)
        }
        other => Err(TraceError::unsupported(
            &name,
            format!(
                "its ending .{other} is not one of .glb, .gltf, .obj, .ply and .zip; export the scene as one of these"
            ),
        )),
    }
}

/// What a format's reader found.
#[derive(Default)]
struct Read {
    builder: SceneBuilder,
    format: &'static str,
    tally: Tally,
    notices: Vec<String>,
    understood: Vec<String>,
    left_out: Vec<LeftOut>,
    motion: Motion,
    sky: Sky,
    /// What the file says of its light.
    told_light: Option<ToldLight>,
    /// The axis that the format itself says is up.
    says_up: Option<Up>,
}

/// Single precision resolves 0.06 mm at this distance from the origin, metres.
const NEAR: f64 = 1000.0;
/// Origins are chosen in steps of a power of ten that is so small a share of the scene, but of no less than a metre, so that
/// they can be read.
const ORIGIN_STEP: f64 = 0.1;

impl Read {
    /// Turns, scales and places what came in as the artist asked, and reports the finished scene.
    fn finish(self, options: &ImportOptions, name: &str) -> Result<Imported, TraceError> {
        let builder = self.builder;
        let guess = builder.guess_up();
        let said = options.up.or(self.says_up);
        let used = said.unwrap_or(guess.up);
        let metres = f64::from(options.unit.metres());
        let origin = (options.origin.map(DVec3::from))
            .unwrap_or_else(|| near_origin(builder.corner_bounds(), used, metres));
        let frame = Frame {
            origin,
            z_up: used == Up::Z,
            metres,
        };
        let document = Document::new(builder, frame, self.sky, name)?;
        let scene = document.place(options.time_s, &options.moves)?;
        let mut report = report::begin(self.format, self.tally, &document);
        report.notices = self.notices;
        report.understood = self.understood;
        report.left_out.extend(self.left_out);
        report.motion = self.motion;
        report.origin = origin.to_array();
        report.offset_m = document.offset().to_array();
        report.up = UpReading {
            used,
            told: said.is_some(),
            guess,
        };
        report.light = LightStart::of(&scene, self.told_light.as_ref());
        report.judge(&scene, options.unit);
        Ok(Imported {
            document: Arc::new(document),
            scene,
            report,
        })
    }
}

/// An origin in the middle of a scene and at its foot, in the file's axes and unit: the file's own one unless the scene lies
/// far from it, for its size.
fn near_origin((low, high): (DVec3, DVec3), up: Up, metres: f64) -> DVec3 {
    let extent = (high - low).max_element();
    let middle = (low + high) / 2.0;
    let far = extent.max(NEAR / metres);
    if !middle.is_finite() || middle.abs().max_element() <= far {
        return DVec3::ZERO;
    }
    let step = 10f64.powf((extent * metres * ORIGIN_STEP).max(1.0).log10().floor()) / metres;
    let mut place = middle;
    match up {
        Up::Y => place.y = low.y,
        Up::Z => place.z = low.z,
    }
    (place / step).round() * step
}

/// Colours of corners as OBJ and PLY hold them are display values, sRGB: their formats do not say, and those who write them mean that
/// (common practice, no source). glTF's are linear, as its standard says.
fn corner_colour([r, g, b, a]: [f32; 4]) -> [f32; 4] {
    let [r, g, b] = [r, g, b].map(|v| linear_from_srgb(v.clamp(0.0, 1.0)));
    [r, g, b, a]
}

/// Corners in single precision round a place near them, and that place: coordinates of surveys keep their fractions.
fn near(positions: &[[f64; 3]]) -> (Vec<[f32; 3]>, DMat4) {
    let far = (positions.iter().flatten()).any(|v| v.abs() > NEAR);
    let first = positions.iter().find(|p| p.iter().all(|v| v.is_finite()));
    let around = match first {
        Some(p) if far => DVec3::from(*p).round(),
        _ => DVec3::ZERO,
    };
    let single = |p: &[f64; 3]| (DVec3::from(*p) - around).as_vec3().to_array();
    (
        positions.iter().map(single).collect(),
        DMat4::from_translation(around),
    )
}

/// The scene files among those of an archive, the ones nearest to the top first.
pub fn scenes_of(files: &[PathBuf]) -> Vec<PathBuf> {
    let mut scenes: Vec<PathBuf> = files
        .iter()
        .filter(|f| ["glb", "gltf", "obj", "ply"].contains(&ending(f).as_str()))
        .filter(|f| !f.components().any(|c| c.as_os_str() == "__MACOSX"))
        .cloned()
        .collect();
    scenes.sort_by_key(|f| (f.components().count(), f.clone()));
    scenes
}

/// The scene file of an archive: the one that was asked for, or the only one nearest to the top.
pub fn find_scene(
    files: &[PathBuf],
    archive: &str,
    inside: Option<&str>,
) -> Result<PathBuf, TraceError> {
    let scenes = scenes_of(files);
    let list = || -> Vec<String> {
        let names = scenes.iter().take(20);
        names.map(|s| s.display().to_string()).collect()
    };
    if let Some(wanted) = inside {
        return scenes
            .iter()
            .find(|s| s.as_os_str() == wanted)
            .cloned()
            .ok_or_else(|| {
                TraceError::unsupported(
                    archive,
                    format!(
                        "it holds no scene \"{wanted}\"; it holds {}",
                        list().join(", ")
                    ),
                )
            });
    }
    match &scenes[..] {
        [] => Err(TraceError::unsupported(
            archive,
            "it holds no .gltf, .glb, .obj or .ply file; pack the scene file with its textures",
        )),
        [first, second, ..] if first.components().count() == second.components().count() => {
            Err(TraceError::Several {
                name: archive.to_owned(),
                list: list(),
            })
        }
        [first, ..] => Ok(first.clone()),
    }
}

/// Reads a file that a scene refers to, which must lie in the scene's own folder; its memory is claimed first.
fn read_beside(
    folder: &Path,
    reference: &str,
    scene: &str,
) -> Result<(Vec<u8>, Claim), TraceError> {
    let Some(relative) = archive::safe_relative(reference) else {
        return Err(TraceError::unsupported(
            scene,
            format!(
                "it refers to \"{reference}\", which leads out of its folder; put all files beside the scene"
            ),
        ));
    };
    let path = folder.join(relative);
    if !path.is_file() {
        return Err(TraceError::unsupported(
            scene,
            format!("its file \"{reference}\" is not there; add it, in a .zip with the scene"),
        ));
    }
    let what = format!("The file \"{reference}\" of {scene}");
    Ok(budget::read(&path, 1, &what)?)
}
