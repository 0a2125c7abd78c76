//! Perspective: the picture of an ordinary camera, which may be shifted.

use super::equirect::on_the_edge;
use super::{PicturePoint, Projection};
use glam::DVec3;

/// A gnomonic picture on a plane square to the direction of view. A shift moves the frame on that plane, as a
/// shift lens does: upright lines stay upright.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Perspective {
    /// Half the frame's width at distance 1: `tan(hfov / 2)` without shift.
    pub half_width: f64,
    /// Half the frame's height at distance 1.
    pub half_height: f64,
    /// How far the frame is moved to the right, in shares of its width.
    pub shift_x: f64,
    /// How far it is moved up, in shares of its height.
    pub shift_y: f64,
}

impl Perspective {
    /// A frame by its fields of view, radians, without shift.
    pub fn from_fov(hfov: f64, vfov: f64) -> Self {
        Self {
            half_width: (hfov / 2.0).tan(),
            half_height: (vfov / 2.0).tan(),
            shift_x: 0.0,
            shift_y: 0.0,
        }
    }
}

impl Projection for Perspective {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        point.is_inside().then(|| {
            DVec3::new(
                2.0 * (point.u - 0.5 + self.shift_x) * self.half_width,
                2.0 * (0.5 - point.v + self.shift_y) * self.half_height,
                -1.0,
            )
            .normalize()
        })
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let ahead = -direction.z;
        if ahead <= 0.0 {
            return None;
        }
        on_the_edge(PicturePoint {
            u: 0.5 - self.shift_x + direction.x / ahead / (2.0 * self.half_width),
            v: 0.5 + self.shift_y - direction.y / ahead / (2.0 * self.half_height),
        })
    }

    fn ratio(&self) -> f64 {
        self.half_width / self.half_height
    }
}
