//! Better places near a bad one.

use super::around::{free_around, headings, level, way_is_free};
use super::clearance::{Clearance, Limits, scan};
use super::solid_around;
use super::{floor_below, starts::Start};
use crate::scene::Scene;
use glam::{DVec3, Vec3};

/// Farthest that a step leads, metres.
const REACH: f32 = 3.0;
/// Heights differ by no more than this after a step, metres.
const STEP_HEIGHT: f64 = 0.3;

/// A place a step away, on the same floor and at the same height above it, where `need` metres are free all
/// round; the nearest such place, or the freest one if none is free enough.
pub fn step_away(scene: &Scene, eye: DVec3, need: f64, floor: f64) -> Option<DVec3> {
    let at = eye.as_vec3();
    let above = eye.y - floor;
    let mut best: Option<(f32, DVec3)> = None;
    let mut r = 0.1f32;
    while r <= REACH {
        for h in headings(32) {
            let p = at + level(h) * r;
            let Some(ground) = floor_below(scene, p.as_dvec3() + DVec3::Y * 0.2) else {
                continue;
            };
            if (ground.y - floor).abs() > STEP_HEIGHT {
                continue;
            }
            let place = Vec3::new(p.x, (ground.y + above) as f32, p.z);
            if !way_is_free(scene, at, place) {
                continue;
            }
            let free = free_around(scene, place, ground.y as f32, 16);
            if best.is_none_or(|(b, _)| free > b) {
                best = Some((free, place.as_dvec3()));
            }
        }
        if let Some((free, place)) = best
            && f64::from(free) >= need
            && scan(scene, place, &Limits::default()).beside.is_none()
        {
            return Some(place);
        }
        r += 0.15;
    }
    let here = free_around(scene, at, floor as f32, 16);
    best.filter(|(free, _)| *free > here * 1.2).map(|(_, p)| p)
}

/// The height at which nothing is near above or below, with `eye_height` above the floor as the first wish:
/// clear of what is low, else half-way up.
pub fn raise(clear: &Clearance, eye: DVec3, eye_height: f64) -> Option<DVec3> {
    let floor = clear.floor?.y;
    let ceiling = clear.ceiling.map_or(f64::INFINITY, |c| c.y);
    let wish = (floor + eye_height).min((floor + ceiling) / 2.0);
    ((wish - eye.y).abs() > 0.02).then_some(DVec3::new(eye.x, wish, eye.z))
}

/// The nearest of the suggested starts.
pub fn nearest_middle(starts: &[Start], eye: DVec3) -> Option<&Start> {
    starts.iter().min_by(|a, b| {
        let d = |s: &Start| s.position.distance_squared(eye);
        d(a).total_cmp(&d(b))
    })
}

/// A place where the eye is in no solid, found by going up.
pub fn out_of_solid(scene: &Scene, eye: DVec3) -> Option<DVec3> {
    (1..=40)
        .map(|i| eye + DVec3::Y * (f64::from(i) * 0.25))
        .find(|p| solid_around(scene, p.as_vec3()).is_none() && floor_below(scene, *p).is_some())
}
