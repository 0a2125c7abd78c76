//! The light along a ray: unbiased path tracing with lights sampled at every bounce and both ways of
//! finding them weighed against each other (Veach 1997, power heuristic).

use crate::accel::TraceRay;
use crate::bsdf::Bsdf;
use crate::lights::{LightPoint, Receiver};
use crate::sampler::Sampler;
use crate::scene::{Scene, Surface};
use crate::sky::Sky;
use glam::Vec3;

/// Longest path in bounces. Beyond it what is left of the light is less than an 8-bit step in any scene
/// whose surfaces return 70 % or less (0.7^24 = 0.0002); Russian roulette ends most paths long before.
pub const MAX_BOUNCES: u32 = 24;
/// Bounces after which a path may be ended by chance.
const SURE_BOUNCES: u32 = 3;
/// Points on lights that are tried at the first bounces; one each at later ones.
const LIGHT_POINTS: [u32; 2] = [8, 2];

/// Radiance that arrives along a ray.
pub(crate) fn radiance(scene: &Scene, sky: &Sky, mut ray: TraceRay, sampler: &mut Sampler) -> Vec3 {
    let mut light = Vec3::ZERO;
    let mut throughput = Vec3::ONE;
    // Density with which the last bounce chose this direction, and from where; none for the eye.
    let mut last: Option<(f32, Receiver, u32)> = None;
    for bounce in 0..=MAX_BOUNCES {
        let Some(hit) = scene.accel.closest(&ray) else {
            light += throughput * sky.radiance(ray.direction);
            break;
        };
        let surface = scene.surface(&hit, &ray);
        if surface.emission != Vec3::ZERO {
            let weight = last.map_or(1.0, |(pdf, from, budget)| {
                let cosine = surface.geometric.dot(ray.direction).abs().max(1e-6);
                let other =
                    scene.lights.density(hit.triangle, &from, budget) * hit.distance * hit.distance
                        / cosine;
                power_heuristic(pdf, other)
            });
            light += throughput * surface.emission * weight;
        }
        if bounce == MAX_BOUNCES {
            break;
        }
        let frame = Frame::new(surface.shading);
        let bsdf = Bsdf::new(&surface.gloss, frame.local(-ray.direction));
        let budget = LIGHT_POINTS.get(bounce as usize).copied().unwrap_or(1);
        light += throughput * direct(scene, &surface, &frame, &bsdf, budget, sampler);

        let choose = sampler.next_1d();
        let Some(sampled) = bsdf.sample(choose, sampler.next_2d()) else {
            break;
        };
        let direction = frame.world(sampled.wi);
        if direction.dot(surface.geometric) <= 0.0 {
            break;
        }
        throughput *= sampled.weight;
        let survive = sampler.next_1d();
        if bounce >= SURE_BOUNCES {
            let chance = throughput.max_element().min(0.95);
            if survive >= chance {
                break;
            }
            throughput /= chance;
        }
        let start = off_surface(surface.position, surface.geometric);
        last = Some((
            sampled.pdf,
            Receiver {
                position: start,
                normal: surface.geometric,
            },
            budget,
        ));
        ray = TraceRay::new(start, direction);
    }
    light
}

/// Light from chosen points of the lights.
fn direct(
    scene: &Scene,
    surface: &Surface,
    frame: &Frame,
    bsdf: &Bsdf,
    budget: u32,
    sampler: &mut Sampler,
) -> Vec3 {
    let receiver = Receiver {
        position: off_surface(surface.position, surface.geometric),
        normal: surface.geometric,
    };
    let mut light = Vec3::ZERO;
    scene
        .lights
        .sample_many(scene, &receiver, budget, sampler, &mut |point| {
            light += from_point(scene, &receiver, frame, bsdf, &point);
        });
    light
}

