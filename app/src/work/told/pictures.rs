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

/// What is wrong with a sphere or a pair, if anything.
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

/// What was found about a pair.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PairCheckInfo {
    /// What spoils it.
    pub findings: Vec<DiagnosisInfo>,
    /// Places of the left eye's picture that were found again in the right eye's.
    pub matched: usize,
    /// Parallax of the nearest and the farthest fiftieth of them, pixels; below 0 in front of zero parallax.
    pub parallax_px: Option<[f64; 2]>,
    /// Width of each eye, pixels.
    pub width: u32,
    /// Whether both are whole spheres.
    pub round: bool,
    /// The largest parallax that is comfortable, pixels.
    pub most_px: f64,
    /// Where the chart begins, at its near end, and where it ends, pixels of parallax.
    pub chart_px: [f64; 2],
    /// Shares of the places in even steps of parallax, from near to far.
    pub chart: Vec<f64>,
    /// Of spheres: how far away the nearest lies for parallel eyes 63 mm apart, metres.
    pub nearest_m: Option<f64>,
}
