//! Moving an object to a wanted direction and distance.

use super::{direction, heading_pitch};
use crate::moves::ObjectMove;
use crate::scene::Scene;
use glam::{DVec3, Vec3};

/// Where something is to go, as seen by an eye.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Wanted {
    /// The eye, metres.
    pub eye: DVec3,
    /// Heading of the object's middle, degrees.
    pub heading_deg: f64,
    /// Pitch of its middle, degrees; without it the object stands on the floor that is there.
    pub pitch_deg: Option<f64>,
    /// Distance of its middle, metres: over the ground if it stands on the floor, else along the look.
    pub distance: f64,
    /// Whether it turns about its middle, so that the side that faces the eye now still does.
    pub face: bool,
}

/// Middle of the box round some objects, and its lowest height; metres.
fn extent(scene: &Scene, objects: &[u32]) -> Option<(DVec3, f64)> {
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    for o in objects {
        let o = scene.objects().get(*o as usize)?;
        (low, high) = (low.min(o.min), high.max(o.max));
    }
    low.is_finite()
        .then(|| (((low + high) / 2.0).as_dvec3(), f64::from(low.y)))
}

/// The move that takes objects from where they stand now to where they are wanted. `None` if they
/// have nothing to be seen.
pub fn move_here(
    scene: &Scene,
    name: &str,
    objects: &[u32],
    wanted: &Wanted,
) -> Option<ObjectMove> {
    let (middle, lowest) = extent(scene, objects)?;
    let flat = |d: DVec3| DVec3::new(d.x, 0.0, d.z);
    let target = match wanted.pitch_deg {
        Some(pitch) => wanted.eye + direction(wanted.heading_deg, pitch) * wanted.distance,
        None => {
            let place = wanted.eye + direction(wanted.heading_deg, 0.0) * wanted.distance;
            // The floor there, looking past the objects themselves; over the void it keeps its height.
            let floor = super::walk(scene, place.as_vec3(), Vec3::NEG_Y)
                .find(|hit| !objects.contains(&scene.object_of(hit.triangle)))
                .map(|hit| place.y - f64::from(hit.distance));
            DVec3::new(
                place.x,
                floor.unwrap_or(lowest) + middle.y - lowest,
                place.z,
            )
        }
    };
    let turn_deg = if wanted.face {
        let before = heading_pitch(flat(middle - wanted.eye)).0;
        dome_optics::angle::wrap_signed_deg(wanted.heading_deg - before)
    } else {
        0.0
    };
    Some(ObjectMove {
        name: name.to_owned(),
        objects: objects.to_vec(),
        about: [middle.x, middle.z],
        turn_deg,
        by: (target - middle).to_array(),
        on: true,
    })
}

/// Where the middle of some objects is seen: heading, pitch and distance, degrees and metres.
pub fn seen_at(scene: &Scene, objects: &[u32], eye: DVec3) -> Option<(f64, f64, f64)> {
    let (middle, _) = extent(scene, objects)?;
    let (heading, pitch) = heading_pitch(middle - eye);
    Some((heading, pitch, middle.distance(eye)))
}
