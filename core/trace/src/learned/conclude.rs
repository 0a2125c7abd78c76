//! What a cell concludes from what was noted in it: how often lights, sun and sky are asked, and where paths go on.

use super::directions::{BINS, Directions, within};
use super::notes::{FIXED, Sums, Tried};
use super::{Cell, ENOUGH, Grid, STEADY};
use crate::integrator::BRANCHES;
use crate::light::{Chances, Cut, Illumination, Receiver};
use glam::Vec3;

/// Least share of the light that is asked of what a cell never saw.
const NEVER_SEEN: f32 = 0.01;
/// Least chance with which the sun and the sky are asked.
const LEAST_ASKED: f32 = 0.2;
/// Share of what all clusters promise that is spread evenly over them: each then has at least 2 of the 65,535 steps that chances are
/// kept in, and none is left out.
const EVENLY: f32 = 0.005;
/// Tries of a cluster after which what it gave counts as much as what it promises.
const TRUSTED: f32 = 4.0;
/// Directions that must have been taken for a cell to guide.
const TAKEN: u32 = 32;
/// Squares of light by the density of even scattering, by its own square, from which guiding pays: 1 if light comes from all round.
const PAYS: f32 = 2.0;
/// Rays and choices that a path costs up to what is seen first and the light chosen there, and each bounce later on, in rays: by
/// experience, not counted.
const FIRST_COST: f32 = 4.0;
const BOUNCE_COST: f32 = 4.0;
/// Bounces up to which ways are short enough to be worth splitting; under a dome, where paths bounce four times, it did not pay.
const SHORT_WAYS: f32 = 2.4;
/// Share of its tries that must have seen the sky for it to be looked for as everywhere; where it is seen by less, through windows, it
/// is looked for there.
const HIDDEN_SKY: f32 = 0.25;

/// How many paths are to go on from a place where the eye sees it. Splitting divides the variance of what is met by going on
/// (`beyond`) and multiplies the cost of that; neither the variance of what is chosen there (`here`), nor what pixels lie apart in
/// themselves, nor the cost of getting there. Both together are least at the root of the product of both ratios.
fn branches(here: f32, beyond: f32, mean: f32, bounces: f32) -> u8 {
    if bounces > SHORT_WAYS {
        return 1;
    }
    let rest = here + (STEADY * mean).powi(2);
    let cost = (1.0 + BOUNCE_COST * (bounces - 1.0).max(0.0)) / FIRST_COST;
    let best = (beyond / (rest * cost).max(1e-30)).sqrt();
    best.round().clamp(1.0, BRANCHES as f32) as u8
}

