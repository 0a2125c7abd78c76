//! What is seen from a point: one thing in one direction, everything with its share of the sphere, and
//! whether two points see each other.

use super::{direction, directions, heading_pitch};
use crate::accel::TraceRay;
use crate::light::Illumination;
use crate::scene::Scene;
use glam::{DVec3, Vec3};
use rayon::prelude::*;

/// What lies in one direction.
#[derive(Clone, Debug, PartialEq)]
pub struct Seen {
    /// The object.
    pub object: u32,
    /// The triangle.
    pub triangle: u32,
    /// Name of the material.
    pub material: String,
    /// Distance along the ray, metres.
    pub distance: f64,
    /// Where, metres.
    pub point: DVec3,
    /// The surface's own normal (of its triangle), on the side of the eye.
    pub normal: DVec3,
}

/// The first thing in a direction, through nothing: glass counts, as it is in the picture too.
pub fn look(scene: &Scene, eye: DVec3, towards: DVec3) -> Option<Seen> {
    let hit = scene.hit(&TraceRay::new(eye.as_vec3(), towards.as_vec3()))?;
    let [a, b, c] = scene.corners(hit.triangle);
    let normal = (b - a).cross(c - a).normalize_or_zero().as_dvec3();
    let side = if normal.dot(towards) > 0.0 { -1.0 } else { 1.0 };
    Some(Seen {
        object: scene.object_of(hit.triangle),
        triangle: hit.triangle,
        material: scene.material_of(hit.triangle).name.clone(),
        distance: f64::from(hit.distance),
        point: eye + towards * f64::from(hit.distance),
        normal: normal * side,
    })
}

/// The first thing at a heading and pitch, degrees.
pub fn look_at(scene: &Scene, eye: DVec3, heading_deg: f64, pitch_deg: f64) -> Option<Seen> {
    look(scene, eye, direction(heading_deg, pitch_deg))
}

/// How much of the sphere an object takes up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Share {
    /// The object.
    pub object: u32,
    /// Share of the whole sphere, 0 to 1.
    pub share: f64,
    /// Heading of the middle of what is seen of it, degrees.
    pub heading_deg: f64,
    /// Pitch of it, degrees.
    pub pitch_deg: f64,
    /// The nearest point of it that was met, metres.
    pub distance: f64,
}

/// Directions that the shares are told from: 0.006 % of the sphere each.
const SHARES: usize = 16_384;

/// Everything that is seen from a point with its share of the sphere, the largest first; what the light's
/// settings hide from view is looked through. What is smaller than a direction apart may be missed.
pub fn shares(scene: &Scene, light: Option<&Illumination>, eye: DVec3) -> Vec<Share> {
    let start = eye.as_vec3();
    let all: Vec<Vec3> = directions(SHARES).collect();
    let seen: Vec<Option<(u32, f32)>> = all
        .par_iter()
        .map(|d| {
            super::walk(scene, start, *d)
                .map(|hit| (scene.object_of(hit.triangle), hit.distance))
                .find(|(object, _)| !light.is_some_and(|l| l.is_unseen(*object)))
        })
        .collect();
    let mut sums: Vec<(u32, Vec3, f32)> =
        vec![(0, Vec3::ZERO, f32::INFINITY); scene.objects().len()];
    for (d, seen) in all.iter().zip(seen) {
        if let Some((object, distance)) = seen {
            let sum = &mut sums[object as usize];
            *sum = (sum.0 + 1, sum.1 + *d, sum.2.min(distance));
        }
    }
    let mut shares: Vec<Share> = (0u32..)
        .zip(sums)
        .filter(|(_, (count, _, _))| *count > 0)
        .map(|(object, (count, sum, distance))| {
            let (heading_deg, pitch_deg) = heading_pitch(sum.as_dvec3());
            Share {
                object,
                share: f64::from(count) / SHARES as f64,
                heading_deg,
                pitch_deg,
                distance: f64::from(distance),
            }
        })
        .collect();
    shares.sort_by(|a, b| b.share.total_cmp(&a.share).then(a.object.cmp(&b.object)));
    shares
}

/// Whether nothing stands between two points. Glass and holes are looked through.
pub fn sees(scene: &Scene, from: DVec3, to: DVec3) -> bool {
    between(scene, from, to).is_none()
}

/// The first thing that hides one point from another.
pub fn between(scene: &Scene, from: DVec3, to: DVec3) -> Option<u32> {
    let way = (to - from).as_vec3();
    let far = way.length();
    if far == 0.0 {
        return None;
    }
    super::walk(scene, from.as_vec3(), way / far)
        .take_while(|hit| hit.distance < far * (1.0 - 1e-5))
        .find(|hit| !scene.material_of(hit.triangle).is_see_through())
        .map(|hit| scene.object_of(hit.triangle))
}
