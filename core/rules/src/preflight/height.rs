//! The eye too low or too high above its floor.

use super::{Facts, Finding, Fix, Level, length};
use dome_trace::stand::{SEATED_EYE_HEIGHT, STANDING_EYE_HEIGHT};
use glam::DVec3;

/// Lower than a small child's eye, metres (common practice, no source).
const LOW: f64 = 0.8;
/// Higher than a tall person's eye with some allowance, metres (common practice, no source).
const HIGH: f64 = 2.2;
/// Higher than this a raised point is clearly meant, metres.
const MEANT: f64 = 4.0;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref() else {
        return;
    };
    let Some(floor) = stand.clearance.floor else {
        return;
    };
    let above = stand.eye.y - floor.y;
    let at = |height: f64| DVec3::new(stand.eye.x, floor.y + height, stand.eye.z);
    let free = stand
        .clearance
        .ceiling
        .map_or(f64::INFINITY, |c| c.y - floor.y);
    if above < LOW {
        let wish = if free < 1.9 {
            SEATED_EYE_HEIGHT.min(free / 2.0)
        } else {
            STANDING_EYE_HEIGHT
        };
        let fix = (wish > above + 0.05).then(|| Fix::MoveTo(at(wish)));
        found.push(
            stand
                .finding(
                    "height",
                    Level::Warn,
                    format!(
                        "The eye is only {} above \"{}\".",
                        length(above),
                        stand.object(floor.object)
                    ),
                    "Raise it to 1.6 m standing or 1.2 m seated, unless a low view is meant."
                        .into(),
                )
                .fixed_by(fix),
        );
    } else if above > HIGH {
        found.push(
            stand
                .finding(
                    "height",
                    if above > MEANT {
                        Level::Note
                    } else {
                        Level::Warn
                    },
                    format!(
                        "The eye is {} above \"{}\".",
                        length(above),
                        stand.object(floor.object)
                    ),
                    "Lower it to 1.6 m, unless a raised view is meant.".into(),
                )
                .fixed_by(Some(Fix::MoveTo(at(STANDING_EYE_HEIGHT)))),
        );
    }
}
