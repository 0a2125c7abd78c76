//! Places to stand, as they are kept.

use super::paths::ViewpointPath;
use super::rigs::Rig;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Where a viewpoint stands and looks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Pose {
    /// Eye position, metres.
    pub position: [f64; 3],
    /// Degrees clockwise from -Z.
    pub heading_deg: f64,
    /// Degrees upwards; 0 unless unlocked.
    pub pitch_deg: f64,
    /// Degrees clockwise; 0 unless unlocked.
    pub roll_deg: f64,
}

/// A place to stand.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Viewpoint {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Whether pitch and roll may differ from 0.
    pub unlocked: bool,
    /// What is seen first, if it is not straight ahead.
    #[serde(default)]
    pub opening: Option<Opening>,
    /// What it rides on.
    #[serde(default)]
    pub ride: Option<Ride>,
    /// The way that it takes while time goes by.
    #[serde(default)]
    pub path: Option<ViewpointPath>,
    /// How its eyes stand.
    #[serde(default)]
    pub rig: Rig,
    /// Another one after every change.
    #[serde(default)]
    pub version: i64,
}

/// What a viewer sees first, in the world: it does not turn with the picture's middle.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Opening {
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Pitch, degrees.
    pub pitch_deg: f64,
    /// Horizontal field of view, degrees.
    pub hfov_deg: f64,
}

/// What a viewpoint rides on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Ride {
    /// Number of the node in the scene's file.
    pub node: u32,
    /// Its name.
    pub name: String,
    /// From there to the eye, metres along the world's axes; the viewpoint does not turn with it.
    pub offset: [f64; 3],
}

/// A viewpoint that is made or changed.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct NewViewpoint {
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Whether pitch and roll may differ from 0.
    pub unlocked: bool,
    /// What is seen first, if it is not straight ahead.
    pub opening: Option<Opening>,
    /// What it rides on.
    pub ride: Option<Ride>,
    /// The way that it takes while time goes by; then it rides on nothing.
    pub path: Option<ViewpointPath>,
    /// How its eyes stand.
    pub rig: Rig,
}

impl NewViewpoint {
    /// A viewpoint as it is sent to be changed.
    pub fn of(viewpoint: &Viewpoint) -> Self {
        let Viewpoint {
            name,
            pose,
            unlocked,
            opening,
            ride,
            path,
            rig,
            ..
        } = viewpoint.clone();
        Self {
            name,
            pose,
            unlocked,
            opening,
            ride,
            path,
            rig,
        }
    }
}
