//! Equirectangular: longitude across, latitude down; the full sphere or a part of it.

use super::{PicturePoint, Projection};
use crate::direction::LonLat;
use crate::neighbourhood::short_way;
use glam::DVec3;
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// `u = 1/2 + lon / 360 degrees`, `v = 1/2 - lat / 180 degrees`; the same mapping as the plate
/// carree (PROJ's `eqc` with equal scales).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Equirect;

impl Projection for Equirect {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        point.is_inside().then(|| {
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
        let d_lat = PI / f64::from(height);
        let middle = PI / 2.0 - (f64::from(row) + 0.5) * d_lat;
        band(middle, d_lat) * TAU / f64::from(width)
    }
}

/// The exact integral of cos lat over a band: `sin lat_top - sin lat_bottom`, written as a product so that
/// rows near the poles keep their digits.
fn band(middle: f64, d_lat: f64) -> f64 {
    2.0 * middle.cos() * (d_lat / 2.0).sin()
}

/// A part of the sphere: so wide and so high about a centre, all in radians. Longitude and latitude keep
/// their meaning; the centre moves the cut-out, it does not turn the sphere.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct EquirectPart {
    /// Extent in longitude, up to 360 degrees.
    pub hfov: f64,
    /// Extent in latitude, up to 180 degrees.
    pub vfov: f64,
    /// Longitude of the middle.
    pub lon: f64,
    /// Latitude of the middle; top and bottom stay between the poles.
    pub lat: f64,
}

impl Projection for EquirectPart {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        point.is_inside().then(|| {
            LonLat {
                lon: self.lon + (point.u - 0.5) * self.hfov,
                // Rounding must not carry it over a pole.
                lat: (self.lat + (0.5 - point.v) * self.vfov).clamp(-FRAC_PI_2, FRAC_PI_2),
            }
            .to_vector()
        })
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let LonLat { lon, lat } = LonLat::from_vector(direction);
        // The short way round from the middle.
        let across = short_way(lon - self.lon);
        let point = PicturePoint {
            u: 0.5 + across / self.hfov,
            v: 0.5 - (lat - self.lat) / self.vfov,
        };
        on_the_edge(point)
    }

    fn ratio(&self) -> f64 {
        self.hfov / self.vfov
    }

    fn solid_angle(&self, _column: u32, row: u32, width: u32, height: u32) -> f64 {
        let d_lat = self.vfov / f64::from(height);
        let middle = self.lat + self.vfov / 2.0 - (f64::from(row) + 0.5) * d_lat;
        band(middle, d_lat) * self.hfov / f64::from(width)
    }
}

/// A point that rounding has put just beyond the edge is on it; one farther out is out of view.
pub(super) fn on_the_edge(point: PicturePoint) -> Option<PicturePoint> {
    const ROUNDING: f64 = 1e-12;
    let near = |v: f64| (-ROUNDING..=1.0 + ROUNDING).contains(&v);
    (near(point.u) && near(point.v)).then(|| PicturePoint {
        u: point.u.clamp(0.0, 1.0),
        v: point.v.clamp(0.0, 1.0),
    })
}
