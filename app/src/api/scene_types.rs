//! What a scene, its light and its settings look like over HTTP.

use serde::Serialize;
use ts_rs::TS;

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
    /// How strong it is as the scene says, in every measure of its kind, the most usual one first.
    pub measures: Vec<MeasureInfo>,
    /// Whether the viewpoint sees it.
    pub seen: bool,
}

/// A quantity of light.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct MeasureInfo {
    /// How much.
    pub value: f64,
    /// Its unit: cd/m², cd, lm, lx or W.
    pub unit: String,
    /// What it is meant by.
    pub of: String,
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
