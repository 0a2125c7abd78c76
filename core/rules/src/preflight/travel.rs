//! A riding viewpoint that does not look where it goes.

use super::{Facts, Finding, Fix, Level};
use crate::motion::ASIDE_DEG;
use dome_optics::angle::wrap_signed_deg;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((stand, travel)) = facts.stand.as_ref().and_then(|s| Some((s, s.travel_deg?))) else {
        return;
    };
    let heading = stand.orientation.heading_deg;
    let off = wrap_signed_deg(heading - travel).abs();
    if off > ASIDE_DEG {
        found.push(
            stand
                .finding(
                    "travel",
                    Level::Warn,
                    format!(
                        "It looks to {heading:.0}° and travels to {travel:.0}°: {off:.0}° apart, which makes people sick."
                    ),
                    "Turn it to where it goes.".into(),
                )
                .towards(travel, 0.0)
                .fixed_by(Some(Fix::Turn(travel))),
        );
    }
}
