//! Two eyes squeezed into the size of one, and too few pixels left.

use super::{Facts, Finding, Level};
use dome_optics::rig::Arrangement;

/// Fewer pixels a degree look soft even on a screen (common practice, no source).
const LEAST: f64 = 8.0;

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(packing) = &facts.packing else {
        return;
    };
    if !packing.packing.squeezed {
        return;
    }
    let (width, height) = packing.packing.cell_size(packing.eye);
    let per_degree = match packing.packing.arrangement {
        Arrangement::SideBySide => f64::from(width) / (360.0 * packing.turn.max(1e-6)),
        _ => f64::from(height) / 180.0,
    };
    if per_degree < LEAST {
        let what =
            format!("Squeezed, each eye has {width} x {height} px: {per_degree:.1} px per degree.");
        let remedy = "Take the whole eyes, or order a wider picture.";
        found.push(Finding::at(
            &packing.name,
            "squeezed",
            Level::Warn,
            what,
            remedy,
        ));
    }
}
