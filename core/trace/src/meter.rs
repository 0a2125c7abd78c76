//! A light meter: how bright something is and how much light falls on it, which luminance would make a good middle grey, and
//! how bright a picture of surroundings must have been.

use crate::accel::TraceRay;
use crate::integrator::{LightFinding, Tracer};
use crate::light::{Illumination, sun_sky};
use crate::media::Media;
use crate::meeting::GlassLight;
use crate::photometry::white_at;
use crate::preview::{LiveView, Preview};
use crate::sampler::Sampler;
use crate::scene::Scene;
use crate::sky::SunSky;
use dome_imaging::Picture;
use dome_imaging::transfer::luminance;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize, Ray};
use glam::DVec3;
use rayon::prelude::*;
use std::f64::consts::PI;
use std::time::Duration;

/// What a meter reads in one direction.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reading {
    /// Luminance of what is seen, cd/m^2.
    pub luminance_cd_m2: f64,
    /// Light that falls on its side that is seen, lux; nothing in the sky.
    pub illuminance_lx: Option<f64>,
    /// The object that is seen.
    pub object: Option<u32>,
    /// Standard error of both, percent.
    pub error_percent: f64,
}

/// Sets of samples by which a reading tells its own error.
const SETS: u32 = 16;

/// Reads the light along a ray from so many samples: as it is, and with a white plate held flat on what is met.
pub fn read(scene: &Scene, light: &Illumination, ray: &Ray, samples: u32) -> Reading {
    let start = TraceRay::new(ray.origin.as_vec3(), ray.direction.as_vec3());
    let tracer = |plate| Tracer {
        scene,
        light,
        clay: false,
        finding: LightFinding::Both,
        glass: GlassLight::Straight,
        start: Media::at(scene, start.origin),
        plate,
        learned: None,
        notes: None,
    };
    let white = f64::from(light.white_cd_m2);
    // (mean, relative standard error, whether anything but sky was met)
    let mean = |plate: bool| {
        let tracer = tracer(plate);
        let sets: Vec<(f64, bool)> = (0..SETS)
            .into_par_iter()
            .map(|set| {
                let each = samples.div_ceil(SETS);
                let mut sum = 0.0;
                let mut met = false;
                for i in 0..each {
                    let path = tracer.radiance(start, 0.0, &mut Sampler::new(0, set, i, 0));
                    met |= path.first.is_some();
                    if path.beauty.is_finite() {
                        sum += f64::from(luminance(path.beauty.to_array()));
                    }
                }
                (sum / f64::from(each), met)
            })
            .collect();
        let n = f64::from(SETS);
        let mean = sets.iter().map(|s| s.0).sum::<f64>() / n;
        let square = sets.iter().map(|s| (s.0 - mean).powi(2)).sum::<f64>() / (n - 1.0) / n;
        (
            mean * white,
            square.sqrt() / mean.max(1e-30),
            sets.iter().any(|s| s.1),
        )
    };
    let (luminance_cd_m2, error, _) = mean(false);
    let (plate, plate_error, met) = mean(true);
    Reading {
        luminance_cd_m2,
        // A white surface that scatters evenly shows its illuminance over pi.
        illuminance_lx: met.then_some(plate * PI),
        object: met
            .then(|| scene.hit(&start).map(|hit| scene.object_of(hit.triangle)))
            .flatten(),
        error_percent: error.max(if met { plate_error } else { 0.0 }) * 100.0,
    }
}

/// Width of the small picture that is metered, pixels.
const WIDTH: u32 = 64;
/// Samples of each of its pixels.
const SAMPLES: u32 = 16;
/// A pixel counts at least as this share of the mean: black is not infinitely dark.
const DARKEST: f64 = 1e-3;
/// Most times that the light is gathered in another exposure.
const ROUNDS: u32 = 6;

/// The luminance that would make a good middle grey for an eye, cd/m^2: the geometric mean of the whole sphere (Reinhard and
/// others 2002, "Photographic Tone Reproduction", the log-average luminance), which a few lamps or dark corners hardly move.
/// `lit` gives the scene's light for pictures in which a luminance is 1. Nothing where all is black.
pub fn middle_grey<E>(
    scene: &Scene,
    eye: DVec3,
    lit: impl Fn(f32) -> Result<std::sync::Arc<Illumination>, E>,
) -> Result<Option<f64>, E> {
    let Ok(size) = PanoramaSize::from_width(WIDTH) else {
        return Ok(None);
    };
    let mut white = white_at(0.0);
    let mut found = None;
    for _ in 0..ROUNDS {
        let light = lit(white)?;
        let mut preview = Preview::new(size);
        let view = LiveView {
            scene,
            light: &light,
            eye: &MonoEye::new(eye, Orientation::default(), Equirect),
            clay: false,
            glass: GlassLight::Straight,
            kept: None,
        };
        while preview.samples() < SAMPLES {
            preview.refine(&view, Duration::ZERO);
        }
        let Some(grey) = geometric_mean(&preview.picture()) else {
            return Ok(None);
        };
        let grey = grey * f64::from(white);
        found = Some(grey);
        // Live light is held below a few times white, and tells little when it is far darker: look again near it.
        let next = (grey / f64::from(crate::photometry::MIDDLE_GREY)) as f32;
        let moved = (next / white).log2().abs();
        if !next.is_normal() || moved < 1.0 {
            break;
        }
        white = next;
    }
    Ok(found)
}

