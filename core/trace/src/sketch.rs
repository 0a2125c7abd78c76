//! The first lit picture, soon after nothing moves any more: what is seen is there for every pixel, its light for some,
//! and goes from those to their neighbours on the same surface.
//!
//! For live pictures only; orders are filtered elsewhere or not at all.

use crate::accel::TraceRay;
use crate::integrator::{MAX_PASSED, Tracer};
use crate::pixel::PixelSums;
use crate::smoothing::{Known, LATTICE_TURNS, Seen};
use glam::Vec3;
use rayon::prelude::*;

/// Colours darker than this are not parted from their light: too little would be divided by too little.
const DARKEST: f32 = 0.05;
/// Smoother metal and glass mirror what is there: their light is not their neighbours'.
const MIRROR_ROUGHNESS: f32 = 0.3;
/// Brightest light, over the colour, that one pixel brings: a lucky path must not light its surroundings.
const BRIGHTEST: f32 = 12.0;

/// What one pixel sees, without its light.
#[derive(Clone, Copy)]
pub(crate) struct Sight {
    pub(crate) position: Vec3,
    pub(crate) normal: Vec3,
    /// Colour by which light is returned; zero for the sky.
    pub(crate) colour: Vec3,
    /// Light seen at its source.
    pub(crate) glow: Vec3,
    /// Half the width of the pixel there, metres.
    pub(crate) width: f32,
    /// Whether it mirrors or bends what is there.
    pub(crate) mirror: bool,
}

impl Sight {
    /// Darkness without end.
    pub(crate) const NOTHING: Self = Self {
        position: Vec3::ZERO,
        normal: Vec3::ZERO,
        colour: Vec3::ZERO,
        glow: Vec3::ZERO,
        width: 0.0,
        mirror: false,
    };

    /// What a ray sees that grows wider by `spread`, radians.
    pub(crate) fn of(tracer: &Tracer, mut ray: TraceRay, spread: f32) -> Self {
        let (scene, light) = (tracer.scene, tracer.light);
        let mut seen = Self::NOTHING;
        let mut left = Vec3::ONE;
        for _ in 0..MAX_PASSED {
            let Some(hit) = scene.hit(&ray) else {
                if !light.environment.transparent {
                    seen.glow += left * light.environment.backdrop(ray.direction);
                }
                return seen;
            };
            seen.width += spread * hit.distance;
            let surface = scene.surface_within(&hit, &ray, seen.width, tracer.clay);
            let object = scene.object_of(hit.triangle);
            if !light.is_unseen(object) {
                let through = surface.straight_through(ray.direction);
                let scale = light.object_scale(object, -ray.direction);
                seen.glow += left * surface.emission * scale * surface.opacity;
                if through.max_element() <= 0.5 {
                    let gloss = &surface.gloss;
                    seen.position = surface.place.position;
                    seen.normal = surface.shading;
                    seen.colour = if surface.unlit {
                        Vec3::ZERO
                    } else {
                        (left * gloss.base).max(Vec3::splat(DARKEST))
                    };
                    seen.mirror = gloss.metallic.max(gloss.transmission) > 0.5
                        && gloss.roughness < MIRROR_ROUGHNESS;
                    return seen;
                }
                left *= through;
            }
            ray = surface.place.ray(-surface.geometric, ray.direction);
        }
        seen
    }

    /// Whether it has light of its own to wait for.
    pub(crate) fn is_lit(&self) -> bool {
        self.colour != Vec3::ZERO
    }

    /// How far a neighbour's light is this one's, `steps` pixels away.
    pub(crate) fn alike(&self, other: &Self, steps: f32) -> f32 {
        if self.mirror != other.mirror || !other.is_lit() {
            return 0.0;
        }
        let turned = self.normal.dot(other.normal).max(0.0);
        let turned = turned * turned;
        let turned = turned * turned;
        // Parallel rays have no width of their own.
        let near = (self.width * steps).max(f32::MIN_POSITIVE);
        let off = self.normal.dot(other.position - self.position) / near;
        turned * turned / (1.0 + off * off)
    }
}

/// When a pixel has its turn: those that have had it are always spread evenly. Each turn is that of one pixel in 64.
pub(crate) fn turn(column: u32, row: u32) -> u32 {
    const ORDER: [[u32; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];
    const BLOCKS: [[u32; 2]; 2] = [[0, 2], [3, 1]];
    let block = BLOCKS[row as usize / 4 % 2][column as usize / 4 % 2];
    ORDER[row as usize % 4][column as usize % 4] * 4 + block
}

/// Turns until all pixels have had theirs.
pub(crate) const TURNS: u32 = 64;

/// Each fourth pixel, spread evenly.
pub(crate) fn evenly(column: u32, row: u32) -> bool {
    column.is_multiple_of(2) && row.is_multiple_of(2)
}

/// The early turn of a pixel that mirrors, if it has one: each eighth in the first and in the second, for what is mirrored is not its
/// neighbours'.
pub(crate) fn mirror_turn(column: u32, row: u32) -> Option<u32> {
    evenly(column, row).then_some((column / 2 + row / 2) % 2)
}

/// The light of what a pixel sees over its colour, as it found it itself; nothing if it has none.
pub(crate) fn light_of(sight: &Sight, sums: &PixelSums) -> Option<Vec3> {
    if !sight.is_lit() || sums.samples == 0 {
        return None;
    }
    let light = sums.scattered() / sight.colour;
    let excess = light.max_element() / BRIGHTEST;
    Some(light / excess.max(1.0))
}

/// The picture of what is known so far, with the light that was kept of it before, if there is any; `whole` if it goes round and over
/// the poles.
pub(crate) fn drawn(
    sights: &[Sight],
    sums: &[PixelSums],
    kept: &[(Vec3, f32)],
    (size, whole): ((u32, u32), bool),
    turns: u32,
) -> Vec<f32> {
    let light: Vec<Known> = (sights.par_iter().zip(sums).enumerate())
        .map(|(i, (sight, sums))| {
            match light_of(sight, sums) {
                // Where a pixel has light of its own, what was kept gives way.
                Some(own) => (own, sums.samples as f32),
                None => kept.get(i).copied().unwrap_or_default(),
            }
        })
        .collect();
    let seen = Seen {
        sights,
        size,
        whole,
    };
    let light = if turns <= LATTICE_TURNS && kept.iter().all(|k| k.1 == 0.0) {
        seen.smoothed_from_lattice(light)
    } else {
        seen.smoothed(light)
    };
    (sights.par_iter().zip(&light))
        .flat_map_iter(|(sight, (light, _))| (sight.glow + sight.colour * *light).to_array())
        .collect()
}
