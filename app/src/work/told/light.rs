//! What is told of light as it is measured.

use crate::model::settings::SceneSettings;
use dome_trace::photometry::MIDDLE_GREY;
use serde::Serialize;
use ts_rs::TS;

/// What a light meter reads.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct MeterReading {
    /// Luminance of what is seen, cd/m².
    pub luminance_cd_m2: f64,
    /// Light that falls on its side that is seen, lux; null in the sky.
    pub illuminance_lx: Option<f64>,
    /// What is seen; null for the sky.
    pub object: Option<String>,
    /// Standard error of both, percent.
    pub error_percent: f64,
}

/// What an exposure means in light.
#[derive(Clone, Copy, Debug, Serialize, TS)]
#[ts(export)]
pub struct ExposureInfo {
    /// Luminance that becomes middle grey, cd/m².
    pub grey_cd_m2: f32,
    /// Luminance that becomes white, cd/m².
    pub white_cd_m2: f32,
    /// The same as a photographer's exposure value for ISO 100: one that meters the grey.
    pub value_iso_100: f32,
}

/// ISO 2720:1974 lets a reflected-light meter's constant be 10.6 to 13.4; 12.5 is usual (common practice, no source).
const METER_CONSTANT: f32 = 12.5;

impl ExposureInfo {
    /// Of some settings.
    pub fn of(settings: &SceneSettings) -> Self {
        let white_cd_m2 = settings.white_cd_m2();
        let grey_cd_m2 = white_cd_m2 * MIDDLE_GREY;
        Self {
            grey_cd_m2,
            white_cd_m2,
            value_iso_100: (grey_cd_m2 * 100.0 / METER_CONSTANT).log2(),
        }
    }
}

/// An exposure to begin with.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ExposureProposal {
    /// Stops.
    pub exposure_stops: f32,
    /// Luminance that becomes middle grey, cd/m².
    pub grey_cd_m2: f64,
}

/// What 1 in a picture of surroundings is to be.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct UnitProposal {
    /// cd/m².
    pub unit_cd_m2: f64,
    /// Height of the sun in it, degrees, by which it was found; null for a picture without a sun.
    pub sun_deg: Option<f64>,
    /// Illuminance that it is taken for: of what faces the sun, or of the ground under an overcast sky; lux.
    pub illuminance_lx: f64,
}

/// A measured distribution of a lamp that was brought.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct DistributionFile {
    /// Its name, for settings.
    pub file: String,
    /// What the artist calls it.
    pub name: String,
    /// What it says of itself.
    pub told: String,
    /// All its light, lumen.
    pub lumen: f64,
    /// Its strongest direction, candela.
    pub candela: f64,
    /// Light of the bare lamps, lumen, if it says so.
    pub lamp_lumen: Option<f64>,
    /// Electric power that it says, W.
    pub input_watts: f64,
}
