//! Lamps in sight that a framed camera would have left out.

use super::{Facts, Finding, Fix, Level};

/// Names told before the rest is counted.
const NAMES: usize = 3;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref().filter(|s| !s.lamps.is_empty()) else {
        return;
    };
    let lamps = &stand.lamps;
    let names: Vec<String> = lamps
        .iter()
        .take(NAMES)
        .map(|l| format!("\"{}\" ({:.2} % of the sphere)", l.name, l.share * 100.0))
        .collect();
    let more = match lamps.len().saturating_sub(NAMES) {
        0 => String::new(),
        n => format!(" and {n} more"),
    };
    let finding = stand.finding(
        "lamp-in-sight",
        Level::Note,
        format!("{}{more} can be seen.", names.join(", ")),
        "Hide those that do not belong to the picture; they go on shining.".into(),
    );
    let keys = lamps.iter().map(|l| l.key.clone()).collect();
    found.push(
        finding
            .towards(lamps[0].heading_deg, lamps[0].pitch_deg)
            .fixed_by(Some(Fix::Hide(keys))),
    );
}
