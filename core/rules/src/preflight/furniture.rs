//! Something beside and below the eye, or straight below it.

use super::{Facts, Finding, Level, length};
use dome_trace::stand::remedy::step_away;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref() else {
        return;
    };
    let clear = stand.clearance;
    if clear.inside.is_some() {
        return;
    }
    let floor = clear.floor.map_or(stand.eye.y, |f| f.y);
    let away = || {
        stand.remedy(|| {
            step_away(stand.scene, stand.eye, stand.limits.beside, floor)
                .or_else(|| stand.to_the_middle())
        })
    };
    let remedy = "Step away from it, or raise the eye well above it.".to_owned();
    if let Some((thing, height)) = &clear.over {
        let what = format!(
            "The eye is above \"{}\", whose top is {} over the floor.",
            stand.object(thing.object),
            length(*height)
        );
        found.push(
            stand
                .finding("over-furniture", Level::Warn, what, remedy)
                .towards(thing.heading_deg, thing.pitch_deg)
                .fixed_by(away()),
        );
    } else if let Some(thing) = &clear.beside {
        let what = format!(
            "\"{}\" is {} beside the eye and below it, within {}.",
            stand.object(thing.object),
            length(thing.distance),
            length(stand.limits.beside)
        );
        found.push(
            stand
                .finding("over-furniture", Level::Warn, what, remedy)
                .towards(thing.heading_deg, thing.pitch_deg)
                .fixed_by(away()),
        );
    }
}
