//! A panoramic pair that stays open above and below: there it turns inside out as one looks round.

use super::{Facts, Finding, Level};
use dome_optics::rig::Rig;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(pair) = &facts.pair else { return };
    if let Rig::Panoramic(p) = &pair.rig
        && p.close.is_none()
    {
        found.push(pair.finding(
            "poles-not-closed",
            Level::Warn,
            "The pair stays open at zenith and nadir, where no pair is right.".into(),
            "Let it close, for example from 60° to 80°.",
        ));
    }
}
