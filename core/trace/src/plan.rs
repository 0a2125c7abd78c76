//! The plan: the scene cut at a height and seen from above, from its real triangles.

use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::Vec3;
use rayon::prelude::*;

/// A line of the cut in metres: x and z of its two ends.
pub type Segment = [f32; 4];

/// Where the triangles pass through the height `y`.
pub fn cut(scene: &Scene, y: f32) -> Vec<Segment> {
    (0..scene.triangle_count() as u32)
        .into_par_iter()
        .filter_map(|t| cut_triangle(scene.corners(t), y))
        .collect()
}

/// The two points where a triangle's edges cross the height, if it is crossed.
///
/// A corner exactly at the height counts as above, so that a shared corner is crossed once only.
fn cut_triangle(corners: [Vec3; 3], y: f32) -> Option<Segment> {
    let above = corners.map(|c| c.y >= y);
    let mut ends = [0.0; 4];
    let mut found = 0;
    for (i, j) in [(0, 1), (1, 2), (2, 0)] {
        if above[i] != above[j] && found < 2 {
            // Always from the lower to the upper corner: neighbours compute the same point.
            let (a, b) = if above[j] { (i, j) } else { (j, i) };
            let t = (y - corners[a].y) / (corners[b].y - corners[a].y);
            let p = corners[a].lerp(corners[b], t);
            ends[2 * found] = p.x;
            ends[2 * found + 1] = p.z;
            found += 1;
        }
    }
    (found == 2).then_some(ends)
}

/// An area of the ground: lowest and highest x and z, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Area {
    /// Lowest x.
    pub x0: f32,
    /// Lowest z.
    pub z0: f32,
    /// Highest x.
    pub x1: f32,
    /// Highest z.
    pub z1: f32,
}

/// A drawing of what lies below the height `y`, seen from straight above: 8-bit grey, `width` x `height`
/// pixels over `area`, -Z (heading 0) upwards. Level ground is light, slopes and depths are darker.
pub fn shaded(scene: &Scene, y: f32, area: Area, width: u32, height: u32) -> Vec<u8> {
    let (low, _) = scene.bounds();
    let depth_range = (y - low.y).max(1e-3);
    (0..width * height)
        .into_par_iter()
        .map(|i| {
            let u = ((i % width) as f32 + 0.5) / width as f32;
            let v = ((i / width) as f32 + 0.5) / height as f32;
            let origin = Vec3::new(
                area.x0 + (area.x1 - area.x0) * u,
                y,
                area.z0 + (area.z1 - area.z0) * v,
            );
            let Some(hit) = scene.hit(&TraceRay::new(origin, Vec3::NEG_Y)) else {
                return 255;
            };
            let [a, b, c] = scene.corners(hit.triangle);
            let level = (b - a).cross(c - a).normalize_or_zero().y.abs();
            // The first few metres matter most: a logarithm spreads them.
            let depth = (1.0 + hit.distance).ln() / (1.0 + depth_range).ln();
            let shade = 0.97 - 0.22 * depth.clamp(0.0, 1.0) - 0.30 * (1.0 - level);
            (shade.clamp(0.0, 1.0) * 255.0) as u8
        })
        .collect()
}
