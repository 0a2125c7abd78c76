//! The nearest thing all round.

use super::super::Floor;
use super::ground::is_floor;
use super::{Near, near};
use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::DVec3;

/// Of the way to a point so much is looked along for what stands before it: corners are rounded.
const ALONG: f64 = 1.0 - 1e-4;

/// The nearest point of anything but the floor, and of what the floor covers.
pub(super) fn nearest(scene: &Scene, eye: DVec3, floor: Option<Floor>) -> Option<Near> {
    let found = scene.nearest_point(eye, |triangle, point| {
        if is_floor(point.as_vec3(), floor) {
            return false;
        }
        // All that is nearer is floor: below it nothing is near to anybody.
        let way = point - eye;
        let ray = TraceRay::new(eye.as_vec3(), way.normalize_or_zero().as_vec3());
        let ray = ray.until((way.length() * ALONG) as f32).arriving(triangle);
        floor.is_none() || !scene.blocked(&ray)
    });
    let (triangle, point) = found?;
    let distance = point.distance(eye) as f32;
    Some(near(
        scene.object_of(triangle),
        eye.as_vec3(),
        point.as_vec3(),
        distance,
    ))
}
