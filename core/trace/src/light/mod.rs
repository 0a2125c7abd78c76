//! Everything that gives light, made ready for a render: surroundings, glowing surfaces, lamps.

pub mod environment;
pub mod sun_sky;
mod tree;

pub use environment::Environment;
pub(crate) use tree::{LightSample, Receiver};

use crate::lamp::LampKind;
use crate::scene::Scene;
use crate::sky::Surroundings;
use dome_imaging::Picture;
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tree::LightTree;

/// What an artist set for one light.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LightSetting {
    /// Whether it shines.
    pub on: bool,
    /// Brighter or darker than the scene says, stops.
    pub stops: f32,
    /// Whether the eye looks through its body; it still shines and is still mirrored.
    #[serde(default)]
    pub unseen: bool,
}

impl Default for LightSetting {
    fn default() -> Self {
        Self {
            on: true,
            stops: 0.0,
            unseen: false,
        }
    }
}

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
    /// Brightness of each object's emission; empty while nothing is changed.
    object_scale: Vec<f32>,
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
    /// surroundings' picture if they have one; `gain` makes everything that lights brighter, for drafts.
    pub fn new(
        scene: &Scene,
        surroundings: &Surroundings,
        picture: Option<&Picture>,
        settings: &LightSettings,
        gain: f32,
    ) -> Self {
        let of = |key: String| settings.get(&key).copied().unwrap_or_default();
        let scale = |s: LightSetting| if s.on { s.stops.exp2() * gain } else { 0.0 };
        let changed = gain != 1.0 || settings.keys().any(|k| k.starts_with("object:"));
        let objects = || (0..scene.objects().len()).map(|i| of(object_key(i)));
        let object_scale: Vec<f32> = if changed {
            objects().map(scale).collect()
        } else {
            Vec::new()
        };
        let unseen = if settings.values().any(|s| s.unseen) {
            objects().map(|s| s.unseen).collect()
        } else {
            Vec::new()
        };
        let lamp_scale: Vec<f32> = (0..scene.lamps().len())
            .map(|i| scale(of(lamp_key(i))))
            .collect();
        let mut directional: Vec<_> = scene
            .lamps()
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
            ),
            tree: LightTree::gather(scene, &object_scale, &lamp_scale),
            object_scale,
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
            1.0,
        )
    }

    pub(crate) fn object_scale(&self, object: u32) -> f32 {
        self.object_scale
            .get(object as usize)
            .copied()
            .unwrap_or(1.0)
    }

    pub(crate) fn is_unseen(&self, object: u32) -> bool {
        self.unseen.get(object as usize).copied().unwrap_or(false)
    }

    pub(crate) fn any_unseen(&self) -> bool {
        !self.unseen.is_empty()
    }
}
