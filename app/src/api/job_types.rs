//! Jobs over HTTP. The web's types are generated from these.

use crate::model::jobs::{JobKind, JobState};
use serde::{Deserialize, Serialize};
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
    /// Why it failed, or what is to be said about it.
    pub problem: Option<String>,
}

/// A change of a job's turn; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct JobChange {
    /// Whether it is on hold.
    pub held: Option<bool>,
    /// The job that it comes right before; 0 is the end of the queue.
    pub before: Option<i64>,
    /// When it may begin, Unix seconds; 0 is at once.
    pub not_before: Option<i64>,
}
