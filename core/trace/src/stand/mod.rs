//! Standing in a scene: the floor beneath a point, what is near, what is seen, and where to stand first.

mod around;
pub mod clearance;
pub mod dark;
pub mod depth;
pub mod lights;
pub mod move_here;
pub mod remedy;
pub mod sight;
pub(crate) mod solids;
pub mod square;
pub mod starts;

pub use dome_optics::direction::{direction, heading_pitch};
pub use solids::{is_shell, solid_around};

use crate::accel::{Hit, TraceRay};
use crate::scene::Scene;
use glam::{DVec3, Vec3};

/// Standing eye height in metres (common practice, no source).
pub const STANDING_EYE_HEIGHT: f64 = 1.6;
/// Sitting eye height in metres, and the middle of a low room (common practice, no source).
pub const SEATED_EYE_HEIGHT: f64 = 1.2;
/// Free height that a person needs, metres.
const HEADROOM: f32 = 1.9;
/// Most surfaces looked through on the way down.
const MAX_LAYERS: usize = 256;
/// How far behind a surface the way goes on, of the distances at hand: above the rounding of single precision.
const STEP: f32 = 4e-6;

/// The floor found beneath a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Floor {
    /// Height of the floor, metres.
    pub y: f64,
    /// The object that it belongs to.
    pub object: u32,
}

/// The first surface straight beneath a point, or `None` over the void.
pub fn floor_below(scene: &Scene, point: DVec3) -> Option<Floor> {
    let ray = TraceRay::new(point.as_vec3(), Vec3::NEG_Y);
    let hit = scene.hit(&ray)?;
    Some(Floor {
        y: point.y - f64::from(hit.distance),
        object: scene.object_of(hit.triangle),
    })
}

/// Directions all round, evenly spread (a Fibonacci spiral, Swinbank and Purser 2006).
pub(crate) fn directions(count: usize) -> impl Iterator<Item = Vec3> {
    let golden = std::f32::consts::PI * (5f32.sqrt() - 1.0);
    (0..count).map(move |i| {
        let up = 1.0 - 2.0 * (i as f32 + 0.5) / count as f32;
        let (sin, cos) = (golden * i as f32).sin_cos();
        let level = (1.0 - up * up).sqrt();
        Vec3::new(cos * level, up, sin * level)
    })
}

/// Everything that a ray meets, one thing after the other; distances are from its start.
pub(crate) fn walk(scene: &Scene, origin: Vec3, direction: Vec3) -> impl Iterator<Item = Hit> {
    let mut start = 0.0f32;
    let mut left = MAX_LAYERS;
    std::iter::from_fn(move || {
        left = left.checked_sub(1)?;
        let ray = TraceRay::new(origin + direction * start, direction);
        let mut hit = scene.hit(&ray)?;
        hit.distance += start;
        start = hit.distance + STEP * (1.0 + hit.distance + origin.abs().max_element());
        Some(hit)
    })
}

/// Height of the first surface straight above a point, metres, or `None` under the open sky.
pub fn ceiling_above(scene: &Scene, point: DVec3) -> Option<f64> {
    let hit = scene.hit(&TraceRay::new(point.as_vec3(), Vec3::Y))?;
    Some(point.y + f64::from(hit.distance))
}

/// A word about an eye that is farther from everything than the scene is large; nothing of others.
pub fn far_off(scene: &Scene, eye: DVec3) -> Option<String> {
    let (low, high) = scene.bounds();
    let size = f64::from((high - low).max_element());
    let (_, point) = scene.nearest_point(eye, |_, _| true)?;
    let distance = point.distance(eye);
    (distance > size.max(1.0)).then(|| {
        format!(
            "the eye is {distance:.1} m from everything in a scene of {size:.1} m; check where it stands (the file's coordinates, metres, Y up)."
        )
    })
}

/// The middle of the scene, at eye height above the floor there.
///
/// Of all surfaces on the vertical line through the middle that leave room to stand on, the lowest
/// one under a ceiling is taken, else the one under the open sky; without any, the middle of the
/// scene's box. What lies below the ground (an upper side above an upper side) is no room.
pub fn middle(scene: &Scene) -> DVec3 {
    let (low, high) = scene.bounds();
    let centre = (low + high) / 2.0;
    let mut layers: Vec<(f32, bool)> = Vec::new();
    let mut y = high.y + 1.0;
    while layers.len() < MAX_LAYERS {
        let ray = TraceRay::new(Vec3::new(centre.x, y, centre.z), Vec3::NEG_Y);
        let Some(hit) = scene.hit(&ray) else { break };
        let height = y - hit.distance;
        let [a, b, c] = scene.corners(hit.triangle);
        layers.push((height, (b - a).cross(c - a).y > 0.0));
        y = height - 1e-4 * (1.0 + height.abs());
    }
    let pick = |faces_up: bool, above_faces_up: Option<bool>| {
        (0..layers.len()).rev().find(|&i| {
            let above = i.checked_sub(1).map(|k| layers[k]);
            layers[i].1 == faces_up
                && above.map(|a| a.1) == above_faces_up
                && above.is_none_or(|a| a.0 - layers[i].0 >= HEADROOM)
        })
    };
    let best = pick(true, Some(false)) // a floor under a ceiling
        .or_else(|| pick(false, Some(true))) // the same in a room made of a box that faces outwards
        .or_else(|| pick(true, None)) // ground under the open sky
        .or_else(|| pick(false, None));
    let eye_y = match best {
        Some(i) => f64::from(layers[i].0) + STANDING_EYE_HEIGHT,
        None => f64::from(centre.y),
    };
    DVec3::new(f64::from(centre.x), eye_y, f64::from(centre.z))
}
