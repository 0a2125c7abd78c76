//! Things too near: for two eyes sooner than for one.

use super::{Facts, Finding, Level, length};
use dome_trace::stand::remedy::step_away;

/// Nearer than this fills a good part of the picture even with one eye, metres.
const HUGE: f64 = 0.25;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((stand, near)) = facts
        .stand
        .as_ref()
        .and_then(|s| Some((s, s.clearance.nearest?)))
    else {
        return;
    };
    let comfort = stand.limits.comfort();
    if stand.clearance.inside.is_some() || near.distance >= comfort.max(HUGE) {
        return;
    }
    let floor = stand.clearance.floor.map_or(stand.eye.y, |f| f.y);
    let fix = stand.remedy(|| {
        step_away(stand.scene, stand.eye, comfort, floor).or_else(|| stand.to_the_middle())
    });
    let limit = if near.distance < comfort {
        format!(
            "two eyes {:.0} mm apart want {} (30 separations)",
            stand.limits.eye_separation * 1000.0,
            length(comfort)
        )
    } else {
        "it fills a good part of the picture".into()
    };
    found.push(
        stand
            .finding(
                "too-near",
                if stand.stereo || near.distance < HUGE {
                    Level::Warn
                } else {
                    Level::Note
                },
                format!(
                    "\"{}\" is {} away at heading {:.0}°, pitch {:.0}°; {limit}.",
                    stand.object(near.object),
                    length(near.distance),
                    near.heading_deg,
                    near.pitch_deg
                ),
                "Step away from it, or to the middle of the room.".into(),
            )
            .towards(near.heading_deg, near.pitch_deg)
            .fixed_by(fix),
    );
}