impl Sums {
    pub(super) fn cell(&self, grid: &Grid, cut: &Cut, light: &Illumination) -> Cell {
        let n = self.visits as f32;
        let mean = |sum: u64| (sum as f64 / f64::from(FIXED) / f64::from(n)) as f32;
        let vector = |sum: [i64; 3]| {
            Vec3::from_array(sum.map(|v| (v as f64 / 1024.0 / f64::from(n)) as f32))
        };
        let normal = vector(self.normal).normalize_or_zero();
        let to = Receiver {
            position: grid.eye + vector(self.place) * self.width,
            normal: (normal != Vec3::ZERO).then_some(normal),
        };
        let plain: Vec<f32> = (0..cut.len())
            .map(|c| light.tree.promise_of(cut, c, &to))
            .collect();
        // Asked as often as it is seen, and a few times more.
        let chance = |seen: u32, tries: u32| {
            (4.0 * (seen as f32 + 0.5) / (tries as f32 + 0.5)).clamp(LEAST_ASKED, 1.0)
        };
        let weights = |sums: &[u64; BINS]| sums.map(|v| v as f32 / FIXED);
        let even = |sums: &[f32; BINS]| sums.iter().sum::<f32>() / BINS as f32;
        let sky = weights(&self.sky);
        let mut ways = weights(&self.ways);
        // Some of it evenly, as far as it lies before the surface: what was not met may be there.
        let spare = 0.15 * even(&ways);
        for way in &mut ways {
            *way += spare;
        }
        let before = |d: Vec3| {
            if normal == Vec3::ZERO || d.dot(normal) > -0.35 {
                1.0
            } else {
                0.0
            }
        };
        let bounces = self.bounces as f32 / n;
        let spread = |sums: [u64; 2]| (mean(sums[1]) - mean(sums[0]).powi(2)).max(0.0);
        Cell {
            visits: self.visits,
            mean: mean(self.all[0]),
            colour: Vec3::from_array(self.colour.map(mean)),
            rms: mean(self.all[1]).sqrt(),
            bounces,
            branches: branches(
                spread(self.here),
                spread(self.beyond),
                mean(self.all[0]),
                bounces,
            ),
            lights: Chances::new(&weights_of(&plain, &self.lights)),
            sun: chance(self.sun_seen, self.sun_tries),
            sky_chance: chance(self.sky_seen, self.sky_tries),
            sky: (self.sky_tries >= ENOUGH
                && (self.sky_seen as f32) < HIDDEN_SKY * self.sky_tries as f32)
                .then(|| Directions::new(&sky, |_| 1.0).map(Box::new))
                .flatten(),
            ways: (self.ways_taken >= TAKEN && uneven(&ways, normal) > PAYS)
                .then(|| Directions::new(&ways, before).map(Box::new))
                .flatten(),
        }
    }
}

/// How often each cluster is to be tried: as much as it gave, since the mean of what a try gives by its density is what all of the
/// cluster gives. Few tries say little of that, so it is mixed with what the cluster promises where nothing stands between (`plain`),
/// less what was seen to stand there; and a little of all is spread evenly.
fn weights_of(plain: &[f32], tried: &[Tried]) -> Vec<f32> {
    let promised: Vec<f32> = (plain.iter().zip(tried))
        .map(|(plain, t)| {
            let seen = (t.seen as f32 + 0.5) / (t.tries as f32 + 0.5);
            plain * seen.max(NEVER_SEEN)
        })
        .collect();
    let whole: f32 = promised.iter().sum();
    let given: f64 = tried.iter().map(|t| t.gave as f64).sum();
    // What is given in the unit of what is promised.
    let unit = if given > 0.0 {
        f64::from(whole) / given
    } else {
        0.0
    };
    let evenly = EVENLY * plain.iter().sum::<f32>() / plain.len().max(1) as f32;
    (promised.iter().zip(tried))
        .map(|(promised, t)| {
            let tries = if given > 0.0 { t.tries as f32 } else { 0.0 };
            let gave = (t.gave as f64 * unit) as f32;
            (gave * tries + promised * TRUSTED) / (tries + TRUSTED) + evenly
        })
        .collect()
}

