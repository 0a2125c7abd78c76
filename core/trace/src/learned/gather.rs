//! The look that teaches: paths over the whole picture, whose light is noted where they went.

use super::directions::{BINS, Directions, bin, within};
use super::{Cell, ENOUGH, Grid, Learned, Mixed, STEADY};
use crate::integrator::BRANCHES;
use crate::light::{CLUSTERS, Chances, Cut, Illumination, LightSample, Receiver};
use crate::render::{Control, Quality, Render, Stopped, eye_place};
use dome_imaging::transfer::luminance;
use glam::Vec3;
use rayon::prelude::*;
use std::collections::hash_map::Entry;
use std::collections::{HashMap, HashSet};
use std::hash::BuildHasherDefault;
use std::sync::{Arc, Mutex, PoisonError};

/// Samples of a whole picture from which a look pays.
const WORTH: u64 = 1 << 23;
/// Samples that a picture usually has.
const USUAL_SAMPLES: u64 = 64;
/// Paths of a look: a share of the picture's, within limits.
const SHARE: u64 = 64;
const LEAST: u64 = 1 << 17;
const MOST: u64 = 1 << 20;
/// Samples of each place that is looked at.
const SAMPLES: u32 = 8;
/// Most cells that are learned, those with most paths first. Each takes some 3 kB while it learns and 1 kB later.
const MOST_CELLS: usize = 20_000;
/// Most memory of a look at once, bytes: measured while it learned without what lights gave and without what parts paths; half a kilobyte
/// and 32 bytes more a cell are reckoned for these.
const MOST_BYTES: u64 = 93 << 20;
/// Whole numbers that a light of 1 is.
const FIXED: f32 = (1u64 << 24) as f32;
/// Most light of one path that is noted, in shares of white: one lucky path must not speak for a cell.
const BRIGHTEST: f32 = 1000.0;
/// Another seed than the picture's: what is learned must not know its noise.
const OTHER: u32 = 0x1ea2_4ed0;

/// What became of the tries to find the light of a cluster.
#[derive(Clone, Copy, Default)]
struct Tried {
    tries: u32,
    seen: u32,
    /// Light that they gave, each by the density of its choice among all.
    gave: u64,
}

impl Tried {
    fn with(self, other: Self) -> Self {
        Self {
            tries: self.tries + other.tries,
            seen: self.seen + other.seen,
            gave: self.gave.saturating_add(other.gave),
        }
    }
}

/// Sums of a cell.
struct Sums {
    visits: u32,
    /// Offset from the eye in cells, and normal, in 1/1024.
    place: [i64; 3],
    normal: [i64; 3],
    width: f32,
    /// All light still to come, what was chosen here of it, and what was met by going on: sums, and sums of squares.
    all: [u64; 2],
    here: [u64; 2],
    beyond: [u64; 2],
    bounces: u64,
    lights: [Tried; CLUSTERS],
    sun_tries: u32,
    sun_seen: u32,
    sky_tries: u32,
    sky_seen: u32,
    sky: [u64; BINS],
    ways: [u64; BINS],
    ways_taken: u32,
}

impl Sums {
    fn new(width: f32) -> Self {
        Self {
            visits: 0,
            place: [0; 3],
            normal: [0; 3],
            width,
            all: [0; 2],
            here: [0; 2],
            beyond: [0; 2],
            bounces: 0,
            lights: [Tried::default(); CLUSTERS],
            sun_tries: 0,
            sun_seen: 0,
            sky_tries: 0,
            sky_seen: 0,
            sky: [0; BINS],
            ways: [0; BINS],
            ways_taken: 0,
        }
    }

    fn add(&mut self, other: &Self) {
        fn all<T: Copy>(a: &mut [T], b: &[T], add: impl Fn(T, T) -> T) {
            for (a, b) in a.iter_mut().zip(b) {
                *a = add(*a, *b);
            }
        }
        self.visits += other.visits;
        all(&mut self.place, &other.place, |a, b| a + b);
        all(&mut self.normal, &other.normal, |a, b| a + b);
        all(&mut self.all, &other.all, u64::saturating_add);
        all(&mut self.here, &other.here, u64::saturating_add);
        all(&mut self.beyond, &other.beyond, u64::saturating_add);
        self.bounces += other.bounces;
        all(&mut self.lights, &other.lights, Tried::with);
        self.sun_tries += other.sun_tries;
        self.sun_seen += other.sun_seen;
        self.sky_tries += other.sky_tries;
        self.sky_seen += other.sky_seen;
        all(&mut self.sky, &other.sky, u64::saturating_add);
        all(&mut self.ways, &other.ways, u64::saturating_add);
        self.ways_taken += other.ways_taken;
    }
}

fn fixed(value: f32) -> u64 {
    (value.clamp(0.0, BRIGHTEST) * FIXED) as u64
}

/// Adds some light to a sum, and its square to the sum of squares.
fn add(sums: &mut [u64; 2], light: f32) {
    let light = f64::from(light.clamp(0.0, BRIGHTEST));
    for (sum, power) in sums.iter_mut().zip([light, light * light]) {
        *sum = sum.saturating_add((power * f64::from(FIXED)) as u64);
    }
}

