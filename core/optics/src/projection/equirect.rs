//! The full sphere, equirectangular: longitude across, latitude down.

use super::{PicturePoint, Projection};
use crate::direction::LonLat;
use glam::DVec3;
use std::f64::consts::{PI, TAU};

/// `u = 1/2 + lon / 360 degrees`, `v = 1/2 - lat / 180 degrees`; the same mapping as the plate
/// carree (PROJ's `eqc` with equal scales).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Equirect;

impl Projection for Equirect {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        let inside = (0.0..=1.0).contains(&point.u) && (0.0..=1.0).contains(&point.v);
        inside.then(|| {
            LonLat {
                lon: (point.u - 0.5) * TAU,
                lat: (0.5 - point.v) * PI,
            }
            .to_vector()
        })
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let LonLat { lon, lat } = LonLat::from_vector(direction);
        Some(PicturePoint {
            u: 0.5 + lon / TAU,
            v: 0.5 - lat / PI,
        })
    }

    fn ratio(&self) -> f64 {
        2.0
    }

    fn solid_angle(&self, _column: u32, row: u32, width: u32, height: u32) -> f64 {
        // The exact integral over the pixel: d_lon * (sin lat_top - sin lat_bottom), written as a
        // product so that rows near the poles keep their digits.
        let d_lat = PI / f64::from(height);
        let middle = PI / 2.0 - (f64::from(row) + 0.5) * d_lat;
        TAU / f64::from(width) * 2.0 * middle.cos() * (d_lat / 2.0).sin()
    }
}
