//! A separation that is hardly meant: a unit was mistaken, or a factor was left on.

use super::{Facts, Finding, Level, length};
use dome_optics::rig::scale::{is_implausible, viewer};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    let separation = pair.rig.separation();
    if is_implausible(separation) {
        found.push(pair.finding(
            "separation",
            Level::Warn,
            format!(
                "The eyes are {} apart: {} would see it so.",
                length(separation),
                viewer(separation)
            ),
            "Check the unit; 63 mm is usual.",
        ));
    } else if pair.scale != 1.0 {
        found.push(pair.finding(
            "separation",
            Level::Note,
            format!(
                "The separation is multiplied by {}, to {}: {} would see it so.",
                pair.scale,
                length(separation),
                viewer(separation)
            ),
            "Set the factor to 1 if that is not meant for the final.",
        ));
    }
}
