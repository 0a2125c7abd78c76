//! What is told of jobs and orders.

use crate::model::jobs::{JobKind, JobState};
use crate::model::orders::OrderSpec;
use serde::Serialize;
use ts_rs::TS;

/// A job and how far it is.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct JobInfo {
    /// Number.
    pub id: i64,
    /// What it makes.
    pub kind: JobKind,
    /// The project it belongs to, if to one.
    pub project: Option<i64>,
    /// Number of the order, package or picture that it makes.
    pub makes: i64,
    /// What it is, for people.
    pub what: String,
    /// Where it is.
    pub state: JobState,
    /// When it may begin, Unix seconds.
    pub not_before: Option<i64>,
    /// When it ended, Unix seconds.
    pub ended: Option<i64>,
    /// Of an order, where there is a farm: whether the farm makes it.
    pub on_farm: Option<bool>,
    /// How often it was begun since it last came forward.
    pub attempts: u32,
    /// Share that is done, 0 to 1; 1 only when what it makes is there.
    pub progress: f64,
    /// Seconds that are left, once they can be told.
    pub remaining_s: Option<f64>,
    /// Time spent on it, seconds.
    pub spent_s: f64,
    /// Of a render: noise of what is finished, percent of the displayed value.
    pub noise_percent: Option<f64>,
    /// Of a render: mean number of samples of the finished pixels.
    pub mean_samples: Option<f64>,
    /// Of a render: the strip that is being made, if it takes long.
    pub under_way: Option<UnderWay>,
    /// Of a sequence: its frames.
    pub frames: Option<FramesInfo>,
    /// Why it failed, or what is to be said about it.
    pub problem: Option<String>,
}

/// A strip that is being made.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[ts(export)]
pub struct UnderWay {
    /// Its first row.
    pub top: u32,
    /// Its number of rows.
    pub rows: u32,
    /// How many of them are finished.
    pub done: u32,
}

/// How far the frames of an order are.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FramesInfo {
    /// How many there are to be.
    pub total: u32,
    /// How many are there.
    pub done: u32,
    /// The one that is being made.
    pub current: Option<u32>,
    /// What a frame took on average since the order was begun last, seconds.
    pub frame_s: Option<f64>,
    /// How long they last, seconds.
    pub lasts_s: f64,
    /// Frames that are there, evenly chosen where they are many.
    pub shown: Vec<u32>,
    /// The first file within the folder for outputs.
    pub first_file: String,
    /// The folder of the frames.
    pub folder: String,
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
    /// The strip that is being made, if it takes long.
    pub under_way: Option<UnderWay>,
    /// Remaining time, seconds, once it can be told.
    pub remaining_s: Option<f64>,
    /// Noise of what is finished as it is rendered, percent of the displayed value.
    pub noise_percent: Option<f64>,
    /// What denoising left of it, once it is done.
    pub noise_left_percent: Option<f64>,
    /// Mean number of samples of the finished pixels.
    pub mean_samples: Option<f64>,
    /// Time spent on rendering, seconds.
    pub spent_s: f64,
    /// Of a sequence: its frames.
    pub frames: Option<FramesInfo>,
    /// Of one picture that goes to the folder for outputs: the file there.
    pub out_file: Option<String>,
    /// Size of the master on disk, bytes.
    pub master_bytes: Option<u64>,
    /// Why it failed, or what is to be said of one that runs or is finished.
    pub problem: Option<String>,
    /// Fingerprint of its picture, once it was begun: equal pictures have equal ones, and are made once.
    pub picture: Option<String>,
}
