//! Turned cameras: their pictures differ in height in the corners.

use super::{Facts, Finding, Level};
use dome_optics::rig::Method;

/// More than this is seen as strain, pixels at 1920 (common practice, no source).
const MOST: f64 = 2.0;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((pair, plan)) = facts.pair.as_ref().and_then(|p| Some((p, p.plan?))) else {
        return;
    };
    if plan.pair.method != Method::Converged {
        return;
    }
    let px = plan
        .pair
        .vertical_parallax(plan.frame, plan.width / plan.frame.ratio);
    if px > MOST * plan.width / 1920.0 {
        found.push(pair.finding(
            "vertical-parallax",
            Level::Warn,
            format!("Turned cameras put the corners up to {px:.1} px above each other."),
            "Take off-axis cameras: they have none.",
        ));
    }
}
