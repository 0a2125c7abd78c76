//! The light along a ray: unbiased path tracing with lights sampled at every bounce and both ways of
//! finding them weighed against each other (Veach 1997, power heuristic).

use crate::accel::TraceRay;
use crate::bsdf::{Answer, Bsdf};
use crate::light::{Illumination, LightSample, Receiver};
use crate::sampler::Sampler;
use crate::scene::Scene;
use crate::surface::{Frame, Surface};
use glam::Vec3;

/// Longest path in bounces. Beyond it what is left of the light is less than an 8-bit step in any scene
/// whose surfaces return 70 % or less (0.7^24 = 0.0002); Russian roulette ends most paths long before.
pub const MAX_BOUNCES: u32 = 24;
/// Bounces after which a path may be ended by chance.
const SURE_BOUNCES: u32 = 3;
/// Points on lights that are tried at the first bounces; one each at later ones. Each is the best of a few
/// candidates, which told more for its time in the observatory than more points did.
const LIGHT_POINTS: [u32; 2] = [2, 1];
/// Most surfaces that a ray passes straight through between two bounces.
const MAX_PASSED: u32 = 128;

/// Light along one path, by where it comes from.
#[derive(Clone, Copy, Default)]
pub(crate) struct PathLight {
    /// All of it.
    pub(crate) beauty: Vec3,
    /// Seen at its source, surroundings included.
    pub(crate) emission: Vec3,
    /// Scattered evenly by the first surface.
    pub(crate) diffuse: Vec3,
    /// Scattered at most once.
    pub(crate) direct: Vec3,
    /// How much stands before the sky: 0 nothing, 1 solid.
    pub(crate) alpha: f32,
    /// What the eye saw first.
    pub(crate) first: Option<FirstSight>,
}

/// What the eye saw first.
#[derive(Clone, Copy)]
pub(crate) struct FirstSight {
    pub(crate) position: Vec3,
    pub(crate) geometric: Vec3,
    pub(crate) normal: Vec3,
    pub(crate) albedo: Vec3,
    pub(crate) roughness: f32,
}

/// What is being traced.
#[derive(Clone, Copy)]
pub(crate) struct Tracer<'a> {
    pub(crate) scene: &'a Scene,
    pub(crate) light: &'a Illumination,
    pub(crate) clay: bool,
}

/// Where a path stands.
struct Path {
    light: PathLight,
    throughput: Vec3,
    /// Bounces so far.
    bounces: u32,
    /// Share of the first bounce that was even scattering.
    even: Vec3,
}

impl Path {
    /// Adds light that was met after `bounces` bounces.
    fn add(&mut self, light: Vec3, bounces: u32) {
        let light = light * self.throughput;
        self.light.beauty += light;
        if bounces == 0 {
            self.light.emission += light;
        } else {
            self.light.diffuse += light * self.even;
        }
        if bounces <= 1 {
            self.light.direct += light;
        }
    }

    /// Adds light that a surface scatters towards the eye.
    fn add_scattered(&mut self, answer: &Scattered) {
        if self.bounces == 0 {
            let light = self.throughput * (answer.diffuse + answer.specular);
            self.light.beauty += light;
            self.light.direct += light;
            self.light.diffuse += self.throughput * answer.diffuse;
        } else {
            self.add(answer.diffuse + answer.specular, self.bounces + 1);
        }
    }
}

/// Light from chosen lights after one scattering.
#[derive(Default)]
struct Scattered {
    diffuse: Vec3,
    specular: Vec3,
}

impl Scattered {
    fn add(&mut self, answer: &Answer, light: Vec3) {
        self.diffuse += answer.diffuse * light;
        self.specular += answer.specular * light;
    }
}

/// The last bounce: the density with which it chose its direction, and from where.
struct Last {
    pdf: f32,
    from: Receiver,
    budget: u32,
}

