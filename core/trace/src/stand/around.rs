//! Rays round a standing person, which everything about clearance asks.

use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::Vec3;

/// A horizontal unit direction of a heading in radians.
pub(super) fn level(heading: f32) -> Vec3 {
    let (sin, cos) = heading.sin_cos();
    Vec3::new(sin, 0.0, -cos)
}

/// Headings all round, radians.
pub(super) fn headings(count: usize) -> impl Iterator<Item = f32> + Clone {
    (0..count).map(move |i| std::f32::consts::TAU * i as f32 / count as f32)
}

/// Free distance in a direction, metres; infinite where nothing is.
pub(super) fn free(scene: &Scene, from: Vec3, direction: Vec3) -> f32 {
    scene
        .hit(&TraceRay::new(from, direction))
        .map_or(f32::INFINITY, |h| h.distance)
}

/// Whether the straight way between two points is free.
pub(super) fn way_is_free(scene: &Scene, from: Vec3, to: Vec3) -> bool {
    let way = to - from;
    let far = way.length();
    far <= 0.0
        || scene
            .hit(&TraceRay::new(from, way / far).until(far))
            .is_none()
}

/// The nearest thing but the floor at the height of the eye, metres, looking level and a little up and down.
pub(super) fn free_around(scene: &Scene, eye: Vec3, floor: f32, count: usize) -> f32 {
    let tilts = [-0.35f32, 0.0, 0.35];
    headings(count)
        .flat_map(|h| tilts.map(|t| (level(h) + Vec3::Y * t).normalize()))
        .map(|d| (d, free(scene, eye, d)))
        .filter(|(d, far)| (eye.y + d.y * far - floor).abs() > EVEN || d.y >= 0.0)
        .map(|(_, far)| far)
        .fold(f32::INFINITY, f32::min)
}

/// What lies this near to the height of the floor is floor, metres.
const EVEN: f32 = 0.12;
