//! What moving about does to a viewer: how fast, turning, sideways, how near.

use crate::preflight::Level;
use dome_optics::angle::wrap_signed_deg;
use dome_trace::stand::clearance::COMFORT;

/// Walking, metres a second (common practice, no source); a little more is not worth a word.
pub const WALKING_M_S: f64 = 1.4;
/// How much faster than walking is told.
const TOLERANCE: f64 = 1.05;
/// Turning that nobody notices, degrees a second (common practice: a moving viewpoint must not turn; the number has no source).
pub const STILL_DEG_S: f64 = 1.0;
/// Up to this far aside of where one looks people do not mind travelling, degrees (common practice, no source).
pub const ASIDE_DEG: f64 = 60.0;
/// Faster than this is a jump from one place to another, metres a second.
const JUMP_M_S: f64 = 100.0;
/// Slower than this is standing, metres a second.
const STANDING_M_S: f64 = 0.05;

/// A moment of a path.
#[derive(Clone, Debug, PartialEq)]
pub struct MotionFacts {
    /// The moment, seconds.
    pub time_s: f64,
    /// Metres a second.
    pub speed_m_s: f64,
    /// Degrees a second, to the right.
    pub turning_deg_s: f64,
    /// Where it looks, degrees.
    pub heading_deg: f64,
    /// Where it travels, degrees; nothing where it stands, rises or sinks.
    pub travel_deg: Option<f64>,
    /// The nearest thing, metres.
    pub nearest_m: Option<f64>,
    /// What that is.
    pub nearest: Option<String>,
    /// Distance of the eyes, metres, of a pair that looks all round.
    pub separation_m: Option<f64>,
}

impl MotionFacts {
    /// How far aside of where it looks it travels, degrees.
    pub fn aside_deg(&self) -> Option<f64> {
        let travel = self.travel_deg.filter(|_| self.speed_m_s > STANDING_M_S)?;
        Some(wrap_signed_deg(travel - self.heading_deg).abs())
    }
}

/// Something that spoils a path for its viewers, and when.
#[derive(Clone, Debug, PartialEq)]
pub struct MotionFinding {
    /// Name of the rule.
    pub rule: &'static str,
    /// How much it matters.
    pub level: Level,
    /// What happens, a sentence.
    pub what: String,
    /// What to do, a sentence.
    pub remedy: &'static str,
    /// When it begins, seconds.
    pub from_s: f64,
    /// When it ends, seconds.
    pub to_s: f64,
}

/// What is to be said of a path, from moments in order; `beside_m` is the space wanted about the viewer.
pub fn check(moments: &[MotionFacts], beside_m: f64) -> Vec<MotionFinding> {
    let mut found = Vec::new();
    let mut rule = |rule: &'static str,
                    remedy: &'static str,
                    worst_of: &dyn Fn(&MotionFacts) -> Option<f64>,
                    what: &dyn Fn(f64) -> String| {
        let bad: Vec<(f64, f64)> = (moments.iter())
            .filter_map(|m| Some((m.time_s, worst_of(m)?)))
            .collect();
        let (Some(first), Some(last)) = (bad.first(), bad.last()) else {
            return;
        };
        let worst = bad.iter().map(|(_, v)| *v).fold(f64::MIN, f64::max);
        let (from_s, to_s) = (first.0, last.0);
        found.push(MotionFinding {
            rule,
            level: Level::Warn,
            what: what(worst),
            remedy,
            from_s,
            to_s,
        });
    };
    let jumps = |m: &MotionFacts| m.speed_m_s > JUMP_M_S;
    rule(
        "fast",
        "Give the way more time, or a longer ease.",
        &|m| (m.speed_m_s > TOLERANCE * WALKING_M_S && !jumps(m)).then_some(m.speed_m_s),
        &|worst| format!("It goes at up to {worst:.1} m/s; walking is {WALKING_M_S} m/s."),
    );
    rule(
        "turning",
        "Leave headings to the viewer: take them out of the keys.",
        &|m| (m.turning_deg_s.abs() > STILL_DEG_S).then_some(m.turning_deg_s.abs()),
        &|worst| {
            format!("It turns by up to {worst:.0}° a second; turning a viewer makes people sick.")
        },
    );
    rule(
        "sideways",
        "Look where it travels.",
        &|m| m.aside_deg().filter(|a| *a > ASIDE_DEG && !jumps(m)),
        &|worst| {
            format!(
                "It travels up to {worst:.0}° aside of where it looks, which makes people sick."
            )
        },
    );
    rule(
        "near",
        "Lead the way farther off.",
        &|m| m.nearest_m.filter(|n| *n < beside_m).map(|n| -n),
        &|worst| {
            let nearest = moments.iter().find(|m| m.nearest_m == Some(-worst));
            let what = nearest.and_then(|m| m.nearest.as_deref());
            let what = what.map_or_else(|| "something".to_owned(), |name| format!("“{name}”"));
            format!(
                "It comes within {:.2} m of {what}; {beside_m:.2} m are wanted.",
                -worst
            )
        },
    );
    rule(
        "close",
        "Fit the eyes to the way.",
        &|m| {
            let least = COMFORT * m.separation_m?;
            m.nearest_m
                .filter(|n| *n < least * 0.999)
                .map(|n| least / n)
        },
        &|worst| {
            format!(
                "For its eyes something is {worst:.1} times too near; two eyes want {COMFORT:.0} of their distances."
            )
        },
    );
    found
}

