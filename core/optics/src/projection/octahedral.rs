//! Octahedral: the sphere on an octahedron, unfolded into a square.

use super::{PicturePoint, Projection};
use glam::DVec3;

/// `|x| + |y| + |z| = 1`, seen from above: zenith in the middle, ahead at the middle of the upper edge, right
/// at the middle of the right edge; the four lower sides are folded outwards, nadir in all corners.
///
/// Folding as in Meyer, Suessmuth, Sussner, Stamminger, Greiner: "On floating-point normal vectors" (EGSR
/// 2010), with Y up.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Octahedral;

/// Turns the square's corners over; its own inverse.
fn fold(a: f64, b: f64) -> (f64, f64) {
    ((1.0 - b.abs()).copysign(a), (1.0 - a.abs()).copysign(b))
}

impl Projection for Octahedral {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        point.is_inside().then(|| {
            let (a, b) = (2.0 * point.u - 1.0, 2.0 * point.v - 1.0);
            let up = 1.0 - a.abs() - b.abs();
            let (x, z) = if up < 0.0 { fold(a, b) } else { (a, b) };
            DVec3::new(x, up, z).normalize()
        })
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let d = direction / (direction.x.abs() + direction.y.abs() + direction.z.abs());
        let (a, b) = if d.y < 0.0 {
            fold(d.x, d.z)
        } else {
            (d.x, d.z)
        };
        Some(PicturePoint {
            u: (a + 1.0) / 2.0,
            v: (b + 1.0) / 2.0,
        })
    }

    fn ratio(&self) -> f64 {
        1.0
    }

    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        // Pixels cut by a fold are two triangles of the octahedron, so each half is taken by itself: the
        // diagonal that runs along the fold.
        let corner = |x: f64, y: f64| {
            self.to_direction(PicturePoint::in_pixel(column, row, (x, y), width, height))
        };
        let (Some(a), Some(b), Some(c), Some(d)) = (
            corner(0.0, 0.0),
            corner(1.0, 0.0),
            corner(1.0, 1.0),
            corner(0.0, 1.0),
        ) else {
            return 0.0;
        };
        let right = 2 * column + 1 > width;
        let low = 2 * row + 1 > height;
        if right == low {
            // Folds of these quarters run from lower left to upper right.
            super::triangle_solid_angle(a, b, d) + super::triangle_solid_angle(b, c, d)
        } else {
            super::triangle_solid_angle(a, b, c) + super::triangle_solid_angle(a, c, d)
        }
    }
}
