//! The floor beneath, and the furniture on it.

use super::super::around::{free, headings, level};
use super::super::{Floor, floor_below, walk};
use super::{Near, near};
use crate::scene::Scene;
use glam::{DVec3, Vec3};

/// What stands higher above the floor than this is no unevenness, metres.
pub(super) const UNEVEN: f32 = 0.12;
/// Lower things are stepped over or stood on; a table is higher, a storey much higher. Metres.
const FURNITURE: std::ops::Range<f32> = 0.25..1.45;
/// A level surface that goes on this far all round is a floor, not a piece of furniture. Metres.
const FLOOR_REACH: f32 = 1.0;

/// The floor beneath, and the furniture on it that one stands over.
pub(in super::super) fn ground(scene: &Scene, eye: DVec3) -> (Option<Floor>, Option<(Near, f64)>) {
    let Some(first) = floor_below(scene, eye) else {
        return (None, None);
    };
    let at = eye.as_vec3();
    let upward = |t: u32| {
        let [a, b, c] = scene.corners(t);
        (b - a).cross(c - a).normalize_or_zero().y > 0.5
    };
    // The next floor further down, past the underside of what is first and what lies on it.
    let below = walk(scene, at, Vec3::NEG_Y)
        .skip(1)
        .filter(|hit| first.y as f32 - (at.y - hit.distance) >= FURNITURE.start)
        .find(|hit| upward(hit.triangle));
    let Some(below) = below else {
        return (Some(first), None);
    };
    let under = at.y - below.distance;
    let height = first.y as f32 - under;
    if !FURNITURE.contains(&height) {
        return (Some(first), None);
    }
    // A podium goes on all round; a table ends.
    let ends = headings(16).any(|h| {
        let p = at + level(h) * FLOOR_REACH;
        let down = free(scene, p, Vec3::NEG_Y);
        down.is_finite() && (at.y - down) < first.y as f32 - UNEVEN
    });
    if !ends {
        return (Some(first), None);
    }
    let top = Vec3::new(at.x, first.y as f32, at.z);
    let floor = Floor {
        y: f64::from(under),
        object: scene.object_of(below.triangle),
    };
    let thing = near(first.object, at, top, at.y - top.y);
    (Some(floor), Some((thing, f64::from(height))))
}

/// Whether a point belongs to the floor under the feet.
pub(super) fn is_floor(point: Vec3, floor: Option<Floor>) -> bool {
    floor.is_some_and(|f| (point.y - f.y as f32).abs() < UNEVEN)
}