/// Light from one point, if nothing stands between.
fn from_point(
    scene: &Scene,
    receiver: &Receiver,
    frame: &Frame,
    bsdf: &Bsdf,
    point: &LightPoint,
) -> Vec3 {
    let offset = point.position - receiver.position;
    let distance = offset.length();
    let direction = offset / distance;
    let cosine = point.normal.dot(direction).abs();
    if !(distance > 0.0 && cosine > 1e-6 && receiver.normal.dot(direction) > 0.0) {
        return Vec3::ZERO;
    }
    let (value, bsdf_pdf) = bsdf.evaluate(frame.local(direction));
    if value == Vec3::ZERO || point.emission == Vec3::ZERO {
        return Vec3::ZERO;
    }
    let shadow = TraceRay {
        origin: receiver.position,
        direction,
        far: distance * (1.0 - 1e-4), // short of the light itself
    };
    if scene.accel.blocked(&shadow) {
        return Vec3::ZERO;
    }
    let pdf = point.density * distance * distance / cosine;
    value * point.emission * (power_heuristic(pdf, bsdf_pdf) / pdf)
}

fn power_heuristic(this: f32, other: f32) -> f32 {
    if !this.is_finite() {
        return 1.0;
    }
    let (a, b) = (this * this, other * other);
    if a + b > 0.0 { a / (a + b) } else { 0.0 }
}

/// A frame whose z is the normal (Duff et al. 2017, JCGT 6(1)).
struct Frame {
    x: Vec3,
    y: Vec3,
    z: Vec3,
}

impl Frame {
    fn new(z: Vec3) -> Self {
        let (x, y) = z.any_orthonormal_pair();
        Self { x, y, z }
    }

    fn local(&self, w: Vec3) -> Vec3 {
        Vec3::new(w.dot(self.x), w.dot(self.y), w.dot(self.z))
    }

    fn world(&self, w: Vec3) -> Vec3 {
        self.x * w.x + self.y * w.y + self.z * w.z
    }
}

/// A start just off the surface, so that a ray does not meet where it comes from: a few units in the
/// last place of the coordinates (Wachter and Binder 2019, Ray Tracing Gems, chapter 6).
fn off_surface(p: Vec3, n: Vec3) -> Vec3 {
    const ORIGIN: f32 = 1.0 / 32.0;
    const FLOAT_SCALE: f32 = 1.0 / 65536.0;
    const INT_SCALE: f32 = 256.0;
    let step = |p: f32, n: f32| {
        if p.abs() < ORIGIN {
            return p + FLOAT_SCALE * n;
        }
        let i = (INT_SCALE * n) as i32;
        f32::from_bits((p.to_bits() as i32).wrapping_add(if p < 0.0 { -i } else { i }) as u32)
    };
    Vec3::new(step(p.x, n.x), step(p.y, n.y), step(p.z, n.z))
}

/// The light of one pixel: the sum of the samples with these numbers, none brighter than `brightest`.
#[allow(clippy::too_many_arguments)] // what a pixel depends on, and nothing else
pub(crate) fn pixel_samples(
    scene: &Scene,
    sky: &Sky,
    eye: &dyn dome_optics::Eye,
    pixel: (u32, u32),
    size: (u32, u32),
    samples: std::ops::Range<u32>,
    seed: u32,
    brightest: f32,
) -> Vec3 {
    let mut sum = Vec3::ZERO;
    for index in samples {
        let mut sampler = Sampler::new(pixel.0, pixel.1, index, seed);
        let (x, y) = sampler.next_2d();
        let point = dome_optics::PicturePoint::in_pixel(
            pixel.0,
            pixel.1,
            (f64::from(x), f64::from(y)),
            size.0,
            size.1,
        );
        if let Some(ray) = eye.ray(point) {
            let ray = TraceRay::new(ray.origin.as_vec3(), ray.direction.as_vec3());
            let value = radiance(scene, sky, ray, &mut sampler);
            // One broken sample must not blacken its pixel.
            if value.is_finite() {
                let excess = value.max_element() / brightest;
                sum += if excess > 1.0 { value / excess } else { value };
            }
        }
    }
    sum
}
