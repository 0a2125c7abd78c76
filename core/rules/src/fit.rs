//! A flat pair that stays within its budget over time: fitted at the keys of a path, so that it never jumps.

use dome_optics::rig::parallax::{Budget, parallax};

/// What was seen at a moment, by distance along the direction of view.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Span {
    /// The moment, seconds.
    pub time_s: f64,
    /// The nearest that counts, metres; infinite where nothing is seen.
    pub near: f64,
    /// The farthest that counts, metres; infinite where it is open.
    pub far: f64,
}

/// Separation and distance of zero parallax, metres.
pub type Eyes = (f64, f64);

/// The part of `seen` between the keys before and after key `i`, a moment beyond either end too.
fn about<'a>(keys_s: &[f64], i: usize, seen: &'a [Span]) -> &'a [Span] {
    let from = keys_s[i.saturating_sub(1)];
    let to = keys_s[(i + 1).min(keys_s.len() - 1)];
    let first = (seen.partition_point(|s| s.time_s < from)).saturating_sub(1);
    let last = seen.partition_point(|s| s.time_s <= to);
    &seen[first..(last + 1).min(seen.len())]
}

/// Eyes at the keys of a path (rising moments, seconds) by which everything that is `seen` (at rising moments) stays within the
/// budget, with `k` pixels of focal length; nothing where all of it has no depth. `curve` tells the eyes at each moment of `seen`
/// from those at the keys, as the path goes from key to key; where the separations at all keys are multiplied, what it tells must be too.
///
/// Each key fits the nearest and the farthest of its neighbourhood. Between keys both values change at once, which a fit of the
/// two ends does not promise to be within the budget; parallax grows with the separation alone, so separations are made smaller by
/// as much as is lacking: first at the keys beside what is beyond, then everywhere.
pub fn at_keys(
    budget: Budget,
    k: f64,
    (keys_s, seen): (&[f64], &[Span]),
    curve: impl Fn(&[Eyes]) -> Vec<Eyes>,
) -> Option<Vec<Eyes>> {
    let span = |spans: &[Span]| {
        let near = spans.iter().map(|s| s.near).fold(f64::INFINITY, f64::min);
        let far = spans.iter().map(|s| s.far).fold(0.0, f64::max);
        budget.fit(k, near, far)
    };
    // A neighbourhood without depth has the eyes of the whole way.
    let whole = span(seen)?;
    let mut eyes: Vec<Eyes> = (0..keys_s.len())
        .map(|i| span(about(keys_s, i, seen)).unwrap_or(whole))
        .collect();
    let beyond = |(b, c): Eyes, s: &Span| {
        let front = -parallax(k, b, c, s.near) / budget.front;
        let back = parallax(k, b, c, s.far) / budget.back;
        front.max(back)
    };
    let worst = |eyes: &[Eyes], about: &dyn Fn(&Span) -> bool| {
        (curve(eyes).into_iter().zip(seen))
            .filter(|(_, s)| about(s))
            .map(|(eyes, s)| beyond(eyes, s))
            .fold(1.0, f64::max)
    };
    let lacking: Vec<f64> = (0..keys_s.len())
        .map(|i| {
            let spans = about(keys_s, i, seen);
            let (from, to) = (spans.first(), spans.last());
            let within = |s: &Span| {
                from.is_some_and(|f| s.time_s >= f.time_s)
                    && to.is_some_and(|t| s.time_s <= t.time_s)
            };
            worst(&eyes, &within)
        })
        .collect();
    for ((b, _), lacking) in eyes.iter_mut().zip(lacking) {
        *b /= lacking;
    }
    let everywhere = worst(&eyes, &|_| true);
    eyes.iter_mut().for_each(|(b, _)| *b /= everywhere);
    Some(eyes)
}

#[cfg(test)]
mod tests {
    use super::*;

    const BUDGET: Budget = Budget {
        front: 20.0,
        back: 40.0,
    };
    /// Of 1920 px over 60 degrees.
    const K: f64 = 1662.7688;

    fn straight(keys_s: &[f64], at: f64, eyes: &[Eyes]) -> Eyes {
        let after = keys_s.partition_point(|k| *k < at).min(keys_s.len() - 1);
        let before = after.saturating_sub(1);
        let whole = keys_s[after] - keys_s[before];
        let t = match whole > 0.0 {
            true => ((at - keys_s[before]) / whole).clamp(0.0, 1.0),
            false => 0.0,
        };
        let mix = |a: f64, b: f64| a + (b - a) * t;
        (
            mix(eyes[before].0, eyes[after].0),
            mix(eyes[before].1, eyes[after].1),
        )
    }

    #[test]
    fn what_does_not_change_has_the_pair_of_the_worked_example() {
        // Near 2 m and far 40 m into 20 + 40 px: b = 0.0759671 m, C = 2.9268293 m (computed from the formulas of the parallel pair).
        let seen: Vec<Span> = (0..10)
            .map(|i| Span {
                time_s: f64::from(i),
                near: 2.0,
                far: 40.0,
            })
            .collect();
        let keys = [0.0, 9.0];
        let curve = |eyes: &[Eyes]| {
            seen.iter()
                .map(|s| straight(&keys, s.time_s, eyes))
                .collect()
        };
        for (b, c) in at_keys(BUDGET, K, (&keys, &seen), curve).unwrap() {
            assert!((b - 0.075_967_1).abs() < 1e-6, "{b}");
            assert!((c - 2.926_829_3).abs() < 1e-6, "{c}");
        }
    }

    #[test]
    fn every_moment_stays_within_the_budget_and_nothing_jumps() {
        // Into a narrow place and out of it, with open sky behind for a while.
        let keys = [0.0, 2.0, 4.0, 6.0, 8.0];
        let seen: Vec<Span> = (0..=240)
            .map(|i| {
                let time_s = f64::from(i) / 30.0;
                Span {
                    time_s,
                    near: 0.6 + (time_s - 4.0).powi(2),
                    far: if time_s > 6.0 { f64::INFINITY } else { 9.0 },
                }
            })
            .collect();
        let curve = |eyes: &[Eyes]| -> Vec<Eyes> {
            (seen.iter().map(|s| straight(&keys, s.time_s, eyes))).collect()
        };
        let eyes = at_keys(BUDGET, K, (&keys, &seen), curve).unwrap();
        let along = curve(&eyes);
        let mut fullest = 0.0_f64;
        for ((b, c), s) in along.iter().zip(&seen) {
            let (front, back) = (
                -parallax(K, *b, *c, s.near) / 20.0,
                parallax(K, *b, *c, s.far) / 40.0,
            );
            assert!(
                front <= 1.0 + 1e-9 && back <= 1.0 + 1e-9,
                "{s:?}: {front} {back}"
            );
            fullest = fullest.max(front).max(back);
        }
        assert!(fullest > 0.95, "the budget is left unused: {fullest}");
        for pair in along.windows(2) {
            assert!((pair[1].0 - pair[0].0).abs() < 0.005, "{pair:?}");
        }
        // Wide places get more than the narrow one.
        assert!(eyes[0].0 > 2.0 * eyes[2].0, "{eyes:?}");
        let flat = [Span {
            time_s: 0.0,
            near: 3.0,
            far: 3.0,
        }];
        assert!(at_keys(BUDGET, K, (&[0.0], &flat), |_| Vec::new()).is_none());
    }
}
