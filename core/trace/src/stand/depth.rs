//! How deep it is: what an eye really sees, as shares of its picture over distance.

use super::{directions, heading_pitch};
use crate::accel::TraceRay;
use crate::scene::Scene;
use dome_optics::projection::{Perspective, PicturePoint};
use dome_optics::{Eye, MonoEye};
use glam::{DVec3, Vec3};
use rayon::prelude::*;

/// Rays all round: 0.006 % of the sphere each.
pub const AROUND: usize = 16_384;
/// Columns and rows of rays through a frame.
pub const FRAMED: (u32, u32) = (192, 108);
/// Rays along each upright edge of a frame.
pub const EDGE: u32 = 270;

/// What one ray met.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sight {
    /// The object.
    pub object: u32,
    /// Distance, metres: along the ray all round, along the direction of view in a frame.
    pub distance: f64,
    /// Share of the picture, 0 to 1.
    pub share: f64,
    /// Unit direction in the world.
    pub direction: DVec3,
}

/// All that was met.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Depths {
    /// What was met, the nearest first.
    pub sights: Vec<Sight>,
    /// Share of the picture where nothing is: it is as far as the sky.
    pub open: f64,
}

/// What is seen of one object.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Seen {
    /// The object.
    pub object: u32,
    /// Its nearest point that is seen, metres.
    pub nearest: f64,
    /// Its farthest.
    pub farthest: f64,
    /// Share of the picture, 0 to 1.
    pub share: f64,
    /// Heading of the nearest point, degrees.
    pub heading_deg: f64,
    /// Its pitch, degrees.
    pub pitch_deg: f64,
}

/// Through nothing: glass counts, as two eyes see it too.
fn cast(scene: &Scene, start: DVec3, direction: DVec3) -> Option<(u32, f64)> {
    let d: Vec3 = direction.as_vec3();
    let hit = scene.hit(&TraceRay::new(start.as_vec3(), d))?;
    Some((scene.object_of(hit.triangle), f64::from(hit.distance)))
}

/// All round from a point. The very nearest point is among what is met, without a share: rays pass small things by.
pub fn around(scene: &Scene, eye: DVec3, rays: usize) -> Depths {
    let share = 1.0 / rays as f64;
    let all: Vec<Vec3> = directions(rays).collect();
    let met: Vec<Option<Sight>> = all
        .par_iter()
        .map(|d| {
            let direction = d.as_dvec3().normalize();
            let (object, distance) = cast(scene, eye, direction)?;
            Some(Sight {
                object,
                distance,
                share,
                direction,
            })
        })
        .collect();
    let mut depths = Depths::of(met);
    if let Some((triangle, point)) = scene.nearest_point(eye, |_, _| true) {
        let way = point - eye;
        let very = Sight {
            object: scene.object_of(triangle),
            distance: way.length(),
            share: 0.0,
            direction: way.normalize_or(DVec3::NEG_Z),
        };
        depths.sights.insert(0, very);
    }
    depths
}

/// Through a frame: distances are along the direction of view.
pub fn framed(scene: &Scene, eye: &MonoEye<Perspective>, (columns, rows): (u32, u32)) -> Depths {
    let share = 1.0 / (f64::from(columns) * f64::from(rows));
    let met: Vec<Option<Sight>> = (0..columns * rows)
        .into_par_iter()
        .map(|i| {
            let point = PicturePoint::pixel_centre(i % columns, i / columns, columns, rows);
            through(scene, eye, point, share)
        })
        .collect();
    Depths::of(met)
}

fn through(
    scene: &Scene,
    eye: &MonoEye<Perspective>,
    point: PicturePoint,
    share: f64,
) -> Option<Sight> {
    let ray = eye.ray(point)?;
    let (object, distance) = cast(scene, ray.origin, ray.direction)?;
    let ahead = -eye.to_view(ray.origin + ray.direction * distance).z;
    Some(Sight {
        object,
        distance: ahead,
        share,
        direction: ray.direction,
    })
}

/// What lies at the left (`u` 0) or right (`u` 1) edge of a frame, from the top down: evenly spaced rays, and nothing where
/// nothing is.
pub fn edge(scene: &Scene, eye: &MonoEye<Perspective>, u: f64) -> Vec<Option<Sight>> {
    // A hair inside, where the frame still is.
    let u = u.clamp(1e-9, 1.0 - 1e-9);
    (0..EDGE)
        .into_par_iter()
        .map(|i| {
            let v = (f64::from(i) + 0.5) / f64::from(EDGE);
            through(scene, eye, PicturePoint { u, v }, 1.0 / f64::from(EDGE))
        })
        .collect()
}

impl Depths {
    fn of(met: Vec<Option<Sight>>) -> Self {
        let rays = met.len().max(1) as f64;
        let mut sights: Vec<Sight> = met.into_iter().flatten().collect();
        sights.sort_by(|a, b| a.distance.total_cmp(&b.distance));
        let open = 1.0 - sights.len() as f64 / rays;
        Self { sights, open }
    }

    /// The distance that all but a small share of the picture is beyond, metres; nothing where nothing is seen.
    pub fn nearest(&self, aside: f64) -> Option<f64> {
        let mut sum = 0.0;
        let found = self.sights.iter().find(|s| {
            sum += s.share;
            sum > aside
        });
        found.or(self.sights.last()).map(|s| s.distance)
    }

    /// The distance that all but a small share of the picture is within, metres; infinite where more than that share is
    /// open.
    pub fn farthest(&self, aside: f64) -> f64 {
        if self.open > aside {
            return f64::INFINITY;
        }
        let mut sum = self.open;
        let found = self.sights.iter().rev().find(|s| {
            sum += s.share;
            sum > aside
        });
        found.map_or(f64::INFINITY, |s| s.distance)
    }

    /// Shares of the picture in even steps of 1/distance from 0 (far away, with what is open) to `most`; what is nearer is in
    /// the last. Parallax is even along it.
    pub fn histogram(&self, most: f64, steps: usize) -> Vec<f64> {
        let mut shares = vec![0.0; steps.max(1)];
        let last = shares.len() - 1;
        shares[0] += self.open;
        for s in &self.sights {
            let at = (1.0 / s.distance.max(1e-9) / most * steps as f64) as usize;
            shares[at.min(last)] += s.share;
        }
        shares
    }

    /// Each object that is seen, the nearest first.
    pub fn objects(&self) -> Vec<Seen> {
        let mut seen: Vec<Seen> = Vec::new();
        let mut places: std::collections::HashMap<u32, usize> = std::collections::HashMap::new();
        for s in &self.sights {
            let at = *places.entry(s.object).or_insert_with(|| {
                let (heading_deg, pitch_deg) = heading_pitch(s.direction);
                seen.push(Seen {
                    object: s.object,
                    nearest: s.distance,
                    farthest: s.distance,
                    share: 0.0,
                    heading_deg,
                    pitch_deg,
                });
                seen.len() - 1
            });
            seen[at].share += s.share;
            seen[at].farthest = s.distance;
        }
        seen
    }
}