/// Distances of the eyes at the keys of a path that are comfortable all the way, metres: at each key that of the nearest thing on the
/// way to its neighbours, at most `usual_m`. A value that never leaves those of its two keys is comfortable between them, too.
/// `keys_s` are the moments of the keys, `nearest` moments and nearest distances, metres.
pub fn fitted_separations(
    keys_s: &[f64],
    nearest: &[(f64, Option<f64>)],
    usual_m: f64,
) -> Vec<f64> {
    let key = |i: usize| {
        let (from, to) = (
            keys_s[i.saturating_sub(1)],
            keys_s[(i + 1).min(keys_s.len() - 1)],
        );
        // A moment beyond either end too: what is near was looked for at moments of their own.
        let first = nearest
            .partition_point(|(t, _)| *t < from)
            .saturating_sub(1);
        let last = nearest.partition_point(|(t, _)| *t <= to);
        let near = nearest.get(first..(last + 1).min(nearest.len()));
        let least = (near.unwrap_or_default().iter())
            .filter_map(|(_, n)| *n)
            .fold(f64::INFINITY, f64::min);
        (least / COMFORT).min(usual_m)
    };
    (0..keys_s.len()).map(key).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn walking(time_s: f64) -> MotionFacts {
        MotionFacts {
            time_s,
            speed_m_s: WALKING_M_S,
            turning_deg_s: 0.0,
            heading_deg: 350.0,
            travel_deg: Some(10.0),
            nearest_m: Some(1.0),
            nearest: Some("Rail".into()),
            separation_m: None,
        }
    }

    #[test]
    fn what_makes_people_sick_is_told_with_its_moments() {
        let mut moments: Vec<_> = (0..10).map(|i| walking(f64::from(i))).collect();
        assert_eq!(check(&moments, 0.4), []);
        moments[2].speed_m_s = 2.5;
        moments[3].speed_m_s = 3.0;
        moments[5].turning_deg_s = -12.0;
        moments[6].travel_deg = Some(100.0);
        moments[8].nearest_m = Some(0.3);
        moments[9].nearest_m = Some(0.25);
        let found = check(&moments, 0.4);
        let told: Vec<_> = found.iter().map(|f| (f.rule, f.from_s, f.to_s)).collect();
        assert_eq!(
            told,
            [
                ("fast", 2.0, 3.0),
                ("turning", 5.0, 5.0),
                ("sideways", 6.0, 6.0),
                ("near", 8.0, 9.0)
            ]
        );
        assert!(found[0].what.contains("3.0 m/s"), "{}", found[0].what);
        assert!(found[1].what.contains("12°"), "{}", found[1].what);
        assert!(found[2].what.contains("110°"), "{}", found[2].what);
        assert!(
            found[3].what.contains("0.25 m of “Rail”"),
            "{}",
            found[3].what
        );
    }

    /// Fitted eyes are never nearer than thirty of their distances, wherever values between keys lie between those of the keys.
    #[test]
    fn fitted_eyes_are_comfortable_all_the_way() {
        let keys = [0.0, 2.0, 5.0, 9.0];
        // A post is passed at 6.3 s.
        let nearest: Vec<_> = (0..=90)
            .map(|i| {
                let t = f64::from(i) / 10.0;
                (t, Some(0.6 + (t - 6.3).abs()))
            })
            .collect();
        let fitted = fitted_separations(&keys, &nearest, 0.063);
        assert_eq!(fitted[0], 0.063);
        assert!(fitted[2] < 0.021 && fitted[3] < 0.021, "{fitted:?}");
        for (t, near) in nearest {
            let i = keys.partition_point(|k| *k <= t).clamp(1, 3);
            let most = fitted[i - 1].max(fitted[i]);
            assert!(near.unwrap() >= COMFORT * most - 1e-9, "{t}");
            let mut facts = walking(t);
            (facts.nearest_m, facts.separation_m) = (near, Some(most));
            assert_eq!(check(&[facts], 0.1), []);
        }
        let mut close = walking(1.0);
        (close.nearest_m, close.separation_m) = (Some(0.9), Some(0.063));
        let found = check(&[close], 0.1);
        assert_eq!(found[0].rule, "close");
        assert!(found[0].what.contains("2.1 times"), "{}", found[0].what);
        // Nothing near, nothing to fit.
        assert_eq!(fitted_separations(&[0.0], &[(0.0, None)], 0.063), [0.063]);
    }

    /// Who stands looks aside of nothing, and a jump from place to place is not walked.
    #[test]
    fn standing_and_jumping_are_no_travel() {
        let mut standing = walking(0.0);
        standing.travel_deg = Some(200.0);
        standing.speed_m_s = 0.01;
        let mut jumping = standing.clone();
        jumping.speed_m_s = 40_000.0;
        assert_eq!(check(&[standing, jumping], 0.4), []);
    }
}
