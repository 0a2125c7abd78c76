//! Clay left on: a grey picture instead of the scene's materials.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(order) = facts.order.as_ref().filter(|o| o.clay) else {
        return;
    };
    found.push(order.finding(
        "clay",
        if order.draft {
            Level::Note
        } else {
            Level::Warn
        },
        "Everything but glass is one grey.".into(),
        "Switch clay off for the picture that is handed over.",
    ));
}
