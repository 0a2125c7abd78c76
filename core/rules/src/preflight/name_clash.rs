//! Two outputs of one name.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((order, other)) = facts
        .order
        .as_ref()
        .and_then(|o| Some((o, o.clash.as_ref()?)))
    else {
        return;
    };
    found.push(order.finding(
        "name-clash",
        Level::Warn,
        format!("Its file would have the same name as {other}."),
        "Give one of them another name.",
    ));
}