impl Tracer<'_> {
    /// Light that arrives along a ray.
    pub(crate) fn radiance(&self, mut ray: TraceRay, sampler: &mut Sampler) -> PathLight {
        let (scene, light) = (self.scene, self.light);
        let mut path = Path {
            light: PathLight {
                alpha: 1.0,
                ..PathLight::default()
            },
            throughput: Vec3::ONE,
            bounces: 0,
            even: Vec3::ZERO,
        };
        let mut last: Option<Last> = None;
        let mut passed = 0;
        // Absorption per metre of the body that the path is in.
        let mut absorption: Option<Vec3> = None;
        while passed <= MAX_PASSED {
            let Some(hit) = scene.accel.closest(&ray) else {
                self.leave(&mut path, ray.direction, last.as_ref());
                break;
            };
            let object = scene.object_of(hit.triangle);
            if path.bounces == 0 && light.any_unseen() && light.is_unseen(object) {
                let spot = scene.spot(hit.triangle, hit.u, hit.v);
                let [a, b, c] = scene.corners(hit.triangle);
                let n = (b - a).cross(c - a).normalize_or_zero();
                let n = if n.dot(ray.direction) < 0.0 { -n } else { n };
                ray.origin = off_surface(spot.position(), n);
                passed += 1;
                continue;
            }
            if let Some(sigma) = absorption {
                path.throughput *= (-sigma * hit.distance).exp();
            }
            let surface = scene.surface(&hit, &ray, self.clay);
            let emission = surface.emission * light.object_scale(object);
            if emission != Vec3::ZERO && surface.opacity > 0.0 {
                let weight = last.as_ref().map_or(1.0, |l| {
                    let cosine = surface.geometric.dot(ray.direction).abs().max(1e-6);
                    let d2 = l.from.position.distance_squared(surface.position);
                    let density = light.tree.density(hit.triangle, &l.from, l.budget);
                    power_heuristic(l.pdf, density * d2 / cosine)
                });
                path.add(emission * (weight * surface.opacity), path.bounces);
            }
            let frame = Frame::new(surface.shading);
            let bsdf = Bsdf::new(&surface.gloss, frame.local(-ray.direction));
            if surface.material.lets_straight_through() {
                let straight = straight_through(&surface, &bsdf);
                let chance = straight.max_element().min(1.0);
                if chance > 0.0 {
                    if sampler.next_1d() < chance {
                        path.throughput *= straight / chance;
                        ray.origin = off_surface(surface.position, -surface.geometric);
                        passed += 1;
                        continue;
                    }
                    path.throughput *= surface.opacity / (1.0 - chance);
                }
            }
            if path.light.first.is_none() {
                path.light.first = Some(FirstSight {
                    position: surface.position,
                    geometric: surface.geometric,
                    normal: surface.shading,
                    albedo: path.throughput * surface.gloss.albedo(),
                    roughness: surface.gloss.roughness,
                });
            }
            if path.bounces == MAX_BOUNCES || surface.material.unlit {
                break;
            }
            let budget = LIGHT_POINTS
                .get(path.bounces as usize)
                .copied()
                .unwrap_or(1);
            let scattered = self.direct(&surface, &frame, &bsdf, budget, sampler);
            path.add_scattered(&scattered);

            let choose = sampler.next_1d();
            let Some(sampled) = bsdf.sample(choose, sampler.next_2d()) else {
                break;
            };
            let direction = frame.world(sampled.wi);
            let above = sampled.wi.z > 0.0;
            if (direction.dot(surface.geometric) > 0.0) != above {
                break;
            }
            let answer = &sampled.answer;
            let whole = answer.diffuse + answer.specular;
            if path.bounces == 0 {
                path.even = Vec3::select(
                    whole.cmpgt(Vec3::ZERO),
                    answer.diffuse / whole.max(Vec3::splat(1e-30)),
                    Vec3::ZERO,
                );
            }
            path.throughput *= whole / answer.pdf;
            path.bounces += 1;
            passed = 0;
            let survive = sampler.next_1d();
            if path.bounces > SURE_BOUNCES {
                let chance = path.throughput.max_element().min(0.95);
                if survive >= chance {
                    break;
                }
                path.throughput /= chance;
            }
            let mut side = surface.geometric;
            if !above {
                side = -side;
                if bsdf.bends() {
                    absorption = if surface.gloss.inside {
                        None
                    } else {
                        surface.material.volume.map(|v| {
                            // The colour after the distance (Beer and Lambert).
                            -Vec3::from(v.colour).max(Vec3::splat(1e-4)).map(f32::ln)
                                / v.distance.max(1e-9)
                        })
                    };
                }
            }
            let start = off_surface(surface.position, side);
            last = Some(Last {
                pdf: answer.pdf,
                from: Receiver {
                    position: start,
                    normal: receiving_side(&surface, &bsdf),
                },
                budget,
            });
            ray = TraceRay::new(start, direction);
        }
        path.light
    }

    /// The path ends in the surroundings.
    fn leave(&self, path: &mut Path, direction: Vec3, last: Option<&Last>) {
        let environment = &self.light.environment;
        let Some(last) = last else {
            path.light.alpha = 1.0 - (path.throughput.element_sum() / 3.0).clamp(0.0, 1.0);
            if !environment.transparent {
                path.add(environment.backdrop(direction), 0);
            }
            return;
        };
        let sky = environment.light(direction);
        let weight = power_heuristic(last.pdf, environment.sky_density(direction));
        path.add(sky * weight, path.bounces);
        if let Some((sun, density)) = environment.sun(direction) {
            path.add(sun * power_heuristic(last.pdf, density), path.bounces);
        }
    }

    /// Light from chosen lights.
    fn direct(
        &self,
        surface: &Surface,
        frame: &Frame,
        bsdf: &Bsdf,
        budget: u32,
        sampler: &mut Sampler,
    ) -> Scattered {
        let mut light = Scattered::default();
        let normal = receiving_side(surface, bsdf);
        let receiver = Receiver {
            position: off_surface(surface.position, surface.geometric),
            normal,
        };
        self.light.tree.sample_many(
            self.scene,
            &receiver,
            budget,
            sampler,
            &mut |sample, factor| {
                self.add_sample(surface, frame, bsdf, &sample, factor, &mut light);
            },
        );
        // Light from without end: the sky, the sun, directional lamps; one ray each.
        let far = |direction: Vec3, radiance: Vec3, pdf: f32, light: &mut Scattered| {
            let answer = self.answer(surface, frame, bsdf, direction);
            if let Some(answer) = answer {
                let through = self.transmittance(surface, direction, f32::INFINITY, radiance / pdf);
                light.add(&answer, through * power_heuristic(pdf, answer.pdf));
            }
        };
        let environment = &self.light.environment;
        if let Some(s) = environment.sample_sky_with(|| sampler.next_2d()) {
            far(s.direction, s.radiance, s.pdf, &mut light);
        }
        if let Some(s) = environment.sample_sun_with(|| sampler.next_2d()) {
            far(s.direction, s.radiance, s.pdf, &mut light);
        }
        let directional = &self.light.directional;
        if !directional.is_empty() {
            let x = sampler.next_1d();
            let i = directional
                .partition_point(|d| d.2 <= x)
                .min(directional.len() - 1);
            let (direction, irradiance, to) = directional[i];
            let chance = to - if i > 0 { directional[i - 1].2 } else { 0.0 };
            if let Some(answer) = self.answer(surface, frame, bsdf, direction) {
                let through =
                    self.transmittance(surface, direction, f32::INFINITY, irradiance / chance);
                light.add(&answer, through);
            }
        }
        light
    }

    /// The surface's answer to light from a direction, if there is any.
    fn answer(
        &self,
        surface: &Surface,
        frame: &Frame,
        bsdf: &Bsdf,
        direction: Vec3,
    ) -> Option<Answer> {
        let wi = frame.local(direction);
        if (direction.dot(surface.geometric) > 0.0) != (wi.z > 0.0) {
            return None;
        }
        let answer = bsdf.evaluate(wi);
        (answer.diffuse + answer.specular != Vec3::ZERO).then_some(answer)
    }

    /// Light from one piece of a light, as far as nothing stands between.
    #[allow(clippy::too_many_arguments)] // what the light depends on
    fn add_sample(
        &self,
        surface: &Surface,
        frame: &Frame,
        bsdf: &Bsdf,
        sample: &LightSample,
        factor: f32,
        light: &mut Scattered,
    ) {
        let target = match sample {
            LightSample::Area { position, .. } => *position,
            LightSample::Lamp(lamp, ..) => lamp.position,
        };
        let offset = target - surface.position;
        let distance = offset.length();
        if distance.is_nan() || distance <= 0.0 {
            return;
        }
        let direction = offset / distance;
        match *sample {
            LightSample::Area {
                triangle,
                normal,
                emission,
                density,
                ..
            } => {
                let cosine = normal.dot(direction).abs();
                if cosine <= 1e-6 || emission == Vec3::ZERO {
                    return;
                }
                let Some(answer) = self.answer(surface, frame, bsdf, direction) else {
                    return;
                };
                let pdf = density * distance * distance / cosine;
                let scale = self.light.object_scale(self.scene.object_of(triangle));
                let weight = power_heuristic(pdf, answer.pdf) / pdf * factor;
                let end = distance * (1.0 - 1e-4); // short of the light itself
                let through =
                    self.transmittance(surface, direction, end, emission * (scale * weight));
                light.add(&answer, through);
            }
            LightSample::Lamp(lamp, scale, chance) => {
                let irradiance = lamp.irradiance(-direction, distance) * (scale / chance * factor);
                if irradiance == Vec3::ZERO {
                    return;
                }
                if let Some(answer) = self.answer(surface, frame, bsdf, direction) {
                    light.add(
                        &answer,
                        self.transmittance(surface, direction, distance, irradiance),
                    );
                }
            }
        }
    }

    /// What is left of some light on its way to the surface.
    fn transmittance(&self, surface: &Surface, direction: Vec3, far: f32, light: Vec3) -> Vec3 {
        let side = if direction.dot(surface.geometric) > 0.0 {
            surface.geometric
        } else {
            -surface.geometric
        };
        let mut ray = TraceRay {
            origin: off_surface(surface.position, side),
            direction,
            far,
        };
        if !self.scene.see_through {
            return if self.scene.accel.blocked(&ray) {
                Vec3::ZERO
            } else {
                light
            };
        }
        let mut left = light;
        for _ in 0..MAX_PASSED {
            let Some(hit) = self.scene.accel.closest(&ray) else {
                return left;
            };
            if !self.scene.material_of(hit.triangle).lets_straight_through() {
                return Vec3::ZERO;
            }
            let between = self.scene.surface(&hit, &ray, self.clay);
            let frame = Frame::new(between.shading);
            let bsdf = Bsdf::new(&between.gloss, frame.local(-direction));
            left *= straight_through(&between, &bsdf);
            if left == Vec3::ZERO {
                return left;
            }
            ray.origin = off_surface(between.position, -between.geometric);
            ray.far -= hit.distance;
        }
        Vec3::ZERO
    }
}

/// What goes straight on through a surface: its holes, and clear thin walls.
fn straight_through(surface: &Surface, bsdf: &Bsdf) -> Vec3 {
    Vec3::splat(1.0 - surface.opacity) + bsdf.straight() * surface.opacity
}

/// The side that a surface takes light from, or `None` for both.
fn receiving_side(surface: &Surface, bsdf: &Bsdf) -> Option<Vec3> {
    (!bsdf.takes_from_below()).then_some(surface.geometric)
}

fn power_heuristic(this: f32, other: f32) -> f32 {
    if !this.is_finite() {
        return 1.0;
    }
    let (a, b) = (this * this, other * other);
    if b.is_infinite() {
        return 0.0;
    }
    if a.is_infinite() {
        return 1.0;
    }
    if a + b > 0.0 { a / (a + b) } else { 0.0 }
}

/// A start just off the surface, so that a ray does not meet where it comes from: a few units in the
/// last place of the coordinates (Wachter and Binder 2019, Ray Tracing Gems, chapter 6).
pub(crate) fn off_surface(p: Vec3, n: Vec3) -> Vec3 {
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
