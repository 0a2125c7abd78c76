//! A title behind a thing that it covers.

use super::{Facts, Finding, Level, length};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    for title in &pair.titles {
        let Some(covered) = title.covered else {
            continue;
        };
        let what = format!(
            "The title \"{}\" at {} covers \"{}\" at {}, which is nearer ({:.0} % of the title).",
            title.name,
            length(title.distance),
            pair.object(covered.object),
            length(covered.distance),
            covered.share * 100.0
        );
        let remedy = format!(
            "Bring it to {} or nearer, or put it elsewhere.",
            length(title.distance * covered.nearer)
        );
        let finding = pair.finding("title-behind", Level::Warn, what, &remedy);
        found.push(finding.towards(title.heading_deg, title.pitch_deg));
    }
}
