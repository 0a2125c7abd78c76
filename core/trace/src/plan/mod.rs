//! Plan and section: the scene cut by a level or an upright plane, drawn from its real triangles.
//!
//! A drawing is flat: a plan's first axis is x and its second z; a section's first axis runs along the
//! line of the cut and its second is the height. All in metres.

mod outline;

use crate::accel::TraceRay;
use crate::scene::Scene;
use glam::{Vec2, Vec3};
use outline::Segment;
use rayon::prelude::*;
use std::cmp::Ordering;

pub use outline::Outline;

/// Where the scene is cut.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum CutPlane {
    /// At a height, seen from above.
    Level {
        /// Height, metres.
        y: f32,
    },
    /// Along a line of the ground. Seen with the line running to the right, so one looks to the left of it.
    Upright {
        /// Where the first axis is 0: x and z, metres.
        from: Vec2,
        /// Unit direction of the line: x and z.
        along: Vec2,
    },
}

impl CutPlane {
    /// The upright cut from one point of the ground towards another; a line without length runs east.
    pub fn through(from: Vec2, to: Vec2) -> Self {
        Self::Upright {
            from,
            along: (to - from).normalize_or(Vec2::X),
        }
    }

    /// Which side a point lies on and how far, metres; what one looks at is negative.
    fn side(&self, p: Vec3) -> f32 {
        match *self {
            Self::Level { y } => p.y - y,
            Self::Upright { from, along } => (Vec2::new(p.x, p.z) - from).perp_dot(along),
        }
    }

    /// A point on the drawing.
    pub fn flat(&self, p: Vec3) -> Vec2 {
        match *self {
            Self::Level { .. } => Vec2::new(p.x, p.z),
            Self::Upright { from, along } => {
                Vec2::new((Vec2::new(p.x, p.z) - from).dot(along), p.y)
            }
        }
    }

    /// A point of the drawing in the world.
    pub fn world(&self, p: Vec2) -> Vec3 {
        match *self {
            Self::Level { y } => Vec3::new(p.x, y, p.y),
            Self::Upright { from, along } => {
                let ground = from + along * p.x;
                Vec3::new(ground.x, p.y, ground.y)
            }
        }
    }

    /// The direction one looks in.
    fn view(&self) -> Vec3 {
        match *self {
            Self::Level { .. } => Vec3::NEG_Y,
            Self::Upright { along, .. } => Vec3::new(along.y, 0.0, -along.x),
        }
    }
}

/// A part of a drawing: lowest and highest along both axes, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Area {
    /// Lowest corner.
    pub low: Vec2,
    /// Highest corner.
    pub high: Vec2,
}

/// The scene cut open.
#[derive(Clone, Debug, Default)]
pub struct Drawing {
    /// Solids: the closed outlines of one object each, holes running the other way round.
    pub solids: Vec<Vec<Outline>>,
    /// Everything that encloses no solid: single surfaces, and the walls of rooms that are one closed box.
    pub lines: Vec<Outline>,
}

/// Cuts the scene. Outlines outside `area` are left out, and details finer than `detail` metres; with
/// neither everything is there.
pub fn cut(scene: &Scene, plane: &CutPlane, area: Option<Area>, detail: f32) -> Drawing {
    // What lies on one side as a whole needs no look at its triangles.
    let crossed = |(low, high): (Vec3, Vec3)| {
        let sides = (0..8).map(|i| {
            let pick = |axis: usize| {
                if i >> axis & 1 == 0 {
                    low[axis]
                } else {
                    high[axis]
                }
            };
            plane.side(Vec3::new(pick(0), pick(1), pick(2)))
        });
        let (least, most) = sides.fold((f32::INFINITY, f32::NEG_INFINITY), |(a, b), s| {
            (a.min(s), b.max(s))
        });
        // A corner that rounds onto the plane must not be lost.
        least <= 1e-3 && most >= -1e-3
    };
    let ranges: Vec<_> = scene
        .ranges()
        .filter(|(_, b)| crossed(*b))
        .map(|(r, _)| r)
        .collect();
    let mut segments: Vec<Segment> = ranges
        .into_par_iter()
        .flat_map(|range| range.into_par_iter())
        .filter_map(|t| {
            let corners = scene.corners(t);
            // Most triangles lie on one side; telling that needs nothing but three numbers.
            let sides = corners.map(|c| plane.side(c));
            if sides.iter().all(|s| *s >= 0.0) || sides.iter().all(|s| *s < 0.0) {
                return None;
            }
            cut_triangle(plane, corners, sides).map(|ends| Segment {
                object: scene.object_of(t),
                ends,
            })
        })
        .collect();
    // The order in which threads come is not to be seen.
    segments.par_sort_by(|a, b| {
        (a.object.cmp(&b.object))
            .then_with(|| order(a.ends[0], b.ends[0]))
            .then_with(|| order(a.ends[1], b.ends[1]))
    });
    outline::drawing(scene, &segments, area, detail)
}

