//! Glowing triangles as they are weighed against each other: all that is asked of a candidate lies together, and nothing is made
//! that only the one that is taken needs.

use super::spherical::{self, SphericalTriangle};
use super::tree::{Lit, Receiver};
use crate::scene::Scene;
use glam::Vec3;

/// A glowing triangle.
pub(super) struct Piece {
    pub(super) triangle: u32,
    object: u32,
    pub(super) corners: [Vec3; 3],
    normal: Vec3,
    /// Square metres.
    pub(super) area: f32,
    /// What it gives everywhere and to all sides, if that is so.
    even: Option<Vec3>,
    /// Whether it belongs to a closed lamp, whose inside is hidden.
    pub(super) closed: bool,
}

/// A point on a glowing triangle, and what it sends to a receiver.
pub(crate) struct AreaSample {
    /// The triangle, and the point's coordinates on it.
    pub(crate) triangle: u32,
    pub(crate) at: (f32, f32),
    pub(super) position: Vec3,
    pub(crate) normal: Vec3,
    pub(crate) emission: Vec3,
    /// Probability per steradian, seen from the receiver.
    pub(crate) pdf: f32,
    /// Whether it belongs to a closed lamp, whose inside is hidden.
    pub(super) closed: bool,
}

impl Piece {
    /// A triangle; `scale` is what its object's emission is multiplied with, if that is the same to all sides.
    pub(super) fn new(
        scene: &Scene,
        triangle: u32,
        area: f32,
        scale: Option<f32>,
        closed: bool,
    ) -> Self {
        let corners = scene.corners(triangle);
        let [a, b, c] = corners;
        let material = scene.material_of(triangle);
        let even = (material
            .emission_texture
            .is_none()
            .then_some(scale)
            .flatten())
        .map(|scale| scene.spot(triangle, 0.0, 0.0).emission(material) * scale);
        Self {
            triangle,
            object: scene.object_of(triangle),
            corners,
            normal: (b - a).cross(c - a).normalize_or_zero(),
            area,
            even,
            closed,
        }
    }

    /// The probability per steradian with which a point is chosen, at a squared distance and a cosine to its normal, if the piece is
    /// chosen with some probability.
    pub(super) fn density(&self, from: Vec3, (d2, cosine): (f32, f32), probability: f32) -> f32 {
        match SphericalTriangle::large(self.corners, self.area, from) {
            Some(seen) => probability / seen.solid_angle,
            None => probability / self.area * d2 / cosine,
        }
    }

    /// A point of it for a receiver, by two even numbers.
    pub(super) fn sample(
        &self,
        lit: Lit,
        to: &Receiver,
        (x, y): (f32, f32),
        probability: f32,
    ) -> Option<AreaSample> {
        let seen = SphericalTriangle::large(self.corners, self.area, to.position);
        let (u, v) = match &seen {
            Some(seen) => {
                let direction = seen.direction((x, y))?;
                spherical::met(self.corners, to.position, direction)?
            }
            None => {
                let root = x.sqrt();
                (1.0 - root, root * y)
            }
        };
        // Rounded once, as where a path meets it: near by and far from the origin the distance would lose its digits.
        let [a, b, c] = self.corners.map(|p| p.as_dvec3());
        let (s, t) = (f64::from(u), f64::from(v));
        let position = (a * (1.0 - s - t) + b * s + c * t).as_vec3();
        let offset = position - to.position;
        let d2 = offset.length_squared().max(1e-12);
        let direction = offset / d2.sqrt();
        let pdf = match seen {
            Some(seen) => probability / seen.solid_angle,
            None => {
                let cosine = self.normal.dot(direction).abs().max(1e-6);
                probability / self.area * d2 / cosine
            }
        };
        let emission = self.even.unwrap_or_else(|| {
            let material = lit.scene.material_of(self.triangle);
            let spot = lit.scene.spot(self.triangle, u, v);
            spot.emission(material) * lit.light.object_scale(self.object, -direction)
        });
        Some(AreaSample {
            triangle: self.triangle,
            at: (u, v),
            position,
            normal: self.normal,
            emission,
            pdf,
            closed: self.closed,
        })
    }
}
