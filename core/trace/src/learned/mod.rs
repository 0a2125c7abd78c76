//! What a short look at a scene's light teaches about finding it: which lights a place sees, where its sky and its other light come
//! from, and how much is still to come when a path arrives there.
//!
//! It decides how often something is tried, and what stands for paths that end: that is taken from those that go on, so pictures made
//! with it and without have the same mean. It follows from the scene, its light, the eye and the order's own numbers, and not from how
//! the work is cut or spread, so that parts of a picture fit together to the bit. Sums are whole numbers, which are the same in any
//! order.

pub(crate) mod bytes;
mod conclude;
mod directions;
mod gather;
mod notes;

pub(crate) use directions::Directions;
pub(crate) use notes::Notes;

use crate::light::{CLUSTERS, Chances, Cut};
use glam::Vec3;
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::Arc;

/// A cell is some of its distance to the eye wide: 1/16 to 1/8 of it.
const FINE: f32 = 8.0;
/// Least distance that is told apart, as a share of the scene's size.
const NEAREST: f32 = 1e-3;
/// Paths that a cell must have seen to be asked.
const ENOUGH: u32 = 16;
/// Least chance with which a path that arrives at a cell goes on.
const LEAST_CHANCE: f32 = 0.2;
/// How much longer paths are followed than the rule alone says: what is lost by following one too far is time, by the other noise.
const PATIENCE: f32 = 3.0;
/// Share of the mean light of a cell that is expected of each path: not all, for its places and the ways to them differ.
const EXPECTED: f32 = 0.85;
/// What the paths of a pixel lie apart at least, as a share of what they hold: edges and patterns within it are not learned.
const STEADY: f32 = 0.3;
/// The same in shares of white: darker pixels are not worth more.
const DARKEST: f32 = 0.02;

/// What was learned.
pub struct Learned {
    grid: Grid,
    cut: Arc<Cut>,
    cells: Vec<Cell>,
    index: HashMap<u64, u32, BuildHasherDefault<Mixed>>,
}

/// What one cell knows.
#[derive(serde::Serialize, serde::Deserialize)]
pub(crate) struct Cell {
    /// Paths that taught it.
    visits: u32,
    /// Light still to come on a path of throughput 1 that arrives: its mean and the root of its mean square, and how many bounces
    /// that takes.
    mean: f32,
    rms: f32,
    bounces: f32,
    /// Its mean by colour.
    #[serde(with = "bytes::vector")]
    colour: Vec3,
    /// Paths that go on from here where the eye sees it.
    pub(crate) branches: u8,
    /// Chances of the clusters of lights, if any of them gives light here.
    lights: Option<Chances>,
    /// Chance with which the sun is asked.
    pub(crate) sun: f32,
    /// Chance with which the sky is asked.
    pub(crate) sky_chance: f32,
    /// Where the sky is seen, if it was. Apart, as the next, so that cells stay small: they are looked up at random.
    pub(crate) sky: Option<Box<Directions>>,
    /// Where light comes from that is not found at lights and sky.
    pub(crate) ways: Option<Box<Directions>>,
}

/// Cells about an eye: the farther the coarser, by the main direction that a surface faces.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Grid {
    eye: Vec3,
    nearest: f32,
}

impl Grid {
    fn new(eye: Vec3, (low, high): (Vec3, Vec3)) -> Self {
        Self {
            eye,
            nearest: ((high - low).length() * NEAREST).max(1e-6),
        }
    }

    /// The key of a cell and its width, metres.
    fn key(&self, place: Vec3, normal: Vec3) -> (u64, f32) {
        let offset = place - self.eye;
        let distance = offset.length().max(self.nearest);
        let level = (distance / FINE).log2().floor();
        let width = level.exp2();
        // A little off the surface, so that flat ones do not lie on a border.
        let at = ((offset + normal * (0.013 * width)) / width).floor();
        let facing = {
            let axis = normal.abs().max_position();
            2 * axis as u64 + u64::from(normal[axis] < 0.0)
        };
        let part = |v: f32| (v as i64 & 0x3_ffff) as u64;
        let level = (level as i64 + 64).clamp(0, 127) as u64;
        let key = part(at.x) | part(at.y) << 18 | part(at.z) << 36 | facing << 54 | level << 57;
        (key, width)
    }
}

impl Learned {
    /// What is known where a path arrives.
    pub(crate) fn cell(&self, place: Vec3, normal: Vec3) -> Option<&Cell> {
        let (key, _) = self.grid.key(place, normal);
        self.index.get(&key).map(|i| &self.cells[*i as usize])
    }

