//! Whether there is room to stand: what is near, under, above and around, told by rays.

mod beside;
mod ground;
mod nearest;
mod ring;

use super::{Floor, heading_pitch, solid_around};
use crate::accel::TraceRay;
use crate::scene::Scene;
use beside::{beside, low};
use glam::{DVec3, Vec3};
pub(super) use ground::ground;
use nearest::nearest;
use ring::ring;

/// Headings of the ring in the plan.
pub const RING: usize = 120;
/// Distances beyond this are no longer told in the ring, metres.
pub const RING_END: f32 = 200.0;

/// Limits that an artist may set.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Free space wanted beside the viewer, metres.
    pub beside: f64,
    /// Distance between the eyes, metres.
    pub eye_separation: f64,
}

/// Usual distance between the eyes, metres (common practice, no source).
pub const EYE_SEPARATION: f64 = 0.063;
/// Nearest comfortable distance in eye separations (the rule of thirty; common practice, no source).
pub const COMFORT: f64 = 30.0;

impl Default for Limits {
    fn default() -> Self {
        Self {
            beside: 0.4,
            eye_separation: EYE_SEPARATION,
        }
    }
}

impl Limits {
    /// The nearest distance that is comfortable for two eyes, metres.
    pub fn comfort(&self) -> f64 {
        self.eye_separation * COMFORT
    }
}

/// A thing met, and where.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Near {
    /// The object.
    pub object: u32,
    /// Distance from the eye, metres; for things beside, over the ground.
    pub distance: f64,
    /// Where, metres.
    pub point: DVec3,
    /// Heading, degrees.
    pub heading_deg: f64,
    /// Pitch, degrees.
    pub pitch_deg: f64,
}

/// What a scan found.
#[derive(Clone, Debug, PartialEq)]
pub struct Clearance {
    /// The floor that one stands over: the first level surface below that is not furniture.
    pub floor: Option<Floor>,
    /// Height of what is straight above, metres.
    pub ceiling: Option<Floor>,
    /// The nearest thing all round; the floor under the feet does not count.
    pub nearest: Option<Near>,
    /// The solid that the eye is in.
    pub inside: Option<u32>,
    /// Furniture straight below, with the height of its top above the floor in metres.
    pub over: Option<(Near, f64)>,
    /// The nearest thing beside and below the eye, within the limit.
    pub beside: Option<Near>,
    /// Something low straight above, or a little aside.
    pub low: Option<Near>,
    /// Free distance over the ground for every heading in turn, from the floor up to the eye, metres.
    pub ring: Vec<f32>,
}

fn near(object: u32, eye: Vec3, point: Vec3, distance: f32) -> Near {
    let (heading_deg, pitch_deg) = heading_pitch((point - eye).as_dvec3());
    Near {
        object,
        distance: f64::from(distance),
        point: point.as_dvec3(),
        heading_deg,
        pitch_deg,
    }
}

/// The nearest thing all round, the floor under the feet aside, and that floor.
pub fn nearest_and_floor(scene: &Scene, eye: DVec3) -> (Option<Near>, Option<Floor>) {
    let (floor, _) = ground(scene, eye);
    (nearest(scene, eye, floor), floor)
}

/// Looks all round from a point.
pub fn scan(scene: &Scene, eye: DVec3, limits: &Limits) -> Clearance {
    let at = eye.as_vec3();
    let (floor, over) = ground(scene, eye);
    let ring = ring(scene, at, floor);
    Clearance {
        ceiling: scene.hit(&TraceRay::new(at, Vec3::Y)).map(|hit| Floor {
            y: eye.y + f64::from(hit.distance),
            object: scene.object_of(hit.triangle),
        }),
        nearest: nearest(scene, eye, floor),
        inside: solid_around(scene, at),
        beside: beside(scene, at, floor, limits.beside as f32),
        low: low(scene, at),
        floor,
        over,
        ring,
    }
}
