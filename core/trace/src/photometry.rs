//! What the numbers of a scene mean as light, and what one kind of light measure is in another.
//!
//! Luminance is in cd/m^2, illuminance in lux, intensity in candela, flux in lumen. Pictures hold luminance divided by that of
//! their white: 1 is [`LightScale::white_cd_m2`].

use crate::light::{Illumination, IntensityTable, LightSettings};
use crate::scene::Scene;
use crate::sky::Surroundings;
use serde::Deserialize;
use std::f32::consts::PI;

/// Luminance of a white surface in the sun at noon, about 97,000 lux / pi, cd/m^2: what a picture's 1 is at exposure 0.
pub const DAYLIGHT_WHITE_CD_M2: f32 = 30_735.0;
/// What a middle grey shows of a picture's white (a grey card of 18 %, common practice, no source).
pub const MIDDLE_GREY: f32 = 0.18;
/// Lumen of a watt of light at 555 nm, where the eye sees best (SI, definition of the candela, 2019). Exporters of
/// KHR_lights_punctual turn watts into lumen by the same number (common practice, no source).
pub const LUMEN_PER_WATT: f32 = 683.0;
/// White of a room in lamplight, cd/m^2: a white sheet in some 400 lux (EN 12464-1 asks 300 to 500 lux of rooms to work in,
/// from memory).
const LAMPLIGHT_WHITE_CD_M2: f32 = 120.0;

/// How a scene's numbers become light, and light becomes a picture's numbers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LightScale {
    /// Luminance that a picture's 1 is, cd/m^2.
    pub white_cd_m2: f32,
    /// What 1 in the scene's file is: cd/m^2 of a glowing surface, candela or lux of a lamp.
    pub file_cd_m2: f32,
    /// Brightens everything that lights, and not what is seen of the sky: for drafts.
    pub gain: f32,
}

impl Default for LightScale {
    /// Numbers as they are.
    fn default() -> Self {
        Self {
            white_cd_m2: DAYLIGHT_WHITE_CD_M2,
            file_cd_m2: DAYLIGHT_WHITE_CD_M2,
            gain: 1.0,
        }
    }
}

impl LightScale {
    /// What a light of the scene's file is multiplied with in a picture.
    pub(crate) fn file(&self) -> f32 {
        self.file_cd_m2 / self.white_cd_m2
    }
}

/// Luminance of white at an exposure in stops, each of which doubles what a picture shows, cd/m^2.
pub fn white_at(exposure_stops: f32) -> f32 {
    DAYLIGHT_WHITE_CD_M2 * (-exposure_stops).exp2()
}

/// The exposure at which a luminance in cd/m^2 becomes middle grey, stops.
pub fn exposure_for_grey(grey_cd_m2: f64) -> f64 {
    (f64::from(DAYLIGHT_WHITE_CD_M2) * f64::from(MIDDLE_GREY) / grey_cd_m2).log2()
}

/// With what a scene begins: what its numbers mean, how bright its sky and its white are.
#[derive(Clone, Debug, PartialEq)]
pub struct LightStart {
    /// What 1 in the file is, cd/m^2, candela or lux.
    pub file_cd_m2: f32,
    /// What 1 of a plain or two-coloured sky is, cd/m^2.
    pub sky_cd_m2: f32,
    /// Exposure, stops.
    pub exposure_stops: f32,
    /// How that is known, as a sentence.
    pub why: String,
}

/// What a scene says of its own light.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize)]
pub(crate) struct ToldLight {
    /// What 1 in the file is, cd/m^2.
    #[serde(default = "one")]
    file_cd_m2: f32,
    /// What 1 of the sky's colours is, cd/m^2.
    sky_cd_m2: f32,
    /// Luminance that is to be white, cd/m^2.
    white_cd_m2: f32,
}

fn one() -> f32 {
    1.0
}

impl ToldLight {
    /// Whether its numbers can be light.
    pub(crate) fn is_valid(&self) -> bool {
        [self.file_cd_m2, self.sky_cd_m2, self.white_cd_m2]
            .iter()
            .all(|v| (1e-3..=1e9).contains(v))
    }
}

/// Candela from which a lamp is taken for a true one, where a number without meaning would be some 1 to 10.
const TRUE_CANDELA: f32 = 20.0;
/// Lux from which a directional lamp is taken for a true one.
const TRUE_LUX: f32 = 200.0;
/// Luminance from which a glowing surface is taken for a true one, cd/m^2: the dimmest of screens and lamps are about that,
/// and numbers without meaning are smaller.
const TRUE_GLOW: f32 = 1000.0;

impl Default for LightStart {
    fn default() -> Self {
        Self {
            file_cd_m2: DAYLIGHT_WHITE_CD_M2,
            sky_cd_m2: DAYLIGHT_WHITE_CD_M2,
            exposure_stops: 0.0,
            why: "No light of the file is as strong as a real lamp: its numbers are taken as shares of white by day.".into(),
        }
    }
}

