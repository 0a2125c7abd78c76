//! The nearest thing all round.

use super::super::around::headings;
use super::super::{Floor, directions};
use super::ground::is_floor;
use super::{Near, near};
use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::Vec3;
use rayon::prelude::*;

/// Directions that are followed closer in the search for the nearest point.
const FOLLOWED: usize = 12;

/// The nearest point of anything but the floor: by rays all round, then closer and closer round the best.
pub(super) fn nearest(scene: &Scene, eye: Vec3, floor: Option<Floor>, rays: usize) -> Option<Near> {
    let cast = |d: Vec3| {
        let hit = scene.hit(&TraceRay::new(eye, d))?;
        let point = eye + d * hit.distance;
        (!is_floor(point, floor)).then_some((hit.distance, d, hit.triangle))
    };
    let all: Vec<Vec3> = directions(rays).collect();
    let mut found: Vec<(f32, Vec3, u32)> = all.par_iter().filter_map(|d| cast(*d)).collect();
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    // Neighbours of the best one lead to the same place: others are kept beside it.
    let mut leads: Vec<(f32, Vec3, u32)> = Vec::new();
    for f in found {
        if leads.len() == FOLLOWED {
            break;
        }
        if leads.iter().all(|l| l.1.dot(f.1) < 0.995) {
            leads.push(f);
        }
    }
    for lead in &mut leads {
        let mut step = 0.03f32;
        while step > 2e-5 {
            let (x, y) = lead.1.any_orthonormal_pair();
            let best = headings(8)
                .filter_map(|a| cast((lead.1 + (x * a.cos() + y * a.sin()) * step).normalize()))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            match best {
                Some(b) if b.0 < lead.0 => *lead = b,
                _ => step *= 0.5,
            }
        }
    }
    let (distance, d, triangle) = leads.into_iter().min_by(|a, b| a.0.total_cmp(&b.0))?;
    Some(near(
        scene.object_of(triangle),
        eye,
        eye + d * distance,
        distance,
    ))
}
