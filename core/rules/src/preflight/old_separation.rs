//! A draft's separation that was left on: orders hold a copy of their pair, and what the viewpoint has by now is another one.

use super::{Facts, Finding, Level, length};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(order) = facts.order.as_ref().filter(|o| !o.draft) else {
        return;
    };
    let Some((held, now)) = order.separation else {
        return;
    };
    if (held - now).abs() <= 1e-6 * now.abs() {
        return;
    }
    found.push(order.finding(
        "draft-separation",
        Level::Warn,
        format!(
            "It keeps the eyes {} apart, as they were when it was ordered; the viewpoint has {} now.",
            length(held),
            length(now)
        ),
        "Order it anew if the one of now is meant for the final.",
    ));
}
