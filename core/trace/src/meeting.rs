//! Where a path meets a surface: what the surface answers to light from a direction, and what of that light comes through what
//! stands between.

use crate::accel::TraceRay;
use crate::bsdf::{Answer, Bsdf, Sampled};
use crate::integrator::{MAX_PASSED, Tracer};
use crate::learned::Directions;
use crate::media::Media;
use crate::sampler::Sampler;
use crate::surface::{Frame, Surface};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// How light comes through smooth bodies of glass to what they are not seen by. What is seen through them is bent in any case.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum GlassLight {
    /// Straight on, less what each face reflects and the body takes: a lamp in a globe lights its room, without caustics.
    #[default]
    Straight,
    /// Truly bent, with caustics; light of small lamps is then found by chance only, and takes long.
    Bent,
}

/// A path whose bounces were all as narrow as this, per steradian, still sees: glass bends what it looks at.
pub(crate) const NARROW: f32 = 30.0;

/// A path meets a surface.
pub(crate) struct Meeting<'a> {
    pub(crate) surface: &'a Surface<'a>,
    pub(crate) frame: &'a Frame,
    pub(crate) bsdf: &'a Bsdf,
    /// Whether the path still shows what is there.
    pub(crate) clear: bool,
    /// The bodies that the path is in before the surface.
    pub(crate) media: &'a Media<'a>,
    /// Learned directions that a share of its bounces takes.
    pub(crate) guide: Option<(&'a Directions, f32)>,
    /// How many paths go on from here.
    pub(crate) ways: usize,
}

impl<'a> Meeting<'a> {
    /// The surface's answer to light from a direction, if there is any.
    pub(crate) fn answer(&self, direction: Vec3) -> Option<Answer> {
        let wi = self.frame.local(direction);
        if (direction.dot(self.surface.side) > 0.0) != (wi.z > 0.0) {
            return None;
        }
        let mut answer = self.bsdf.evaluate(wi);
        if wi.z > 0.0 {
            let share = self.surface.lit_share(direction, wi.z);
            answer.dim(share, self.surface.gloss.roughness);
        }
        answer.pdf = self.density(direction, answer.pdf);
        (answer.diffuse + answer.specular != Vec3::ZERO).then_some(answer)
    }

    /// The density of bouncing into a direction, of which the surface's own is `own`.
    fn density(&self, direction: Vec3, own: f32) -> f32 {
        match self.guide {
            Some((ways, share)) => own * (1.0 - share) + ways.density(direction) * share,
            None => own,
        }
    }

    /// A direction to bounce into with the surface's answer.
    pub(crate) fn bounce(&self, sampler: &mut Sampler) -> Option<Sampled> {
        let mut choose = sampler.next_1d();
        let place = sampler.next_2d();
        if let Some((ways, share)) = self.guide {
            if choose < share {
                let direction = ways.choose(choose / share, place);
                let answer = self.answer(direction)?;
                let wi = self.frame.local(direction);
                return Some(Sampled { wi, answer });
            }
            choose = ((choose - share) / (1.0 - share)).min(1.0 - f32::EPSILON);
        }
        let mut sampled = self.bsdf.sample(choose, place)?;
        let direction = self.frame.world(sampled.wi);
        let above = sampled.wi.z > 0.0;
        if (direction.dot(self.surface.side) > 0.0) != above {
            return None;
        }
        if above {
            let share = self.surface.lit_share(direction, sampled.wi.z);
            (sampled.answer).dim(share, self.surface.gloss.roughness);
        }
        sampled.answer.pdf = self.density(direction, sampled.answer.pdf);
        Some(sampled)
    }

    /// The bodies on the side of a direction.
    fn beyond(&self, direction: Vec3) -> Media<'a> {
        let surface = self.surface;
        if surface.material.is_body() && direction.dot(surface.geometric) < 0.0 {
            self.media.crossed(surface.material, surface.gloss.inside)
        } else {
            *self.media
        }
    }
}

impl Surface<'_> {
    /// What goes straight on through the surface along a direction: its holes, and clear thin walls.
    pub(crate) fn straight_through(&self, direction: Vec3) -> Vec3 {
        if !self.material.is_see_through() {
            return Vec3::ZERO;
        }
        let frame = Frame::new(self.shading);
        self.straight_share(&Bsdf::new(&self.gloss, frame.local(-direction)))
    }

    /// The same as its answer has it.
    pub(crate) fn straight_share(&self, bsdf: &Bsdf) -> Vec3 {
        Vec3::splat(1.0 - self.opacity) + bsdf.straight() * self.opacity
    }

    /// The side that it takes light from, or `None` for both.
    pub(crate) fn receiving_side(&self, bsdf: &Bsdf) -> Option<Vec3> {
        (!bsdf.takes_from_below()).then_some(self.side)
    }
}

impl Tracer<'_> {
    /// What light given off within bodies keeps, for a path that went into them straight or was bent.
    pub(crate) fn given(&self, media: &Media, straight: bool) -> f32 {
        if straight && self.glass == GlassLight::Straight {
            1.0
        } else {
            media.given_within(&self.start)
        }
    }

    /// A body's surface as the path meets it: what is round the body, and whether light goes through it straight on.
    pub(crate) fn settle(&self, surface: &mut Surface, media: &Media, may_be_straight: bool) {
        let gloss = &mut surface.gloss;
        gloss.around = media.index_around(surface.material, gloss.inside);
        if may_be_straight && self.glass == GlassLight::Straight && gloss.is_smooth() {
            // A thin wall reflects as seen from outside, which is what a straight way through both faces meets.
            gloss.thin = true;
        }
    }

    /// What is left of some light on its way along the ray to the surface that the ray leaves.
    pub(crate) fn transmittance(
        &self,
        meeting: &Meeting,
        answer: &Answer,
        mut ray: TraceRay,
        light: Vec3,
    ) -> Vec3 {
        let end = ray;
        if !self.scene.see_through {
            return if self.scene.blocked(&ray) {
                Vec3::ZERO
            } else {
                light
            };
        }
        let mut media = meeting.beyond(ray.direction);
        // A path that goes on seeing would be bent where this light would not.
        let straight = !(meeting.clear && answer.pdf > NARROW);
        let mut left = light;
        for _ in 0..MAX_PASSED {
            let Some(hit) = self.scene.hit(&ray) else {
                return left * media.left_after(ray.far) * self.given(&media, straight);
            };
            if !self.scene.material_of(hit.triangle).is_see_through() {
                return Vec3::ZERO;
            }
            let mut between = self.scene.surface(&hit, &ray, self.clay);
            left *= media.left_after(hit.distance);
            if between.material.is_body() {
                let inside = between.gloss.inside;
                if !media.hides(between.material, inside) {
                    self.settle(&mut between, &media, straight);
                    left *= between.straight_through(ray.direction);
                }
                media = media.crossed(between.material, inside);
            } else {
                left *= between.straight_through(ray.direction);
            }
            if left == Vec3::ZERO {
                return left;
            }
            let on = between.place.off(-between.geometric);
            // Measured from the end, so that it does not move with every surface that is passed.
            let done = (on - end.origin).dot(end.direction);
            ray = end.until(end.far - done).leaving(between.place.triangle);
            ray.origin = on;
        }
        Vec3::ZERO
    }
}
