//! What an import understood, and what it left out and why.

use crate::scene::SceneBuilder;
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
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ImportReport {
    /// The format, e.g. "glTF 2.0 (binary)".
    pub format: String,
    /// Named light sources: objects with an emissive material.
    pub lights: Vec<String>,
    /// What was left out.
    pub left_out: Vec<LeftOut>,
    /// Odd things that an artist should know.
    pub notices: Vec<String>,
}

/// Counts kinds of things that are left out, so that each is told once with its number.
#[derive(Default)]
pub(super) struct Tally {
    counts: BTreeMap<(&'static str, &'static str), usize>,
}

impl Tally {
    pub(super) fn add(&mut self, what: &'static str, why: &'static str) {
        *self.counts.entry((what, why)).or_default() += 1;
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
    report
}

impl ImportReport {
    /// Adds what can only be said of the finished scene.
    pub(super) fn judge(&mut self, scene: &crate::scene::Scene) {
        self.lights = scene
            .objects()
            .iter()
            .filter(|o| o.triangles > 0 && scene.materials()[o.material as usize].emits())
            .map(|o| o.name.clone())
            .collect();
        if self.lights.is_empty() {
            self.notices
                .push("Nothing in the scene gives light; only the sky lights it.".into());
        }
        let (low, high) = scene.bounds();
        let extent = (high - low).max_element();
        if extent > 5000.0 {
            self.notices.push(format!(
                "The scene is {extent:.0} m across; if that is too much, it was exported in a smaller unit than metres."
            ));
        } else if extent < 0.5 {
            self.notices.push(format!(
                "The scene is only {:.1} mm across; if that is too little, it was exported in a larger unit than metres.",
                extent * 1000.0
            ));
        }
    }
}