type Cells = HashMap<u64, Box<Sums>, BuildHasherDefault<Mixed>>;
type Counts = HashMap<u64, u32, BuildHasherDefault<Mixed>>;

/// Where a path was, until its light is known.
struct Visit {
    key: u64,
    throughput: f32,
    before: f32,
    /// The same with the light chosen there, if it goes on.
    with: Option<f32>,
}

/// A direction that a path took.
struct Way {
    key: u64,
    bin: usize,
    /// Cosine by density.
    factor: f32,
    throughput: f32,
    before: f32,
}

/// What is noted along paths, one path after the other.
pub(crate) struct Notes {
    inner: Mutex<Inner>,
    grid: Grid,
    cut: Arc<Cut>,
    /// The cells that are noted; without, paths are only counted by cells.
    wanted: Option<Arc<HashSet<u64, BuildHasherDefault<Mixed>>>>,
}

#[derive(Default)]
struct Inner {
    counts: Counts,
    cells: Cells,
    visits: Vec<Visit>,
    ways: Vec<Way>,
}

impl Notes {
    fn with(&self, note: impl FnOnce(&mut Inner)) {
        note(&mut self.inner.lock().unwrap_or_else(PoisonError::into_inner));
    }

    /// A path arrives at a surface with a throughput, having gathered some light.
    pub(crate) fn arrive(&self, place: Vec3, normal: Vec3, throughput: Vec3, before: Vec3) {
        let (key, width) = self.grid.key(place, normal);
        let offset = (place - self.grid.eye) / width * 1024.0;
        let Some(wanted) = &self.wanted else {
            return self.with(|inner| *inner.counts.entry(key).or_default() += 1);
        };
        self.with(|inner| {
            if wanted.contains(&key) {
                let sums = (inner.cells.entry(key)).or_insert_with(|| Box::new(Sums::new(width)));
                sums.visits += 1;
                for axis in 0..3 {
                    sums.place[axis] += offset[axis] as i64;
                    sums.normal[axis] += (normal[axis] * 1024.0) as i64;
                }
            }
            inner.visits.push(Visit {
                key,
                throughput: luminance(throughput.to_array()),
                before: luminance(before.to_array()),
                with: None,
            });
        });
    }

    /// What is noted of the place where a path is.
    fn here(&self, note: impl FnOnce(&mut Sums)) {
        self.with(|inner| {
            if let Some(visit) = inner.visits.last()
                && let Some(sums) = inner.cells.get_mut(&visit.key)
            {
                note(sums);
            }
        });
    }

    /// A light was tried and gave some light, or none.
    pub(crate) fn light(&self, light: &Illumination, sample: &LightSample, gave: Vec3) {
        let cluster = light.tree.cluster_of(&self.cut, sample);
        let tried = Tried {
            tries: 1,
            seen: u32::from(gave != Vec3::ZERO),
            gave: fixed(luminance(gave.to_array())),
        };
        self.here(|sums| sums.lights[cluster] = sums.lights[cluster].with(tried));
    }

    /// The sun was tried.
    pub(crate) fn sun(&self, seen: bool) {
        self.here(|sums| {
            sums.sun_tries += 1;
            sums.sun_seen += u32::from(seen);
        });
    }

    /// The sky was tried in a direction and gave some light.
    pub(crate) fn sky(&self, direction: Vec3, gave: Vec3) {
        let value = fixed(luminance(gave.to_array()));
        self.here(|sums| {
            sums.sky_tries += 1;
            sums.sky_seen += u32::from(gave != Vec3::ZERO);
            let sum = &mut sums.sky[bin(direction)];
            *sum = sum.saturating_add(value);
        });
    }

    /// The path goes on in a direction at a cosine, chosen with a density; its throughput after that.
    pub(crate) fn leave(
        &self,
        direction: Vec3,
        (cosine, pdf): (f32, f32),
        throughput: Vec3,
        before: Vec3,
    ) {
        self.with(|inner| {
            if let Some(last) = inner.visits.last_mut() {
                let before = luminance(before.to_array());
                last.with = Some(before);
                inner.ways.push(Way {
                    key: last.key,
                    bin: bin(direction),
                    factor: cosine.abs() / pdf,
                    throughput: luminance(throughput.to_array()),
                    before,
                });
            }
        });
    }

    /// The path ends with all its light.
    fn end(&self, light: Vec3) {
        let end = luminance(light.to_array());
        self.with(|inner| {
            let Inner {
                cells,
                visits,
                ways,
                ..
            } = inner;
            let whole = visits.len();
            for (i, visit) in visits.drain(..).enumerate() {
                let Some(sums) = cells.get_mut(&visit.key) else {
                    continue;
                };
                sums.bounces += (whole - i) as u64;
                if visit.throughput > 0.0 && end.is_finite() {
                    let with = visit.with.unwrap_or(end);
                    let of = |light: f32| light / visit.throughput;
                    add(&mut sums.all, of(end - visit.before));
                    add(&mut sums.here, of(with - visit.before));
                    add(&mut sums.beyond, of(end - with));
                }
            }
            for way in ways.drain(..) {
                if let Some(sums) = cells.get_mut(&way.key)
                    && way.throughput > 0.0
                    && end.is_finite()
                {
                    let came = (end - way.before) / way.throughput * way.factor;
                    let sum = &mut sums.ways[way.bin];
                    *sum = sum.saturating_add(fixed(came.min(100.0)));
                    sums.ways_taken += 1;
                }
            }
        });
    }
}

