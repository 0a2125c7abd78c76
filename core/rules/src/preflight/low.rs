//! Something low above the eye.

use super::{Facts, Finding, Level, length};
use dome_trace::stand::SEATED_EYE_HEIGHT;
use dome_trace::stand::remedy::raise;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((stand, low)) = facts
        .stand
        .as_ref()
        .and_then(|s| Some((s, s.clearance.low?)))
    else {
        return;
    };
    if stand.clearance.inside.is_some() {
        return;
    }
    let fix = stand.remedy(|| {
        raise(stand.clearance, stand.eye, SEATED_EYE_HEIGHT)
            .filter(|p| p.y < stand.eye.y)
            .or_else(|| stand.to_the_middle())
    });
    found.push(
        stand
            .finding(
                "under-low",
                Level::Warn,
                format!(
                    "\"{}\" hangs {} above the eye.",
                    stand.object(low.object),
                    length(low.distance)
                ),
                "Step out from under it, or lower the eye to 1.2 m.".into(),
            )
            .towards(low.heading_deg, low.pitch_deg)
            .fixed_by(fix),
    );
}
