//! What goes over HTTP. The web's types are generated from these.

use super::job_types::JobInfo;
pub use super::scene_types::{LightInfo, SunPosition, SurroundingsFile};
use crate::model::jobs::JobState;
use crate::model::orders::PassShape;
pub use crate::model::orders::{Lens, OrderSpec};
pub use crate::model::packages::{CheckInfo, Package, PackageRequest};
pub use crate::model::places::{NewViewpoint, Opening, Pose, Ride, Viewpoint};
pub use crate::model::scenes::SceneSummary;
pub use crate::model::settings::SceneSettings;
use dome_trace::Pass;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A viewpoint as it is sent to be made or changed.
#[derive(Clone, Debug, Default, Deserialize, TS)]
#[ts(export)]
pub struct ViewpointDraft {
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
    /// The version that was changed: if it is another one by now, the change is refused.
    #[serde(default)]
    #[ts(optional)]
    pub version: Option<i64>,
}

impl ViewpointDraft {
    /// What is kept of it.
    pub fn viewpoint(&self) -> NewViewpoint {
        NewViewpoint {
            name: self.name.clone(),
            pose: self.pose,
            unlocked: self.unlocked,
            opening: self.opening,
            ride: self.ride.clone(),
        }
    }
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

/// A whole project.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Project {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// What came in.
    pub scene: SceneSummary,
    /// Surroundings, lights, unit and moment.
    pub settings: SceneSettings,
    /// Version of the settings: another one after every change of theirs.
    pub version: i64,
    /// The places to stand.
    pub viewpoints: Vec<Viewpoint>,
    /// What was ordered, newest first.
    pub orders: Vec<Order>,
    /// What was handed over, newest first.
    pub packages: Vec<Package>,
    /// The change that can be undone.
    pub undo: Option<String>,
    /// The change that can be done again.
    pub redo: Option<String>,
}

/// A change of a project; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct ProjectChange {
    /// New name.
    pub name: Option<String>,
    /// New surroundings, lights, unit and moment, all together.
    pub settings: Option<SceneSettings>,
    /// The version of the settings that was changed: if it is another one by now, the change is refused.
    pub version: Option<i64>,
}

/// An order and how far it is.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Order {
    /// Number.
    pub id: i64,
    /// Project it belongs to.
    pub project: i64,
    /// The job that makes it.
    pub job: i64,
    /// What to render.
    pub spec: OrderSpec,
    /// Where it is.
    pub state: JobState,
    /// Share of the work that is done, 0 to 1; 1 only when the master is there.
    pub progress: f64,
    /// Rows that are finished strips, as (first row, number of rows).
    pub strips: Vec<(u32, u32)>,
    /// Remaining time, seconds, once it can be told.
    pub remaining_s: Option<f64>,
    /// Noise of what is finished, percent of the displayed value.
    pub noise_percent: Option<f64>,
    /// Mean number of samples of the finished pixels.
    pub mean_samples: Option<f64>,
    /// Time spent on rendering, seconds.
    pub spent_s: f64,
    /// Size of the master on disk, bytes.
    pub master_bytes: Option<u64>,
    /// Why it failed, or what is to be said of one that runs or is finished.
    pub problem: Option<String>,
    /// Fingerprint of its picture, once it was begun: equal pictures have equal ones, and are made once.
    pub picture: Option<String>,
}

/// What is asked of the renderer.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct OrderRequest {
    /// Number of the viewpoint.
    pub viewpoint: i64,
    /// Shape by its name on the command line; the full sphere if absent.
    pub shape: Option<String>,
    /// Width in pixels.
    pub width: u32,
    /// Samples per pixel; with a noise target the most a pixel may take.
    pub samples: u32,
    /// Noise at which a pixel is finished, percent of the displayed value.
    pub noise_percent: Option<f32>,
    /// Seed; 0 if absent.
    pub seed: Option<u32>,
    /// Number of the light setup; the one in use if absent.
    pub setup: Option<u32>,
    /// Whether it is a draft.
    pub draft: Option<bool>,
    /// What is made beside the picture.
    #[ts(as = "Option<Vec<PassShape>>")]
    pub passes: Option<Vec<Pass>>,
    /// One grey over everything but glass.
    pub clay: Option<bool>,
    /// A lens that is not sharp everywhere.
    pub lens: Option<Lens>,
    /// Whether noise is taken out of the finished picture.
    pub denoise: Option<bool>,
    /// Brightest light that one sample may add.
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres; 1 if absent.
    pub occlusion_m: Option<f32>,
}

/// How wide a sphere must be for its use.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct WidthPlan {
    /// Width that keeps full detail in the middle of the frame, pixels.
    pub middle: u32,
    /// And at its edges.
    pub edges: u32,
    /// Width that uses a headset to the full, pixels.
    pub headset: u32,
    /// How sharp a sphere of the asked width is behind the frame: degrees from its middle, and pixels of the
    /// sphere for each pixel of the frame (below 1 it looks soft).
    pub sharpness: Vec<(f64, f64)>,
}

/// What an order will take.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Estimate {
    /// Height in pixels.
    pub height: u32,
    /// Largest size the master can have, bytes.
    pub master_bytes: u64,
    /// Space needed while rendering, bytes, the master included.
    pub working_bytes: u64,
    /// Free space that no other job has spoken for, bytes.
    pub free_bytes: Option<u64>,
    /// Pixels per degree along the horizon.
    pub pixels_per_degree: f64,
    /// Memory while rendering, bytes: strips, noise removal and pictures for the screen, and the scene if it is known.
    pub memory_bytes: u64,
    /// The scene's part of it with its textures, bytes; nothing before it was read.
    pub scene_bytes: Option<u64>,
    /// What all work together may take, bytes.
    pub memory_limit: u64,
}

impl Estimate {
    /// What a job takes beside its scene, which claims its memory by itself, bytes.
    pub fn job_bytes(&self) -> u64 {
        self.memory_bytes - self.scene_bytes.unwrap_or(0)
    }
}

/// A colour of an object mask.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct MaskEntry {
    /// The colour as #rrggbb.
    pub colour: String,
    /// Name of the object.
    pub object: String,
}

/// What a live picture shows.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct PreviewRequest {
    /// Where the eye is.
    pub pose: Pose,
    /// Width in pixels.
    pub width: u32,
    /// One grey over everything but glass.
    pub clay: Option<bool>,
    /// Without the scene's light, many times a second: for while the viewpoint moves.
    pub quick: Option<bool>,
    /// Number of the light setup; the one in use if absent.
    pub setup: Option<u32>,
}

/// What a light setup is to be called.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct SetupRequest {
    /// Name; no other one of the project may have it.
    pub name: String,
}

/// Something changed on the server.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Event {
    /// A job moved on.
    Job {
        /// The job.
        job: JobInfo,
        /// Of a render: strips that were finished since it was last told, as (first row, number of rows).
        strips: Vec<(u32, u32)>,
    },
    /// Jobs were removed, or their turns changed.
    Jobs,
    /// A project changed otherwise, e.g. its card got a picture.
    Project {
        /// Its number.
        project: i64,
    },
    /// A picture made elsewhere came, changed or went.
    Pictures,
}

/// What goes wrong, as one shape.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ApiError {
    /// One sentence: what, where, what to do.
    pub error: String,
    /// What to choose from, where the request must say which.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub choices: Option<Vec<String>>,
}
