//! Light that live pictures keep in the world: what falls on a surface is gathered in cells, and pictures from other places begin
//! with it. Never used by an order: its cells blur, and they leak a little round thin walls.

use crate::sketch::Sight;
use glam::{IVec3, Vec3};
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::{PoisonError, RwLock};

/// Edge of a cell in widths of the pixel that sees it, each half a pixel: some two degrees of a picture of 512 px.
const WIDTHS: f32 = 8.0;
/// Levels of cells, each twice as wide as the one before, in which light is kept: another picture sees a surface larger or smaller.
const LEVELS: i32 = 3;
/// Samples from which on a cell is taken before a wider one.
const SURE: f32 = 32.0;
/// A cell counts as one sample of a pixel for so many of its own, and as so many samples at most: what a picture finds itself takes over.
const FOR_ONE: f32 = 4.0;
const COUNTS_AS: f32 = 8.0;
/// Cells of a generation; there are two.
const MOST: usize = 1 << 17;

/// Which cell: of a level, a place and the side that a surface faces.
type Key = u64;

/// Keys are mixed already.
#[derive(Default)]
struct AsIs(u64);

impl Hasher for AsIs {
    fn finish(&self) -> u64 {
        self.0
    }
    fn write(&mut self, bytes: &[u8]) {
        for byte in bytes {
            self.0 = (self.0 ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
        }
    }
    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}

type Cells = HashMap<Key, Cell, BuildHasherDefault<AsIs>>;

/// Light over its surface's colour, and how many samples it is the sum of.
#[derive(Clone, Copy, Default)]
struct Cell {
    sum: Vec3,
    samples: f32,
}

/// Cells of which the older half goes when there are too many.
#[derive(Default)]
struct Generations {
    young: Cells,
    old: Cells,
}

impl Generations {
    fn get(&self, key: Key) -> Option<&Cell> {
        self.young.get(&key).or_else(|| self.old.get(&key))
    }
}

/// Light of one scene under one light, shared by all live pictures of it.
#[derive(Default)]
pub struct KeptLight {
    cells: RwLock<Generations>,
}

/// Light that a picture found: over the colour of what is seen, and the samples that it is the mean of.
pub(crate) struct Found<'a> {
    pub(crate) sight: &'a Sight,
    pub(crate) light: Vec3,
    pub(crate) samples: f32,
}

impl KeptLight {
    /// Keeps what a picture found.
    pub(crate) fn keep<'a>(&self, found: impl Iterator<Item = Found<'a>>) {
        let mut cells = self.cells.write().unwrap_or_else(PoisonError::into_inner);
        for Found {
            sight,
            light,
            samples,
        } in found
        {
            // One broken path must not spoil a cell for all pictures to come.
            if !light.is_finite() {
                continue;
            }
            let level = level_of(sight);
            for level in level..level + LEVELS {
                let key = key(level, sight.position, sight.normal);
                let Generations { young, old } = &mut *cells;
                let cell = young
                    .entry(key)
                    .or_insert_with(|| old.get(&key).copied().unwrap_or_default());
                cell.sum += light * samples;
                cell.samples += samples;
            }
        }
        if cells.young.len() > MOST {
            cells.old = std::mem::take(&mut cells.young);
        }
    }

    /// The light of each of many sights and what it counts as, samples; nothing where none is kept.
    pub(crate) fn of(&self, sights: &[Sight]) -> Vec<(Vec3, f32)> {
        use rayon::prelude::*;
        let cells = self.cells.read().unwrap_or_else(PoisonError::into_inner);
        if cells.young.is_empty() && cells.old.is_empty() {
            return Vec::new();
        }
        (sights.par_iter().enumerate())
            .map(|(i, sight)| look_up(&cells, sight, i as u32))
            .collect()
    }
}

fn look_up(cells: &Generations, sight: &Sight, pixel: u32) -> (Vec3, f32) {
    if !sight.is_lit() || sight.mirror {
        return (Vec3::ZERO, 0.0);
    }
    let finest = level_of(sight);
    let mut best = Cell::default();
    for level in finest..finest + LEVELS {
        // Off its place within a cell, so that borders of cells are blurred and not seen.
        let moved = astray(sight, pixel) * edge_of(level);
        for place in [sight.position + moved, sight.position] {
            if let Some(cell) = cells.get(key(level, place, sight.normal)) {
                if cell.samples > best.samples {
                    best = *cell;
                }
                break;
            }
        }
        if best.samples >= SURE {
            break;
        }
    }
    match best.samples {
        0.0 => (Vec3::ZERO, 0.0),
        n => (best.sum / n, COUNTS_AS.min(n / FOR_ONE)),
    }
}

