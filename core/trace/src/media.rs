//! What a ray is in: bodies within bodies, such as water in a glass, in the order in which they were entered.
//!
//! A body is known by its material, so that a bottle may be an outer and an inner shell. Bodies may overlap: within several the
//! one that was entered last counts, and leaving one of the others changes nothing that light could tell.

use crate::accel::TraceRay;
use crate::material::Material;
use crate::scene::Scene;
use glam::Vec3;

/// Most bodies within each other; deeper ones are not noticed.
const DEPTH: usize = 4;
/// Most surfaces that are looked through to find out where an eye is.
const MOST_LOOKED: u32 = 256;
/// The darkest colour that a body can give light over its distance: black would have no logarithm.
const DARKEST: f32 = 1e-4;

/// The bodies that a ray is in.
#[derive(Clone, Copy, Default)]
pub(crate) struct Media<'a> {
    stack: [Option<&'a Material>; DEPTH],
    depth: usize,
}

impl<'a> Media<'a> {
    /// The bodies round a point, found by looking upwards out of them.
    pub(crate) fn at(scene: &'a Scene, point: Vec3) -> Self {
        let mut media = Self::default();
        if !scene.has_bodies {
            return media;
        }
        // Bodies that were entered on the way, and those that were left without having been entered: innermost first.
        let mut entered = Self::default();
        let mut left: Vec<&Material> = Vec::new();
        let mut ray = TraceRay::new(point, Vec3::Y);
        for _ in 0..MOST_LOOKED {
            let Some(hit) = scene.hit(&ray) else {
                break;
            };
            let surface = scene.surface(&hit, &ray, false);
            if surface.material.is_body() {
                let inside = surface.gloss.inside;
                if inside && !entered.holds(surface.material) {
                    left.push(surface.material);
                } else {
                    entered = entered.crossed(surface.material, inside);
                }
            }
            ray = surface.place.ray(-surface.geometric, ray.direction);
        }
        for material in left.into_iter().rev() {
            media = media.crossed(material, false);
        }
        media
    }

    fn last(&self) -> Option<&'a Material> {
        self.stack[..self.depth].last().copied().flatten()
    }

    fn place_of(&self, material: &Material) -> Option<usize> {
        (self.stack[..self.depth].iter())
            .rposition(|m| m.is_some_and(|m| std::ptr::eq(m, material)))
    }

    fn holds(&self, material: &Material) -> bool {
        self.place_of(material).is_some()
    }

    /// Where a ray is after it went through the surface of a body, leaving it if it came from inside.
    #[must_use]
    pub(crate) fn crossed(mut self, material: &'a Material, inside: bool) -> Self {
        if inside {
            if let Some(at) = self.place_of(material) {
                self.stack.copy_within(at + 1..self.depth, at);
                self.depth -= 1;
            }
        } else if self.depth < DEPTH {
            self.stack[self.depth] = Some(material);
            self.depth += 1;
        }
        self
    }

    /// Whether the surface of a body is no border here, because the ray is and stays in another one.
    pub(crate) fn hides(&self, material: &Material, inside: bool) -> bool {
        inside
            && self.holds(material)
            && self
                .last()
                .is_some_and(|last| !std::ptr::eq(last, material))
    }

    /// The index of refraction outside a body whose surface is met.
    pub(crate) fn index_around(&self, material: &Material, inside: bool) -> f32 {
        let mut around = *self;
        if inside && let Some(at) = around.place_of(material) {
            around.depth = at;
        }
        around.last().map_or(1.0, |m| m.ior)
    }

    /// What light given off within the bodies keeps where its path is truly bent on its way out to an eye in `eye`: the square of
    /// the ratio of the indices. A path carries light divided by the square of the index, and a lamp gives off as much within a
    /// body as without.
    pub(crate) fn given_within(&self, eye: &Self) -> f32 {
        let index = |media: &Self| media.last().map_or(1.0, |m| m.ior);
        (index(eye) / index(self)).powi(2).min(1.0)
    }

    /// What is left of white light after a way in metres (Beer and Lambert: the body's colour after its distance).
    pub(crate) fn left_after(&self, way: f32) -> Vec3 {
        let Some(volume) = self.last().and_then(|m| m.volume) else {
            return Vec3::ONE;
        };
        let share = way / volume.distance.max(1e-9);
        if share.is_nan() {
            return Vec3::ONE; // no end in a clear body
        }
        Vec3::from(volume.colour).map(|c| {
            if c >= 1.0 {
                1.0
            } else {
                c.max(DARKEST).powf(share)
            }
        })
    }
}
