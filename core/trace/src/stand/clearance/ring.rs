//! The ring of the plan: how far it is free over the ground.

use super::super::Floor;
use super::super::around::{free, headings, level};
use super::ground::UNEVEN;
use super::{RING, RING_END};
use crate::scene::Scene;
use glam::Vec3;
use rayon::prelude::*;

/// Heights between the floor and the eye at which level rays are sent, metres.
pub(super) fn heights(eye: Vec3, floor: Option<Floor>) -> Vec<f32> {
    let Some(floor) = floor.map(|f| f.y as f32) else {
        return vec![eye.y];
    };
    let from = floor + UNEVEN;
    let steps = (((eye.y - from) / 0.15).ceil().clamp(1.0, 40.0)) as usize;
    (0..=steps)
        .map(|i| from + (eye.y - from) * i as f32 / steps as f32)
        .collect()
}

/// Free distance over the ground for every heading in turn.
pub(super) fn ring(scene: &Scene, eye: Vec3, floor: Option<Floor>) -> Vec<f32> {
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