    /// Clusters of lights and their chances in a cell.
    pub(crate) fn lights<'a>(&'a self, cell: &'a Cell) -> Option<(&'a Cut, &'a Chances)> {
        Some((&self.cut, cell.lights.as_ref()?))
    }

    /// Whether it is worth asking: if half of the paths come to places that learned where to look. In the open, where all is seen from
    /// everywhere, asking costs more than it saves.
    pub fn pays(&self) -> bool {
        let (knowing, all) = self.cells.iter().fold((0, 0), |(knowing, all), cell| {
            let knows = cell.lights.is_some() || cell.sky.is_some() || cell.ways.is_some();
            let visits = u64::from(cell.visits);
            (knowing + if knows { visits } else { 0 }, all + visits)
        });
        2 * knowing > all
    }

    /// How many cells are known.
    pub fn cells(&self) -> usize {
        self.cells.len()
    }
}

impl Cell {
    /// How far a pixel's paths are about to lie apart that arrive here first, by the root of what they cost.
    pub(crate) fn goal(&self, throughput: f32, seen: f32) -> f32 {
        let spread = (self.rms * self.rms - self.mean * self.mean)
            .max(0.0)
            .sqrt();
        let spread = spread.max(STEADY * self.mean) * throughput;
        (spread + seen + DARKEST) / self.bounces.max(1.0).sqrt()
    }

    /// The chance with which a path of some throughput goes on here, for a pixel that holds about `goal`: by how much the pixel may
    /// still come to differ from what is expected, by the root of what that costs.
    pub(crate) fn chance(&self, throughput: f32, goal: f32) -> f32 {
        // About what is expected it would be 0.98 of the mean's square; this much was measured, and chances need not be exact.
        let squares = self.rms * self.rms - EXPECTED * self.mean * self.mean;
        let worth = throughput * squares.max(0.0).sqrt() / self.bounces.max(1.0).sqrt();
        (PATIENCE * worth / goal).clamp(LEAST_CHANCE, 1.0)
    }

    /// Light that stands for a path of throughput 1 that ends here.
    pub(crate) fn expected(&self) -> Vec3 {
        self.colour * EXPECTED
    }
}

/// Keys are already numbers; their bits are mixed.
#[derive(Default)]
struct Mixed(u64);

impl Hasher for Mixed {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        for byte in bytes {
            self.write_u64(self.0 ^ u64::from(*byte));
        }
    }

    fn write_u64(&mut self, x: u64) {
        let x = (x ^ (x >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
        self.0 = x ^ (x >> 29);
    }
}

const _: () = assert!(CLUSTERS <= 256, "a cluster's number is a byte");

#[cfg(test)]
mod tests {
    use super::*;
    use crate::path::{Path, PathLight};
    use crate::sampler::Sampler;

    /// What a path has found if it ends at a cell, or goes on and finds `light` there.
    fn found(cell: &Cell, light: Vec3, sampler: &mut Sampler) -> Vec3 {
        let mut path = Path {
            light: PathLight::default(),
            throughput: Vec3::new(0.5, 0.4, 0.2),
            bounces: 2,
            even: Vec3::splat(0.5),
            clear: false,
            width: 0.0,
            spread: 0.0,
            goal: 1.0,
        };
        if path.survives(Some(cell), sampler) {
            path.add(light, path.bounces + 1);
        }
        assert!((path.light.diffuse - path.light.beauty * 0.5).length() < 1e-5);
        assert_eq!((path.light.direct, path.light.emission), Default::default());
        path.light.beauty / Vec3::new(0.5, 0.4, 0.2)
    }

    /// Paths that may end find as much light on average as if none did, however wrong what a cell expects; and where all find what is
    /// expected, chance makes no difference.
    #[test]
    fn paths_that_end_leave_what_is_expected() {
        for colour in [Vec3::ZERO, Vec3::new(1.0, 0.5, 0.2), Vec3::splat(4.0)] {
            let cell = Cell {
                visits: 100,
                mean: 0.6,
                rms: 1.0,
                bounces: 4.0,
                colour,
                branches: 1,
                lights: None,
                sun: 1.0,
                sky_chance: 1.0,
                sky: None,
                ways: None,
            };
            let chance = cell.chance(0.4, 1.0);
            assert!((0.3..0.7).contains(&chance), "{chance}");
            let seed = 29;
            let light = Vec3::new(0.3, 0.6, 1.2);
            let count = 4096;
            let (mut sum, mut ended) = (Vec3::ZERO, 0);
            for i in 0..count {
                let mut sampler = Sampler::new(0, 0, i, seed);
                sum += found(&cell, light, &mut sampler);
                let mut sampler = Sampler::new(0, 0, i, seed);
                let same = found(&cell, cell.expected(), &mut sampler);
                assert!(
                    (same - cell.expected()).length() < 1e-4,
                    "seed {seed}: {same}"
                );
                let mut sampler = Sampler::new(0, 0, i, seed);
                ended += u32::from(sampler.next_1d() >= chance);
            }
            assert!((0.3..0.7).contains(&(ended as f32 / count as f32)));
            let mean = sum / count as f32;
            assert!(
                (mean - light).abs().max_element() < 0.02 * (light + colour).max_element(),
                "seed {seed}: {mean} for {light}, {colour} expected"
            );
        }
    }
}
