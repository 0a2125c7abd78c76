//! What surrounds the scene: a plain colour, or two colours from horizon to zenith.

use glam::Vec3;
use serde::{Deserialize, Serialize};

/// Light from outside, scene-linear RGB radiance.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Sky {
    /// The same from everywhere.
    Plain {
        /// Radiance.
        colour: [f32; 3],
    },
    /// From the horizon up to the zenith; below the horizon as at it.
    TwoColour {
        /// Radiance at the zenith.
        zenith: [f32; 3],
        /// Radiance at the horizon.
        horizon: [f32; 3],
    },
}

impl Default for Sky {
    /// A calm overcast day, so that a scene without lights can be seen.
    fn default() -> Self {
        Self::TwoColour {
            zenith: [0.42, 0.56, 0.82],
            horizon: [0.92, 0.93, 0.95],
        }
    }
}

impl Sky {
    /// Radiance from a unit direction.
    pub fn radiance(&self, direction: Vec3) -> Vec3 {
        match self {
            Self::Plain { colour } => Vec3::from(*colour),
            Self::TwoColour { zenith, horizon } => {
                // The horizon's haze thins out quickly upwards: the cube of what is left to the zenith.
                let haze = (1.0 - direction.y.clamp(0.0, 1.0)).powi(3);
                Vec3::from(*zenith).lerp(Vec3::from(*horizon), haze)
            }
        }
    }

    /// Whether every value is a finite, non-negative radiance.
    pub fn is_valid(&self) -> bool {
        let ok = |c: &[f32; 3]| c.iter().all(|v| v.is_finite() && (0.0..=1e6).contains(v));
        match self {
            Self::Plain { colour } => ok(colour),
            Self::TwoColour { zenith, horizon } => ok(zenith) && ok(horizon),
        }
    }
}
