//! Everything that gives light, made ready for a render: surroundings, glowing surfaces, lamps.

mod aim;
mod beam;
mod closed;
mod cut;
pub mod environment;
mod piece;
mod spherical;
pub mod sun_sky;
mod tree;

pub use beam::{Beam, IntensityTable, LightDistribution};
pub(crate) use cut::{CLUSTERS, Chances, Cut};
pub use environment::Environment;
pub(crate) use tree::{LightSample, Lit, Receiver};

use crate::lamp::{Lamp, LampKind};
use crate::photometry::LightScale;
use crate::scene::Scene;
use crate::sky::Surroundings;
use beam::ObjectBeam;
use dome_imaging::Picture;
use dome_imaging::transfer::luminance;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use tree::LightTree;

/// What an artist set for one light.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LightSetting {
    /// Whether it shines.
    pub on: bool,
    /// Brighter or darker than the scene says, stops.
    pub stops: f32,
    /// Whether the eye looks through its body; it still shines and is still mirrored.
    #[serde(default)]
    pub unseen: bool,
    /// A measured distribution that it shines by, if it does; its strength is then that of the file, `stops` brighter.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub distribution: Option<LightDistribution>,
}

impl Default for LightSetting {
    fn default() -> Self {
        Self {
            on: true,
            stops: 0.0,
            unseen: false,
            distribution: None,
        }
    }
}

/// Measured tables by the files that settings name.
pub type IntensityTables = BTreeMap<String, Arc<IntensityTable>>;

/// The keys of the settings of the surroundings' light.
pub const SKY_KEY: &str = "sky";
/// See [`SKY_KEY`].
pub const SUN_KEY: &str = "sun";

/// Settings by light: `object:N` for a glowing object, `lamp:N` for a lamp without a body, `sky` and `sun`.
pub type LightSettings = BTreeMap<String, LightSetting>;

/// All light of a render.
pub struct Illumination {
    /// What surrounds the scene.
    pub environment: Environment,
    pub(crate) tree: LightTree,
    /// Luminance of a picture's 1, cd/m^2.
    pub white_cd_m2: f32,
    /// Brightness of each object's emission; empty while nothing is changed.
    object_scale: Vec<f32>,
    /// Objects that shine as measured; empty while none does.
    beams: Vec<Option<ObjectBeam>>,
    /// The scene's lamps as they are set.
    pub(crate) lamps: Vec<Lamp>,
    /// Objects that the eye looks through; empty while there are none.
    unseen: Vec<bool>,
    /// Directional lamps: where the light comes from, irradiance, and the chance of choosing up to it.
    pub(crate) directional: Vec<(Vec3, Vec3, f32)>,
}

/// The key of a glowing object's setting.
pub fn object_key(object: usize) -> String {
    format!("object:{object}")
}

/// The key of a lamp's setting.
pub fn lamp_key(lamp: usize) -> String {
    format!("lamp:{lamp}")
}

impl Illumination {
    /// The light of a scene under the given surroundings, with lights as they are set. `picture` is the
    /// surroundings' picture if they have one; `measure` says what the scene's numbers are and what a picture's 1 is.
    pub fn new(
        scene: &Scene,
        surroundings: &Surroundings,
        picture: Option<&Picture>,
        settings: &LightSettings,
        measure: LightScale,
    ) -> Self {
        let none = IntensityTables::new();
        Self::measured(scene, surroundings, picture, (settings, &none), measure)
    }

