//! Parallax behind the screen that makes eyes diverge.

use super::{Facts, Finding, Level};
use dome_optics::rig::screen::{ADULT_EYES, MOST_DIVERGENCE_DEG};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((pair, plan)) = facts.pair.as_ref().and_then(|p| Some((p, p.plan?))) else {
        return;
    };
    let farthest = pair.depths.farthest(0.0);
    let (Some(screen), Some((adults, children))) = (plan.screen, plan.divergence_deg(farthest))
    else {
        return;
    };
    if children <= 0.0 {
        return;
    }
    let metres = screen.metres(plan.parallax(farthest) / plan.width);
    found.push(pair.finding(
        "divergence",
        if adults > MOST_DIVERGENCE_DEG {
            Level::Warn
        } else {
            Level::Note
        },
        format!(
            "The farthest lies {:.0} mm behind the screen: adults' eyes ({:.0} mm) diverge by {adults:.2}°, children's by {children:.2}°.",
            metres * 1000.0,
            ADULT_EYES * 1000.0
        ),
        "Bring the eyes closer together, or zero parallax farther away.",
    ));
}
