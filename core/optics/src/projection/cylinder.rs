//! Cylinder: longitude across, the tangent of latitude down.

use super::equirect::on_the_edge;
use super::{PicturePoint, Projection};
use crate::direction::LonLat;
use crate::neighbourhood::short_way;
use glam::DVec3;

/// `u = 1/2 + lon / hfov`, `v = 1/2 - tan lat / (2 tan(vfov / 2))`: a central cylindrical picture. Upright
/// lines stay straight.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cylinder {
    /// Extent in longitude, radians, up to 360 degrees.
    pub hfov: f64,
    /// Extent in latitude, radians, below 180 degrees; half of it above the horizon.
    pub vfov: f64,
}

impl Cylinder {
    fn rise(&self) -> f64 {
        (self.vfov / 2.0).tan()
    }
}

impl Projection for Cylinder {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        point.is_inside().then(|| {
            LonLat {
                lon: (point.u - 0.5) * self.hfov,
                lat: ((1.0 - 2.0 * point.v) * self.rise()).atan(),
            }
            .to_vector()
        })
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let level = direction.x.hypot(direction.z);
        if level == 0.0 {
            return None;
        }
        let lon = LonLat::from_vector(direction).lon;
        on_the_edge(PicturePoint {
            u: 0.5 + short_way(lon) / self.hfov,
            v: 0.5 - direction.y / level / (2.0 * self.rise()),
        })
    }

    fn ratio(&self) -> f64 {
        self.hfov / (2.0 * self.rise())
    }

    fn solid_angle(&self, _column: u32, row: u32, width: u32, height: u32) -> f64 {
        // sin(atan h) between the pixel's upper and lower edge.
        let sine = |edge: u32| {
            let h = (1.0 - 2.0 * f64::from(edge) / f64::from(height)) * self.rise();
            h / h.hypot(1.0)
        };
        self.hfov / f64::from(width) * (sine(row) - sine(row + 1))
    }
}
