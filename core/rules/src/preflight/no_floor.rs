//! Nothing to stand on.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref().filter(|s| s.clearance.floor.is_none()) else {
        return;
    };
    found.push(
        stand
            .finding(
                "no-floor",
                Level::Warn,
                "There is no floor below the eye.".into(),
                "Move it over a floor, for example to the middle of a room.".into(),
            )
            .towards(0.0, -90.0)
            .fixed_by(stand.remedy(|| stand.to_the_middle())),
    );
}
