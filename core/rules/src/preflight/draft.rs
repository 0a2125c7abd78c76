//! Draft settings or half the size left on.

use super::{Facts, Finding, Level};

/// Noise that is clean enough for print and web is 3 to 4 % (common practice, no source); twice that and
/// more is a draft.
const DRAFT_NOISE: f64 = 8.0;
/// Fewer samples than this leave a picture grainy in most light.
const DRAFT_SAMPLES: u32 = 32;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(order) = facts.order.as_ref() else {
        return;
    };
    let mut say = |what: String, remedy: &str| {
        found.push(order.finding("draft", Level::Warn, what, remedy));
    };
    if order.draft {
        say(
            "It is ordered as a draft.".into(),
            "Order it again as final once the draft is approved.",
        );
    } else if let Some(noise) = order.noise_percent.filter(|n| *n >= DRAFT_NOISE) {
        say(
            format!("A noise of {noise:.0} % is a draft's; 3 to 4 % is clean."),
            "Ask for 4 % noise.",
        );
    } else if order.noise_percent.is_none() && order.samples < DRAFT_SAMPLES && !order.denoise {
        say(
            format!("{} samples a pixel are a draft's.", order.samples),
            "Ask for 4 % noise, for 64 samples or more, or take the noise out.",
        );
    }
    if let (Some(width), Some(double)) = (order.width, order.double) {
        say(
            format!("{width} px is exactly half of the {double} px rendered from the same place."),
            "Put the full width back if half was for a test.",
        );
    }
}