impl Learned {
    /// Looks at a render's light, if that pays for a picture of its size and quality. It is the same for every part of a picture.
    pub fn look(render: &Render, control: &Control) -> Result<Option<Self>, Stopped> {
        let pixels = u64::from(render.size.width()) * u64::from(render.size.height());
        let most = match render.quality {
            Quality::Samples(n) => n,
            // It may end much sooner.
            Quality::Noise { most, .. } => most.min(256),
        };
        let whole = pixels * u64::from(most);
        if whole < WORTH {
            return Ok(None);
        }
        let learned = Self::look_by(render, (whole / SHARE).clamp(LEAST, MOST), control)?;
        Ok(Some(learned).filter(Self::pays))
    }

    /// Memory that a look takes at most for a picture of so many pixels, bytes: counted where usual numbers of samples would
    /// make it pay.
    pub fn bytes_for(pixels: u64) -> u64 {
        if pixels * USUAL_SAMPLES < WORTH {
            0
        } else {
            MOST_BYTES
        }
    }

    /// Looks by about so many paths.
    pub fn look_by(render: &Render, paths: u64, control: &Control) -> Result<Self, Stopped> {
        // Small pictures of the same shape and eye: as many places as the paths allow.
        let (w, h) = (render.size.width(), render.size.height());
        let share = (paths as f64 / f64::from(SAMPLES) / f64::from(w) / f64::from(h)).sqrt();
        let small = |side: u32| ((f64::from(side) * share).round() as u32).max(1);
        let size = (small(w), small(h));
        let eye = eye_place(render.eye, render.size);
        let light = render.light;
        let grid = Grid::new(eye, render.scene.bounds());
        let cut = Arc::new(light.tree.cut(eye));
        control.look(u64::from(size.1 * (1 + SAMPLES)));
        let look = |samples: u32, wanted: Option<Arc<HashSet<u64, _>>>| {
            let all = Mutex::new((Counts::default(), Cells::default()));
            (0..size.1).into_par_iter().for_each(|row| {
                if control.is_stopped() {
                    return;
                }
                let notes = Notes {
                    inner: Mutex::default(),
                    grid,
                    cut: Arc::clone(&cut),
                    wanted: wanted.clone(),
                };
                let mut shooter = render.shooter();
                shooter.size = size;
                shooter.seed ^= OTHER;
                shooter.clamp = None;
                shooter.occlusion = None;
                shooter.tracer.learned = None;
                shooter.tracer.notes = Some(&notes);
                for column in 0..size.0 {
                    control.wait_while_held();
                    shooter.each((column, row), 0..samples, |light| notes.end(light));
                }
                control.looked(samples.into());
                let found = (notes.inner.into_inner()).unwrap_or_else(PoisonError::into_inner);
                let mut all = all.lock().unwrap_or_else(PoisonError::into_inner);
                for (key, count) in found.counts {
                    *all.0.entry(key).or_default() += count;
                }
                for (key, sums) in found.cells {
                    match all.1.entry(key) {
                        Entry::Occupied(mut cell) => cell.get_mut().add(&sums),
                        Entry::Vacant(cell) => {
                            cell.insert(sums);
                        }
                    }
                }
            });
            if control.is_stopped() {
                return Err(Stopped);
            }
            Ok(all.into_inner().unwrap_or_else(PoisonError::into_inner))
        };
        // First where paths go, so that only what will be asked often takes memory.
        let mut counts: Vec<(u64, u32)> = look(1, None)?.0.into_iter().collect();
        counts.sort_unstable_by_key(|(key, count)| (std::cmp::Reverse(*count), *key));
        counts.truncate(MOST_CELLS);
        let wanted = counts.into_iter().map(|(key, _)| key).collect();
        let found = look(SAMPLES, Some(Arc::new(wanted)));
        control.look(0);
        let (_, cells) = found?;
        Ok(Self::from_sums(grid, cut, cells, light))
    }

    fn from_sums(grid: Grid, cut: Arc<Cut>, all: Cells, light: &Illumination) -> Self {
        let mut found: Vec<(u64, Box<Sums>)> = (all.into_iter())
            .filter(|(_, sums)| sums.visits >= ENOUGH)
            .collect();
        found.sort_unstable_by_key(|(key, sums)| (std::cmp::Reverse(sums.visits), *key));
        let index = (found.iter().enumerate())
            .map(|(i, (key, _))| (*key, i as u32))
            .collect();
        let cells = found
            .par_iter()
            .map(|(_, sums)| sums.cell(&grid, &cut, light))
            .collect();
        Self {
            grid,
            cut,
            cells,
            index,
        }
    }
}

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
    fn cell(&self, grid: &Grid, cut: &Cut, light: &Illumination) -> Cell {
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
