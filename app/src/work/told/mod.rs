//! What work tells: derived from what is kept and from what is being done, never kept itself. The page's types are
//! written from these, and whoever answers a request passes them on as they are.

pub mod depth;
pub mod jobs;
pub mod light;
pub mod paths;
pub mod pictures;
pub mod standing;

use jobs::JobInfo;
use serde::Serialize;
use ts_rs::TS;

/// Something changed on the server.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Event {
    /// A job moved on.
    Job {
        /// The job.
        job: Box<JobInfo>,
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
    /// Free space of the data folder's disk that no other job has spoken for, bytes.
    pub free_bytes: Option<u64>,
    /// Of what is written into the folder for outputs, if that lies on another disk: bytes, those free there, and the folder.
    pub elsewhere: Option<Elsewhere>,
    /// Pixels per degree along the horizon.
    pub pixels_per_degree: f64,
    /// Memory while rendering, bytes: strips, noise removal and pictures for the screen, and the scene if it is known.
    pub memory_bytes: u64,
    /// The scene's part of it with its textures, bytes; nothing before it was read.
    pub scene_bytes: Option<u64>,
    /// What all work together may take, bytes.
    pub memory_limit: u64,
}

/// How long an order will take.
#[derive(Clone, Copy, Debug, Serialize, TS)]
#[ts(export)]
pub struct TimeTold {
    /// On this machine, if it has nothing else to do, seconds.
    pub seconds: f64,
    /// Mean samples of a pixel.
    pub samples: f64,
}

/// What this machine can do.
#[derive(Clone, Copy, Debug, Serialize, TS)]
#[ts(export)]
pub struct Machine {
    /// Whether the denoising library is there: without it noise is taken out by the built-in filter.
    pub denoiser: bool,
}

/// What an order writes on another disk than that of the data folder.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Elsewhere {
    /// The folder.
    pub folder: String,
    /// What is written there at most, bytes.
    pub bytes: u64,
    /// Free there, bytes.
    pub free_bytes: Option<u64>,
}

/// What the frames of a sequence are.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FramesEstimate {
    /// How many.
    pub count: u32,
    /// How long they last, seconds.
    pub lasts_s: f64,
    /// The first file within the folder for outputs.
    pub first_file: String,
    /// The folder for outputs.
    pub folder: String,
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

/// A picture of surroundings that was brought.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SurroundingsFile {
    /// Its name, for the sky.
    pub file: String,
    /// Its shape, e.g. latitude-longitude.
    pub shape: String,
    /// What its 1 is, cd/m², if it says so (OpenEXR's `whiteLuminance`).
    pub unit_cd_m2: Option<f32>,
    /// Odd things.
    pub notices: Vec<String>,
}
