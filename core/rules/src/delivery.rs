//! Whether a delivered file says what was asked, read back from disk.

use dome_files::inspect::Findings;
use dome_files::pano::PanoProperties;

/// One property of a delivery.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Check {
    /// Which property.
    pub what: &'static str,
    /// What was asked.
    pub asked: String,
    /// What the file says.
    pub found: String,
    /// Whether they agree.
    pub fine: bool,
}

/// Angles are written with three decimals.
const ANGLE_TOLERANCE_DEG: f64 = 0.000_6;

/// Compares what was asked with what was found in the file.
pub fn compare(size: (u32, u32), asked: &PanoProperties, found: &Findings) -> Vec<Check> {
    let text = |v: Option<String>| v.unwrap_or_else(|| "not told".into());
    let pixels =
        |w: Option<u32>, h: Option<u32>| text(w.zip(h).map(|(w, h)| format!("{w} x {h} px")));
    let f = &found.properties;
    let mut checks = Vec::new();
    let mut equal = |what, asked: String, found: String| {
        checks.push(Check {
            what,
            fine: asked == found,
            asked,
            found,
        });
    };
    equal(
        "Picture size",
        pixels(Some(size.0), Some(size.1)),
        pixels(Some(found.width), Some(found.height)),
    );
    equal(
        "Projection",
        text(asked.projection.clone()),
        text(f.projection.clone()),
    );
    equal(
        "Full sphere",
        pixels(asked.full_width, asked.full_height),
        pixels(f.full_width, f.full_height),
    );
    equal(
        "Place in the sphere",
        pixels(asked.cropped_left, asked.cropped_top),
        pixels(f.cropped_left, f.cropped_top),
    );
    let angles = [
        (
            "Heading of the middle",
            asked.pose_heading_deg,
            f.pose_heading_deg,
        ),
        (
            "Pitch of the middle",
            asked.pose_pitch_deg,
            f.pose_pitch_deg,
        ),
        ("Roll of the middle", asked.pose_roll_deg, f.pose_roll_deg),
        (
            "Opening heading",
            asked.opening_heading_deg,
            f.opening_heading_deg,
        ),
        (
            "Opening pitch",
            asked.opening_pitch_deg,
            f.opening_pitch_deg,
        ),
        (
            "Opening field of view",
            asked.opening_hfov_deg,
            f.opening_hfov_deg,
        ),
    ];
    for (what, asked, found) in angles {
        let degrees = |v: Option<f64>| text(v.map(|v| format!("{v:.1}\u{b0}")));
        checks.push(Check {
            what,
            fine: match (asked, found) {
                (Some(a), Some(b)) => (a - b).abs() < ANGLE_TOLERANCE_DEG,
                (a, b) => a.is_none() && b.is_none(),
            },
            asked: degrees(asked),
            found: degrees(found),
        });
    }
    checks.push(Check {
        what: "Taken as a sphere",
        asked: "yes".into(),
        found: if found.sphere { "yes" } else { "no" }.into(),
        fine: found.sphere,
    });
    checks
}

/// The same of a picture that two eyes lie in: its size, and its words about how they lie.
pub fn compare_pair(size: (u32, u32), words: &str, found: &Findings) -> Vec<Check> {
    let pixels = |(w, h): (u32, u32)| format!("{w} x {h} px");
    let told = (found.properties.words.clone()).unwrap_or_else(|| "not told".into());
    vec![
        Check {
            what: "Picture size",
            asked: pixels(size),
            found: pixels((found.width, found.height)),
            fine: size == (found.width, found.height),
        },
        Check {
            what: "How the eyes lie",
            asked: words.into(),
            fine: told == words,
            found: told,
        },
        Check {
            what: "Taken as a sphere of one eye",
            asked: "no".into(),
            found: if found.sphere { "yes" } else { "no" }.into(),
            fine: !found.sphere,
        },
    ]
}
