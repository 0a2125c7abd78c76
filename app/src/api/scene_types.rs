//! What a scene, its light and its settings look like over HTTP.

use super::stand_types::{MoverInfo, ObjectMoveShape, StandSettings};
use super::types::Pose;
use dome_trace::{LightSettings, ObjectMove, Surroundings, Unit, Up};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// How [`dome_trace::Sky`], which lives in the core, looks in JSON; only its TypeScript is made from this.
#[derive(TS)]
#[ts(export, rename = "Sky", tag = "kind", rename_all = "kebab-case")]
#[allow(dead_code)]
enum SkyShape {
    Plain { colour: [f32; 3] },
    TwoColour { zenith: [f32; 3], horizon: [f32; 3] },
    Sun(SunSkyShape),
    Picture { file: String },
}

/// How [`dome_trace::SunSky`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "SunSky")]
#[allow(dead_code)]
struct SunSkyShape {
    elevation_deg: f32,
    heading_deg: f32,
    turbidity: f32,
    ground: [f32; 3],
    disc: bool,
}

/// How [`Surroundings`] look in JSON.
#[derive(TS)]
#[ts(export, rename = "Surroundings")]
#[allow(dead_code)]
struct SurroundingsShape {
    sky: SkyShape,
    turn_deg: f32,
    light_stops: f32,
    backdrop_stops: f32,
    transparent: bool,
}

/// How [`dome_trace::LightSetting`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "LightSetting")]
#[allow(dead_code)]
struct LightSettingShape {
    on: bool,
    stops: f32,
    unseen: bool,
}

/// How [`Unit`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Unit", rename_all = "lowercase")]
#[allow(dead_code)]
enum UnitShape {
    Metre,
    Centimetre,
    Millimetre,
    Inch,
    Foot,
}

/// How [`Up`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Up", rename_all = "lowercase")]
#[allow(dead_code)]
enum UpShape {
    Y,
    Z,
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

/// How a project's scene is lit and read.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(default)]
pub struct SceneSettings {
    /// What surrounds it.
    #[ts(as = "SurroundingsShape")]
    pub surroundings: Surroundings,
    /// Lights that are set otherwise than the scene says, by their keys.
    #[ts(as = "BTreeMap<String, LightSettingShape>")]
    pub lights: LightSettings,
    /// Brightness of all light in live pictures and drafts, stops. Final renders never use it.
    pub draft_stops: f32,
    /// The unit that the scene was made in.
    #[ts(as = "UnitShape")]
    pub unit: Unit,
    /// The axis of the file that points up, if the artist said so; else what the format says or the triangles tell.
    #[ts(as = "Option<UpShape>")]
    pub up: Option<Up>,
    /// The moment of the scene's motion, seconds.
    pub time_s: f64,
    /// Objects that stand elsewhere than the file says, in the order in which they were moved.
    #[ts(as = "Vec<ObjectMoveShape>")]
    pub moves: Vec<ObjectMove>,
    /// Limits for standing.
    pub stand: StandSettings,
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

/// One light of a scene.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct LightInfo {
    /// Key of its setting.
    pub key: String,
    /// Name.
    pub name: String,
    /// What kind of light.
    pub kind: String,
    /// Its middle, metres; null for light from one direction.
    pub position: Option<[f64; 3]>,
    /// How strong it is.
    pub strength: f64,
    /// Unit of the strength.
    pub unit: String,
    /// Whether the viewpoint sees it.
    pub seen: bool,
}

/// Where the sun stands.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SunPosition {
    /// Height above the horizon, degrees.
    pub elevation_deg: f64,
    /// Degrees clockwise from north.
    pub heading_deg: f64,
}

/// A picture of surroundings that was brought.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SurroundingsFile {
    /// Its name, for the sky.
    pub file: String,
    /// Its shape, e.g. latitude-longitude.
    pub shape: String,
    /// Odd things.
    pub notices: Vec<String>,
}
