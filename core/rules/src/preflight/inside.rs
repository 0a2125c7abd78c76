//! The eye inside a solid.

use super::{Facts, Finding, Level};
use dome_trace::stand::remedy::{out_of_solid, step_away};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((stand, object)) = facts
        .stand
        .as_ref()
        .and_then(|s| Some((s, s.clearance.inside?)))
    else {
        return;
    };
    let fix = stand.remedy(|| {
        let floor = stand.clearance.floor.map_or(stand.eye.y, |f| f.y);
        stand
            .to_the_middle()
            .or_else(|| step_away(stand.scene, stand.eye, stand.limits.beside, floor))
            .or_else(|| out_of_solid(stand.scene, stand.eye))
    });
    found.push(
        stand
            .finding(
                "inside",
                Level::Stop,
                format!("The eye is inside of \"{}\".", stand.object(object)),
                "Move it out, for example to the middle of the room.".into(),
            )
            .fixed_by(fix),
    );
}
