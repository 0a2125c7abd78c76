//! What is told of pictures made elsewhere.

use serde::Serialize;
use ts_rs::TS;

/// Which picture is taken for which face.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct AssemblyGuess {
    /// In our order: left, front, right, back, up, down.
    pub faces: [Option<i64>; 6],
    /// Whether the names say it, or only their order does.
    pub certain: bool,
    /// What it was read from: `words`, `short words`, `letters`, `axes`, `edges` or `numbers`.
    pub by: String,
    /// Quarter turns clockwise that each picture is turned by, in the order of the faces.
    pub turns: [u8; 6],
    /// Where the edges told it: how sure they are, 0 to 1.
    pub confidence: Option<f64>,
    /// Where the edges told it: mean step across them, and of the next best way, percent of white.
    pub steps_percent: Option<[f64; 2]>,
}

/// A seam, or an edge that is fine.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SeamInfo {
    /// What it is, for example `left-right edge` or `front/up`.
    pub edge: String,
    /// Whether it will be seen.
    pub visible: bool,
    /// Largest step beyond what the picture explains, percent of white.
    pub strength_percent: f64,
    /// Longitude of the worst place, relative to the middle, degrees.
    pub lon_deg: f64,
    /// Its latitude, degrees.
    pub lat_deg: f64,
}

/// What is wrong with a sphere, if anything.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct DiagnosisInfo {
    /// A name for programs.
    pub fault: String,
    /// How sure, 0 to 1.
    pub confidence: f64,
    /// One sentence for people.
    pub what: String,
    /// Whether it can be mended.
    pub can_mend: bool,
}
