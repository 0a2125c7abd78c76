//! What was handed over, as it is kept.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

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
    /// Of a pair, how the eyes lie, e.g. `top-bottom`; `mono` is the left eye alone.
    #[serde(default)]
    #[ts(optional)]
    pub packing: Option<String>,
    /// PNG instead of JPEG.
    #[serde(default)]
    #[ts(optional)]
    pub png: Option<bool>,
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
