//! Directions as longitude and latitude, and as unit vectors.

use crate::angle::wrap_heading_deg;
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

/// Heading and pitch of a direction, degrees: the heading is 0 towards -Z and grows clockwise seen from above.
pub fn heading_pitch(d: DVec3) -> (f64, f64) {
    let LonLat { lon, lat } = LonLat::from_vector(d);
    (wrap_heading_deg(lon.to_degrees()), lat.to_degrees())
}

/// The direction of a heading and a pitch in degrees.
pub fn direction(heading_deg: f64, pitch_deg: f64) -> DVec3 {
    LonLat::from_deg(heading_deg, pitch_deg).to_vector()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Handbook conventions: heading 0 is -Z, 90 is +X; pitch is up.
    #[test]
    fn headings_and_pitches_go_there_and_back() {
        for (d, heading, pitch) in [
            (DVec3::NEG_Z, 0.0, 0.0),
            (DVec3::X, 90.0, 0.0),
            (DVec3::Z, 180.0, 0.0),
            (DVec3::NEG_X, 270.0, 0.0),
            (DVec3::Y, 0.0, 90.0),
            (DVec3::new(1.0, -2f64.sqrt(), -1.0), 45.0, -45.0),
        ] {
            let (h, p) = heading_pitch(d * 7.0);
            assert!(
                (h - heading).abs() < 1e-9 && (p - pitch).abs() < 1e-9,
                "{d}: {h}, {p}"
            );
            assert!((direction(h, p) - d.normalize()).length() < 1e-12, "{d}");
        }
    }
}
