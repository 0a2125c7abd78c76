//! Being square to a surface: looking along its normal, from where one stands or from a chosen distance.

use super::sight::Seen;
use super::{direction, heading_pitch};
use crate::scene::Scene;
use glam::{DMat2, DVec2, DVec3};

/// The upright front of a picked surface, as seen from a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Front {
    /// Heading in which one looks at it squarely, degrees.
    pub heading_deg: f64,
    /// Pitch of the surface's own normal towards the eye, degrees; 0 for an upright wall.
    pub normal_pitch_deg: f64,
    /// Whether the front is curved, so that the heading is that of the best-fitting upright plane.
    pub curved: bool,
    /// A point that the look goes through: what was picked, or the middle of a curved front. Metres.
    pub middle: DVec3,
}

/// Surfaces flatter than this have no upright front: their normal's level part is too short.
const LEVEL: f64 = 0.05;
/// The normals of a front turn by more than this before it counts as curved, radians.
const CURVED: f64 = 0.035;
/// What is turned farther than this from the mean of the visible side is not the front, radians.
const FRONT: f64 = 1.4;
/// Most triangles of an object that are looked at.
const MOST: usize = 200_000;

/// The front of the picked triangle.
pub fn of_triangle(seen: &Seen) -> Option<Front> {
    let level = DVec2::new(seen.normal.x, seen.normal.z);
    if level.length() < LEVEL {
        return None;
    }
    let (heading_deg, _) = heading_pitch(DVec3::new(-level.x, 0.0, -level.y));
    Some(Front {
        heading_deg,
        normal_pitch_deg: seen.normal.y.clamp(-1.0, 1.0).asin().to_degrees(),
        curved: false,
        middle: seen.point,
    })
}

/// The front of the whole picked object towards the eye: along the axis in which its surface, weighed by
/// area and taken over the side that faces the eye, spreads least over the ground (least squares).
///
/// A round pillar has no such axis; looking at its middle is square to it from everywhere.
pub fn of_object(scene: &Scene, eye: DVec3, seen: &Seen) -> Option<Front> {
    let ground = |p: DVec3| DVec2::new(p.x, p.z);
    let triangles = scene.triangles_of(seen.object);
    let step = triangles.len().div_ceil(MOST).max(1);
    // An object may be turned inside out; the side that was picked is the front.
    let [a, b, c] = scene.corners(seen.triangle);
    let picked = (b - a).cross(c - a).as_dvec3();
    let side = if picked.dot(seen.normal) < 0.0 {
        -1.0
    } else {
        1.0
    };
    let mut normals = DVec2::ZERO;
    let mut parts = Vec::new();
    for &t in triangles.iter().step_by(step) {
        let corners = scene.corners(t).map(|p| p.as_dvec3());
        let [a, b, c] = corners;
        let cross = (b - a).cross(c - a);
        let (area, middle) = (cross.length() / 2.0, (a + b + c) / 3.0);
        let outward = cross.normalize_or_zero() * side;
        let level = ground(outward);
        if outward.dot(eye - middle) <= 0.0 || level.length() < LEVEL {
            continue;
        }
        normals += level * area;
        parts.push((corners, area, level.normalize()));
    }
    // The ends and sides of a thing are not its front.
    let mean = normals.normalize_or_zero();
    parts.retain(|(_, _, n)| n.angle_to(mean).abs() < FRONT);
    let weight: f64 = parts.iter().map(|p| p.1).sum();
    if weight <= 0.0 {
        return None;
    }
    let centroid = |c: &[DVec3; 3]| (c[0] + c[1] + c[2]) / 3.0;
    let middle = parts.iter().map(|p| centroid(&p.0) * p.1).sum::<DVec3>() / weight;
    let bent = parts
        .iter()
        .map(|(_, area, n)| area * n.angle_to(mean).abs())
        .sum::<f64>()
        / weight;
    let curved = bent > CURVED;
    // Second moments of the triangles over the ground: exact for each, from its corners and its middle.
    let centre = ground(middle);
    let mut spread = DMat2::ZERO;
    for (corners, area, _) in &parts {
        let m = ground(centroid(corners)) - centre;
        let outer = |v: DVec2| DMat2::from_cols(v * v.x, v * v.y);
        let own: DMat2 = corners
            .iter()
            .map(|c| outer(ground(*c) - centre))
            .fold(outer(m) * 9.0, |s, o| s + o);
        spread += own * (area / 12.0);
    }
    let (a, b, d) = (spread.x_axis.x, spread.x_axis.y, spread.y_axis.y);
    let gap = (a - d).hypot(2.0 * b);
    let to_eye = ground(eye) - centre;
    let mut axis = if gap > 0.02 * (a + d) {
        // The axis of the smaller eigenvalue.
        let long = 0.5 * (2.0 * b).atan2(a - d);
        DVec2::new(-long.sin(), long.cos())
    } else {
        to_eye.normalize_or(DVec2::X)
    };
    if axis.dot(to_eye) < 0.0 {
        axis = -axis;
    }
    let (heading_deg, _) = heading_pitch(DVec3::new(-axis.x, 0.0, -axis.y));
    Some(Front {
        heading_deg,
        normal_pitch_deg: 0.0,
        curved,
        middle,
    })
}

/// Where to stand, level with where one stands now, to look squarely at the middle of a front from a
/// distance; metres.
pub fn stand_off(front: &Front, eye: DVec3, distance: f64) -> DVec3 {
    let back = direction(front.heading_deg, 0.0);
    DVec3::new(
        front.middle.x - back.x * distance,
        eye.y,
        front.middle.z - back.z * distance,
    )
}
