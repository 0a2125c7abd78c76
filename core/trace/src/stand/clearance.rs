//! Whether there is room to stand: what is near, under, above and around, told by rays.

use super::around::{free, headings, level, way_is_free};
use super::{Floor, directions, floor_below, heading_pitch, solid_around, walk};
use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::{DVec3, Vec3};
use rayon::prelude::*;

/// Rays of a scan: one for every 1.6 degrees or so.
pub const RAYS: usize = 16_384;
/// Rays of a scan while something is dragged: one for every 3 degrees or so.
pub const FEW_RAYS: usize = 4_096;
/// Headings of the ring in the plan.
pub const RING: usize = 120;
/// Directions that are followed closer in the search for the nearest point.
const FOLLOWED: usize = 12;
/// What stands higher above the floor than this is no unevenness, metres.
const UNEVEN: f32 = 0.12;
/// Lower things are stepped over or stood on; a table is higher, a storey much higher. Metres.
const FURNITURE: std::ops::Range<f32> = 0.25..1.45;
/// A level surface that goes on this far all round is a floor, not a piece of furniture. Metres.
const FLOOR_REACH: f32 = 1.0;
/// Nothing may hang nearer above the eye than this, metres.
const HEADROOM: f32 = 0.3;
/// Places between the feet and the limit that are looked at from above.
const BESIDE_STEPS: u32 = 16;
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

/// Looks all round from a point.
pub fn scan(scene: &Scene, eye: DVec3, limits: &Limits) -> Clearance {
    scan_with(scene, eye, limits, RAYS)
}

/// The same with a number of rays for the nearest thing.
pub fn scan_with(scene: &Scene, eye: DVec3, limits: &Limits, rays: usize) -> Clearance {
    let at = eye.as_vec3();
    let (floor, over) = ground(scene, eye);
    let ring = ring(scene, at, floor);
    Clearance {
        ceiling: scene.hit(&TraceRay::new(at, Vec3::Y)).map(|hit| Floor {
            y: eye.y + f64::from(hit.distance),
            object: scene.object_of(hit.triangle),
        }),
        nearest: nearest(scene, at, floor, rays),
        inside: solid_around(scene, at),
        beside: beside(scene, at, floor, limits.beside as f32),
        low: low(scene, at),
        floor,
        over,
        ring,
    }
}

/// The floor beneath, and the furniture on it that one stands over.
pub(super) fn ground(scene: &Scene, eye: DVec3) -> (Option<Floor>, Option<(Near, f64)>) {
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
fn is_floor(point: Vec3, floor: Option<Floor>) -> bool {
    floor.is_some_and(|f| (point.y - f.y as f32).abs() < UNEVEN)
}

/// The nearest point of anything but the floor: by rays all round, then closer and closer round the best.
fn nearest(scene: &Scene, eye: Vec3, floor: Option<Floor>, rays: usize) -> Option<Near> {
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

/// Heights between the floor and the eye at which level rays are sent, metres.
fn heights(eye: Vec3, floor: Option<Floor>) -> Vec<f32> {
    let Some(floor) = floor.map(|f| f.y as f32) else {
        return vec![eye.y];
    };
    let from = floor + UNEVEN;
    let steps = (((eye.y - from) / 0.15).ceil().clamp(1.0, 40.0)) as usize;
    (0..=steps)
        .map(|i| from + (eye.y - from) * i as f32 / steps as f32)
        .collect()
}

fn ring(scene: &Scene, eye: Vec3, floor: Option<Floor>) -> Vec<f32> {
    let heights = heights(eye, floor);
    let all: Vec<f32> = headings(RING).collect();
    all.into_par_iter()
        .map(|h| {
            heights
                .iter()
                .map(|y| free(scene, Vec3::new(eye.x, *y, eye.z), level(h)))
                .fold(RING_END, f32::min)
        })
        .collect()
}

/// The nearest thing within the limit over the ground that ends below the eye: furniture, rails, steps.
/// Walls and all else that goes on up to the eye are told by the nearest thing.
fn beside(scene: &Scene, eye: Vec3, floor: Option<Floor>, limit: f32) -> Option<Near> {
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
fn low(scene: &Scene, eye: Vec3) -> Option<Near> {
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
