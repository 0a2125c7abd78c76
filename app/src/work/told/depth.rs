//! What is told of depth: what a viewpoint sees, and what its pair of eyes makes of it.

use serde::Serialize;
use ts_rs::TS;

/// In which way a thing is beyond what is comfortable.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum BeyondInfo {
    /// Nearer than is comfortable in a headset.
    Near,
    /// Too far in front of the screen.
    Front,
    /// Too far behind it.
    Back,
}

/// A thing beyond what is comfortable.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct OffenderInfo {
    /// Its name.
    pub object: String,
    /// How.
    pub beyond: BeyondInfo,
    /// Distance where it is worst, metres.
    pub distance_m: f64,
    /// Degrees between the eyes' rays there, for headsets.
    pub degrees: Option<f64>,
    /// Parallax there in pixels of the final width, for screens.
    pub px: Option<f64>,
    /// Share of the picture that is beyond, 0 to 1.
    pub share: f64,
    /// Heading there, degrees.
    pub heading_deg: f64,
    /// Pitch there, degrees.
    pub pitch_deg: f64,
    /// Where that is in the frame of a flat pair, 0 to 1 to the right and down.
    pub place: Option<[f64; 2]>,
}

/// A thing in front of the screen that a frame's edge cuts off.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ViolationInfo {
    /// Its name.
    pub object: String,
    /// `left` or `right`.
    pub edge: String,
    /// Distance at the edge, metres.
    pub distance_m: f64,
    /// Parallax there, pixels of the final width; below 0.
    pub px: f64,
}

/// Parallax of a flat pair, pixels of the final width.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ParallaxInfo {
    /// Of the nearest.
    pub near: Option<f64>,
    /// Of the farthest; that of the open distance where that is seen.
    pub far: f64,
    /// Of what is infinitely far.
    pub infinity: f64,
}

/// What a shot may use, pixels of the final width.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct BudgetInfo {
    /// In front of the screen.
    pub front: f64,
    /// Behind it.
    pub back: f64,
    /// The whole budget of the screen, of which the shot uses a part.
    pub whole: f64,
}

/// What a flat pair is on the real screen.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct OnScreenInfo {
    /// Minutes of arc of the whole budget.
    pub budget_minutes: f64,
    /// Minutes of arc of the farthest's parallax.
    pub far_minutes: f64,
    /// How far the farthest lies behind the screen, millimetres.
    pub behind_mm: f64,
    /// How far adults' eyes diverge for it, degrees.
    pub adults_diverge_deg: f64,
    /// And children's.
    pub children_diverge_deg: f64,
    /// Roundness of things at the distance of zero parallax; 1 is undistorted.
    pub roundness: f64,
}

/// Allowed distances, metres.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PlanesInfo {
    /// The nearest allowed.
    pub nearest: f64,
    /// Zero parallax; nothing where the eyes look parallel.
    pub zero: Option<f64>,
    /// The farthest allowed; nothing where infinity is.
    pub farthest: Option<f64>,
}

/// A pair that fits the scene.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FitInfo {
    /// Separation, metres.
    pub separation_m: f64,
    /// Distance of zero parallax, metres.
    pub convergence_m: f64,
}

/// What parallel cameras record.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct RecordingInfo {
    /// Width, pixels.
    pub width: u32,
    /// Field of view, degrees.
    pub hfov_deg: f64,
    /// Cropped from the outer side of each eye, pixels.
    pub crop: u32,
}

/// What lies at a place of the picture.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PickedDepth {
    /// Its name.
    pub object: String,
    /// Distance, metres: along the direction of view in a frame.
    pub distance_m: f64,
    /// Parallax, pixels of the final width, for screens.
    pub px: Option<f64>,
    /// Degrees between the eyes' rays, for headsets.
    pub degrees: Option<f64>,
    /// Roundness there, where the screen is known; 1 is undistorted.
    pub roundness: Option<f64>,
}

/// How deep it is at a viewpoint, and what its pair makes of it.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct DepthInfo {
    /// Distance that all but half a percent of the picture is beyond, metres.
    pub nearest_m: Option<f64>,
    /// Distance that all but half a percent is within, metres; nothing where more is open.
    pub farthest_m: Option<f64>,
    /// The nearest of all, metres.
    pub very_nearest_m: Option<f64>,
    /// Share of the picture that is open, 0 to 1.
    pub open: f64,
    /// Distance between the eyes, metres.
    pub separation_m: f64,
    /// Who would see it so.
    pub viewer: String,
    /// Distance of zero parallax, metres; nothing where the eyes look parallel.
    pub convergence_m: Option<f64>,
    /// The end of the chart's axis: 1/distance, per metre.
    pub chart_end: f64,
    /// Shares of the picture in even steps of 1/distance, from far to near.
    pub chart: Vec<f64>,
    /// Degrees between the eyes' rays to the nearest, for headsets.
    pub nearest_degrees: Option<f64>,
    /// Parallax, for screens.
    pub parallax_px: Option<ParallaxInfo>,
    /// What this shot may use, for screens.
    pub budget_px: Option<BudgetInfo>,
    /// Allowed distances.
    pub planes_m: PlanesInfo,
    /// What is beyond them, the worst first.
    pub offenders: Vec<OffenderInfo>,
    /// What the frame's edges cut off.
    pub violations: Vec<ViolationInfo>,
    /// The floating window for that, pixels of the final width: left edge top and bottom, right edge top and bottom.
    pub window: [f64; 4],
    /// The pair that fits the scene, for screens.
    pub fit: Option<FitInfo>,
    /// The pair that just fills the budget from one asked distance to the other.
    pub planes_fit: Option<FitInfo>,
    /// What lies at the place that was asked for.
    pub picked: Option<PickedDepth>,
    /// What it is on the real screen, where that is known.
    pub screen: Option<OnScreenInfo>,
    /// Vertical parallax in the corners, pixels of the final width.
    pub vertical_px: f64,
    /// What parallel cameras record.
    pub recording: Option<RecordingInfo>,
}
