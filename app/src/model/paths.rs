//! Paths of viewpoints as they are kept, sent, and read from files that may be drawn up by hand (`docs/paths.md`).

use super::places::Opening;
use dome_optics::path::{self, Ease, EyePath, PathError};
use glam::DVec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How a path goes on from a key to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum Between {
    /// It stays, and is at the next key from its moment on.
    Held,
    /// Straight on.
    Straight,
    /// On a smooth line through the keys.
    #[default]
    Smooth,
}

/// Where a viewpoint is at a moment of its path, and what else is set there.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(deny_unknown_fields)]
pub struct PathKey {
    /// The moment of the scene's motion, seconds.
    pub time_s: f64,
    /// Eye position, metres.
    pub position: [f64; 3],
    /// How it goes on to the next key.
    #[serde(default)]
    pub on: Between,
    /// Heading, degrees clockwise from -Z; without it the viewpoint's own, or what other keys say.
    #[serde(default)]
    pub heading_deg: Option<f64>,
    /// Whole turns more than the short way from the last heading to this one.
    #[serde(default)]
    pub turns: i32,
    /// The opening view.
    #[serde(default)]
    pub opening: Option<Opening>,
    /// Distance of the eyes, metres.
    #[serde(default)]
    pub separation_m: Option<f64>,
    /// Distance at which the eyes meet, metres.
    #[serde(default)]
    pub converge_m: Option<f64>,
}

/// The path of a viewpoint.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(deny_unknown_fields)]
pub struct ViewpointPath {
    /// Its keys, at rising moments.
    pub keys: Vec<PathKey>,
    /// How long it takes until it is at its full speed, seconds.
    #[serde(default)]
    pub ease_in_s: f64,
    /// How long it takes from there to its rest, seconds.
    #[serde(default)]
    pub ease_out_s: f64,
    /// Whether the whole way is gone at one speed, whatever the keys' moments between the first and the last.
    #[serde(default)]
    pub constant_speed: bool,
    /// Height above the floor, metres, if it follows the floor.
    #[serde(default)]
    pub above_floor_m: Option<f64>,
}

impl PathKey {
    /// A place at a moment, and nothing else.
    pub fn at(time_s: f64, position: [f64; 3]) -> Self {
        Self {
            time_s,
            position,
            on: Between::default(),
            heading_deg: None,
            turns: 0,
            opening: None,
            separation_m: None,
            converge_m: None,
        }
    }
}

impl From<Between> for path::Between {
    fn from(between: Between) -> Self {
        match between {
            Between::Held => Self::Held,
            Between::Straight => Self::Straight,
            Between::Smooth => Self::Smooth,
        }
    }
}

impl From<Opening> for path::Opening {
    fn from(opening: Opening) -> Self {
        Self {
            heading_deg: opening.heading_deg,
            pitch_deg: opening.pitch_deg,
            hfov_deg: opening.hfov_deg,
        }
    }
}

impl From<path::Opening> for Opening {
    fn from(opening: path::Opening) -> Self {
        Self {
            heading_deg: opening.heading_deg,
            pitch_deg: opening.pitch_deg,
            hfov_deg: opening.hfov_deg,
        }
    }
}

impl ViewpointPath {
    /// Ready to be asked.
    pub fn ready(&self) -> Result<EyePath, PathError> {
        let keys = self.keys.iter().map(|k| path::PathKey {
            time_s: k.time_s,
            position: DVec3::from(k.position),
            on: k.on.into(),
            heading_deg: k.heading_deg,
            turns: k.turns,
            opening: k.opening.map(path::Opening::from),
            separation_m: k.separation_m,
            convergence_m: k.converge_m,
        });
        let ease = Ease {
            in_s: self.ease_in_s,
            out_s: self.ease_out_s,
        };
        EyePath::new(keys.collect(), ease, self.constant_speed)
    }
}
