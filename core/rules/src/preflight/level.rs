//! Tilt and roll: both bend the horizon into a wave.

use super::{Facts, Finding, Fix, Level};

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some(stand) = facts.stand.as_ref() else {
        return;
    };
    // A fisheye for a dome looks up on purpose; so does a framed view.
    let full = facts.order.as_ref().is_none_or(|o| {
        matches!(
            o.shape,
            dome_optics::Shape::Equirect
                | dome_optics::Shape::Cube(_)
                | dome_optics::Shape::CubeFaces(_)
        )
    });
    let o = stand.orientation;
    for (rule, name, angle) in [
        ("tilt", "pitched", o.pitch_deg),
        ("roll", "rolled", o.roll_deg),
    ] {
        if angle == 0.0 || (rule == "tilt" && !full) {
            continue;
        }
        let finding = stand.finding(
            rule,
            // A camera lying on its side is no matter of taste.
            if angle.abs() > 45.0 {
                Level::Stop
            } else {
                Level::Warn
            },
            format!("The viewpoint is {name} by {angle:.1}°: the horizon will be wavy."),
            "Level it.".into(),
        );
        found.push(finding.fixed_by(Some(Fix::LevelOut)));
    }
}
