//! What is noted along the paths of a look, cell by cell, in sums of whole numbers: the same in any order.

use super::directions::{BINS, bin};
use super::{Grid, Mixed};
use crate::light::{CLUSTERS, Cut, Illumination, LightSample};
use dome_imaging::transfer::luminance;
use glam::Vec3;
use std::collections::{HashMap, HashSet};
use std::hash::BuildHasherDefault;
use std::sync::{Arc, Mutex, PoisonError};

/// Whole numbers that a light of 1 is.
pub(super) const FIXED: f32 = (1u64 << 24) as f32;
/// Most light of one path that is noted, in shares of white: one lucky path must not speak for a cell.
const BRIGHTEST: f32 = 1000.0;

/// What became of the tries to find the light of a cluster.
#[derive(Clone, Copy, Default)]
pub(super) struct Tried {
    pub(super) tries: u32,
    pub(super) seen: u32,
    /// Light that they gave, each by the density of its choice among all.
    pub(super) gave: u64,
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
pub(super) struct Sums {
    pub(super) visits: u32,
    /// Offset from the eye in cells, and normal, in 1/1024.
    pub(super) place: [i64; 3],
    pub(super) normal: [i64; 3],
    pub(super) width: f32,
    /// All light still to come, what was chosen here of it, and what was met by going on: sums, and sums of squares.
    pub(super) all: [u64; 2],
    pub(super) here: [u64; 2],
    pub(super) beyond: [u64; 2],
    /// All of it by colour.
    pub(super) colour: [u64; 3],
    pub(super) bounces: u64,
    pub(super) lights: [Tried; CLUSTERS],
    pub(super) sun_tries: u32,
    pub(super) sun_seen: u32,
    pub(super) sky_tries: u32,
    pub(super) sky_seen: u32,
    pub(super) sky: [u64; BINS],
    pub(super) ways: [u64; BINS],
    pub(super) ways_taken: u32,
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
            colour: [0; 3],
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

    pub(super) fn add(&mut self, other: &Self) {
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
        all(&mut self.colour, &other.colour, u64::saturating_add);
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

pub(super) type Cells = HashMap<u64, Box<Sums>, BuildHasherDefault<Mixed>>;
pub(super) type Wanted = HashSet<u64, BuildHasherDefault<Mixed>>;
pub(super) type Counts = HashMap<u64, u32, BuildHasherDefault<Mixed>>;

/// Where a path was, until its light is known.
struct Visit {
    key: u64,
    throughput: Vec3,
    before: Vec3,
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
    pub(super) inner: Mutex<Inner>,
    pub(super) grid: Grid,
    pub(super) cut: Arc<Cut>,
    /// The cells that are noted; without, paths are only counted by cells.
    pub(super) wanted: Option<Arc<Wanted>>,
}

#[derive(Default)]
pub(super) struct Inner {
    pub(super) counts: Counts,
    pub(super) cells: Cells,
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
                throughput,
                before,
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
    pub(super) fn end(&self, light: Vec3) {
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
                let throughput = luminance(visit.throughput.to_array());
                if throughput > 0.0 && end.is_finite() {
                    let before = luminance(visit.before.to_array());
                    let with = visit.with.unwrap_or(end);
                    let of = |light: f32| light / throughput;
                    // A colour that the path had lost before tells little of what was still to come.
                    let came = (light - visit.before).max(Vec3::ZERO)
                        / visit.throughput.max(Vec3::splat(0.01 * throughput));
                    for (sum, came) in sums.colour.iter_mut().zip(came.to_array()) {
                        *sum = sum.saturating_add(fixed(came));
                    }
                    add(&mut sums.all, of(end - before));
                    add(&mut sums.here, of(with - before));
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
