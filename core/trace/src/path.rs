//! A path of light on its way from the eye: what it has gathered, where it stands, and how it goes on.

use crate::accel::TraceRay;
use crate::bsdf::{Answer, Sampled};
use crate::departure::Departure;
use crate::learned::Cell;
use crate::light::Receiver;
use crate::media::Media;
use crate::meeting::NARROW;
use crate::sampler::Sampler;
use crate::surface::{Frame, Surface};
use dome_imaging::transfer::luminance;
use glam::Vec3;
use std::f32::consts::PI;

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

/// Bounces after which a path may be ended by chance.
const SURE_BOUNCES: u32 = 3;

/// Where a path stands.
#[derive(Clone, Copy)]
pub(crate) struct Path {
    pub(crate) light: PathLight,
    pub(crate) throughput: Vec3,
    /// Bounces so far.
    pub(crate) bounces: u32,
    /// Share of the first bounce that was even scattering.
    pub(crate) even: Vec3,
    /// Whether all bounces were as good as mirrors: the path still shows what is there.
    pub(crate) clear: bool,
    /// How wide the path is, metres, and how much wider it grows, radians.
    pub(crate) width: f32,
    pub(crate) spread: f32,
    /// What its pixel is about to hold, if that was learned; else 0.
    pub(crate) goal: f32,
}

/// The share of a lobe's width by which a bounce spreads a path: little enough that what is seen in it keeps its shape.
const LOBE_SHARE: f32 = 0.25;

impl Path {
    /// Adds light that was met after `bounces` bounces.
    pub(crate) fn add(&mut self, light: Vec3, bounces: u32) {
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

    /// Whether it goes on by chance after a bounce: as its throughput is.
    pub(crate) fn goes_on(&mut self, survive: f32) -> bool {
        if self.bounces > SURE_BOUNCES {
            let chance = self.throughput.max_element().min(0.95);
            if survive >= chance {
                return false;
            }
            self.throughput /= chance;
        }
        true
    }

    /// Whether it goes on by chance where it arrives: as what is known of the light there is worth to its pixel.
    pub(crate) fn survives(&mut self, cell: Option<&Cell>, sampler: &mut Sampler) -> bool {
        let throughput = luminance(self.throughput.to_array());
        let Some(cell) = cell.filter(|_| self.bounces == 0 || self.goal > 0.0) else {
            return self.bounces == 0 || self.goes_on(sampler.next_1d());
        };
        if self.bounces == 0 {
            self.goal = cell.goal(throughput, luminance(self.light.beauty.to_array()));
            return true;
        }
        let chance = cell.chance(throughput, self.goal);
        if chance < 1.0 {
            // For a path that ends stands the light that is expected of it, and those that go on give as much back: the mean stays what
            // it is, and only what paths differ from what is expected is noise (a control variate; Owen 2013, "Monte Carlo theory,
            // methods and examples", section 8.9).
            let goes_on = sampler.next_1d() < chance;
            let part = if goes_on { 1.0 - 1.0 / chance } else { 1.0 };
            self.add(cell.expected() * part, self.bounces + 1);
            if !goes_on {
                return false;
            }
            self.throughput /= chance;
        }
        true
    }

    /// Adds light that a surface scatters towards the eye.
    pub(crate) fn add_scattered(&mut self, answer: &Scattered) {
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
pub(crate) struct Scattered {
    pub(crate) diffuse: Vec3,
    pub(crate) specular: Vec3,
}

impl Scattered {
    pub(crate) fn add(&mut self, answer: &Answer, light: Vec3) {
        self.diffuse += answer.diffuse * light;
        self.specular += answer.specular * light;
    }
}

/// The last bounce: the density with which it and those beside it chose their directions, and from where.
pub(crate) struct Last<'a> {
    pub(crate) pdf: f32,
    pub(crate) from: Receiver,
    pub(crate) budget: u32,
    pub(crate) known: Known<'a>,
}

/// A path on its way to where it meets something.
pub(crate) struct Leg<'a> {
    pub(crate) path: Path,
    pub(crate) ray: TraceRay,
    pub(crate) media: Media<'a>,
    /// The bounce that it comes from.
    pub(crate) last: Option<Last<'a>>,
}

impl<'a> Leg<'a> {
    /// A path that goes on from a surface by a bounce; light is looked for there with so many points, by what is known,
    /// on one side, and so many paths go on.
    pub(crate) fn new(
        mut path: Path,
        mut media: Media<'a>,
        (surface, frame): (&Surface<'a>, &Frame),
        sampled: &Sampled,
        (budget, known, normal, ways): (u32, Known<'a>, Option<Vec3>, usize),
    ) -> Self {
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
        let mut side = surface.side;
        if sampled.wi.z <= 0.0 {
            side = -side;
            if surface.material.is_body() {
                media = media.crossed(surface.material, surface.gloss.inside);
            }
        }
        path.clear &= answer.pdf > NARROW;
        // A lobe of density p is about as wide as a cone of 1 / p steradians.
        path.spread += LOBE_SHARE * (PI * answer.pdf).sqrt().recip();
        let ray = (surface.scatters_at).ray(side, frame.world(sampled.wi));
        let from = Receiver {
            position: ray.origin,
            normal,
        };
        Self {
            path,
            ray,
            media,
            last: Some(Last {
                pdf: answer.pdf * ways as f32,
                from,
                budget,
                known,
            }),
        }
    }
}

/// What is known of the light where a path bounces.
#[derive(Clone, Copy)]
pub(crate) struct Known<'a> {
    pub(crate) cell: Option<&'a Cell>,
    /// Chances with which the sun and the sky are asked.
    pub(crate) sun: f32,
    pub(crate) sky: f32,
}
