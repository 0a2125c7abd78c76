//! Directions as longitude and latitude, and as unit vectors.

use glam::DVec3;

/// A direction relative to a viewpoint's heading: longitude to the right, latitude up, radians.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LonLat {
    /// Longitude, right positive, radians.
    pub lon: f64,
    /// Latitude, up positive, radians, -pi/2 to pi/2.
    pub lat: f64,
}

impl LonLat {
    /// A direction from degrees.
    pub fn from_deg(lon_deg: f64, lat_deg: f64) -> Self {
        Self {
            lon: lon_deg.to_radians(),
            lat: lat_deg.to_radians(),
        }
    }

    /// The unit vector `(cos lat sin lon, sin lat, -cos lat cos lon)`.
    pub fn to_vector(self) -> DVec3 {
        let (sin_lon, cos_lon) = self.lon.sin_cos();
        let (sin_lat, cos_lat) = self.lat.sin_cos();
        DVec3::new(cos_lat * sin_lon, sin_lat, -cos_lat * cos_lon)
    }

    /// Longitude in (-pi, pi] and latitude of a vector of any length.
    ///
    /// At zenith and nadir, where longitude means nothing, it is 0.
    pub fn from_vector(d: DVec3) -> Self {
        let level = d.x.hypot(d.z);
        let lon = if level == 0.0 { 0.0 } else { d.x.atan2(-d.z) };
        Self {
            lon,
            lat: d.y.atan2(level),
        }
    }
}