/// How unevenly light comes in, of what even scattering expects: the mean square of light by its density, by the square of its mean.
fn uneven(weights: &[f32; BINS], normal: Vec3) -> f32 {
    let cosine = |i: usize| {
        let d = within(i, (0.5, 0.5));
        d.dot(normal).max(0.05) * (4.0 / BINS as f32)
    };
    let whole: f32 = weights.iter().sum();
    let squares = (weights.iter().enumerate()).map(|(i, w)| w * w / cosine(i));
    squares.sum::<f32>() / (whole * whole).max(1e-30)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::light::CLUSTERS;

    fn tried(tries: u32, seen: u32, gave: f64) -> Tried {
        Tried {
            tries,
            seen,
            gave: (gave * f64::from(FIXED)) as u64,
        }
    }

    /// As long as nothing was tried, clusters are tried by what they promise; once much was, by what they gave, in any unit of light:
    /// then what each gives by its weight is the same, which is the choice without noise.
    #[test]
    fn lights_are_tried_as_much_as_they_gave() {
        let plain = [8.0, 4.0, 2.0, 2.0];
        let untried = weights_of(&plain, &[Tried::default(); 4]);
        for (weight, plain) in untried.iter().zip(plain) {
            assert!(
                (weight / untried[0] - plain / 8.0).abs() < 0.01,
                "{untried:?}"
            );
        }
        // The first promises most and stands behind a wall; the last gives more than it promises.
        for unit in [1e-3, 1.0, 500.0] {
            let gave = [0.0, 100.0, 50.0, 150.0];
            let seen = [0, 1000, 1000, 1000];
            let all: Vec<Tried> = (gave.iter().zip(seen))
                .map(|(gave, seen)| tried(1000, seen, gave * unit))
                .collect();
            let weights = weights_of(&plain, &all);
            let by =
                |c: usize| (gave[c] / f64::from(weights[c])) / (gave[1] / f64::from(weights[1]));
            assert!(
                (by(2) - 1.0).abs() < 0.02 && (by(3) - 1.0).abs() < 0.02,
                "{weights:?}"
            );
            // What was never seen is tried now and then all the same.
            assert!(
                weights[0] > 0.0 && weights[0] < 0.02 * weights[1],
                "{weights:?}"
            );
        }
        // A lucky try that gave ten times as much as the twenty of another cluster does not make its own ten times as likely.
        let lucky = [
            tried(20, 20, 20.0),
            tried(1, 1, 200.0),
            tried(10, 10, 10.0),
            tried(10, 10, 10.0),
        ];
        let weights = weights_of(&plain, &lucky);
        assert!(weights[1] < 3.0 * weights[0], "{weights:?}");
        // Where all was dark, promises are all there is.
        let dark = weights_of(&plain, &[tried(50, 0, 0.0); 4]);
        assert!(
            dark.iter().all(|w| *w > 0.0) && dark[0] > dark[1],
            "{dark:?}"
        );
        assert!(Chances::new(&weights_of(&[0.0; 4], &lucky)).is_none());
    }

    /// Paths split where nearly all that differs is met by going on, and little is met: the number that makes variance times cost least
    /// among all that are tried. They do not where ways are long, where what is chosen at once differs more, and in the dark.
    #[test]
    fn paths_split_where_it_pays() {
        let (here, beyond, mean, bounces) = (0.02, 1.0, 0.5, 1.5);
        let rest = here + (STEADY * mean).powi(2);
        let after = 1.0 + BOUNCE_COST * (bounces - 1.0);
        let worth = |ways: u8| {
            let ways = f32::from(ways);
            (rest + beyond / ways) * (FIRST_COST + after * ways)
        };
        let best = branches(here, beyond, mean, bounces);
        assert!((2..=4).contains(&best), "{best}");
        assert!((1..=4).all(|n| worth(best) <= 1.02 * worth(n)), "{best}");
        // The unit of light does not matter.
        for unit in [1e-3f32, 50.0] {
            let square = unit * unit;
            let same = branches(here * square, beyond * square, mean * unit, bounces);
            assert_eq!(same, best);
        }
        assert_eq!(branches(here, beyond, mean, 3.5), 1);
        assert_eq!(branches(1.0, here, mean, bounces), 1);
        assert_eq!(branches(0.0, 0.0, 0.0, bounces), 1);
        assert_eq!(branches(0.0, 1e9, mean, bounces), BRANCHES as u8);
    }

    /// However little a cluster promises and gave, its chance does not vanish in the steps that chances are kept in: not even where one
    /// promises all and another gave all, of which nothing was promised.
    #[test]
    fn every_cluster_keeps_a_chance() {
        let mut plain = [1e-6f32; CLUSTERS];
        plain[0] = 1e6;
        let mut all = [tried(100, 0, 0.0); CLUSTERS];
        all[0] = Tried::default();
        all[1] = tried(100_000, 100_000, 1e6);
        let chances = Chances::new(&weights_of(&plain, &all)).unwrap();
        for cluster in 0..CLUSTERS {
            assert!(chances.share(cluster) * 65_535.0 > 1.5, "{cluster}");
        }
    }
}
