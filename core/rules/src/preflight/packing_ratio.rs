//! A file whose sides do not fit the way its eyes are to lie in it.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(packing) = &facts.packing else {
        return;
    };
    if let Some(wrong) = &packing.wrong {
        found.push(Finding::at(
            &packing.name,
            "packing-ratio",
            Level::Stop,
            wrong.clone(),
            "Give the width alone; the height follows from shape and packing.",
        ));
    }
}
