//! What goes over HTTP. The web's types are generated from these.

use super::job_types::JobInfo;
pub use super::scene_types::{
    CameraInfo, FrameGuess, LeftOutInfo, LightInfo, ObjectInfo, SceneSettings, SceneSummary,
    SunPosition, SurroundingsFile,
};
use super::stand_types::{Opening, Ride};
use crate::model::jobs::JobState;
use dome_trace::Pass;
use serde::{Deserialize, Serialize};
use ts_rs::TS;
/// How [`Pass`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Pass", rename_all = "kebab-case")]
#[allow(dead_code)]
enum PassShape {
    Alpha,
    Depth,
    Normal,
    Albedo,
    Direct,
    Indirect,
    RawLight,
    Emission,
    Specular,
    AmbientOcclusion,
    Roughness,
    ObjectMask,
    Noise,
}

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
    /// Another one after every change.
    #[serde(default)]
    pub version: i64,
}

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

/// What to render.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct OrderSpec {
    /// Name of the viewpoint when it was ordered.
    pub viewpoint: String,
    /// Where it stood then.
    pub pose: Pose,
    /// What was to be seen first then, if it was not straight ahead.
    #[serde(default)]
    pub opening: Option<Opening>,
    /// Shape of the picture, by its name on the command line.
    #[serde(default = "full_sphere")]
    pub shape: String,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels; it follows from the shape.
    pub height: u32,
    /// Samples per pixel; with a noise target the most a pixel may take.
    pub samples: u32,
    /// Noise at which a pixel is finished, percent of the displayed value; without it every pixel takes
    /// all samples.
    #[serde(default)]
    pub noise_percent: Option<f32>,
    /// Seed of the noise.
    pub seed: u32,
    /// Surroundings, lights, unit and moment when it was ordered.
    #[serde(default)]
    pub settings: SceneSettings,
    /// Whether it is a draft: only drafts use the draft brightness.
    #[serde(default)]
    pub draft: bool,
    /// What is made beside the picture.
    #[serde(default)]
    #[ts(as = "Vec<PassShape>")]
    pub passes: Vec<Pass>,
    /// One grey over everything but glass.
    #[serde(default)]
    pub clay: bool,
    /// A lens that is not sharp everywhere.
    #[serde(default)]
    pub lens: Option<Lens>,
    /// Whether noise is taken out of the finished picture.
    #[serde(default)]
    pub denoise: bool,
    /// Brightest light that one sample may add.
    #[serde(default)]
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres; 1 if absent.
    #[serde(default)]
    pub occlusion_m: Option<f32>,
}

impl OrderSpec {
    /// Stands for one that cannot be read.
    pub fn unreadable() -> Self {
        Self {
            viewpoint: "Unreadable order".into(),
            pose: Pose::default(),
            opening: None,
            shape: full_sphere(),
            width: 2,
            height: 1,
            samples: 1,
            noise_percent: None,
            seed: 0,
            settings: SceneSettings::default(),
            draft: false,
            passes: Vec::new(),
            clay: false,
            lens: None,
            denoise: false,
            clamp: None,
            occlusion_m: None,
        }
    }
}

fn full_sphere() -> String {
    dome_optics::Shape::Equirect.to_string()
}

/// A lens with an opening.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Lens {
    /// The f-number of a lens of 50 mm.
    pub fstop: f64,
    /// Distance at which it is sharp, metres.
    pub focus_m: f64,
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

/// What a package is made from.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct PackageRequest {
    /// Heading of the opening view, degrees.
    pub opening_heading_deg: f64,
    /// Pitch of the opening view, degrees.
    pub opening_pitch_deg: f64,
    /// Horizontal field of view at opening, degrees.
    pub opening_hfov_deg: f64,
    /// Exposure, stops.
    pub exposure_stops: f32,
    /// Whether bright light rolls off softly instead of being cut off.
    pub soft: bool,
    /// JPEG quality, 1 to 100.
    pub quality: u8,
}

/// A property asked for and found in the file.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct CheckInfo {
    /// Which property.
    pub what: String,
    /// What was asked.
    pub asked: String,
    /// What the file says.
    pub found: String,
    /// Whether they agree.
    pub fine: bool,
}

/// A file that was handed over.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Package {
    /// Number.
    pub id: i64,
    /// The order whose master it was made from.
    pub order: i64,
    /// Name of the file.
    pub file: String,
    /// Its size, bytes.
    pub bytes: u64,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Heading of the picture's middle, degrees.
    pub pose_heading_deg: f64,
    /// What was asked.
    pub request: PackageRequest,
    /// What the file says, read back from disk.
    pub checks: Vec<CheckInfo>,
    /// Why a viewer will take it as a sphere, or not.
    pub reason: String,
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
