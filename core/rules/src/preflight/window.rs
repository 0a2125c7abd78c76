//! Things in front of the screen that the frame's edge cuts off.

use super::{Facts, Finding, Level, length};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    if let Some(worst) = pair.violations.first() {
        let others = match pair.violations.len() {
            1 => String::new(),
            n => format!(" (and {} more)", n - 1),
        };
        found.push(pair.finding(
            "window-violation",
            Level::Warn,
            format!(
                "\"{}\" at {} is {:.0} px in front of the screen and cut off by the {} edge{others}.",
                pair.object(worst.object),
                length(worst.distance),
                -worst.parallax,
                if worst.left { "left" } else { "right" }
            ),
            "Take the floating window that is found for it, or zero parallax nearer.",
        ));
    }
}
