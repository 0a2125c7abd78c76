//! Room on the disk.

use super::{Facts, Finding, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(order) = facts.order.as_ref() else {
        return;
    };
    let Some(free) = order.free_bytes else { return };
    let gigabytes = |v: u64| v as f64 / 1e9;
    if order.need_bytes > free {
        found.push(order.finding(
            "disk",
            Level::Stop,
            format!(
                "The render needs {:.1} GB while it runs and {:.1} GB are free.",
                gigabytes(order.need_bytes),
                gigabytes(free)
            ),
            "Free some space, leave passes out, or make the picture smaller.",
        ));
    } else if order.need_bytes as f64 > 0.8 * free as f64 {
        found.push(order.finding(
            "disk",
            Level::Warn,
            format!(
                "The render takes {:.1} of {:.1} GB that are free.",
                gigabytes(order.need_bytes),
                gigabytes(free)
            ),
            "Free some space before the night.",
        ));
    }
}
