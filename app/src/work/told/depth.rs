//! What is told of depth: what a viewpoint sees, and what its pair of eyes makes of it.

use crate::model::places::Pose;
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

/// One of the planes of a flat pair.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum WhichPlane {
    /// The nearest allowed.
    Nearest,
    /// Zero parallax.
    Zero,
    /// The farthest allowed.
    Farthest,
}

/// A plane of depth as it is drawn.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PlaneLine {
    /// Which.
    pub which: WhichPlane,
    /// Its distance, metres.
    pub distance_m: f64,
    /// From its left to its right end in plan: x and z, metres.
    pub plan: [[f64; 2]; 2],
    /// From its lower to its upper end in section: along the heading and up, metres from the eye.
    pub section: [[f64; 2]; 2],
}

/// The frame of a flat pair and its planes of depth as they are drawn.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FrameLines {
    /// The planes that are not infinitely far.
    pub planes: Vec<PlaneLine>,
    /// Far ends of the frame's left and right edge in plan.
    pub plan: [[f64; 2]; 2],
    /// Far ends of its lower and upper edge in section.
    pub section: [[f64; 2]; 2],
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

/// The frame of a camera that came with the scene.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct CameraFrame {
    /// Horizontal field of view, degrees.
    pub hfov_deg: f64,
    /// Width divided by height.
    pub ratio: f64,
    /// Whether the file tells the ratio; 16:9 is taken else.
    pub ratio_told: bool,
    /// How far it looks up, degrees.
    pub pitch_deg: f64,
}

/// A camera that came with the scene, as it stands at its moment.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FramedCamera {
    /// Its name.
    pub name: String,
    /// Number of its node.
    pub node: u32,
    /// Where it stands and which way it looks; level.
    pub pose: Pose,
    /// Its frame; nothing of one without perspective.
    pub frame: Option<CameraFrame>,
}

/// What a title covers although it is nearer.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct CoveredInfo {
    /// Its name.
    pub object: String,
    /// Its distance, metres.
    pub distance_m: f64,
    /// Where the title would lie in front of it, metres.
    pub nearer_m: f64,
    /// Share of the title that lies behind, 0 to 1.
    pub share: f64,
}

/// A title before the eyes.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct TitleInfo {
    /// Parallax, pixels of the final width, for screens.
    pub px: Option<f64>,
    /// Degrees between the eyes' rays, for headsets.
    pub degrees: Option<f64>,
    /// Where its middle is in the frame of a flat pair, 0 to 1 to the right and down; nothing outside of it.
    pub place: Option<[f64; 2]>,
    /// What it covers although it is nearer.
    pub covers: Option<CoveredInfo>,
    /// Whether its picture is not there any more.
    pub missing: bool,
}

/// How deep it is in one frame of many, and what the pair makes of it.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct DepthFrame {
    /// Its number.
    pub frame: u32,
    /// Its moment, seconds.
    pub time_s: f64,
    /// Distance between the eyes then, metres.
    pub separation_m: f64,
    /// Distance of zero parallax then, metres; nothing where the eyes look parallel.
    pub convergence_m: Option<f64>,
    /// Distance that all but half a percent of the picture is beyond, metres.
    pub nearest_m: Option<f64>,
    /// The nearest of all, metres.
    pub very_nearest_m: Option<f64>,
    /// Its name.
    pub nearest: Option<String>,
    /// Distance that all but half a percent is within, metres; nothing where more is open.
    pub farthest_m: Option<f64>,
    /// Allowed distances.
    pub planes_m: PlanesInfo,
    /// What is beyond them, the worst first.
    pub offenders: Vec<OffenderInfo>,
    /// What the frame's edges cut off although the floating window does not cover it.
    pub violations: Vec<ViolationInfo>,
}

/// The eyes at a key of a path.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
#[ts(export)]
pub struct KeyEyes {
    /// Distance between them, metres.
    pub separation_m: f64,
    /// Distance at which they meet, metres; nothing where that stays as it is.
    pub convergence_m: Option<f64>,
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
    /// The planes as they are drawn, of a flat pair.
    pub lines: Option<FrameLines>,
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
    /// Focal length of a flat pair by its sensor's width, millimetres.
    pub focal_mm: Option<f64>,
    /// The field of view of the focal length that was asked for, degrees.
    pub hfov_of_focal_deg: Option<f64>,
    /// The titles, in their order.
    pub titles: Vec<TitleInfo>,
}
