//! The Merlow Observatory, a made-up hill-top observatory at evening, built by code as glTF 2.0.
//!
//! Heading 0 is north (-Z). The dome's slit and the telescope look north-west to the low sun; the desk
//! stands in the south-east, the door and terrace lie in the east.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

mod dome;
mod gltf_write;
mod outside;
mod paints;
pub mod pattern;
mod room;
mod shape;
mod sphere;
mod study;
mod telescope;
mod walk;

use glam::Vec3;
use gltf_write::Stage;
use paints::Paints;
use serde_json::json;
pub use sphere::evening_sphere;
pub use walk::{EYES_M, WALK_EASE_S, WALK_HEADING, WALK_S, WalkKey, stair_sound, stair_walk};

/// The observatory's name.
pub const NAME: &str = "Merlow Observatory";

/// Heading of the dome's slit, the telescope and the evening sun, degrees.
pub const SLIT_HEADING_DEG: f32 = 300.0;
/// Height of the evening sun above the horizon, degrees.
pub const SUN_ELEVATION_DEG: f32 = 24.0;

/// A place to stand that the demo project starts with.
#[derive(Clone, Copy, Debug)]
pub struct Place {
    /// Name.
    pub name: &'static str,
    /// Eye position, metres.
    pub position: [f64; 3],
    /// Heading, degrees.
    pub heading_deg: f64,
}

/// The demo project's viewpoints.
pub const PLACES: [Place; 4] = [
    Place {
        name: "Under the dome",
        position: [1.55, 1.6, 1.75],
        heading_deg: 315.0,
    },
    Place {
        name: "At the desk",
        position: [1.9, 1.25, 2.35],
        heading_deg: 130.0,
    },
    Place {
        name: "Gallery",
        position: [-3.69, 4.25, 3.19],
        heading_deg: 40.0,
    },
    Place {
        name: "Terrace",
        position: [8.6, 1.45, -0.6],
        heading_deg: 75.0,
    },
];

/// Luminance of a sheet of paper in the observatory at dusk, about 250 lux of lamps and sky, cd/m^2: white there.
const DUSK_CD_M2: f32 = 80.0;

/// How long everything moves, seconds.
const LENGTH_S: f32 = WALK_S as f32;
/// How far the dome turns meanwhile, clockwise, degrees.
const TURN_DEG: f32 = 24.0;

/// Heading of the camera on the visitor's walk, degrees: the way that it sets out.
const WALK_HEADING_DEG: f32 = 225.0;

/// A walk round the telescope, from the north-west to the south-west: times in seconds and points in metres.
fn walk() -> (Vec<f32>, Vec<Vec3>) {
    (0..=24)
        .map(|i| {
            let share = i as f32 / 24.0;
            let heading = (320.0 - 110.0 * eased(share)).to_radians();
            let place = Vec3::new(heading.sin(), 0.0, -heading.cos()) * 2.9;
            (LENGTH_S * share, place + Vec3::Y * 1.6)
        })
        .unzip()
}

/// A share of the way that begins and ends slowly.
fn eased(share: f32) -> f32 {
    share * share * (3.0 - 2.0 * share)
}

/// Where the middle of the wall lamp beside the desk is, metres: a known light for checks.
pub fn wall_lamp() -> [f32; 3] {
    room::wall_lamp(room::LAMP_HEADINGS[2]).to_array()
}

/// The scene as `.glb` bytes; the same bytes at every call.
pub fn build() -> Vec<u8> {
    let mut stage = Stage::default();
    let paints = Paints::new(&mut stage);
    room::build(&mut stage, &paints);
    stage.group("Dome", |s| dome::shell(s, &paints));
    dome::rollers(&mut stage, &paints);
    telescope::pier(&mut stage, &paints);
    stage.group("Telescope", |s| telescope::build(s, &paints));
    study::build(&mut stage, &paints);
    outside::build(&mut stage, &paints);
    let (times, points) = walk();
    stage.walking_camera("Visitor's walk", &times, &points, WALK_HEADING_DEG);
    // The dome turns after the sun, and the telescope with it.
    let turned: Vec<f32> = times
        .iter()
        .map(|t| TURN_DEG * eased(t / LENGTH_S))
        .collect();
    stage.turning("Dome", &times, &turned);
    stage.turning("Telescope", &times, &turned);
    stage.finish(
        NAME,
        json!({
            "sky": {
                "kind": "two-colour",
                "zenith": [0.42, 0.62, 1.05],
                "horizon": [1.75, 1.28, 0.92],
            },
            // Dusk: lamps and the last of the sky are about as bright as each other.
            "light": {"file_cd_m2": 1.0, "sky_cd_m2": DUSK_CD_M2, "white_cd_m2": DUSK_CD_M2},
        }),
    )
}
