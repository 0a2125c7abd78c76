//! The planes of depth of a flat pair: as lines in plan and section, and as a layer over its picture.

use super::depth::Deep;
use super::told::depth::{FrameLines, PlaneLine, WhichPlane};
use dome_optics::{Eye, PicturePoint};
use dome_trace::stand::sight;
use glam::DVec3;
use rayon::prelude::*;

/// How a pixel lies to the planes.
#[derive(Clone, Copy, PartialEq)]
enum Lies {
    /// Nearer than the nearest plane.
    Near,
    /// Between the planes, in front of zero parallax.
    Front,
    /// Between the planes, behind it.
    Behind,
    /// Farther than the farthest plane.
    Far,
}

/// Amber, as all that is beyond comfort.
const AMBER: [u8; 3] = [0xf0, 0xa0, 0x20];
/// Opacity of what is beyond a plane.
const TINT: u8 = 100;
/// Pixels of a stripe over what is too far.
const STRIPE: u32 = 6;

impl Deep<'_> {
    /// Frame and planes in plan (x and z, metres, at the eye's height) and section (metres along the heading and height, from the
    /// eye); nothing of a panoramic pair. A plane that is infinitely far is left out.
    pub fn frame_lines(&self) -> Option<FrameLines> {
        let plan = self.plan()?;
        let (pitch, heading) = (
            self.rig.flat.pitch_deg.to_radians(),
            self.pose.heading_deg.to_radians(),
        );
        // A frame that looks straight up has no lines in plan.
        if pitch.cos() < 0.05 {
            return None;
        }
        let half = (plan.frame.hfov / 2.0).tan();
        let high = (plan.frame.vfov() / 2.0).tan();
        let [x, _, z] = self.pose.position;
        let in_plan = |far: f64, side: f64| {
            let (ahead, right) = (far / pitch.cos(), far * half * side);
            [
                x + ahead * heading.sin() + right * heading.cos(),
                z - ahead * heading.cos() + right * heading.sin(),
            ]
        };
        let in_section = |far: f64, side: f64| {
            let up = far * high * side;
            [
                far * pitch.cos() - up * pitch.sin(),
                far * pitch.sin() + up * pitch.cos(),
            ]
        };
        let [nearest, zero, farthest] = plan.planes();
        let all = [
            (WhichPlane::Nearest, nearest),
            (WhichPlane::Zero, zero),
            (WhichPlane::Farthest, farthest),
        ];
        let planes = (all.into_iter())
            .filter(|(_, far)| far.is_finite())
            .map(|(which, far)| PlaneLine {
                which,
                distance_m: far,
                plan: [in_plan(far, -1.0), in_plan(far, 1.0)],
                section: [in_section(far, -1.0), in_section(far, 1.0)],
            })
            .collect();
        let end = 3.0
            * all
                .iter()
                .map(|p| p.1)
                .filter(|f| f.is_finite())
                .fold(1.0, f64::max);
        Some(FrameLines {
            planes,
            plan: [in_plan(end, -1.0), in_plan(end, 1.0)],
            section: [in_section(end, -1.0), in_section(end, 1.0)],
        })
    }

    /// The layer over a flat pair's picture, red, green, blue and opacity: amber in front of the nearest plane, amber stripes
    /// behind the farthest, a light line with a dark one beside it where the plane of zero parallax parts things. With its width
    /// and height.
    pub fn planes_layer(&self, width: u32) -> Option<(u32, u32, Vec<u8>)> {
        let plan = self.plan()?;
        let height = ((f64::from(width) / plan.frame.ratio).round() as u32).max(1);
        let camera = self.camera(&plan);
        let axis = -super::preview::orientation(&self.pose).matrix().z_axis;
        let eye = DVec3::from(self.pose.position);
        let lies: Vec<Lies> = (0..width * height)
            .into_par_iter()
            .map(|i| {
                let point = PicturePoint::pixel_centre(i % width, i / width, width, height);
                let depth = camera.ray(point).and_then(|ray| {
                    let seen = sight::look(self.scene, eye, ray.direction)?;
                    Some(seen.distance * ray.direction.dot(axis))
                });
                let depth = depth.unwrap_or(f64::INFINITY);
                let px = plan.parallax(depth);
                // Half a pixel of rounding is not beyond.
                if px < -plan.budget.front - 0.5 {
                    Lies::Near
                } else if px > plan.budget.back + 0.5 {
                    Lies::Far
                } else if px < 0.0 {
                    Lies::Front
                } else {
                    Lies::Behind
                }
            })
            .collect();
        let in_front = |i: u32| matches!(lies[i as usize], Lies::Near | Lies::Front);
        let layer = (0..width * height)
            .flat_map(|i| {
                let (x, y) = (i % width, i / width);
                let parted = |dx: u32, dy: u32| {
                    x + dx < width
                        && y + dy < height
                        && in_front(i) != in_front(i + dx + dy * width)
                };
                if parted(1, 0) || parted(0, 1) {
                    // The side in front is the light one.
                    return if in_front(i) {
                        [255, 255, 255, 255]
                    } else {
                        [0x15, 0x18, 0x1e, 255]
                    };
                }
                let opacity = match lies[i as usize] {
                    Lies::Near => TINT,
                    Lies::Far if ((x + y) / STRIPE).is_multiple_of(2) => TINT,
                    _ => 0,
                };
                [AMBER[0], AMBER[1], AMBER[2], opacity]
            })
            .collect();
        Some((width, height, layer))
    }
}