    /// The same with the tables by which lights shine that are set so; one that is not there counts as not set.
    pub fn measured(
        scene: &Scene,
        surroundings: &Surroundings,
        picture: Option<&Picture>,
        (settings, tables): (&LightSettings, &IntensityTables),
        measure: LightScale,
    ) -> Self {
        let plain = LightSetting::default();
        let of = |key: String| settings.get(&key).unwrap_or(&plain);
        let table = |s: &LightSetting| {
            let how = s.distribution.clone()?;
            Some((Arc::clone(tables.get(&how.file)?), how))
        };
        let scale = |s: &LightSetting| {
            if s.on {
                s.stops.exp2() * measure.gain
            } else {
                0.0
            }
        };
        let file = measure.file();
        let changed =
            file * measure.gain != 1.0 || settings.keys().any(|k| k.starts_with("object:"));
        let objects = || (0..scene.objects().len()).map(|i| of(object_key(i)));
        let mut object_scale: Vec<f32> = if changed {
            objects().map(|s| scale(s) * file).collect()
        } else {
            Vec::new()
        };
        let mut beams: Vec<Option<ObjectBeam>> = Vec::new();
        if objects().any(|s| table(s).is_some()) {
            beams = (objects().enumerate())
                .map(|(i, s)| {
                    let (table, how) = table(s)?;
                    let beam = Beam::new(table, &how, Vec3::NEG_Y);
                    let glowing: Vec<u32> = (scene.emitting())
                        .filter(|t| scene.object_of(*t) as usize == i)
                        .collect();
                    // Its strength is the file's, whatever the scene's numbers mean.
                    object_scale[i] = scale(s) / measure.white_cd_m2;
                    Some(ObjectBeam::new(beam, scene, &glowing))
                })
                .collect();
        }
        let unseen = if settings.values().any(|s| s.unseen) {
            objects().map(|s| s.unseen).collect()
        } else {
            Vec::new()
        };
        let lamp_scale: Vec<f32> = (0..scene.lamps().len())
            .map(|i| scale(of(lamp_key(i))) * file)
            .collect();
        let mut lamps = scene.lamps().to_vec();
        for (i, lamp) in lamps.iter_mut().enumerate() {
            let Some((table, how)) = table(of(lamp_key(i))) else {
                continue;
            };
            let axis = match lamp.kind {
                LampKind::Point => Vec3::NEG_Y,
                LampKind::Spot { .. } => lamp.direction,
                LampKind::Directional => continue,
            };
            // Its colour stays, its strength is the file's.
            let own = luminance(lamp.intensity);
            let colour = if own > 0.0 {
                Vec3::from(lamp.intensity) / own
            } else {
                Vec3::ONE
            };
            lamp.intensity = (colour / measure.file_cd_m2).to_array();
            lamp.beam = Some(Beam::new(table, &how, axis));
        }
        let mut directional: Vec<_> = lamps
            .iter()
            .zip(&lamp_scale)
            .filter(|(l, s)| l.kind == LampKind::Directional && **s > 0.0)
            .map(|(l, s)| (-l.direction, Vec3::from(l.intensity) * *s, 0.0))
            .collect();
        let whole: f32 = directional.iter().map(|d| d.1.element_sum()).sum();
        let mut below = 0.0;
        for d in &mut directional {
            below += d.1.element_sum() / whole.max(1e-30);
            d.2 = below;
        }
        Self {
            environment: Environment::new(
                surroundings,
                picture,
                (scale(of(SKY_KEY.into())), scale(of(SUN_KEY.into()))),
                measure.white_cd_m2,
            ),
            white_cd_m2: measure.white_cd_m2,
            tree: LightTree::gather(
                scene,
                |object| {
                    let scale = object_scale.get(object).copied().unwrap_or(1.0);
                    let beam = beams.get(object).and_then(Option::as_ref);
                    scale * beam.map_or(1.0, ObjectBeam::mean)
                },
                |object| {
                    let beam = beams.get(object).and_then(Option::as_ref);
                    let scale = object_scale.get(object).copied().unwrap_or(1.0);
                    beam.is_none().then_some(scale)
                },
                &lamps,
                &lamp_scale,
            ),
            object_scale,
            beams,
            lamps,
            unseen,
            directional,
        }
    }

    /// The light of a scene with everything as the file says.
    pub fn plain(scene: &Scene, surroundings: impl Into<Surroundings>) -> Self {
        Self::new(
            scene,
            &surroundings.into(),
            None,
            &LightSettings::new(),
            LightScale::default(),
        )
    }

    /// What an object's emission is multiplied with towards a direction away from it (unit).
    pub(crate) fn object_scale(&self, object: u32, away: Vec3) -> f32 {
        let scale = (self.object_scale.get(object as usize)).map_or(1.0, |s| *s);
        match self.beams.get(object as usize) {
            Some(Some(beam)) => scale * beam.share(away),
            _ => scale,
        }
    }

    /// A lamp's measured light, if it shines so: its table.
    pub(crate) fn table_of(&self, key: &str) -> Option<&IntensityTable> {
        let number = |kind: &str| key.strip_prefix(kind)?.parse::<usize>().ok();
        if let Some(i) = number("lamp:") {
            return self.lamps.get(i)?.beam.as_ref().map(Beam::table);
        }
        let beam = self.beams.get(number("object:")?)?.as_ref()?;
        Some(beam.table())
    }

    pub(crate) fn is_unseen(&self, object: u32) -> bool {
        self.unseen.get(object as usize).copied().unwrap_or(false)
    }

    pub(crate) fn any_unseen(&self) -> bool {
        !self.unseen.is_empty()
    }
}
