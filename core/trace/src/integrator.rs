//! The light along a ray: unbiased path tracing with lights sampled at every bounce and both ways of
//! finding them weighed against each other (Veach 1997, power heuristic).

use crate::accel::TraceRay;
use crate::bsdf::{Bsdf, Sampled};
use crate::departure::{Way, facing};
use crate::learned::{Learned, Notes};
use crate::light::{Illumination, LightSample, Receiver};
use crate::media::Media;
use crate::meeting::{GlassLight, Meeting};
use crate::path::{FirstSight, Known, Last, Leg, Path, PathLight, Scattered};
use crate::sampler::Sampler;
use crate::scene::Scene;
use crate::surface::Frame;
use glam::Vec3;

/// Longest path in bounces. Beyond it what is left of the light is less than an 8-bit step in any scene
/// whose surfaces return 70 % or less (0.7^24 = 0.0002); Russian roulette ends most paths long before.
pub const MAX_BOUNCES: u32 = 24;
/// Points on lights that are tried at the first bounces; one each at later ones. Each is the best of a few
/// candidates, which told more for its time in the observatory than more points did.
const LIGHT_POINTS: [u32; 2] = [2, 1];
/// Most paths that go on from what the eye sees.
pub(crate) const BRANCHES: usize = 4;
/// How many go on where there are no lamps and nothing was learned. In the open nearly all noise is that of light scattered twice, and
/// most of the time goes into what leads to it: they share what was found of the first surface.
const OPEN_BRANCHES: usize = 2;
/// Most surfaces that a ray passes straight through between two bounces.
pub(crate) const MAX_PASSED: u32 = 128;

/// What is being traced.
#[derive(Clone, Copy)]
pub(crate) struct Tracer<'a> {
    pub(crate) scene: &'a Scene,
    pub(crate) light: &'a Illumination,
    pub(crate) clay: bool,
    pub(crate) finding: LightFinding,
    /// How light of lamps and sky comes through bodies of glass.
    pub(crate) glass: GlassLight,
    /// Where the eye is.
    pub(crate) start: Media<'a>,
    /// Whether a white plate is held flat on what is seen first.
    pub(crate) plate: bool,
    /// What was learned of the light, if it was.
    pub(crate) learned: Option<&'a Learned>,
    /// Where it is noted for learning.
    pub(crate) notes: Option<&'a Notes>,
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

impl<'a> Tracer<'a> {
    /// Light that arrives along a ray.
    /// At the start the ray grows wider by `spread`, radians.
    pub(crate) fn radiance(&self, ray: TraceRay, spread: f32, sampler: &mut Sampler) -> PathLight {
        let path = Path {
            light: PathLight {
                alpha: 1.0,
                ..PathLight::default()
            },
            throughput: Vec3::ONE,
            bounces: 0,
            even: Vec3::ZERO,
            clear: true,
            width: 0.0,
            spread,
            goal: 0.0,
        };
        let begun = Leg {
            path,
            ray,
            media: self.start,
            last: None,
        };
        let mut branches: [Option<(Leg, Sampler)>; BRANCHES - 1] = [const { None }; BRANCHES - 1];
        let mut light = self.follow(begun, sampler, &mut branches);
        for branch in &mut branches {
            if let Some((mut leg, mut sampler)) = branch.take() {
                leg.path.light = light;
                light = self.follow(leg, &mut sampler, &mut []);
            }
        }
        light
    }

