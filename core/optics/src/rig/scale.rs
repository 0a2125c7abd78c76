//! How large the viewer feels beside the scene: the separation of the eyes decides it.

/// Usual distance between the eyes, metres (common practice, no source; adults' mean is 63.4 mm, Dodgson 2004).
pub const EYE_SEPARATION: f64 = 0.063;
/// A person's height that belongs to it, metres (common practice, no source).
const PERSON: f64 = 1.7;

/// Who sees the scene through eyes so far apart (metres), in words.
pub fn viewer(separation: f64) -> String {
    let times = separation / EYE_SEPARATION;
    let tall = PERSON * times;
    match times {
        t if t <= 0.0 => "one eye: no depth".into(),
        t if t < 0.07 => format!("a mouse, {:.1} cm tall", tall * 100.0),
        t if t < 0.6 => format!("a child or smaller, {:.0} cm tall", tall * 100.0),
        t if t <= 1.4 => "a person".into(),
        _ if tall < 10.0 => format!("a giant {tall:.1} m tall"),
        _ => format!("a giant {tall:.0} m tall"),
    }
}

/// Whether a separation (metres) is hardly meant, because a unit was mistaken: less than 5 mm or more than half a metre.
pub fn is_implausible(separation: f64) -> bool {
    !(0.005..=0.5).contains(&separation)
}
