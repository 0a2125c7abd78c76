//! What a short look at a scene's light teaches about finding it: which lights a place sees, where its sky and its other light come
//! from, and how much is still to come when a path arrives there.
//!
//! It decides only how often something is tried, never what it counts: pictures made with it and without have the same mean. It
//! follows from the scene, its light, the eye and the order's own numbers, and not from how the work is cut or spread, so that parts
//! of a picture fit together to the bit. Sums are whole numbers, which are the same in any order.

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
pub(crate) struct Cell {
    /// Paths that taught it.
    visits: u32,
    /// Light still to come on a path of throughput 1 that arrives: its mean and the root of its mean square, and how many bounces
    /// that takes.
    mean: f32,
    rms: f32,
    bounces: f32,
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

    /// The chance with which a path of some throughput goes on here, for a pixel that holds about `goal`: what it may still change in
    /// the pixel, by the root of what it costs.
    pub(crate) fn chance(&self, throughput: f32, goal: f32) -> f32 {
        let worth = throughput * self.rms / self.bounces.max(1.0).sqrt();
        (PATIENCE * worth / goal).clamp(LEAST_CHANCE, 1.0)
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
