//! Where rays leave a surface: off it by no more than its own rounding, without meeting it again.
//!
//! A point of a triangle is mixed from its corners in double precision and rounded once, so it lies at most
//! half a unit in the last place of each coordinate off its plane. A ray starts just beyond that bound, on the
//! side that it goes to, and leaves its own triangle out. Whether it meets a neighbour in the same plane is
//! decided by the error bound of the intersection itself (see [`crate::accel`]). Both bounds after Pharr,
//! Jakob and Humphreys, Physically Based Rendering, 4th edition, section 6.8 "Managing rounding error".
//! Nothing here depends on the size of the scene or on how far from the origin it lies.

use crate::accel::TraceRay;
use glam::Vec3;

/// Half a unit in the last place, as a share of the number.
const ROUNDING: f32 = f32::EPSILON / 2.0;
/// What double precision adds, as a share of the largest corner coordinate.
const MIXING: f32 = 1.0 / (1u64 << 46) as f32;
/// A shadow ray ends this share of its way before the light, whose own triangle it leaves out: it is many
/// times the rounding of a distance, and half a millimetre at 50 m.
const SHORT: f32 = 1e-5;

/// A point on a triangle from which rays go on.
#[derive(Clone, Copy)]
pub(crate) struct Departure {
    pub(crate) position: Vec3,
    /// The triangle.
    pub(crate) triangle: u32,
    /// Its largest coordinate.
    pub(crate) reach: f32,
}

/// The way from a surface to a point, both moved off their surfaces.
pub(crate) struct Way {
    pub(crate) ray: TraceRay,
    pub(crate) distance: f32,
}

impl Departure {
    /// The point, moved off its triangle to the side that the unit vector `side` tells.
    pub(crate) fn off(&self, side: Vec3) -> Vec3 {
        let bound = side
            .abs()
            .dot(self.position.abs() * ROUNDING + self.reach * MIXING);
        let moved = self.position + side * bound;
        // The sum is rounded too: each coordinate goes on to the next number on its side.
        let step = |p: f32, n: f32| match n {
            n if n > 0.0 => p.next_up(),
            n if n < 0.0 => p.next_down(),
            _ => p,
        };
        Vec3::new(
            step(moved.x, side.x),
            step(moved.y, side.y),
            step(moved.z, side.z),
        )
    }

    /// A ray without end that leaves to the side that `side` tells.
    pub(crate) fn ray(&self, side: Vec3, direction: Vec3) -> TraceRay {
        TraceRay::new(self.off(side), direction).leaving(self.triangle)
    }

    /// The way to a point, leaving on the side of the normal that faces it. `None` if there is none.
    pub(crate) fn way_to(&self, normal: Vec3, point: Vec3) -> Option<Way> {
        let side = facing(normal, point - self.position);
        let origin = self.off(side);
        let offset = point - origin;
        let distance = offset.length();
        (distance > 0.0 && distance.is_finite()).then(|| Way {
            ray: TraceRay::new(origin, offset / distance)
                .until(distance)
                .leaving(self.triangle),
            distance,
        })
    }

    /// The way to a point of another triangle with a normal of its own: it ends before that triangle.
    pub(crate) fn way_to_surface(
        &self,
        normal: Vec3,
        other: &Self,
        other_normal: Vec3,
    ) -> Option<Way> {
        let side = facing(other_normal, self.position - other.position);
        let mut way = self.way_to(normal, other.off(side))?;
        way.ray = way
            .ray
            .until(way.distance * (1.0 - SHORT))
            .arriving(other.triangle);
        Some(way)
    }
}

/// The normal or its opposite, whichever goes along with `direction`.
pub(crate) fn facing(normal: Vec3, direction: Vec3) -> Vec3 {
    if direction.dot(normal) > 0.0 {
        normal
    } else {
        -normal
    }
}