fn order(a: Vec2, b: Vec2) -> Ordering {
    a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y))
}

/// The two points where a triangle's edges cross the plane, with the solid to the left of the way from
/// the first to the second.
///
/// A corner exactly on the plane counts as beyond, so that a shared corner is crossed once only.
fn cut_triangle(plane: &CutPlane, corners: [Vec3; 3], sides: [f32; 3]) -> Option<[Vec2; 2]> {
    let beyond = sides.map(|s| s >= 0.0);
    let mut ends = [Vec2::ZERO; 2];
    let mut found = 0;
    for (i, j) in [(0, 1), (1, 2), (2, 0)] {
        if beyond[i] != beyond[j] && found < 2 {
            // Always from the nearer to the farther side: neighbours compute the same point.
            let (a, b) = if beyond[j] { (i, j) } else { (j, i) };
            let t = -sides[a] / (sides[b] - sides[a]);
            ends[found] = plane.flat(corners[a].lerp(corners[b], t));
            found += 1;
        }
    }
    if found < 2 || ends[0] == ends[1] {
        return None;
    }
    let normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
    // The normal's part within the drawing; flat() takes points, so the origin is taken away again.
    let outward = plane.flat(normal) - plane.flat(Vec3::ZERO);
    let left = (ends[1] - ends[0]).perp();
    if left.dot(outward) > 0.0 {
        ends.swap(0, 1);
    }
    Some(ends)
}

/// A drawing of what lies behind the cut: 8-bit grey, `width` x `height` pixels over `area`. The second
/// axis runs down for a plan (heading 0 is up) and up for a section. What faces the viewer is light, slopes
/// and depths are darker.
pub fn shaded(scene: &Scene, plane: &CutPlane, area: Area, width: u32, height: u32) -> Vec<u8> {
    let (low, high) = scene.bounds();
    let view = plane.view();
    let deepest = [low, high]
        .map(|c| -plane.side(c))
        .into_iter()
        .fold(1e-3, f32::max);
    let size = area.high - area.low;
    (0..width * height)
        .into_par_iter()
        .map(|i| {
            let u = ((i % width) as f32 + 0.5) / width as f32;
            let v = ((i / width) as f32 + 0.5) / height as f32;
            let down = match plane {
                CutPlane::Level { .. } => v,
                CutPlane::Upright { .. } => 1.0 - v,
            };
            let origin = plane.world(area.low + size * Vec2::new(u, down));
            let Some(hit) = scene.hit(&TraceRay::new(origin, view)) else {
                return 255;
            };
            let [a, b, c] = scene.corners(hit.triangle);
            let facing = (b - a).cross(c - a).normalize_or_zero().dot(view).abs();
            // The first few metres matter most: a logarithm spreads them.
            let depth = (1.0 + hit.distance).ln() / (1.0 + deepest).ln();
            let shade = 0.97 - 0.22 * depth.clamp(0.0, 1.0) - 0.30 * (1.0 - facing);
            (shade.clamp(0.0, 1.0) * 255.0) as u8
        })
        .collect()
}
