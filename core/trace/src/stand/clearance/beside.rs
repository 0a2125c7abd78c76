//! What stands beside the feet, and what hangs low above the head.

use super::super::Floor;
use super::super::around::{free, headings, level, way_is_free};
use super::ground::UNEVEN;
use super::ring::heights;
use super::{Near, near};
use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::Vec3;

/// Nothing may hang nearer above the eye than this, metres.
const HEADROOM: f32 = 0.3;
/// Places between the feet and the limit that are looked at from above.
const BESIDE_STEPS: u32 = 16;

/// The nearest thing within the limit over the ground that ends below the eye: furniture, rails, steps.
/// Walls and all else that goes on up to the eye are told by the nearest thing.
pub(super) fn beside(scene: &Scene, eye: Vec3, floor: Option<Floor>, limit: f32) -> Option<Near> {
    let floor_y = floor?.y as f32;
    let mut best: Option<Near> = None;
    let mut take = |object: u32, point: Vec3| {
        let ground = Vec3::new(point.x - eye.x, 0.0, point.z - eye.z).length();
        // What is straight below is told as standing over it.
        if ground <= limit && ground > 1e-3 && best.is_none_or(|b| f64::from(ground) < b.distance) {
            best = Some(near(object, eye, point, ground));
        }
    };
    for h in headings(48) {
        let d = level(h);
        let wall = free(scene, eye, d);
        // From above: tops of tables and seats.
        for i in 1..=BESIDE_STEPS {
            let r = limit * i as f32 / BESIDE_STEPS as f32;
            if r >= wall {
                break;
            }
            let from = eye + d * r;
            if let Some(hit) = scene.hit(&TraceRay::new(from, Vec3::NEG_Y)) {
                let y = from.y - hit.distance;
                if y > floor_y + UNEVEN && y < eye.y - 0.05 {
                    take(scene.object_of(hit.triangle), Vec3::new(from.x, y, from.z));
                    break;
                }
            }
        }
        // From the side: backs, rails and whatever else is thin from above.
        for y in heights(eye, floor) {
            let from = Vec3::new(eye.x, y, eye.z);
            if let Some(hit) = scene.hit(&TraceRay::new(from, d))
                && hit.distance <= limit
                && wall > hit.distance + 0.1
                && way_is_free(scene, eye, from)
            {
                take(scene.object_of(hit.triangle), from + d * hit.distance);
            }
        }
    }
    best
}

/// Something above the eye within reach: straight above or a hand's breadth aside.
pub(super) fn low(scene: &Scene, eye: Vec3) -> Option<Near> {
    let around = headings(12).map(|h| eye + level(h) * 0.12);
    std::iter::once(eye)
        .chain(around)
        .filter(|p| way_is_free(scene, eye, *p))
        .filter_map(|p| {
            let hit = scene.hit(&TraceRay::new(p, Vec3::Y))?;
            (hit.distance < HEADROOM).then(|| {
                let point = p + Vec3::Y * hit.distance;
                near(scene.object_of(hit.triangle), eye, point, hit.distance)
            })
        })
        .min_by(|a, b| a.distance.total_cmp(&b.distance))
}
