//! A picture far too small for what it is for.

use super::{Facts, Finding, Level, Purpose};

impl Purpose {
    /// In words.
    fn told(self) -> &'static str {
        match self {
            Self::Look => "looking round on a screen",
            Self::Headset => "a headset",
            Self::Dome => "a dome",
            Self::Light => "lighting another scene",
        }
    }

    /// Least and good widths of the sphere that the picture is a part of, pixels (common practice, no
    /// source; a headset of 20 px per degree shows 7200 of them).
    fn widths(self) -> (u32, u32) {
        match self {
            Self::Look => (2048, 4096),
            Self::Headset => (4096, 7200),
            Self::Dome => (4096, 8192),
            Self::Light => (512, 2048),
        }
    }
}

pub(super) fn check(facts: &Facts, found: &mut Vec<Finding>) {
    let Some((order, width)) = facts.order.as_ref().and_then(|o| Some((o, o.width?))) else {
        return;
    };
    let sphere = order.shape.sphere_width(width);
    let (least, good) = order.purpose.widths();
    if sphere >= f64::from(least) || order.draft {
        return;
    }
    found.push(order.finding(
        "size",
        Level::Warn,
        format!(
            "{width} px give {:.1} px per degree, too few for {}; {:.1} is good.",
            sphere / 360.0,
            order.purpose.told(),
            f64::from(good) / 360.0
        ),
        &format!(
            "Make it {:.0} px wide.",
            f64::from(width) * f64::from(good) / sphere
        ),
    ));
}
