//! How a scene is lit, read and stood in, as it is kept.

use dome_rules::preflight::Purpose;
use dome_trace::{LightSettings, ObjectMove, Surroundings, Unit, Up};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

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
    /// Place in the file, in its own axes and unit, that is the origin here; chosen near the scene when that comes in.
    pub origin: [f64; 3],
    /// The moment of the scene's motion, seconds.
    pub time_s: f64,
    /// Objects that stand elsewhere than the file says, in the order in which they were moved.
    #[ts(as = "Vec<ObjectMoveShape>")]
    pub moves: Vec<ObjectMove>,
    /// Limits for standing.
    pub stand: StandSettings,
}

/// Limits for standing, as an artist sets them.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(default)]
pub struct StandSettings {
    /// Free space wanted beside the viewer, metres.
    pub beside_m: f64,
    /// Distance between the eyes, millimetres.
    pub eye_separation_mm: f64,
    /// What the pictures are for.
    #[ts(as = "PurposeShape")]
    pub purpose: Purpose,
    /// Whether they will be seen with two eyes.
    pub stereo: bool,
}

impl Default for StandSettings {
    fn default() -> Self {
        let usual = dome_trace::stand::clearance::Limits::default();
        Self {
            beside_m: usual.beside,
            eye_separation_mm: usual.eye_separation * 1000.0,
            purpose: Purpose::default(),
            stereo: false,
        }
    }
}

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
pub(crate) enum UnitShape {
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
pub(crate) enum UpShape {
    Y,
    Z,
}

/// How [`dome_trace::ObjectMove`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "ObjectMove")]
#[allow(dead_code)]
pub struct ObjectMoveShape {
    name: String,
    objects: Vec<u32>,
    about: [f64; 2],
    turn_deg: f64,
    by: [f64; 3],
    on: bool,
}

/// How [`Purpose`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Purpose", rename_all = "lowercase")]
#[allow(dead_code)]
enum PurposeShape {
    Look,
    Headset,
    Dome,
    Light,
}
