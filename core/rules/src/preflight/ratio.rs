//! A width and a height that do not belong together.

use super::{Facts, Finding, Level};
use dome_optics::PictureSize;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(order) = facts.order.as_ref() else {
        return;
    };
    if order.width.is_none() && order.height.is_none() {
        return;
    }
    if let Err(problem) = PictureSize::new(order.shape, order.width, order.height) {
        found.push(order.finding(
            "ratio",
            Level::Stop,
            problem.to_string(),
            "Give the width alone; the height follows from the shape.",
        ));
    }
}
