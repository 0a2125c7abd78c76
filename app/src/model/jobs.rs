//! Jobs: all long work, of one kind for the queue, whatever it makes.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a job makes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "lowercase")]
pub enum JobKind {
    /// The picture of an order.
    Order,
    /// A package of a finished picture.
    Package,
    /// A picture in another shape.
    Conversion,
    /// A sphere of six faces.
    Assembly,
    /// A picture without its fault.
    Mending,
}

/// Where a job is on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// Put aside by hand; it waits when it is let go.
    Held,
    /// Waiting for its turn.
    Waiting,
    /// Being done.
    Running,
    /// Stopped by hand; what is finished of it is kept.
    Stopped,
    /// It could not be finished; it says why.
    Failed,
    /// What it makes is there.
    Done,
}

/// Jobs of a lane are done one after the other; lanes go side by side, so that a conversion does not wait for a render of
/// hours, nor what is handed over for a conversion.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// Renders on this machine.
    Renders,
    /// Renders on a farm; where there is none, nothing is on this lane.
    Farm,
    /// What is made of pictures.
    Pictures,
    /// What is handed over.
    Packages,
}

impl Lane {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Renders, Self::Farm, Self::Pictures, Self::Packages];
}

impl JobKind {
    /// All of them.
    pub const ALL: [Self; 5] = [
        Self::Order,
        Self::Package,
        Self::Conversion,
        Self::Assembly,
        Self::Mending,
    ];

    /// Its name in the database.
    pub fn name(self) -> &'static str {
        match self {
            Self::Order => "order",
            Self::Package => "package",
            Self::Conversion => "conversion",
            Self::Assembly => "assembly",
            Self::Mending => "mending",
        }
    }

    /// The kind with a name.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|k| k.name() == name)
    }

    /// Where it is done, if not on a farm.
    pub fn lane(self) -> Lane {
        match self {
            Self::Order => Lane::Renders,
            Self::Package => Lane::Packages,
            Self::Conversion | Self::Assembly | Self::Mending => Lane::Pictures,
        }
    }

    /// Whether it makes one of the pictures of the page Pictures.
    pub fn makes_picture(self) -> bool {
        matches!(self, Self::Conversion | Self::Assembly | Self::Mending)
    }
}

impl Job {
    /// Where it is done.
    pub fn lane(&self) -> Lane {
        match self.kind.lane() {
            Lane::Renders if self.on_farm => Lane::Farm,
            lane => lane,
        }
    }
}

impl JobState {
    /// All of them.
    pub const ALL: [Self; 6] = [
        Self::Held,
        Self::Waiting,
        Self::Running,
        Self::Stopped,
        Self::Failed,
        Self::Done,
    ];

    /// Its name in the database.
    pub fn name(self) -> &'static str {
        match self {
            Self::Held => "held",
            Self::Waiting => "waiting",
            Self::Running => "running",
            Self::Stopped => "stopped",
            Self::Failed => "failed",
            Self::Done => "done",
        }
    }

    /// The state with a name.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.name() == name)
    }

    /// Whether nothing more happens to it unless somebody asks.
    pub fn is_over(self) -> bool {
        matches!(self, Self::Stopped | Self::Failed | Self::Done)
    }
}

/// A job to be queued.
#[derive(Clone, Debug)]
pub struct NewJob {
    /// What it makes.
    pub kind: JobKind,
    /// The project it belongs to, if to one.
    pub project: Option<i64>,
    /// What is asked, as JSON; of an order its own row says that.
    pub asked: String,
    /// What it is, for people.
    pub what: String,
    /// Whether it is put aside until it is let go.
    pub held: bool,
    /// Memory it takes beside what readers claim by themselves, bytes.
    pub memory: u64,
    /// Space on disk it takes at most, bytes.
    pub disk: u64,
    /// Whether a farm makes it.
    pub on_farm: bool,
}

/// A job as it is kept.
#[derive(Clone, Debug, PartialEq)]
pub struct Job {
    /// Number.
    pub id: i64,
    /// What it makes.
    pub kind: JobKind,
    /// The project it belongs to, if to one.
    pub project: Option<i64>,
    /// Number of the order, package or picture that it makes.
    pub makes: i64,
    /// What is asked, as JSON.
    pub asked: String,
    /// What it is, for people.
    pub what: String,
    /// Where it is.
    pub state: JobState,
    /// Its place in the queue; the lowest has its turn first.
    pub place: i64,
    /// When it may begin, Unix seconds.
    pub not_before: Option<i64>,
    /// Whether a farm makes it.
    pub on_farm: bool,
    /// How often it was begun since it last came forward.
    pub attempts: u32,
    /// Memory it takes beside what readers claim by themselves, bytes.
    pub memory: u64,
    /// Space on disk it takes at most, bytes.
    pub disk: u64,
    /// Time spent on it, seconds.
    pub spent_s: f64,
    /// Why it failed, or what is to be said about it.
    pub problem: Option<String>,
    /// When it ended, Unix seconds.
    pub ended: Option<i64>,
    /// How far it is as whoever does it has written down: share, and the seconds that are left.
    pub written: (Option<f64>, Option<f64>),
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Names in the database are those of the API, and each means one thing.
    #[test]
    fn names_are_read_back() {
        for kind in JobKind::ALL {
            assert_eq!(JobKind::of_name(kind.name()), Some(kind));
            assert_eq!(
                serde_json::to_value(kind).unwrap(),
                serde_json::json!(kind.name())
            );
        }
        for state in JobState::ALL {
            assert_eq!(JobState::of_name(state.name()), Some(state));
            assert_eq!(
                serde_json::to_value(state).unwrap(),
                serde_json::json!(state.name())
            );
        }
        assert_eq!(JobKind::of_name("film"), None);
    }
}
