//! Eyes that are not level: a head on its side sees two heights, and no one can look at that for long.

use super::{Facts, Finding, Fix, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    let o = &pair.orientation;
    if o.is_level() {
        return;
    }
    let mut finding = pair.finding(
        "eyes-not-level",
        Level::Warn,
        format!(
            "The pair is tilted by {:.1}° and rolled by {:.1}°: its eyes are at different heights in most directions.",
            o.pitch_deg, o.roll_deg
        ),
        "Level the viewpoint; turn the finished picture instead.",
    );
    finding.fix = Some(Fix::LevelOut);
    found.push(finding);
}
