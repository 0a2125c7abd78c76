//! A value that one eye has of its own.

use super::{Facts, Finding, Level};
use dome_optics::rig::Rig;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    let Rig::Flat(flat) = &pair.rig else { return };
    if let Some(own) = flat.unlinked {
        found.push(pair.finding(
            "value-unlinked",
            Level::Note,
            format!("The {} eye has values of its own.", own.side.name()),
            "Link both eyes again unless footage asks for it.",
        ));
    }
}
