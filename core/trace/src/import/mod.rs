//! Bringing scenes in: glTF 2.0 (`.glb`, `.gltf`), OBJ with MTL, or a `.zip` with one of these.

mod gltf_buffers;
mod gltf_file;
mod gltf_groups;
mod gltf_material;
mod gltf_mesh;
mod gltf_motion;
mod gltf_paths;
mod obj_file;
mod report;

pub use gltf_motion::Motion;
pub use report::{ImportReport, LeftOut};

use crate::error::TraceError;
use crate::moves::ObjectMove;
use crate::scene::Scene;
use dome_files::archive;
use dome_files::error::display_name;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// Most triangles a scene may have: indices and the tree are 32-bit, and memory has an end.
pub const MAX_TRIANGLES: usize = 50_000_000;

/// A scene and what is to be said about it.
pub struct Imported {
    /// Ready to be traced.
    pub scene: Scene,
    /// What came in and what was left out.
    pub report: ImportReport,
}

/// The unit of length that a scene was made in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Metres, as glTF wants them.
    #[default]
    Metre,
    /// Centimetres.
    Centimetre,
    /// Millimetres.
    Millimetre,
    /// Inches.
    Inch,
    /// Feet.
    Foot,
}

impl Unit {
    /// All units.
    pub const ALL: [Self; 5] = [
        Self::Metre,
        Self::Centimetre,
        Self::Millimetre,
        Self::Inch,
        Self::Foot,
    ];

    /// Length of one, metres. An inch is 0.0254 m exactly (international yard and pound agreement, 1959).
    pub fn metres(self) -> f32 {
        match self {
            Self::Metre => 1.0,
            Self::Centimetre => 0.01,
            Self::Millimetre => 0.001,
            Self::Inch => 0.0254,
            Self::Foot => 0.3048,
        }
    }

    /// Its plural.
    pub fn name(self) -> &'static str {
        match self {
            Self::Metre => "metres",
            Self::Centimetre => "centimetres",
            Self::Millimetre => "millimetres",
            Self::Inch => "inches",
            Self::Foot => "feet",
        }
    }

    /// The unit of a sign such as `cm`.
    pub fn from_sign(sign: &str) -> Option<Self> {
        match sign {
            "m" => Some(Self::Metre),
            "cm" => Some(Self::Centimetre),
            "mm" => Some(Self::Millimetre),
            "in" | "inch" => Some(Self::Inch),
            "ft" | "foot" => Some(Self::Foot),
            _ => None,
        }
    }
}

/// How a scene is to be read.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ImportOptions {
    /// The unit it was made in.
    pub unit: Unit,
    /// The moment of its motion, seconds.
    pub time_s: f64,
    /// Objects that stand elsewhere than the file says.
    pub moves: Vec<ObjectMove>,
}

/// The endings that can be brought in.
pub const ENDINGS: [&str; 4] = ["glb", "gltf", "obj", "zip"];

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
        "zip" => {
            let folder =
                tempfile::tempdir().map_err(dome_files::FileError::io("Unpacking", path))?;
            let files = archive::unpack(path, folder.path(), archive::Limits::default())?;
            let scene = find_scene(&files, &name)?;
            load(&folder.path().join(scene), options)
        }
        other => Err(TraceError::unsupported(
            &name,
            format!(
                "its ending .{other} is not one of .glb, .gltf, .obj and .zip; export the scene as one of these"
            ),
        )),
    }
}

/// The one scene file among those of an archive: the one nearest to the top.
pub fn find_scene(files: &[PathBuf], archive: &str) -> Result<PathBuf, TraceError> {
    let mut scenes: Vec<&PathBuf> = files
        .iter()
        .filter(|f| ["glb", "gltf", "obj"].contains(&ending(f).as_str()))
        .filter(|f| !f.components().any(|c| c.as_os_str() == "__MACOSX"))
        .collect();
    scenes.sort_by_key(|f| (f.components().count(), (*f).clone()));
    match scenes[..] {
        [] => Err(TraceError::unsupported(
            archive,
            "it holds no .gltf, .glb or .obj file; pack the scene file with its textures",
        )),
        [first, second, ..] if first.components().count() == second.components().count() => {
            Err(TraceError::unsupported(
                archive,
                format!(
                    "it holds several scenes, {} and {}; pack one at a time",
                    first.display(),
                    second.display()
                ),
            ))
        }
        [first, ..] => Ok(first.clone()),
    }
}

/// Reads a file that a scene refers to, which must lie in the scene's own folder.
fn read_beside(folder: &Path, reference: &str, scene: &str) -> Result<Vec<u8>, TraceError> {
    let Some(relative) = archive::safe_relative(reference) else {
        return Err(TraceError::unsupported(
            scene,
            format!(
                "it refers to \"{reference}\", which leads out of its folder; put all files beside the scene"
            ),
        ));
    };
    std::fs::read(folder.join(relative)).map_err(|_| {
        TraceError::unsupported(
            scene,
            format!(
                "its file \"{reference}\" is not there; bring it along, in a .zip with the scene"
            ),
        )
    })
}
