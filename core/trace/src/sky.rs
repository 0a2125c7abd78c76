//! What surrounds the scene, as it is set: a colour, two colours, sun and sky, or a picture.

use crate::photometry::DAYLIGHT_WHITE_CD_M2;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// Sun and clear sky by sun position and air (Hosek and Wilkie 2012).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct SunSky {
    /// Height of the sun above the horizon, degrees, -5 to 90.
    pub elevation_deg: f32,
    /// Where the sun stands, degrees clockwise from -Z.
    pub heading_deg: f32,
    /// 1 clearest air to 10 haze.
    pub turbidity: f32,
    /// Reflectance of the ground, 0 to 1.
    pub ground: [f32; 3],
    /// Whether the sun's disc is there, or the sky alone.
    pub disc: bool,
}

impl Default for SunSky {
    fn default() -> Self {
        Self {
            elevation_deg: 35.0,
            heading_deg: 135.0,
            turbidity: 3.0,
            ground: [0.2, 0.19, 0.17],
            disc: true,
        }
    }
}

/// Light from outside. Colours are scene-linear RGB radiance in the surroundings' unit; sun and sky are in true values.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
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
    /// Sun and clear sky.
    Sun(SunSky),
    /// A picture of what is all round.
    Picture {
        /// Name of the picture's file among the project's surroundings, or its path.
        file: String,
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
    /// Whether every value is finite and within its limits.
    pub fn is_valid(&self) -> bool {
        let ok = |c: &[f32; 3]| c.iter().all(|v| v.is_finite() && (0.0..=1e6).contains(v));
        match self {
            Self::Plain { colour } => ok(colour),
            Self::TwoColour { zenith, horizon } => ok(zenith) && ok(horizon),
            Self::Sun(s) => {
                (-5.0..=90.0).contains(&s.elevation_deg)
                    && s.heading_deg.is_finite()
                    && (1.0..=10.0).contains(&s.turbidity)
                    && s.ground.iter().all(|v| (0.0..=1.0).contains(v))
            }
            Self::Picture { file } => !file.is_empty(),
        }
    }
}

/// The sky, how it is turned, and how bright it lights and is seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Surroundings {
    /// The sky itself.
    pub sky: Sky,
    /// What 1 of a plain, two-coloured or picture's sky is, cd/m^2. Where nothing was said it is white by day.
    #[serde(default = "daylight")]
    pub unit_cd_m2: f32,
    /// Turned clockwise seen from above, degrees.
    #[serde(default)]
    pub turn_deg: f32,
    /// Brightness as a light, stops.
    #[serde(default)]
    pub light_stops: f32,
    /// Brightness where it is seen directly, stops.
    #[serde(default)]
    pub backdrop_stops: f32,
    /// Whether nothing is seen where the sky would be: alpha is 0 there.
    #[serde(default)]
    pub transparent: bool,
}

fn daylight() -> f32 {
    DAYLIGHT_WHITE_CD_M2
}

impl Default for Surroundings {
    fn default() -> Self {
        Self {
            sky: Sky::default(),
            unit_cd_m2: daylight(),
            turn_deg: 0.0,
            light_stops: 0.0,
            backdrop_stops: 0.0,
            transparent: false,
        }
    }
}

impl From<Sky> for Surroundings {
    fn from(sky: Sky) -> Self {
        Self {
            sky,
            ..Self::default()
        }
    }
}

impl Surroundings {
    /// Whether every value is finite and within its limits.
    pub fn is_valid(&self) -> bool {
        let stops = |v: f32| (-20.0..=20.0).contains(&v);
        self.sky.is_valid()
            && (1e-3..=1e9).contains(&self.unit_cd_m2)
            && self.turn_deg.is_finite()
            && stops(self.light_stops)
            && stops(self.backdrop_stops)
    }
}

/// Radiance of the two-colour sky.
pub(crate) fn two_colours(zenith: Vec3, horizon: Vec3, up: f32) -> Vec3 {
    // The horizon's haze thins out quickly upwards: the cube of what is left to the zenith.
    zenith.lerp(horizon, (1.0 - up.clamp(0.0, 1.0)).powi(3))
}
