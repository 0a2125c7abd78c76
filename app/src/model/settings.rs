//! How a scene is lit, read and stood in, as it is kept.

use dome_rules::preflight::Purpose;
use dome_trace::photometry::{DAYLIGHT_WHITE_CD_M2, white_at};
use dome_trace::{GlassLight, LightSetting, LightSettings, ObjectMove, Surroundings, Unit, Up};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Step of the exposures in which light is gathered for live pictures, stops.
const LIVE_STEP: f32 = 2.0;

/// How a project's scene is lit and read.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(default)]
pub struct SceneSettings {
    /// What surrounds it.
    #[ts(as = "SurroundingsShape")]
    pub surroundings: Surroundings,
    /// Lights that are set otherwise than the scene says, by their keys.
    #[ts(as = "BTreeMap<String, LightSettingShape>")]
    pub lights: LightSettings,
    /// What 1 in the scene's file is: cd/m² of a glowing surface, candela or lux of a lamp.
    pub file_cd_m2: f32,
    /// How light comes through bodies of glass.
    #[ts(as = "GlassLightShape")]
    pub glass: GlassLight,
    /// Brightness of all light in live pictures and drafts, stops. Final renders never use it.
    pub draft_stops: f32,
    /// The unit that the scene was made in.
    #[ts(as = "UnitShape")]
    pub unit: Unit,
    /// The axis of the file that points up, if the artist said so; else what the format says or the triangles tell.
    #[ts(as = "Option<UpShape>")]
    pub up: Option<Up>,
    /// Place in the file, in its own axes and unit, that is the origin here; chosen near the scene when that comes in.
    pub origin: [f64; 3],
    /// The moment of the scene's motion, seconds.
    pub time_s: f64,
    /// Objects that stand elsewhere than the file says, in the order in which they were moved.
    #[ts(as = "Vec<ObjectMoveShape>")]
    pub moves: Vec<ObjectMove>,
    /// Limits for standing.
    pub stand: StandSettings,
    /// Exposure, stops: which luminance becomes white in live pictures and is a master's 1.
    pub exposure_stops: f32,
    /// Which light setup this is: its surroundings, lights, brightness, exposure and moment.
    pub setup: SetupName,
    /// The project's other light setups.
    pub other_setups: Vec<LightSetup>,
    /// The scene file that took the first one's place, if one did.
    pub replaced: Option<ReplacedScene>,
    /// What was set for objects and lamps that the present scene file does not have: kept for a later one.
    pub unmatched: Vec<Unmatched>,
}

impl Default for SceneSettings {
    /// Nothing set, and numbers of light that mean shares of white by day: what projects of before meant.
    fn default() -> Self {
        Self {
            surroundings: Surroundings::default(),
            lights: LightSettings::new(),
            file_cd_m2: DAYLIGHT_WHITE_CD_M2,
            glass: GlassLight::default(),
            draft_stops: 0.0,
            unit: Unit::default(),
            up: None,
            origin: [0.0; 3],
            time_s: 0.0,
            moves: Vec::new(),
            stand: StandSettings::default(),
            exposure_stops: 0.0,
            setup: SetupName::default(),
            other_setups: Vec::new(),
            replaced: None,
            unmatched: Vec::new(),
        }
    }
}

/// A scene file that took the place of another.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct ReplacedScene {
    /// The file within the project's folder of scenes.
    pub file: String,
    /// What the artist calls it.
    pub name: String,
}

/// Something that was set for an object or a lamp which a later scene file does not have.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Unmatched {
    /// Names from the top of the file down to it.
    pub path: String,
    /// Whether it is a lamp without a body; else an object.
    pub lamp: bool,
    /// Number of the light setup that a light's setting belongs to.
    pub setup: u32,
    /// How its light was set.
    #[ts(as = "Option<LightSettingShape>")]
    pub light: Option<LightSetting>,
    /// How it was moved; the list of objects is empty.
    #[ts(as = "Option<ObjectMoveShape>")]
    pub moved: Option<ObjectMove>,
}

/// A light setup by number and name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct SetupName {
    /// Its number within the project; they are listed in this order.
    pub number: u32,
    /// What the artist calls it.
    pub name: String,
}

impl Default for SetupName {
    fn default() -> Self {
        Self {
            number: 1,
            name: "Setup 1".into(),
        }
    }
}