/// The geometric mean of a sphere's luminance, in the picture's unit.
fn geometric_mean(picture: &Picture) -> Option<f64> {
    let (w, h) = (picture.width as usize, picture.height as usize);
    let weight = |row: usize| (PI * (row as f64 + 0.5) / h as f64).sin();
    let pixels = || {
        (picture.samples.chunks_exact(3).enumerate())
            .map(|(i, p)| (f64::from(luminance([p[0], p[1], p[2]])), weight(i / w)))
    };
    let whole: f64 = pixels().map(|p| p.1).sum();
    let mean = pixels().map(|(l, w)| l * w).sum::<f64>() / whole;
    if !(mean > 0.0 && mean.is_finite()) {
        return None;
    }
    let logs: f64 = pixels().map(|(l, w)| l.max(mean * DARKEST).ln() * w).sum();
    Some((logs / whole).exp())
}

/// A unit for a picture of surroundings, and how it is found.
#[derive(Clone, Debug, PartialEq)]
pub struct PictureUnit {
    /// What 1 in the picture is, cd/m^2.
    pub unit_cd_m2: f64,
    /// Height of the sun in it, degrees, if there is one.
    pub sun_deg: Option<f64>,
    /// Illuminance that it is taken for: of what faces the sun, or of level ground under an overcast sky; lux.
    pub illuminance_lx: f64,
}

/// Illuminance of level ground under an overcast sky, lux (common practice, no source: 10 to 25 klx).
const OVERCAST_LX: f64 = 15_000.0;
/// What is brighter than this share of the brightest pixel may be the sun.
const SUN_SHARE: f64 = 0.1;
/// Widest that a sun is with its glow, steradians: some five degrees across.
const SUN_SIZE: f64 = 0.006;
/// A sun is so many times brighter than the mean of the sphere.
const SUN_CONTRAST: f64 = 300.0;

/// The unit that a picture of the sky speaks for: from its sun, which is as bright as clear air lets it be at its height, else
/// from its light on level ground, taken for an overcast day. Nothing for a black picture.
pub fn picture_unit(picture: &Picture) -> Option<PictureUnit> {
    let (w, h) = (picture.width as usize, picture.height as usize);
    let value = |p: &[f32]| f64::from(luminance([p[0], p[1], p[2]])).max(0.0);
    let brightest = (picture.samples.chunks_exact(3))
        .map(value)
        .fold(0.0, f64::max);
    let step = (PI / h as f64) * (2.0 * PI / w as f64);
    let (mut mean, mut level) = (0.0, 0.0);
    // Of what may be the sun: solid angle, light, direction.
    let (mut size, mut sun, mut towards) = (0.0, 0.0, DVec3::ZERO);
    for (row, line) in picture.samples.chunks_exact(3 * w).enumerate() {
        let theta = PI * (row as f64 + 0.5) / h as f64;
        let area = theta.sin() * step;
        for (column, p) in line.chunks_exact(3).enumerate() {
            let light = value(p) * area;
            mean += light / (4.0 * PI);
            level += light * theta.cos().max(0.0);
            if value(p) >= SUN_SHARE * brightest {
                let lon = ((column as f64 + 0.5) / w as f64 - 0.5) * 2.0 * PI;
                size += area;
                sun += light;
                towards += DVec3::new(
                    theta.sin() * lon.sin(),
                    theta.cos(),
                    -theta.sin() * lon.cos(),
                ) * light;
            }
        }
    }
    if !(mean > 0.0 && mean.is_finite()) {
        return None;
    }
    // Spots in several places are lamps.
    let gathered = towards.length() > 0.999 * sun;
    let elevation_deg = towards
        .normalize_or_zero()
        .y
        .clamp(-1.0, 1.0)
        .asin()
        .to_degrees();
    if size < SUN_SIZE && gathered && brightest > SUN_CONTRAST * mean && elevation_deg > 0.0 {
        let sky = SunSky {
            elevation_deg: elevation_deg as f32,
            ..SunSky::default()
        };
        let true_lx = f64::from(luminance(sun_sky::sun_irradiance(&sky).to_array()))
            * f64::from(white_at(0.0));
        return Some(PictureUnit {
            unit_cd_m2: true_lx / sun,
            sun_deg: Some(elevation_deg),
            illuminance_lx: true_lx,
        });
    }
    Some(PictureUnit {
        unit_cd_m2: OVERCAST_LX / level.max(mean * 1e-3),
        sun_deg: None,
        illuminance_lx: OVERCAST_LX,
    })
}
