//! Where lights, the sun and the sky are looked for, by what was learned of them or by what they promise.

use crate::bsdf::Bsdf;
use crate::integrator::Tracer;
use crate::learned::{Cell, Directions};
use crate::light::{Chances, Cut, Lit};
use crate::path::{Known, Last};
use crate::sampler::Sampler;
use glam::Vec3;

/// Share of the sky's samples that are chosen by what was learned.
const LEARNED_SKY: f32 = 0.8;
/// Share of evenly scattered bounces that go where light was learned to come from.
const GUIDED: f32 = 0.5;

impl<'a> Tracer<'a> {
    /// What is known of the light at a surface. What the eye sees itself is asked for the sun and the sky in any case: the edge of a
    /// shadow may run through a cell. A look at the light asks for all, to learn of it.
    pub(crate) fn known(&self, cell: Option<&'a Cell>, bounces: u32) -> Known<'a> {
        match cell {
            Some(cell) if bounces > 0 => Known {
                cell: Some(cell),
                sun: cell.sun,
                sky: cell.sky_chance,
            },
            _ => Known {
                cell,
                sun: 1.0,
                sky: match bounces > 0 && self.learned.is_none() && self.notes.is_none() {
                    true => self.light.environment.later_chance(),
                    false => 1.0,
                },
            },
        }
    }

    /// Whose lights are chosen.
    pub(crate) fn lit(&self) -> Lit<'a> {
        Lit {
            scene: self.scene,
            light: self.light,
        }
    }

    /// The learned chances of the lights.
    pub(crate) fn chances(&self, known: &Known<'a>) -> Option<(&'a Cut, &'a Chances)> {
        self.learned?.lights(known.cell?)
    }

    /// Probability per steradian of choosing a point of a glowing triangle from the last bounce, by all its points together, seen at a
    /// squared distance and a cosine.
    pub(crate) fn light_density(&self, triangle: u32, last: &Last<'a>, seen: (f32, f32)) -> f32 {
        let tree = &self.light.tree;
        match self.chances(&last.known) {
            Some(by) => last.budget as f32 * tree.density_by(by, triangle, &last.from, seen),
            None => tree.density(triangle, &last.from, seen, last.budget),
        }
    }

    /// Learned directions for a surface, and the share of its bounces that take them: of even scattering alone.
    pub(crate) fn guide(&self, known: &Known<'a>, bsdf: &Bsdf) -> Option<(&'a Directions, f32)> {
        let ways = known.cell?.ways.as_ref()?;
        let share = GUIDED * bsdf.even_share();
        (share > 0.0).then_some((ways, share))
    }

    /// A direction of the sky with its light and its density; nothing if the sky is not looked for.
    pub(crate) fn choose_sky(
        &self,
        known: &Known<'a>,
        sampler: &mut Sampler,
    ) -> Option<(Vec3, Vec3, f32)> {
        let environment = &self.light.environment;
        if known.sky < 1.0 && sampler.next_1d() >= known.sky {
            return None;
        }
        let Some(sky) = known.cell.and_then(|c| c.sky.as_ref()) else {
            let s = environment.sample_sky_with(|| sampler.next_2d())?;
            return Some((s.direction, s.radiance, s.pdf * known.sky));
        };
        let choose = sampler.next_1d();
        let place = sampler.next_2d();
        let direction = if choose < LEARNED_SKY {
            sky.choose(choose / LEARNED_SKY, place)
        } else {
            environment.sample_sky_with(|| place)?.direction
        };
        let (light, density) = self.sky_from(direction, known);
        Some((direction, light, density))
    }

    /// Light of the sky from a direction, and the probability per steradian of choosing it.
    pub(crate) fn sky_from(&self, direction: Vec3, known: &Known<'a>) -> (Vec3, f32) {
        let (light, plain) = self.light.environment.light_and_density(direction);
        let density = match known.cell.and_then(|c| c.sky.as_ref()) {
            Some(sky) => LEARNED_SKY * sky.density(direction) + (1.0 - LEARNED_SKY) * plain,
            None => plain,
        };
        (light, density * known.sky)
    }
}