/// A light setup that is not in use at present.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct LightSetup {
    /// Number and name.
    pub setup: SetupName,
    /// What surrounds the scene.
    #[ts(as = "SurroundingsShape")]
    pub surroundings: Surroundings,
    /// Lights that are set otherwise than the scene says.
    #[ts(as = "BTreeMap<String, LightSettingShape>")]
    pub lights: LightSettings,
    /// Brightness of live pictures and drafts, stops.
    pub draft_stops: f32,
    /// Exposure, stops.
    pub exposure_stops: f32,
    /// The moment, seconds.
    pub time_s: f64,
}

impl SceneSettings {
    /// Luminance that is white at the exposure, cd/m².
    pub fn white_cd_m2(&self) -> f32 {
        white_at(self.exposure_stops)
    }

    /// The exposure in which light is gathered for live pictures: a step of a few stops near the one that is set, so that
    /// small changes need no new light. What is left is done when a picture is shown.
    pub fn gathered_stops(&self) -> f32 {
        (self.exposure_stops / LIVE_STEP).round() * LIVE_STEP
    }

    /// What of these settings a light setup holds.
    fn own_setup(&self) -> LightSetup {
        LightSetup {
            setup: self.setup.clone(),
            surroundings: self.surroundings.clone(),
            lights: self.lights.clone(),
            draft_stops: self.draft_stops,
            exposure_stops: self.exposure_stops,
            time_s: self.time_s,
        }
    }

    /// Numbers and names of all light setups, in their order.
    pub fn setups(&self) -> Vec<&SetupName> {
        let others = self.other_setups.iter().map(|s| &s.setup);
        let mut all: Vec<&SetupName> = others.chain([&self.setup]).collect();
        all.sort_by_key(|s| s.number);
        all
    }

    /// The settings with another light setup in use; `None` if there is none of this number.
    pub fn with_setup(&self, number: u32) -> Option<Self> {
        if number == self.setup.number {
            return Some(self.clone());
        }
        let mut new = self.clone();
        let at = (self.other_setups.iter()).position(|s| s.setup.number == number)?;
        let chosen = std::mem::replace(&mut new.other_setups[at], self.own_setup());
        new.other_setups.sort_by_key(|s| s.setup.number);
        new.setup = chosen.setup;
        new.surroundings = chosen.surroundings;
        new.lights = chosen.lights;
        new.draft_stops = chosen.draft_stops;
        new.exposure_stops = chosen.exposure_stops;
        new.time_s = chosen.time_s;
        Some(new)
    }

    /// The settings with a copy of the light setup in use, which takes its place under a new name.
    #[must_use]
    pub fn with_copy(&self, name: String) -> Self {
        let mut new = self.clone();
        let last = self.setups().last().map_or(0, |s| s.number);
        new.other_setups.push(self.own_setup());
        new.other_setups.sort_by_key(|s| s.setup.number);
        new.setup = SetupName {
            number: last + 1,
            name,
        };
        new
    }

    /// The settings without a light setup; of the one in use the nearest other takes the place. `None` if there is none of
    /// this number, or no other.
    pub fn without_setup(&self, number: u32) -> Option<Self> {
        let mut new = if number == self.setup.number {
            let others = self.other_setups.iter().map(|s| s.setup.number);
            self.with_setup(others.min_by_key(|n| n.abs_diff(number))?)?
        } else {
            self.clone()
        };
        let before = new.other_setups.len();
        new.other_setups.retain(|s| s.setup.number != number);
        (new.other_setups.len() < before).then_some(new)
    }

    /// What of the settings a picture shows: settings that differ elsewhere only are the same light.
    #[must_use]
    pub fn lit(&self) -> Self {
        Self {
            stand: StandSettings::default(),
            exposure_stops: 0.0,
            setup: SetupName::default(),
            other_setups: Vec::new(),
            unmatched: Vec::new(),
            ..self.clone()
        }
    }
}

/// Limits for standing, as an artist sets them.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(default)]
pub struct StandSettings {
    /// Free space wanted beside the viewer, metres.
    pub beside_m: f64,
    /// Distance between the eyes, millimetres.
    pub eye_separation_mm: f64,
    /// What the pictures are for.
    #[ts(as = "PurposeShape")]
    pub purpose: Purpose,
    /// Whether they will be seen with two eyes.
    pub stereo: bool,
}

impl Default for StandSettings {
    fn default() -> Self {
        let usual = dome_trace::stand::clearance::Limits::default();
        Self {
            beside_m: usual.beside,
            eye_separation_mm: usual.eye_separation * 1000.0,
            purpose: Purpose::default(),
            stereo: false,
        }
    }
}

