//! Points on triangles chosen evenly over the solid angle that they fill, for large triangles near by: by area, points far off
//! and points near by would be as likely, and light would be noisy where they differ.

use glam::Vec3;
use std::f32::consts::PI;

/// A triangle seen from a place.
pub(super) struct SphericalTriangle {
    /// Directions of the corners.
    corners: [Vec3; 3],
    /// Solid angle, steradians.
    pub(super) solid_angle: f32,
}

/// Share of squared distance from which an area is chosen by its solid angle.
const LARGE: f32 = 0.1;
/// Solid angles between which the choice is exact enough in single precision, steradians.
const RANGE: std::ops::Range<f32> = 1e-3..6.0;

impl SphericalTriangle {
    /// The triangle of corners and an area seen from a place, if it is so large there that its solid angle matters.
    pub(super) fn large(corners: [Vec3; 3], area: f32, from: Vec3) -> Option<Self> {
        let offsets = corners.map(|c| c - from);
        let middle = (offsets[0] + offsets[1] + offsets[2]) / 3.0;
        if area < LARGE * middle.length_squared() {
            return None;
        }
        let [a, b, c] = offsets.map(Vec3::normalize_or_zero);
        // Van Oosterom and Strackee 1983, "The solid angle of a plane triangle".
        let volume = a.dot(b.cross(c)).abs();
        let below = 1.0 + a.dot(b) + b.dot(c) + c.dot(a);
        let solid_angle = 2.0 * volume.atan2(below);
        RANGE.contains(&solid_angle).then_some(Self {
            corners: [a, b, c],
            solid_angle,
        })
    }

    /// A direction within it from two even numbers (Arvo 1995, "Stratified sampling of spherical triangles").
    pub(super) fn direction(&self, (x, y): (f32, f32)) -> Option<Vec3> {
        let [a, b, c] = self.corners;
        let angle = |p: Vec3, q: Vec3, r: Vec3| {
            let (n, m) = (p.cross(q), p.cross(r));
            n.angle_between(m)
        };
        let (alpha, beta, gamma) = (angle(a, b, c), angle(b, a, c), angle(c, a, b));
        let area = alpha + beta + gamma - PI;
        let cos_c = a.dot(b);
        let part = x * area;
        let (s, t) = (part - alpha).sin_cos();
        let (sin_alpha, cos_alpha) = alpha.sin_cos();
        let u = t - cos_alpha;
        let v = s + sin_alpha * cos_c;
        let q = ((v * t - u * s) * cos_alpha - v) / ((v * s + u * t) * sin_alpha);
        let q = q.clamp(-1.0, 1.0);
        let along = |from: Vec3, to: Vec3| (to - from * from.dot(to)).try_normalize();
        let near = a * q + along(a, c)? * (1.0 - q * q).max(0.0).sqrt();
        let z = 1.0 - y * (1.0 - near.dot(b));
        let found = b * z + along(b, near)? * (1.0 - z * z).max(0.0).sqrt();
        found.is_finite().then(|| found.normalize_or_zero())
    }
}

/// Where a ray from a place meets the plane of a triangle: its barycentric coordinates, kept within it.
pub(super) fn met(corners: [Vec3; 3], from: Vec3, direction: Vec3) -> Option<(f32, f32)> {
    let [a, b, c] = corners;
    let (e1, e2) = (b - a, c - a);
    // Moller and Trumbore 1997.
    let p = direction.cross(e2);
    let det = e1.dot(p);
    if det == 0.0 {
        return None;
    }
    let t = from - a;
    let u = (t.dot(p) / det).clamp(0.0, 1.0);
    let v = (direction.dot(t.cross(e1)) / det).clamp(0.0, 1.0 - u);
    (u.is_finite() && v.is_finite()).then_some((u, v))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// An octant of the sphere is half pi (a fact of geometry), directions lie within the triangle, and evenly: each half of it gets
    /// its share.
    #[test]
    fn directions_are_even_over_the_solid_angle() {
        let octant = SphericalTriangle::large([Vec3::X, Vec3::Y, Vec3::Z], 0.866, Vec3::ZERO);
        assert!((octant.unwrap().solid_angle - PI / 2.0).abs() < 1e-4);
        let corners = [
            Vec3::new(-0.5, 1.0, -2.0),
            Vec3::new(3.0, 1.0, 0.3),
            Vec3::new(-0.2, 1.0, 2.5),
        ];
        let area = 0.5
            * (corners[1] - corners[0])
                .cross(corners[2] - corners[0])
                .length();
        let whole = SphericalTriangle::large(corners, area, Vec3::ZERO).unwrap();
        let middle = (corners[1] + corners[2]) / 2.0;
        let half =
            SphericalTriangle::large([corners[0], corners[1], middle], area, Vec3::ZERO).unwrap();
        let (mut within, mut first) = (0, 0);
        let n = 20_000u32;
        for i in 0..n {
            let x = (i as f32 + 0.5) / n as f32;
            let y = i.reverse_bits() as f32 / 4_294_967_296.0;
            let d = whole.direction((x, y)).unwrap();
            let (u, v) = met(corners, Vec3::ZERO, d).unwrap();
            let point = corners[0] * (1.0 - u - v) + corners[1] * u + corners[2] * v;
            within += u32::from(point.normalize().distance(d) < 2e-3);
            // Towards the second corner more than towards the third.
            first += u32::from(u > v);
        }
        assert!(within > n - 20, "{within}");
        let share = first as f32 / n as f32;
        let wanted = half.solid_angle / whole.solid_angle;
        assert!((share - wanted).abs() < 0.01, "{share} {wanted}");
        // Far away the area does.
        assert!(SphericalTriangle::large(corners, area, Vec3::new(0.0, -50.0, 0.0)).is_none());
    }
}
