//! What an import understood, and what it left out and why.

use super::unit::{Unit, UnitGuess};
use super::up::UpReading;
use crate::photometry::LightStart;
use crate::scene::{Document, Motion, Scene};
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
    /// Which way is up, and how that is known.
    pub up: UpReading,
    /// Place in the file, in its own axes and unit, that became the origin.
    pub origin: [f64; 3],
    /// What the file's coordinates have more than the scene's, metres with Y up.
    pub offset_m: [f64; 3],
    /// With what light it begins.
    pub light: LightStart,
    /// The unit that its size speaks for.
    pub unit: Option<UnitGuess>,
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
pub(super) fn begin(format: &str, tally: Tally, document: &Document) -> ImportReport {
    let mut report = ImportReport {
        format: format.to_owned(),
        left_out: tally.finish(),
        ..ImportReport::default()
    };
    if document.dropped > 0 {
        report.left_out.push(LeftOut {
            what: format!("{} x triangle", document.dropped),
            why: "they have no area, so nothing of them could be seen".into(),
        });
    }
    if document.without_normals > 0 {
        report.left_out.push(LeftOut {
            what: format!("{} x mesh without normals", document.without_normals),
            why: "it is shown with flat faces".into(),
        });
    }
    report
}

impl ImportReport {
    /// Adds what can only be said of the finished scene.
    pub(super) fn judge(&mut self, scene: &Scene, unit: Unit) {
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
        self.judge_frame(scene, unit);
        self.tell_origin(unit);
    }

    /// Tells which way is up and in which unit it is, and how much is guessed.
    fn judge_frame(&mut self, scene: &Scene, unit: Unit) {
        let UpReading { used, told, guess } = &self.up;
        let (name, why) = (guess.up.name(), &guess.why);
        match (told, guess.sure) {
            (false, true) => self.understood.push(format!("{name} is up: {why}")),
            (false, false) => self.notices.push(format!(
                "The file does not say which way is up. {name} is taken, a rough guess: {why}. If it lies on its side, turn it (Scene, or --up)."
            )),
            (true, true) if guess.up != *used => self.notices.push(format!(
                "It is read with {} up, but it looks as if {name} were up: {why}. If it lies on its side, turn it (Scene, or --up).",
                used.name()
            )),
            _ => {}
        }
        let (low, high) = scene.bounds();
        let metres = (high - low).as_dvec3();
        let guess = UnitGuess::of((metres / f64::from(unit.metres())).to_array());
        let extent = metres.max_element();
        if !(0.5..=3000.0).contains(&extent) {
            self.notices.push(format!(
                "The scene is {} across if it was made in {}{}. Check the unit (Scene, or --unit).",
                if extent < 1.0 {
                    format!("only {:.1} mm", extent * 1000.0)
                } else {
                    format!("{extent:.0} m")
                },
                unit.name(),
                match (guess.unit == unit, guess.sure) {
                    (true, _) => String::new(),
                    (false, true) => format!("; {}", guess.why),
                    (false, false) => format!("; {}, a rough guess", guess.why),
                },
            ));
        }
        self.unit = Some(guess);
    }

    /// Tells where in the file the origin was put.
    fn tell_origin(&mut self, unit: Unit) {
        let [x, y, z] = self.origin.map(|v| v * f64::from(unit.metres()));
        if [x, y, z] != [0.0; 3] {
            self.notices.push(format!(
                "The scene lies far from its file's origin, at x {x} m, y {y} m, z {z} m. It is kept near one, so that nothing is rounded; coordinates are the file's all the same."
            ));
        }
    }
}