    /// Follows a path to its end and gives its light; other paths that go on from its first surface are put into `branches`.
    fn follow(
        &self,
        leg: Leg<'a>,
        sampler: &mut Sampler,
        branches: &mut [Option<(Leg<'a>, Sampler)>],
    ) -> PathLight {
        let (scene, light) = (self.scene, self.light);
        let Leg {
            mut path,
            mut ray,
            mut media,
            mut last,
        } = leg;
        let mut passed = 0;
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
            path.throughput *= media.left_after(hit.distance);
            path.width += path.spread * hit.distance;
            let arrival = scene.arrival(&hit, &ray, path.width);
            let cell =
                (self.learned).and_then(|l| l.cell(arrival.place.position, arrival.geometric));
            let ends = |path: &mut Path, sampler: &mut Sampler| {
                self.learned.is_some() && !path.survives(cell, sampler)
            };
            // Where nothing but scattered light is to be had, a path may end before it is asked what is there.
            let early = path.bounces > 0 && path.bounces < MAX_BOUNCES && arrival.only_scatters();
            if early && ends(&mut path, sampler) {
                break;
            }
            let mut surface = arrival.surface(self.clay);
            let body = surface.material.is_body();
            if body && media.hides(surface.material, surface.gloss.inside) {
                media = media.crossed(surface.material, true);
                ray = surface.place.ray(-surface.geometric, ray.direction);
                passed += 1;
                continue;
            }
            if body {
                self.settle(&mut surface, &media, !path.clear);
            }
            if self.plate && path.bounces == 0 {
                surface.become_plate();
                // The light on the plate, not what comes of it to the eye.
                path.throughput = Vec3::ONE;
            }
            let emission = surface.emission * light.object_scale(object, -ray.direction);
            if emission != Vec3::ZERO && surface.opacity > 0.0 {
                let weight = last.as_ref().map_or(1.0, |l| {
                    let cosine = surface.geometric.dot(ray.direction).abs().max(1e-6);
                    let d2 = l.from.position.distance_squared(surface.place.position);
                    let seen = (d2, cosine);
                    self.weigh_bounce(l.pdf, self.light_density(hit.triangle, l, seen))
                });
                let kept = weight * surface.opacity * self.given(&media, !path.clear);
                path.add(emission * kept, path.bounces);
            }
            let frame = Frame::new(surface.shading);
            let bsdf = Bsdf::new(&surface.gloss, frame.local(-ray.direction));
            if surface.material.is_see_through() {
                let straight = surface.straight_share(&bsdf);
                let chance = straight.max_element().min(1.0);
                if chance > 0.0 {
                    if sampler.next_1d() < chance {
                        path.throughput *= straight / chance;
                        if body {
                            media = media.crossed(surface.material, surface.gloss.inside);
                        }
                        ray = surface.place.ray(-surface.geometric, ray.direction);
                        passed += 1;
                        continue;
                    }
                    path.throughput *= surface.opacity / (1.0 - chance);
                }
            }
            // What the eye sees tells of its rounded place; where a path may end first, asking for it waits.
            if path.bounces == 0 && !self.plate {
                arrival.round(scene, &mut surface);
            }
            if path.light.first.is_none() {
                path.light.first = Some(FirstSight {
                    place: surface.scatters_at,
                    geometric: surface.side,
                    normal: surface.shading,
                    albedo: path.throughput * surface.gloss.albedo(),
                    roughness: surface.gloss.roughness,
                });
            }
            if path.bounces == MAX_BOUNCES || surface.unlit {
                break;
            }
            let known = self.known(cell, path.bounces);
            if let Some(notes) = self.notes {
                let (place, normal) = (surface.place.position, surface.geometric);
                notes.arrive(place, normal, path.throughput, path.light.beauty);
            }
            if !early && ends(&mut path, sampler) {
                break;
            }
            if path.bounces > 0 {
                arrival.round(scene, &mut surface);
            }
            let budget = LIGHT_POINTS
                .get(path.bounces as usize)
                .copied()
                .unwrap_or(1);
            let ways = match path.bounces {
                0 => self.branches(&known, &bsdf).min(1 + branches.len()),
                _ => 1,
            };
            let meeting = Meeting {
                ways,
                surface: &surface,
                frame: &frame,
                bsdf: &bsdf,
                clear: path.clear,
                media: &media,
                guide: self.guide(&known, &bsdf),
            };
            let scattered = self.direct(&meeting, budget, &known, sampler);
            path.add_scattered(&scattered);

            let on = |path: &Path, sampled: &Sampled| {
                let lights = (budget, known, surface.receiving_side(&bsdf), ways);
                Leg::new(*path, media, (&surface, &frame), sampled, lights)
            };
            if ways > 1 {
                path.throughput /= ways as f32;
                for (way, branch) in (1..ways as u32).zip(&mut *branches) {
                    let mut own = sampler.way(way, ways as u32);
                    *branch = meeting.bounce(&mut own).map(|s| (on(&path, &s), own));
                }
                *sampler = sampler.way(0, ways as u32);
            }
            let Some(sampled) = meeting.bounce(sampler) else {
                break;
            };
            let leg = on(&path, &sampled);
            if let Some(notes) = self.notes {
                let chosen = (sampled.wi.z, sampled.answer.pdf);
                let (throughput, gathered) = (leg.path.throughput, path.light.beauty);
                notes.leave(leg.ray.direction, chosen, throughput, gathered);
            }
            Leg {
                path,
                ray,
                media,
                last,
            } = leg;
            passed = 0;
            if self.learned.is_none() && !path.goes_on(sampler.next_1d()) {
                break;
            }
        }
        path.light
    }

    /// How many paths go on from a surface that the eye sees, at most [`BRANCHES`]. Where nothing was learned and lamps are, choosing
    /// among them costs most and tells most; and what is noted is noted of one path at a time. What mirrors gives all of them the same way.
    fn branches(&self, known: &Known, bsdf: &Bsdf) -> usize {
        if self.notes.is_some() || bsdf.even_share() <= 0.5 {
            return 1;
        }
        match known.cell {
            Some(cell) => usize::from(cell.branches),
            None if self.learned.is_none() && self.light.tree.is_empty() => OPEN_BRANCHES,
            None => 1,
        }
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
        let (sky, density) = self.sky_from(direction, &last.known);
        let weight = self.weigh_bounce(last.pdf, density);
        path.add(sky * weight, path.bounces);
        if let Some((sun, density)) = environment.sun(direction) {
            let weight = self.weigh_bounce(last.pdf, density * last.known.sun);
            path.add(sun * weight, path.bounces);
        }
    }

    /// Light from chosen lights.
    fn direct(
        &self,
        meeting: &Meeting,
        budget: u32,
        known: &Known,
        sampler: &mut Sampler,
    ) -> Scattered {
        let Meeting { surface, bsdf, .. } = *meeting;
        let mut light = Scattered::default();
        let normal = surface.receiving_side(bsdf);
        let receiver = Receiver {
            position: surface.scatters_at.off(surface.side),
            normal,
        };
        let tree = &self.light.tree;
        // The densities of learned choices are those of one point.
        let count = self.chances(known).map_or(1.0, |_| budget as f32);
        let mut found = |sample: LightSample, factor: f32| {
            let gave = self.add_sample(meeting, &sample, (factor, count), &mut light);
            if let (Some(notes), Some(gave)) = (self.notes, gave) {
                notes.light(self.light, &sample, gave * budget as f32);
            }
        };
        match self.chances(known) {
            Some(by) => tree.sample_by(by, self.lit(), &receiver, budget, sampler, &mut found),
            None => tree.sample_many(self.lit(), &receiver, budget, sampler, &mut found),
        }
        // Light from without end: the sky, the sun, directional lamps; one ray each.
        let far = |direction: Vec3, radiance: Vec3, pdf: f32, light: &mut Scattered| {
            let answer = meeting.answer(direction)?;
            let ray = surface.leave(direction);
            let through = self.transmittance(meeting, &answer, ray, radiance / pdf);
            let weight = self.weigh_light(pdf, answer.pdf * meeting.ways as f32);
            light.add(&answer, through * weight);
            Some(through * (answer.diffuse + answer.specular))
        };
        if let Some((direction, radiance, pdf)) = self.choose_sky(known, sampler) {
            let gave = far(direction, radiance, pdf, &mut light);
            if let (Some(notes), Some(gave)) = (self.notes, gave) {
                notes.sky(direction, gave);
            }
        }
        let environment = &self.light.environment;
        if (known.sun >= 1.0 || sampler.next_1d() < known.sun)
            && let Some(s) = environment.sample_sun_with(|| sampler.next_2d())
        {
            let gave = far(s.direction, s.radiance, s.pdf * known.sun, &mut light);
            if let (Some(notes), Some(gave)) = (self.notes, gave) {
                notes.sun(gave != Vec3::ZERO);
            }
        }
        let directional = &self.light.directional;
        if !directional.is_empty() {
            let x = sampler.next_1d();
            let i = directional
                .partition_point(|d| d.2 <= x)
                .min(directional.len() - 1);
            let (direction, irradiance, to) = directional[i];
            let chance = to - if i > 0 { directional[i - 1].2 } else { 0.0 };
            if let Some(answer) = meeting.answer(direction) {
                let ray = surface.leave(direction);
                let through = self.transmittance(meeting, &answer, ray, irradiance / chance);
                light.add(&answer, through);
            }
        }
        light
    }

    /// Light from one piece of a light, as far as nothing stands between; what the surface scatters of it, if that was asked.
    fn add_sample(
        &self,
        meeting: &Meeting,
        sample: &LightSample,
        (factor, count): (f32, f32),
        light: &mut Scattered,
    ) -> Option<Vec3> {
        let surface = meeting.surface;
        let (from, side) = (&surface.scatters_at, surface.side);
        let way = match sample {
            LightSample::Area { area, .. } => {
                let place = self.scene.spot(area.triangle, area.at.0, area.at.1);
                from.way_to_surface(side, &place.departure(), area.normal)
            }
            LightSample::Lamp { lamp, .. } => from.way_to(side, lamp.position),
        };
        let Way { ray, distance } = way?;
        let direction = ray.direction;
        match *sample {
            LightSample::Area { ref area, .. } => {
                let (emission, pdf) = (area.emission, area.pdf);
                let cosine = area.normal.dot(direction).abs();
                if cosine <= 1e-6 || emission == Vec3::ZERO {
                    return None;
                }
                let answer = meeting.answer(direction)?;
                let bounce = answer.pdf * meeting.ways as f32;
                let weight = self.weigh_light(pdf * count, bounce) / pdf * factor;
                let through = self.transmittance(meeting, &answer, ray, emission * weight);
                light.add(&answer, through);
                Some(through * (answer.diffuse + answer.specular))
            }
            LightSample::Lamp {
                lamp,
                scale,
                chance,
                ..
            } => {
                let irradiance = lamp.irradiance(-direction, distance) * (scale / chance * factor);
                if irradiance == Vec3::ZERO {
                    return None;
                }
                let answer = meeting.answer(direction)?;
                let through = self.transmittance(meeting, &answer, ray, irradiance);
                light.add(&answer, through);
                Some(through * (answer.diffuse + answer.specular))
            }
        }
    }
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
