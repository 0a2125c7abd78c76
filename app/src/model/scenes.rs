//! What came in with a scene, as it is kept.

use super::places::Pose;
use super::settings::{UnitShape, UpShape};
use dome_trace::{Unit, Up};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What came in with a scene.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct SceneSummary {
    /// Name of the file that was brought.
    pub file: String,
    /// Format.
    pub format: String,
    /// Number of triangles.
    pub triangles: u64,
    /// Number of materials in use or not.
    pub materials: u32,
    /// Number of textures' pictures.
    pub textures: u32,
    /// The objects.
    pub objects: Vec<ObjectInfo>,
    /// Lowest corner, metres.
    pub min: [f64; 3],
    /// Highest corner, metres.
    pub max: [f64; 3],
    /// What was left out.
    pub left_out: Vec<LeftOutInfo>,
    /// Odd things.
    pub notices: Vec<String>,
    /// What was taken over beside meshes, with its number.
    #[serde(default)]
    pub understood: Vec<String>,
    /// How it is known what the numbers of its lights mean.
    #[serde(default)]
    pub light_why: String,
    /// Cameras that came with the scene, to be taken as viewpoints.
    #[serde(default)]
    pub cameras: Vec<CameraInfo>,
    /// Length of the longest animation, seconds; 0 without one.
    #[serde(default)]
    pub motion_s: f64,
    /// What moves during the animation.
    #[serde(default)]
    pub movers: Vec<MoverInfo>,
    /// Which way is up and how large it is, as the triangles tell; not known of scenes that came in long ago.
    #[serde(default)]
    pub guess: Option<FrameGuess>,
    /// What the file's own coordinates have more than the places that are kept, metres with Y up: people type and read the file's.
    #[serde(default)]
    pub offset_m: [f64; 3],
}

impl SceneSummary {
    /// Stands for one that cannot be read.
    pub fn unreadable(file: &str, why: &str) -> Self {
        Self {
            file: file.into(),
            format: "not known".into(),
            triangles: 0,
            materials: 0,
            textures: 0,
            objects: Vec::new(),
            min: [0.0; 3],
            max: [0.0; 3],
            left_out: Vec::new(),
            notices: vec![format!(
                "What is known of this scene could not be read ({why}). Bring its file once more as a newer export: that tells it anew, and all else stays."
            )],
            understood: Vec::new(),
            light_why: String::new(),
            cameras: Vec::new(),
            motion_s: 0.0,
            movers: Vec::new(),
            guess: None,
            offset_m: [0.0; 3],
        }
    }
}

/// One object of a scene.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct ObjectInfo {
    /// Name.
    pub name: String,
    /// Number of triangles.
    pub triangles: u32,
    /// Name of its (first) material.
    pub material: String,
    /// Size along x, y and z, metres.
    pub size: [f64; 3],
    /// Whether it gives light.
    pub light: bool,
}

/// Something an import left out, and why.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct LeftOutInfo {
    /// What, with its number.
    pub what: String,
    /// Why.
    pub why: String,
}

/// A camera that came with a scene.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct CameraInfo {
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Number of its node, by which a viewpoint can ride on it.
    #[serde(default)]
    pub node: u32,
}

/// Something that moves during the animation, and its way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct MoverInfo {
    /// Name.
    pub name: String,
    /// Number of the node.
    pub node: u32,
    /// Whether it is a camera.
    pub camera: bool,
    /// Moments, seconds.
    pub times: Vec<f64>,
    /// Where it is then, metres.
    pub points: Vec<[f64; 3]>,
    /// Where it is now, metres.
    pub now: [f64; 3],
}

/// What the triangles of a scene say about how it is to be read.
#[derive(Clone, Debug, Default, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FrameGuess {
    /// The axis of the file that the scene was read with as up.
    #[ts(as = "UpShape")]
    pub used: Up,
    /// The axis of the file that likely points up.
    #[ts(as = "UpShape")]
    pub up: Up,
    /// Whether the signs for it are plain; else it is a rough guess.
    pub up_sure: bool,
    /// What speaks for it.
    pub up_why: String,
    /// Whether the format itself says which way is up.
    pub up_told: bool,
    /// The unit that its size speaks for.
    #[ts(as = "UnitShape")]
    pub unit: Unit,
    /// Whether no other unit comes near.
    pub unit_sure: bool,
    /// What speaks for it.
    pub unit_why: String,
}

/// A project on its card.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ProjectCard {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// When it was made, Unix seconds.
    pub created: i64,
    /// Number of viewpoints.
    pub viewpoints: u32,
    /// Number of finished pictures.
    pub masters: u32,
    /// Whether the card's picture is there yet.
    pub has_picture: bool,
}
