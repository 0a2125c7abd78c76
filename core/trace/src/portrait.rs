//! A small picture of the whole scene from outside and a little above: for telling which way is up.

use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::Vec3;
use rayon::prelude::*;

/// What is shown where nothing is.
pub const NOTHING: u8 = 255;

/// 8-bit grey, `width` x `height` pixels, seen from a corner without perspective, with `up` (a unit vector along an
/// axis) upwards in the picture. Surfaces that face up are lightest.
pub fn portrait(scene: &Scene, up: Vec3, width: u32, height: u32) -> Vec<u8> {
    let (low, high) = scene.bounds();
    let (centre, half) = ((low + high) / 2.0, (high - low) / 2.0);
    // Two level directions; the viewer stands at a corner, 30 degrees above.
    let aside = if up.x.abs() > 0.5 { Vec3::Y } else { Vec3::X };
    let other = up.cross(aside);
    let back = ((aside * 0.55 + other * 0.83).normalize() * 0.866 + up * 0.5).normalize();
    let right = up.cross(back).normalize();
    let above = back.cross(right);
    // Large enough for the box from this side.
    let reach = |axis: Vec3| axis.abs().dot(half);
    let pixel = (reach(right) * 2.0 / width as f32)
        .max(reach(above) * 2.0 / height as f32)
        .max(1e-9)
        * 1.06;
    let far = half.length() * 2.0 + pixel;
    let shade = |x: f32, y: f32| {
        let place = right * ((x - width as f32 / 2.0) * pixel)
            + above * ((height as f32 / 2.0 - y) * pixel);
        let ray = TraceRay::new(centre + place + back * far, -back);
        scene.hit(&ray).map_or(f32::from(NOTHING), |hit| {
            let [a, b, c] = scene.corners(hit.triangle);
            let n = (b - a).cross(c - a).normalize_or_zero();
            let n = if n.dot(back) < 0.0 { -n } else { n };
            60.0 + 120.0 * n.dot(up).max(0.0) + 55.0 * n.dot(right).abs()
        })
    };
    (0..width * height)
        .into_par_iter()
        .map(|i| {
            let (x, y) = ((i % width) as f32, (i / width) as f32);
            let mean = [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)]
                .map(|(dx, dy)| shade(x + dx, y + dy))
                .iter()
                .sum::<f32>()
                / 4.0;
            mean.clamp(0.0, 255.0) as u8
        })
        .collect()
}