/// A way along the surface, up to half a cell's edge.
fn astray(sight: &Sight, pixel: u32) -> Vec3 {
    let mixed = mix(u64::from(pixel));
    let part = |bits: u64| (bits & 0xffff) as f32 / 65536.0 - 0.5;
    let (a, b) = sight.normal.any_orthonormal_pair();
    a * part(mixed) + b * part(mixed >> 16)
}

/// Which cells are as wide as a sight's pixels ask for.
fn level_of(sight: &Sight) -> i32 {
    // Parallel rays have no width of their own.
    (sight.width * WIDTHS).log2().round().clamp(-30.0, 30.0) as i32
}

fn edge_of(level: i32) -> f32 {
    (level as f32).exp2()
}

fn key(level: i32, position: Vec3, normal: Vec3) -> Key {
    let at: IVec3 = (position / edge_of(level)).floor().as_ivec3();
    let side = normal.abs();
    let axis = if side.x >= side.y && side.x >= side.z {
        0
    } else if side.y >= side.z {
        1
    } else {
        2
    };
    let face = axis * 2 + u64::from(normal[axis as usize] < 0.0);
    let mut mixed = mix(face << 32 | u64::from(level as u32));
    for part in at.to_array() {
        mixed = mix(mixed ^ u64::from(part as u32));
    }
    mixed
}

/// Spreads a number over all bits (the finaliser of SplitMix64; Steele, Lea and Flood 2014, from memory).
fn mix(n: u64) -> u64 {
    let n = n.wrapping_add(0x9e37_79b9_7f4a_7c15);
    let n = (n ^ n >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    let n = (n ^ n >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
    n ^ n >> 31
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(position: Vec3, normal: Vec3, width: f32) -> Sight {
        Sight {
            position,
            normal,
            width,
            colour: Vec3::ONE,
            ..Sight::NOTHING
        }
    }

    fn put(kept: &KeptLight, sight: &Sight, light: Vec3) {
        kept.keep(std::iter::once(Found {
            sight,
            light,
            samples: 16.0,
        }));
    }

    /// Light comes back where it fell, to pixels twice and four times as wide too, and to no other side or place.
    #[test]
    fn light_comes_back_where_it_fell() {
        let kept = KeptLight::default();
        let here = at(Vec3::new(0.51, 0.52, 0.53), Vec3::Y, 0.01);
        assert!(kept.of(&[here]).is_empty());
        put(&kept, &here, Vec3::new(1.0, 2.0, 3.0));
        put(&kept, &here, Vec3::new(3.0, 2.0, 1.0));
        put(&kept, &here, Vec3::new(1.0, f32::NAN, 1.0));
        for width in [0.01, 0.02, 0.04] {
            let found = kept.of(&[at(here.position, Vec3::Y, width)]);
            assert_eq!(found, [(Vec3::splat(2.0), 32.0 / FOR_ONE)], "{width}");
        }
        let elsewhere = [
            at(here.position, Vec3::NEG_Y, 0.01),
            at(here.position, Vec3::X, 0.01),
            at(here.position + Vec3::X, Vec3::Y, 0.01),
            at(here.position, Vec3::Y, 0.2),
            Sight::NOTHING,
            Sight {
                mirror: true,
                ..here
            },
        ];
        for (i, found) in kept.of(&elsewhere).into_iter().enumerate() {
            assert_eq!(found, (Vec3::ZERO, 0.0), "{i}");
        }
    }

    /// However much is seen, memory stays bounded, and what was seen last is known.
    #[test]
    fn memory_is_bounded() {
        let kept = KeptLight::default();
        let place = |i: usize| at(Vec3::X * i as f32, Vec3::Y, 0.01);
        for part in 0..40 {
            let sights: Vec<_> = (0..10_000).map(|i| place(part * 10_000 + i)).collect();
            kept.keep(sights.iter().map(|sight| Found {
                sight,
                light: Vec3::ONE,
                samples: 16.0,
            }));
        }
        let cells = kept.cells.read().unwrap();
        assert!(cells.young.len() + cells.old.len() < 2 * (MOST + 30_000));
        drop(cells);
        assert_eq!(kept.of(&[place(399_999)])[0].0, Vec3::ONE);
        assert_eq!(kept.of(&[place(0)])[0].1, 0.0);
    }
}
