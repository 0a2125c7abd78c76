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
    /// Of frames: how their film is made.
    #[serde(default)]
    #[ts(optional)]
    pub film: Option<FilmChoice>,
}

/// How a film is made.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FilmChoice {
    /// Its encoding: `h264`, `h265`, `av1` or `prores`.
    pub codec: String,
    /// Quality: lower is better; the encoding's usual one if absent.
    #[serde(default)]
    #[ts(optional)]
    pub quality: Option<u8>,
    /// Kilobits a second in place of a quality.
    #[serde(default)]
    #[ts(optional)]
    pub kilobits: Option<u32>,
    /// Name of the project's sound that is heard.
    #[serde(default)]
    #[ts(optional)]
    pub sound: Option<String>,
}

/// What is known of a film.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FilmFacts {
    /// How many frames it has.
    pub frames: u32,
    /// How long it lasts, seconds.
    pub seconds: f64,
    /// Frames a second.
    pub rate: String,
    /// The level that players must know.
    pub level: Option<String>,
    /// How two eyes lie in it: `mono`, `top-bottom` or `side-by-side`.
    pub stereo: String,
    /// Shares of the whole sphere that are missing at its top, bottom, left and right; nothing if it is no sphere.
    pub bounds: Option<[f64; 4]>,
    /// Whether there is sound.
    pub sound: bool,
    /// Whether it comes from all round: first-order ambisonics.
    #[serde(default)]
    pub ambisonic: bool,
    /// Who may fail on it, and what else is to be said; one sentence each.
    #[serde(default)]
    pub notes: Vec<String>,
}

/// An encoding of films.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FilmCodec {
    /// Its name: `h264`, `h265`, `av1`, `prores`.
    pub name: String,
    /// Quality if none is told, 0 is best; nothing of one that has no choice.
    pub usual_quality: Option<u8>,
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
    /// Of a film.
    pub film: Option<FilmFacts>,
}

impl Package {
    /// Stands for one that cannot be read.
    pub fn unreadable(id: i64, order: i64, why: &str) -> Self {
        Self {
            id,
            order,
            file: format!("Package {id}"),
            bytes: 0,
            width: 0,
            height: 0,
            pose_heading_deg: 0.0,
            request: PackageRequest {
                opening_heading_deg: 0.0,
                opening_pitch_deg: 0.0,
                opening_hfov_deg: 0.0,
                exposure_stops: 0.0,
                soft: false,
                quality: 95,
                packing: None,
                png: None,
                film: None,
            },
            checks: Vec::new(),
            reason: format!(
                "What is known of it could not be read ({why}); remove it and make it again."
            ),
            film: None,
        }
    }
}
