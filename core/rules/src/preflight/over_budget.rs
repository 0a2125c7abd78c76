//! More parallax than the shot may use.

use super::{Facts, Finding, Level, length};
use crate::comfort::Beyond;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((pair, plan)) = facts.pair.as_ref().and_then(|p| Some((p, p.plan?))) else {
        return;
    };
    let mut told = [false; 2];
    for o in plan.offenders(pair.depths) {
        let (which, side, limit) = match o.beyond {
            Beyond::Back => (1, "behind", plan.budget.back),
            Beyond::Front | Beyond::Near => (0, "in front of", plan.budget.front),
        };
        // The worst on either side says it all; the list of the stage has the others.
        if std::mem::replace(&mut told[which], true) {
            continue;
        }
        found.push(
            pair.finding(
                "over-budget",
                Level::Warn,
                format!(
                    "\"{}\" at {} lies {:.1} px {side} the screen, and this shot may use {limit:.1} px there (final width {:.0} px).",
                    pair.object(o.object),
                    length(o.distance),
                    o.amount.abs(),
                    plan.width
                ),
                "Fit the pair to the scene, or change the shot's share of the budget.",
            )
            .towards(o.heading_deg, o.pitch_deg),
        );
    }
    // The sky is as far as anything can be.
    let sky = plan.parallax(f64::INFINITY);
    if !told[1] && pair.depths.open > 0.0 && sky > plan.budget.back + 0.5 {
        found.push(pair.finding(
            "over-budget",
            Level::Warn,
            format!(
                "The open distance lies {sky:.1} px behind the screen, and this shot may use {:.1} px there (final width {:.0} px).",
                plan.budget.back, plan.width
            ),
            "Fit the pair to the scene, or change the shot's share of the budget.",
        ));
    }
}
