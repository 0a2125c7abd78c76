//! The light along a ray: unbiased path tracing with lights sampled at every bounce and both ways of
//! finding them weighed against each other (Veach 1997, power heuristic).

use crate::accel::TraceRay;
use crate::bsdf::{Answer, Bsdf};
use crate::departure::{Departure, Way, facing};
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
    pub(crate) place: Departure,
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
    pub(crate) finding: LightFinding,
}

/// By which of the two ways light is found. All three give the same picture, with different noise: renders use
/// both, the others are there to check that they agree.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LightFinding {
    /// Both, weighed against each other.
    #[default]
    Both,
    /// Only by choosing points on lights.
    Lights,
    /// Only by following what surfaces scatter.
    Surfaces,
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
            let Some(hit) = scene.hit(&ray) else {
                self.leave(&mut path, ray.direction, last.as_ref());
                break;
            };
            let object = scene.object_of(hit.triangle);
            if path.bounces == 0 && light.any_unseen() && light.is_unseen(object) {
                let spot = scene.spot(hit.triangle, hit.u, hit.v);
                let [a, b, c] = scene.corners(hit.triangle);
                let n = (b - a).cross(c - a).normalize_or_zero();
                let n = facing(n, ray.direction);
                ray = spot.departure().ray(n, ray.direction);
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
                    let d2 = l.from.position.distance_squared(surface.place.position);
                    let density = light.tree.density(hit.triangle, &l.from, l.budget);
                    self.weigh_bounce(l.pdf, density * d2 / cosine)
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
                        ray = surface.place.ray(-surface.geometric, ray.direction);
                        passed += 1;
                        continue;
                    }
                    path.throughput *= surface.opacity / (1.0 - chance);
                }
            }
            if path.light.first.is_none() {
                path.light.first = Some(FirstSight {
                    place: surface.place,
                    geometric: surface.geometric,
                    normal: surface.shading,
                    albedo: path.throughput * surface.gloss.albedo(),
                    roughness: surface.gloss.roughness,
                });
            }
            if path.bounces == MAX_BOUNCES || surface.unlit {
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
            ray = surface.place.ray(side, direction);
            last = Some(Last {
                pdf: answer.pdf,
                from: Receiver {
                    position: ray.origin,
                    normal: receiving_side(&surface, &bsdf),
                },
                budget,
            });
        }
        path.light
    }

    /// The weight of light that was met by following a surface's scattering.
    fn weigh_bounce(&self, bounce: f32, light: f32) -> f32 {
        match self.finding {
            LightFinding::Both => power_heuristic(bounce, light),
            LightFinding::Lights if light > 0.0 && bounce.is_finite() => 0.0,
            LightFinding::Lights | LightFinding::Surfaces => 1.0,
        }
    }

    /// The weight of light that was met by choosing a point on a light.
    fn weigh_light(&self, light: f32, bounce: f32) -> f32 {
        match self.finding {
            LightFinding::Both => power_heuristic(light, bounce),
            LightFinding::Lights => 1.0,
            LightFinding::Surfaces => 0.0,
        }
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
        let weight = self.weigh_bounce(last.pdf, environment.sky_density(direction));
        path.add(sky * weight, path.bounces);
        if let Some((sun, density)) = environment.sun(direction) {
            path.add(sun * self.weigh_bounce(last.pdf, density), path.bounces);
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
            position: surface.place.off(surface.geometric),
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
                let ray = surface
                    .place
                    .ray(facing(surface.geometric, direction), direction);
                let through = self.transmittance(ray, radiance / pdf);
                light.add(&answer, through * self.weigh_light(pdf, answer.pdf));
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
                let ray = surface
                    .place
                    .ray(facing(surface.geometric, direction), direction);
                let through = self.transmittance(ray, irradiance / chance);
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
        let geometric = surface.geometric;
        let way = match sample {
            LightSample::Area { place, normal, .. } => {
                surface.place.way_to_surface(geometric, place, *normal)
            }
            LightSample::Lamp(lamp, ..) => surface.place.way_to(geometric, lamp.position),
        };
        let Some(Way { ray, distance }) = way else {
            return;
        };
        let direction = ray.direction;
        match *sample {
            LightSample::Area {
                place,
                normal,
                emission,
                density,
            } => {
                let cosine = normal.dot(direction).abs();
                if cosine <= 1e-6 || emission == Vec3::ZERO {
                    return;
                }
                let Some(answer) = self.answer(surface, frame, bsdf, direction) else {
                    return;
                };
                let pdf = density * distance * distance / cosine;
                let scale = self
                    .light
                    .object_scale(self.scene.object_of(place.triangle));
                let weight = self.weigh_light(pdf, answer.pdf) / pdf * factor;
                let through = self.transmittance(ray, emission * (scale * weight));
                light.add(&answer, through);
            }
            LightSample::Lamp(lamp, scale, chance) => {
                let irradiance = lamp.irradiance(-direction, distance) * (scale / chance * factor);
                if irradiance == Vec3::ZERO {
                    return;
                }
                if let Some(answer) = self.answer(surface, frame, bsdf, direction) {
                    light.add(&answer, self.transmittance(ray, irradiance));
                }
            }
        }
    }

    /// What is left of some light on its way along the ray to the surface that the ray leaves.
    fn transmittance(&self, mut ray: TraceRay, light: Vec3) -> Vec3 {
        let end = ray;
        if !self.scene.see_through {
            return if self.scene.blocked(&ray) {
                Vec3::ZERO
            } else {
                light
            };
        }
        let mut left = light;
        for _ in 0..MAX_PASSED {
            let Some(hit) = self.scene.hit(&ray) else {
                return left;
            };
            if !self.scene.material_of(hit.triangle).lets_straight_through() {
                return Vec3::ZERO;
            }
            let between = self.scene.surface(&hit, &ray, self.clay);
            left *= between.straight_through(ray.direction);
            if left == Vec3::ZERO {
                return left;
            }
            let on = between.place.off(-between.geometric);
            // Measured from the end, so that it does not move with every surface that is passed.
            let done = (on - end.origin).dot(end.direction);
            ray = end.until(end.far - done).leaving(between.place.triangle);
            ray.origin = on;
        }
        Vec3::ZERO
    }
}

impl Surface<'_> {
    /// What goes straight on through the surface along a direction: its holes, and clear thin walls.
    pub(crate) fn straight_through(&self, direction: Vec3) -> Vec3 {
        if !self.material.lets_straight_through() {
            return Vec3::ZERO;
        }
        let frame = Frame::new(self.shading);
        straight_through(self, &Bsdf::new(&self.gloss, frame.local(-direction)))
    }
}

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
