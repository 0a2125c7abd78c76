//! What is told of places to stand, and what preflight found.

use crate::model::places::Pose;
use dome_rules::preflight::Level;
use serde::Serialize;
use ts_rs::TS;

/// How [`Level`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "FindingLevel", rename_all = "lowercase")]
#[allow(dead_code)]
pub(crate) enum LevelShape {
    Note,
    Warn,
    Stop,
}

/// The floor beneath a point.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FloorInfo {
    /// Height of the floor, metres, or null over the void.
    pub floor_y: Option<f64>,
    /// Name of the object that is the floor.
    pub object: Option<String>,
    /// Height of what is straight above, metres, or null under the open sky.
    pub ceiling_y: Option<f64>,
}

/// A thing near a viewpoint.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct NearInfo {
    /// Its name.
    pub object: String,
    /// Distance, metres.
    pub distance_m: f64,
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Pitch, degrees.
    pub pitch_deg: f64,
    /// Where, metres.
    pub point: [f64; 3],
}

/// What is round a viewpoint.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ClearanceInfo {
    /// Floor and ceiling; furniture is no floor.
    pub floor: FloorInfo,
    /// The nearest thing all round, the floor aside.
    pub nearest: Option<NearInfo>,
    /// Free distance over the ground by heading, metres; 3 degrees from one to the next.
    pub ring: Vec<f32>,
    /// What is wrong with the place.
    pub findings: Vec<FindingInfo>,
}

/// A finding of the preflight.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FindingInfo {
    /// The rule's name.
    pub rule: String,
    /// How bad it is.
    #[ts(as = "LevelShape")]
    pub level: Level,
    /// What is wrong.
    pub what: String,
    /// Where.
    #[serde(rename = "where")]
    pub place: String,
    /// What to do.
    pub remedy: String,
    /// The viewpoint that it is about.
    pub viewpoint: Option<i64>,
    /// The order that it is about.
    pub order: Option<i64>,
    /// Heading at which it is seen, degrees.
    pub heading_deg: Option<f64>,
    /// Pitch at which it is seen, degrees.
    pub pitch_deg: Option<f64>,
    /// What one click does about it.
    pub fix: Option<FixInfo>,
}

/// What one click does about a finding.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FixInfo {
    /// The words on the button.
    pub label: String,
    /// The viewpoint's new pose.
    pub pose: Option<Pose>,
    /// Lights to hide, by their keys.
    pub hide: Vec<String>,
}

/// What lies in one direction.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SeenInfo {
    /// Number of the object.
    pub object: u32,
    /// Its name.
    pub name: String,
    /// Name of the material.
    pub material: String,
    /// Distance, metres.
    pub distance_m: f64,
    /// Where, metres.
    pub point: [f64; 3],
    /// The group that the object belongs to.
    pub group: Option<String>,
    /// Numbers of all objects of the group, or of the object alone.
    pub group_objects: Vec<u32>,
    /// Middle of the object's box, seen from the eye: heading, degrees.
    pub middle_heading_deg: f64,
    /// Its pitch, degrees.
    pub middle_pitch_deg: f64,
    /// Its distance, metres.
    pub middle_distance_m: f64,
}

/// How to be square to a surface.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SquareAnswer {
    /// The new pose.
    pub pose: Pose,
    /// Name of the object.
    pub object: String,
    /// Whether its front is curved.
    pub curved: bool,
    /// How far the surface leans from upright, degrees.
    pub lean_deg: f64,
    /// Distance to it along the new look, metres.
    pub distance_m: f64,
}

/// Something that is seen, with its share of the sphere.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ShareInfo {
    /// Key of its setting in the lights' list.
    pub key: String,
    /// Name.
    pub name: String,
    /// Whether it gives light.
    pub light: bool,
    /// Whether it is hidden from view; it has no share then.
    pub hidden: bool,
    /// Share of the sphere, 0 to 1.
    pub share: f64,
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Pitch, degrees.
    pub pitch_deg: f64,
    /// Nearest point, metres.
    pub distance_m: f64,
}

/// Whether two viewpoints see each other.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SightLine {
    /// One viewpoint.
    pub from: i64,
    /// The other.
    pub to: i64,
    /// Distance, metres.
    pub distance_m: f64,
    /// What stands between them first; null if they see each other.
    pub between: Option<String>,
}

/// A place suggested to stand.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct StartInfo {
    /// Pose there.
    pub pose: Pose,
    /// Name of the object that is the floor.
    pub floor: String,
    /// Height of the eye above it, metres.
    pub above_m: f64,
    /// Free distance all round, metres.
    pub free_m: f64,
    /// Share of the sphere that the scene covers, 0 to 1.
    pub enclosed: f64,
}
