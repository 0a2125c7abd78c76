//! The walk up the stair to the gallery, while the dome turns and the telescope follows, and what is heard on it.

use crate::room::{GALLERY, STEPS, tread};
use crate::shape::polar;
use glam::Vec3;
use std::f32::consts::TAU;

/// How long it lasts, seconds.
pub const WALK_S: f64 = 12.0;
/// Height of the eyes above the floor, metres.
pub const EYES_M: f64 = 1.6;
/// Where the walker looks all the way, degrees: a turning viewpoint makes people sick.
pub const WALK_HEADING: f64 = 15.0;

/// A key of the walk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WalkKey {
    /// Its moment, seconds.
    pub time_s: f64,
    /// Where the eye is, metres.
    pub position: [f64; 3],
    /// Distance of the eyes, metres: a thirtieth of the nearest thing about it.
    pub separation_m: f64,
}

/// How far from the post the stair is climbed, metres.
const STRIDE: f32 = 0.56;

/// The walk: it is gone at one speed, begins and ends gently over [`WALK_EASE_S`] and keeps its height above the floor.
pub fn stair_walk() -> Vec<WalkKey> {
    let eyes = EYES_M as f32;
    let floor = |x: f32, z: f32, floor: f32| Vec3::new(x, floor + eyes, z);
    let mut points = vec![
        floor(-0.05, 2.6, 0.0),
        floor(-0.15, 3.7, 0.0),
        floor(-0.45, 4.45, 0.0),
    ];
    points.extend(
        [2.0, 4.5, 7.0, 9.5, 12.0, STEPS as f32].map(|i| tread(i, STRIDE) + Vec3::Y * eyes),
    );
    points.extend(
        [(182.0, 4.9), (173.0, 4.74), (161.0, 4.7)]
            .map(|(heading, radius)| polar(heading, radius, GALLERY + eyes)),
    );
    let last = points.len() - 1;
    (points.iter().zip(SEPARATIONS_MM).enumerate())
        .map(|(i, (p, mm))| WalkKey {
            time_s: WALK_S * i as f64 / last as f64,
            position: p
                .to_array()
                .map(|v| (f64::from(v) * 1000.0).round() / 1000.0),
            separation_m: mm / 1000.0,
        })
        .collect()
}

/// How long it begins and ends gently, seconds.
pub const WALK_EASE_S: f64 = 1.5;

/// Distances of the eyes at the keys, millimetres.
const SEPARATIONS_MM: [f64; 12] = [
    18.9, 18.9, 16.0, 15.0, 15.0, 15.0, 14.5, 14.5, 16.0, 15.5, 15.5, 19.9,
];

/// Samples of the sound a second.
const RATE: u32 = 48_000;
/// Where the gear of the dome's drive hums, metres.
const DRIVE: Vec3 = Vec3::new(2.7, 4.6, 4.7);
/// Where the clock ticks, metres.
const CLOCK: Vec3 = Vec3::new(-4.2, 2.0, -3.4);

/// What is heard on the walk, as a WAV of first-order ambisonics (channels W, Y, Z, X; SN3D), made for a viewer whose middle is the heading
/// of the walk: the drive of the dome hums while it turns, a clock ticks, and steps sound from below.
pub fn stair_sound() -> Vec<u8> {
    let keys = stair_walk();
    let count = (WALK_S * f64::from(RATE)) as u32;
    let (sin, cos) = (WALK_HEADING as f32).to_radians().sin_cos();
    let (ahead, left) = (Vec3::new(sin, 0.0, -cos), Vec3::new(-cos, 0.0, -sin));
    let mut noise = 1u32;
    let mut data = Vec::with_capacity(count as usize * 8);
    for i in 0..count {
        let t = i as f32 / RATE as f32;
        let share = t / WALK_S as f32;
        let eye = along(&keys, share);
        // Steps of two thirds of a second.
        let step = (t / 0.66).fract() * 0.66;
        noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let hiss = (noise >> 8) as f32 / 8_388_608.0 - 1.0;
        let tick = t.fract();
        let turning = 6.0 * share * (1.0 - share);
        let hum = (0..4).map(|k| (TAU * 55.0 * (k + 1) as f32 * t).sin() / (k + 1) as f32);
        let sources = [
            (DRIVE, 0.24 * turning * hum.sum::<f32>()),
            (
                CLOCK,
                0.5 * (TAU * 2100.0 * t).sin() * (-tick * 220.0).exp(),
            ),
            (
                eye - Vec3::Y * EYES_M as f32,
                0.22 * hiss * (-step * 38.0).exp(),
            ),
        ];
        let mut channels = [0.0_f32; 4];
        for (place, loud) in sources {
            let to = place - eye;
            let far = to.length().max(0.5);
            let (from, loud) = (to / far, loud / far);
            channels[0] += loud;
            channels[1] += loud * from.dot(left);
            channels[2] += loud * from.y;
            channels[3] += loud * from.dot(ahead);
        }
        for c in channels {
            data.extend(((c * 32_000.0).clamp(-32_767.0, 32_767.0) as i16).to_le_bytes());
        }
    }
    wav(&data)
}

/// A place on the walk, by the share of its keys.
fn along(keys: &[WalkKey], share: f32) -> Vec3 {
    let at = share * (keys.len() - 1) as f32;
    let i = (at as usize).min(keys.len() - 2);
    let place = |k: &WalkKey| Vec3::from(k.position.map(|v| v as f32));
    place(&keys[i]).lerp(place(&keys[i + 1]), at - i as f32)
}

/// A WAV of four channels of 16 bits.
fn wav(data: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(data.len() + 44);
    out.extend(b"RIFF");
    out.extend((36 + data.len() as u32).to_le_bytes());
    out.extend(b"WAVEfmt ");
    out.extend(16u32.to_le_bytes());
    // Plain numbers, four channels.
    out.extend([1, 0, 4, 0]);
    out.extend(RATE.to_le_bytes());
    out.extend((RATE * 8).to_le_bytes());
    out.extend([8, 0, 16, 0]);
    out.extend(b"data");
    out.extend((data.len() as u32).to_le_bytes());
    out.extend(data);
    out
}
