//! What an import understood, and what it left out and why.

use super::gltf_motion::Motion;
use super::{ImportOptions, Unit};
use crate::scene::SceneBuilder;
use std::borrow::Cow;
use std::collections::BTreeMap;

/// Something that was not taken over.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeftOut {
    /// What, with its number.
    pub what: String,
    /// Why, and what happens instead.
    pub why: String,
}

/// The findings of an import.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ImportReport {
    /// The format, e.g. "glTF 2.0 (binary)".
    pub format: String,
    /// What was taken over, with its number.
    pub understood: Vec<String>,
    /// Named light sources: objects with an emissive material, and lamps without a body.
    pub lights: Vec<String>,
    /// What is known of the scene's motion.
    pub motion: Motion,
    /// What was left out.
    pub left_out: Vec<LeftOut>,
    /// Odd things that an artist should know.
    pub notices: Vec<String>,
}

/// Counts kinds of things that are left out, so that each is told once with its number.
#[derive(Default)]
pub(super) struct Tally {
    counts: BTreeMap<(Cow<'static, str>, &'static str), usize>,
}

impl Tally {
    pub(super) fn add(&mut self, what: &'static str, why: &'static str) {
        *self.counts.entry((what.into(), why)).or_default() += 1;
    }

    pub(super) fn add_named(&mut self, what: String, why: &'static str) {
        *self.counts.entry((what.into(), why)).or_default() += 1;
    }

    pub(super) fn finish(self) -> Vec<LeftOut> {
        self.counts
            .into_iter()
            .map(|((what, why), n)| LeftOut {
                what: format!("{n} x {what}"),
                why: why.to_owned(),
            })
            .collect()
    }
}

/// A number of things, in words; `rest` follows the noun.
pub(super) fn counted(n: usize, noun: &str, rest: &str) -> String {
    let plural = if n == 1 { "" } else { "s" };
    let space = if rest.is_empty() { "" } else { " " };
    format!("{n} {noun}{plural}{space}{rest}")
}

/// What every format has to say about a scene once it is gathered.
pub(super) fn finish(format: &str, tally: Tally, builder: &SceneBuilder) -> ImportReport {
    let mut report = ImportReport {
        format: format.to_owned(),
        left_out: tally.finish(),
        ..ImportReport::default()
    };
    if builder.dropped > 0 {
        report.left_out.push(LeftOut {
            what: format!("{} x triangle", builder.dropped),
            why: "they have no area, so nothing of them could be seen".into(),
        });
    }
    if builder.without_normals > 0 {
        report.left_out.push(LeftOut {
            what: format!("{} x mesh without normals", builder.without_normals),
            why: "it is shown with flat faces".into(),
        });
    }
    report
}

impl ImportReport {
    /// Adds what can only be said of the finished scene.
    pub(super) fn judge(&mut self, scene: &crate::scene::Scene, options: &ImportOptions) {
        self.lights = scene
            .objects()
            .iter()
            .filter(|o| o.triangles > 0 && o.emits)
            .map(|o| o.name.clone())
            .chain(scene.lamps().iter().map(|l| l.name.clone()))
            .collect();
        if self.lights.is_empty() {
            self.notices
                .push("Nothing in the scene gives light; only the sky lights it.".into());
        }
        let mut understood = Vec::new();
        let mut tell = |n: usize, noun: &str, rest: &str| {
            if n > 0 {
                understood.push(counted(n, noun, rest));
            }
        };
        tell(scene.lamps().len(), "lamp", "without a body");
        tell(scene.cameras().len(), "camera", "");
        tell(self.motion.clips, "animation clip", "");
        let materials = scene.materials();
        let with =
            |has: &dyn Fn(&crate::Material) -> bool| materials.iter().filter(|m| has(m)).count();
        tell(
            with(&|m| m.normal_texture.is_some()),
            "material",
            "with bumps",
        );
        tell(
            with(&|m| m.alpha != crate::material::Alpha::Opaque),
            "material",
            "with holes or veils",
        );
        tell(with(&|m| m.transmission > 0.0), "material", "of glass");
        tell(with(&|m| m.coat.is_some()), "lacquered material", "");
        tell(with(&|m| m.sheen.is_some()), "material", "of cloth");
        tell(with(&|m| m.unlit), "unlit material", "");
        self.understood.extend(understood);
        self.judge_size(scene, options.unit);
    }

    fn judge_size(&mut self, scene: &crate::scene::Scene, unit: Unit) {
        let (low, high) = scene.bounds();
        let extent = (high - low).max_element();
        // Read in the unit that would make it as large as a room or a house.
        let likely = |units: &[Unit]| {
            units
                .iter()
                .map(|u| (u, extent / unit.metres() * u.metres()))
                .find(|(_, m)| (2.0..=200.0).contains(m))
                .map(|(u, m)| format!(" In {} it would be {m:.1} m across.", u.name()))
                .unwrap_or_default()
        };
        if extent > 5000.0 {
            let other = likely(&[Unit::Centimetre, Unit::Millimetre, Unit::Inch]);
            self.notices.push(format!(
                "The scene is {extent:.0} m across; if that is too much, it was exported in a smaller unit than {}.{other}",
                unit.name()
            ));
        } else if extent < 0.5 {
            let other = likely(&[Unit::Metre, Unit::Foot, Unit::Inch, Unit::Centimetre]);
            self.notices.push(format!(
                "The scene is only {:.1} mm across; if that is too little, it was exported in a larger unit than {}.{other}",
                extent * 1000.0,
                unit.name()
            ));
        }
    }
}
