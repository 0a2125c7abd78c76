//! A length typed or exported in the wrong unit.

use super::{Facts, Finding, Level, length};

/// Scenes are rooms to landscapes, metres.
const SCENES: std::ops::RangeInclusive<f64> = 0.5..=5000.0;
/// Eyes are 50 to 75 mm apart in adults (Dodgson 2004, Proc. SPIE 5291: 52 to 78 mm, from memory); models and
/// landscapes are seen with smaller and larger ones, which is still plausible within these. Metres.
const EYES: std::ops::RangeInclusive<f64> = 0.02..=0.2;
/// Beyond these it can only be a wrong unit, metres.
const SANE: std::ops::RangeInclusive<f64> = 0.002..=2.0;

fn slip(what: String, place: &str, remedy: &str, level: Level) -> Finding {
    Finding {
        rule: "unit-slip",
        level,
        what,
        place: place.into(),
        remedy: remedy.into(),
        direction: None,
        fix: None,
    }
}

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    if let Some(extent) = facts.extent.filter(|e| !SCENES.contains(e)) {
        let size = if extent > 1000.0 {
            format!("{:.1} km", extent / 1000.0)
        } else {
            length(extent)
        };
        found.push(slip(
            format!("The scene is {size} across."),
            "Scene",
            "Choose the unit that it was made in; a person beside it shows whether it fits.",
            Level::Warn,
        ));
    }
    if let Some(eyes) = facts.eye_separation.filter(|e| !EYES.contains(e)) {
        let (who, level) = match (eyes < *EYES.start(), SANE.contains(&eyes)) {
            (true, sane) => ("a mouse", sane),
            (false, sane) => ("a giant", sane),
        };
        let told = if eyes < 1.0 {
            format!("{:.1} mm", eyes * 1000.0)
        } else {
            format!("{eyes:.2} m")
        };
        found.push(slip(
            format!("The eyes are {told} apart: the scene will look as to {who}."),
            "Rig",
            "Give the eye separation in millimetres; 63 mm is usual.",
            if level { Level::Warn } else { Level::Stop },
        ));
    }
}