impl LightStart {
    /// The start of a scene. The format's lamps are in candela and lux, its glowing surfaces in cd/m^2, but many files are made
    /// by eye: numbers that are too small for any real lamp are taken for shares of white.
    pub(crate) fn of(scene: &Scene, told: Option<&ToldLight>) -> Self {
        if let Some(told) = told {
            return Self {
                file_cd_m2: told.file_cd_m2,
                sky_cd_m2: told.sky_cd_m2,
                exposure_stops: (DAYLIGHT_WHITE_CD_M2 / told.white_cd_m2).log2(),
                why: "The file says so itself.".into(),
            };
        }
        let lamp = scene.lamps().iter().find_map(|l| {
            let value = l.intensity.iter().copied().fold(0.0, f32::max);
            let (least, unit) = if l.kind == crate::lamp::LampKind::Directional {
                (TRUE_LUX, "lux")
            } else {
                (TRUE_CANDELA, "candela")
            };
            (value >= least).then(|| format!("\u{201c}{}\u{201d} has {value:.0} {unit}", l.name))
        });
        let glow = || {
            let mut materials = scene.materials().iter().filter_map(|m| {
                let value = m.emission.iter().copied().fold(0.0, f32::max);
                (value >= TRUE_GLOW).then(|| {
                    format!(
                        "\u{201c}{}\u{201d} glows with {value:.0} cd/m\u{b2}",
                        m.name
                    )
                })
            });
            materials.next()
        };
        match lamp.or_else(glow) {
            Some(found) => Self {
                file_cd_m2: 1.0,
                sky_cd_m2: LAMPLIGHT_WHITE_CD_M2,
                exposure_stops: (DAYLIGHT_WHITE_CD_M2 / LAMPLIGHT_WHITE_CD_M2)
                    .log2()
                    .round(),
                why: format!("{found}, as real lamps do: its numbers are taken as true light."),
            },
            None => Self::default(),
        }
    }
}

impl LightStart {
    /// The scale of pictures that a scene begins with.
    pub fn scale(&self) -> LightScale {
        LightScale {
            white_cd_m2: white_at(self.exposure_stops),
            file_cd_m2: self.file_cd_m2,
            gain: 1.0,
        }
    }

    /// A scene in the light that it begins with, under its own sky.
    pub fn illumination(&self, scene: &Scene) -> Illumination {
        let surroundings = Surroundings {
            unit_cd_m2: self.sky_cd_m2,
            ..scene.sky.clone().into()
        };
        Illumination::new(
            scene,
            &surroundings,
            None,
            &LightSettings::new(),
            self.scale(),
        )
    }
}

/// A quantity of light with its unit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Measure {
    /// How much.
    pub value: f32,
    /// Of what: cd/m², cd, lm, lx or W.
    pub unit: &'static str,
    /// What it is meant by, if the unit alone does not say it.
    pub of: &'static str,
}

/// Luminance of a surface or a sky, cd/m^2.
pub fn luminance_of(value: f32) -> Measure {
    Measure {
        value,
        unit: "cd/m²",
        of: "mean luminance",
    }
}

/// Illuminance of a surface that faces a light far away, lux.
pub fn illuminance(value: f32) -> Measure {
    Measure {
        value,
        unit: "lx",
        of: "on what faces it",
    }
}

/// Luminous flux and radiant watts, lumen told.
fn flux(lumen: f32) -> [Measure; 2] {
    [
        Measure {
            value: lumen,
            unit: "lm",
            of: "flux",
        },
        Measure {
            value: lumen / LUMEN_PER_WATT,
            unit: "W",
            of: "of light at 683 lm/W, not of electricity",
        },
    ]
}

/// What a surface of some luminance (cd/m^2) and area (m^2) gives: each side shines into a hemisphere by Lambert's cosine,
/// pi times luminance and area.
pub fn of_surface(luminance: f32, area: f32) -> Vec<Measure> {
    let mut all = vec![luminance_of(luminance)];
    all.extend(flux(PI * luminance * area));
    all
}

/// What a lamp of some candela gives that shines into so many whole steradians (the integral of its share of full intensity).
pub fn of_lamp(candela: f32, steradians: f32) -> Vec<Measure> {
    let mut all = vec![
        Measure {
            value: candela,
            unit: "cd",
            of: "intensity",
        },
        Measure {
            value: candela,
            unit: "lx",
            of: "at 1 m",
        },
    ];
    all.extend(flux(candela * steradians));
    all
}

/// What a lamp gives that shines as it was measured.
pub fn of_table(table: &IntensityTable) -> Vec<Measure> {
    let mut all = flux(table.flux()).to_vec();
    all.insert(
        1,
        Measure {
            value: table.most(),
            unit: "cd",
            of: "in its strongest direction",
        },
    );
    all
}