/// How [`dome_trace::Sky`], which lives in the core, looks in JSON; only its TypeScript is made from this.
#[derive(TS)]
#[ts(export, rename = "Sky", tag = "kind", rename_all = "kebab-case")]
#[allow(dead_code)]
enum SkyShape {
    Plain { colour: [f32; 3] },
    TwoColour { zenith: [f32; 3], horizon: [f32; 3] },
    Sun(SunSkyShape),
    Picture { file: String },
}

/// How [`dome_trace::SunSky`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "SunSky")]
#[allow(dead_code)]
struct SunSkyShape {
    elevation_deg: f32,
    heading_deg: f32,
    turbidity: f32,
    ground: [f32; 3],
    disc: bool,
}

/// How [`Surroundings`] look in JSON.
#[derive(TS)]
#[ts(export, rename = "Surroundings")]
#[allow(dead_code)]
struct SurroundingsShape {
    sky: SkyShape,
    unit_cd_m2: f32,
    turn_deg: f32,
    light_stops: f32,
    backdrop_stops: f32,
    transparent: bool,
}

/// How [`dome_trace::LightSetting`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "LightSetting")]
#[allow(dead_code)]
struct LightSettingShape {
    on: bool,
    stops: f32,
    unseen: bool,
    #[ts(optional)]
    distribution: Option<LightDistributionShape>,
}

/// How [`dome_trace::LightDistribution`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "LightDistribution")]
#[allow(dead_code)]
struct LightDistributionShape {
    file: String,
    name: String,
    heading_deg: f32,
    tilt_deg: f32,
}

/// How [`GlassLight`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "GlassLight", rename_all = "kebab-case")]
#[allow(dead_code)]
enum GlassLightShape {
    Straight,
    Bent,
}

/// How [`Unit`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Unit", rename_all = "lowercase")]
#[allow(dead_code)]
pub(crate) enum UnitShape {
    Metre,
    Centimetre,
    Millimetre,
    Inch,
    Foot,
}

/// How [`Up`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Up", rename_all = "lowercase")]
#[allow(dead_code)]
pub(crate) enum UpShape {
    Y,
    Z,
}

/// How [`dome_trace::ObjectMove`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "ObjectMove")]
#[allow(dead_code)]
pub struct ObjectMoveShape {
    name: String,
    objects: Vec<u32>,
    about: [f64; 2],
    turn_deg: f64,
    by: [f64; 3],
    on: bool,
}

/// How [`Purpose`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Purpose", rename_all = "lowercase")]
#[allow(dead_code)]
enum PurposeShape {
    Look,
    Headset,
    Dome,
    Light,
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(s: &SceneSettings) -> Vec<(u32, &str)> {
        let setups = s.setups().into_iter();
        setups.map(|s| (s.number, s.name.as_str())).collect()
    }

    #[test]
    fn light_setups_are_copied_chosen_and_removed() {
        let mut noon = SceneSettings {
            exposure_stops: -1.0,
            ..SceneSettings::default()
        };
        noon.setup.name = "Noon".into();
        let mut evening = noon.with_copy("Evening".into());
        assert_eq!(
            evening.exposure_stops, -1.0,
            "a copy begins as what it is of"
        );
        evening.time_s = 7.0;
        evening.exposure_stops = 2.0;
        assert_eq!(named(&evening), [(1, "Noon"), (2, "Evening")]);
        let back = evening.with_setup(1).unwrap();
        assert_eq!((back.time_s, back.exposure_stops), (0.0, -1.0));
        assert_eq!(named(&back), named(&evening));
        assert_eq!(
            back.with_setup(2).unwrap(),
            evening,
            "nothing is lost there and back"
        );
        assert_eq!(back.lit(), noon.lit());
        assert_ne!(back.lit(), evening.lit());
        assert!(back.with_setup(9).is_none() && back.without_setup(9).is_none());
        // Of the one in use the nearest takes the place; the last one stays.
        let alone = evening.without_setup(2).unwrap();
        assert_eq!((named(&alone), alone.time_s), (vec![(1, "Noon")], 0.0));
        assert!(alone.without_setup(1).is_none());
        assert_eq!(named(&back.without_setup(2).unwrap()), [(1, "Noon")]);
        // A number is not used twice while a higher one is there.
        let third = back.with_copy("Night".into());
        assert_eq!(named(&third), [(1, "Noon"), (2, "Evening"), (3, "Night")]);
    }
}
