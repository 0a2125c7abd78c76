//! A quarter of the sphere without light.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((stand, dark)) = facts.stand.as_ref().and_then(|s| Some((s, s.dark?))) else {
        return;
    };
    let side = match dark.pitch_deg {
        p if p > 45.0 => "Everything above 30°".to_owned(),
        p if p < -45.0 => "Everything below -30°".to_owned(),
        _ => format!("The quarter round heading {:.0}°", dark.heading_deg),
    };
    let finding = stand.finding(
        "dark-side",
        Level::Warn,
        format!(
            "{side} is dark: {:.4} on average, the whole sphere {:.3}.",
            dark.mean, dark.whole
        ),
        "Add a light there, turn the surroundings, or brighten what shines on it.".into(),
    );
    found.push(finding.towards(dark.heading_deg, dark.pitch_deg));
}
