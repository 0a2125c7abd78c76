//! Sun and clear sky: the radiance of the sky dome by Hosek and Wilkie (2012, "An Analytic Model for
//! Full Spectral Sky-Dome Radiance", ACM TOG 31(4)), and the sun's own light behind the same air.
//!
//! The model's RGB luminance times 683 lm/W is in cd/m^2. One unit here is [`DAYLIGHT_WHITE_CD_M2`].

use crate::photometry::{DAYLIGHT_WHITE_CD_M2, LUMEN_PER_WATT};
use crate::sky::SunSky;
use dome_imaging::Picture;
use glam::Vec3;
use hw_skymodel::rgb::{Channel, SkyParams, SkyState};
use std::f32::consts::{FRAC_PI_2, PI};

/// One of our units in the model's.
const MODEL_UNITS: f32 = DAYLIGHT_WHITE_CD_M2 / LUMEN_PER_WATT;
/// Illuminance of the sun outside the air, lux (the solar illuminance constant, 128 to 134 klx by author;
/// CIE/IES daylight texts give 128 klx with the visible spectrum of 1991's revision; from memory).
const SUN_OUTSIDE_LX: f32 = 128_000.0;
/// Half the angle of the sun's disc, radians (0.2665 degrees, its mean).
pub const SUN_RADIUS: f32 = 0.004_651;
/// Wavelengths that stand for red, green and blue, micrometres.
const WAVELENGTHS: [f32; 3] = [0.610, 0.550, 0.465];
/// Colour of the sun outside the air, linear sRGB of luminance 1 (a black body of about 5800 K, from memory).
const SUN_COLOUR: [f32; 3] = [1.10, 0.98, 0.90];

/// The direction in which the sun stands.
pub fn direction(sky: &SunSky) -> Vec3 {
    let (h, e) = (sky.heading_deg.to_radians(), sky.elevation_deg.to_radians());
    Vec3::new(e.cos() * h.sin(), e.sin(), -e.cos() * h.cos())
}

/// Irradiance of the sun's disc on a surface that faces it, in our units.
pub fn sun_irradiance(sky: &SunSky) -> Vec3 {
    if !sky.disc || sky.elevation_deg <= -0.833 {
        return Vec3::ZERO; // below the horizon even with refraction
    }
    // Relative air mass (Kasten and Young 1989, Applied Optics 28(22)).
    let e = sky.elevation_deg.max(0.0);
    let mass = 1.0 / (e.to_radians().sin() + 0.50572 * (e + 6.07995).powf(-1.6364));
    // Angstrom's turbidity from the model's (Preetham, Shirley, Smits 1999, appendix).
    let beta = (0.04608 * sky.turbidity - 0.04586).max(0.0);
    let through = WAVELENGTHS.map(|l| {
        let rayleigh = 0.008_735 * l.powf(-4.08);
        let haze = beta * l.powf(-1.3);
        (-(rayleigh + haze) * mass).exp()
    });
    Vec3::from(SUN_COLOUR) * Vec3::from(through) * (SUN_OUTSIDE_LX / DAYLIGHT_WHITE_CD_M2)
}

/// The sky without the sun's disc as a panorama of `width` pixels: the dome above, the lit ground below.
pub fn panorama(sky: &SunSky, width: u32) -> Picture {
    let height = width / 2;
    let mut picture = Picture::black(width, height);
    let sun = direction(sky);
    let elevation = sky.elevation_deg.to_radians().clamp(0.0, FRAC_PI_2);
    let state = SkyState::new(&SkyParams {
        elevation,
        turbidity: sky.turbidity.clamp(1.0, 10.0),
        albedo: sky.ground.map(|g| g.clamp(0.0, 1.0)),
    });
    let Ok(state) = state else { return picture };
    // The model ends at the horizon; below it the sky fades as twilight does, roughly a factor of ten
    // for every three degrees (common practice, no source).
    let dusk = 10f32.powf(sky.elevation_deg.min(0.0) / 3.0);
    let above = Vec3::new(sun.x, sun.y.max(0.0), sun.z).normalize_or(Vec3::Y);
    let mut irradiance = Vec3::ZERO;
    let half = height / 2;
    for row in 0..half {
        let theta = PI * (row as f32 + 0.5) / height as f32;
        let area = theta.sin() * (PI / height as f32) * (2.0 * PI / width as f32);
        for column in 0..width {
            let lon = ((column as f32 + 0.5) / width as f32 - 0.5) * 2.0 * PI;
            let d = Vec3::new(
                theta.sin() * lon.sin(),
                theta.cos(),
                -theta.sin() * lon.cos(),
            );
            let gamma = d.dot(above).clamp(-1.0, 1.0).acos();
            let value = Vec3::new(
                state.radiance(theta, gamma, Channel::R),
                state.radiance(theta, gamma, Channel::G),
                state.radiance(theta, gamma, Channel::B),
            )
            .max(Vec3::ZERO)
                * (dusk / MODEL_UNITS);
            irradiance += value * (theta.cos() * area);
            put(&mut picture, column, row, value);
        }
    }
    irradiance += sun_irradiance(sky) * sun.y.max(0.0);
    let ground = Vec3::from(sky.ground) * irradiance / PI;
    for row in half..height {
        for column in 0..width {
            put(&mut picture, column, row, ground);
        }
    }
    picture
}

fn put(picture: &mut Picture, column: u32, row: u32, value: Vec3) {
    let at = (row as usize * picture.width as usize + column as usize) * 3;
    picture.samples[at..at + 3].copy_from_slice(&value.to_array());
}
