//! A picture for while the viewpoint moves: what is there, in its own colours, lit by a lamp beside the eye.
//!
//! It takes one or four rays a pixel and has no noise, so that it comes many times a second; the light of
//! the scene follows as soon as nothing moves.

use crate::accel::TraceRay;
use crate::light::Illumination;
use crate::scene::Scene;
use dome_imaging::Picture;
use dome_optics::{Eye, PicturePoint, PictureSize};
use glam::Vec3;
use rayon::prelude::*;

/// Light that reaches everything, and light of the lamp beside the eye.
const EVEN: f32 = 0.28;
const LAMP: f32 = 0.62;
/// Brightest that anything is shown: glowing things are meant to look so, and no more.
const BRIGHTEST: f32 = 1.6;
/// Most surfaces that a ray passes straight through.
const MAX_PASSED: u32 = 16;

/// The quick picture of what an eye sees; `rays` a side of each pixel.
pub fn picture(
    scene: &Scene,
    light: &Illumination,
    eye: &dyn Eye,
    size: impl Into<PictureSize>,
    rays: u32,
) -> Picture {
    let size: PictureSize = size.into();
    let (width, height) = (size.width(), size.height());
    let rays = rays.clamp(1, 4);
    let samples = (0..width * height)
        .into_par_iter()
        .flat_map_iter(|i| {
            let (x, y) = (i % width, i / width);
            let mut sum = Vec3::ZERO;
            for k in 0..rays * rays {
                let part = |j: u32| (f64::from(j) + 0.5) / f64::from(rays);
                let place = (part(k % rays), part(k / rays));
                let point = PicturePoint::in_pixel(x, y, place, width, height);
                if let Some(ray) = eye.ray(point) {
                    let start = TraceRay::new(ray.origin.as_vec3(), ray.direction.as_vec3());
                    sum += colour(scene, light, start);
                }
            }
            (sum / (rays * rays) as f32).to_array()
        })
        .collect();
    Picture {
        width,
        height,
        samples,
    }
}

fn colour(scene: &Scene, light: &Illumination, mut ray: TraceRay) -> Vec3 {
    let mut left = Vec3::ONE;
    let mut seen = Vec3::ZERO;
    for _ in 0..MAX_PASSED {
        let Some(hit) = scene.hit(&ray) else {
            let sky = light.environment.backdrop(ray.direction);
            return seen + left * sky.clamp(Vec3::ZERO, Vec3::splat(BRIGHTEST));
        };
        let object = scene.object_of(hit.triangle);
        let surface = scene.surface(&hit, &ray, false);
        if !light.is_unseen(object) {
            let facing = surface.shading.dot(ray.direction).abs();
            let glow = surface.emission * light.object_scale(object, -ray.direction);
            // The colour of the material itself: metals have no other, and mirrors would be black.
            let own = surface.gloss.base * (EVEN + LAMP * facing)
                + glow.clamp(Vec3::ZERO, Vec3::splat(BRIGHTEST));
            // Glass and veils show what is behind them, tinted a little.
            let through = if surface.gloss.transmission > 0.0 {
                0.85 * surface.gloss.transmission
            } else {
                1.0 - surface.opacity
            };
            seen += left * own * (1.0 - through);
            left *= through;
            if left.max_element() < 0.02 {
                return seen;
            }
        }
        ray = surface.place.ray(-surface.geometric, ray.direction);
    }
    seen
}
