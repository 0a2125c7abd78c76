//! What is told of a viewpoint's path.

use super::standing::LevelShape;
use dome_rules::preflight::Level;
use serde::Serialize;
use ts_rs::TS;

/// What a path does to whoever is led along it.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PathInfo {
    /// How long its line is, metres.
    pub length_m: f64,
    /// Evenly from its first moment to its last.
    pub moments: Vec<PathMoment>,
    /// What is near, evenly likewise, at fewer moments.
    pub near: Vec<PathNear>,
    /// The moments at which its keys are come to, seconds.
    pub key_moments_s: Vec<f64>,
    /// Where it goes at each key, degrees; nothing if it never moves.
    pub travel_at_keys_deg: Option<Vec<f64>>,
    /// Distances of the eyes at its keys that are comfortable all the way, metres; of a panoramic pair alone.
    pub fitted_separations_m: Option<Vec<f64>>,
    /// Up to this speed it is walked, metres a second.
    pub walking_m_s: f64,
    /// Up to this much turning nobody notices, degrees a second.
    pub still_deg_s: f64,
    /// Up to this far aside of where one looks people do not mind travelling, degrees.
    pub aside_deg: f64,
    /// From this distance on nothing is too near, for the viewer and for two eyes if there are two, metres.
    pub free_m: f64,
    /// What spoils it.
    pub findings: Vec<PathFinding>,
}

/// A moment of a path.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PathMoment {
    /// The moment, seconds.
    pub time_s: f64,
    /// The time among those of the keys: another one with an ease or at constant speed.
    pub key_time_s: f64,
    /// Eye position, metres.
    pub position: [f64; 3],
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Where it goes, degrees.
    pub travel_deg: Option<f64>,
    /// Metres a second.
    pub speed_m_s: f64,
    /// Degrees a second, to the right.
    pub turning_deg_s: f64,
    /// Distance of the eyes, metres, if keys say it.
    pub separation_m: Option<f64>,
    /// Distance at which they meet, metres, if keys say it.
    pub converge_m: Option<f64>,
}

/// What is near at a moment of a path.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PathNear {
    /// The moment, seconds.
    pub time_s: f64,
    /// The nearest thing, metres.
    pub nearest_m: Option<f64>,
    /// Its name.
    pub object: Option<String>,
    /// Height above the floor, metres.
    pub above_floor_m: Option<f64>,
}

/// Something that spoils a path.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PathFinding {
    /// The rule's name.
    pub rule: String,
    /// How bad it is.
    #[ts(as = "LevelShape")]
    pub level: Level,
    /// What is wrong.
    pub what: String,
    /// What to do.
    pub remedy: String,
    /// When it begins, seconds.
    pub from_s: f64,
    /// When it ends, seconds.
    pub to_s: f64,
}
