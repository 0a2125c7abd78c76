//! Nothing round the scene where one sees past it.

use super::{Facts, Finding, Level};

/// Less than this of the sphere is a gap between walls, not a view.
const SEEN: f64 = 0.002;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref().filter(|s| s.sky <= 0.0) else {
        return;
    };
    if !stand.lit {
        found.push(stand.finding(
            "surroundings",
            Level::Stop,
            "Nothing gives light: there are neither surroundings nor lamps.".into(),
            "Choose a sky or a picture as surroundings, or switch a lamp on.".into(),
        ));
    } else if stand.open > SEEN && !stand.transparent {
        found.push(stand.finding(
            "surroundings",
            Level::Warn,
            format!(
                "{:.1} % of the sphere is black: nothing surrounds the scene.",
                stand.open * 100.0
            ),
            "Choose a sky or a picture as surroundings, or leave the backdrop out.".into(),
        ));
    }
}
