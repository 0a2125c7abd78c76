//! What a pair of eyes makes of what it sees: comfort in a headset, parallax on a screen, and what is beyond it.

use dome_optics::Orientation;
use dome_optics::rig::parallax::{Budget, focal_px, parallax};
use dome_optics::rig::screen::{ADULT_EYES, CHILD_EYES, Screen};
use dome_optics::rig::{FlatPair, Frame, PanoramicPair, Side};
use dome_trace::Scene;
use dome_trace::stand::clearance::COMFORT;
use dome_trace::stand::depth::{self, Depths, Sight};
use glam::DVec3;

/// Share of the picture that is left aside when nearest and farthest are told, so that one leaf does not rule.
pub const ASIDE: f64 = 0.005;

/// The nearest distance that is comfortable in a headset, metres: thirty separations (common practice, no source). A limit in metres
/// would say nothing more: to people's own eyes 30 separations are 1.9 m already, and a pair of smaller eyes sees everything as much
/// larger and farther as it is smaller, so that its limit shrinks with it.
pub fn comfortable(separation: f64) -> f64 {
    COMFORT * separation
}

/// In which way a thing is beyond what is comfortable.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Beyond {
    /// Nearer than is comfortable in a headset.
    Near,
    /// More in front of the screen than the budget allows.
    Front,
    /// More behind the screen than the budget allows.
    Back,
}

/// A thing that is beyond what is comfortable.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Offender {
    /// The object.
    pub object: u32,
    /// How.
    pub beyond: Beyond,
    /// Its distance where it is worst, metres.
    pub distance: f64,
    /// Degrees between the eyes' rays there in a headset; pixels of parallax on a screen.
    pub amount: f64,
    /// Share of the picture that is beyond, 0 to 1.
    pub share: f64,
    /// Heading there, degrees.
    pub heading_deg: f64,
    /// Pitch there, degrees.
    pub pitch_deg: f64,
}

/// Things beyond a limit, the worst first: those of `sights` that `measure` gives an amount for.
fn offenders(depths: &Depths, measure: impl Fn(&Sight) -> Option<(Beyond, f64)>) -> Vec<Offender> {
    let mut found: Vec<Offender> = Vec::new();
    for s in &depths.sights {
        let Some((beyond, amount)) = measure(s) else {
            continue;
        };
        match found
            .iter_mut()
            .find(|o| o.object == s.object && o.beyond == beyond)
        {
            Some(o) => {
                o.share += s.share;
                if amount.abs() > o.amount.abs() {
                    o.amount = amount;
                    o.distance = s.distance;
                    (o.heading_deg, o.pitch_deg) =
                        dome_optics::direction::heading_pitch(s.direction);
                }
            }
            None => {
                let (heading_deg, pitch_deg) = dome_optics::direction::heading_pitch(s.direction);
                found.push(Offender {
                    object: s.object,
                    beyond,
                    distance: s.distance,
                    amount,
                    share: s.share,
                    heading_deg,
                    pitch_deg,
                });
            }
        }
    }
    found.sort_by(|a, b| b.amount.abs().total_cmp(&a.amount.abs()));
    found
}

/// What is too near for a panoramic pair, where the pair is open; `to_view` turns directions of the world into the viewer's
/// own. Where the pair closes, less distance is enough.
pub fn too_near(
    pair: &PanoramicPair,
    depths: &Depths,
    to_view: impl Fn(DVec3) -> DVec3,
) -> Vec<Offender> {
    offenders(depths, |s| {
        let lat = to_view(s.direction).y.clamp(-1.0, 1.0).asin();
        let open = pair.openness(lat);
        let own = PanoramicPair {
            separation: pair.separation * open,
            ..*pair
        };
        (s.distance < comfortable(pair.separation) * open)
            .then(|| (Beyond::Near, own.angle_at(s.distance).to_degrees()))
    })
}

/// A flat pair before a scene, and what it may do on a screen.
#[derive(Clone, Copy, Debug)]
pub struct FlatPlan {
    /// The pair.
    pub pair: FlatPair,
    /// Its frame.
    pub frame: Frame,
    /// Width of the final picture, pixels.
    pub width: f64,
    /// What this shot may use, pixels of the final width.
    pub budget: Budget,
    /// The screen, if it is known.
    pub screen: Option<Screen>,
}

/// A thing in front of the screen that a frame's edge cuts off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Violation {
    /// The object.
    pub object: u32,
    /// Whether at the left edge.
    pub left: bool,
    /// Distance of its nearest point at the edge, metres.
    pub distance: f64,
    /// Its parallax there, pixels; below 0.
    pub parallax: f64,
}

/// Floating windows by their edges, pixels: left edge at top and bottom, right edge at top and bottom.
pub type Window = [f64; 4];

impl FlatPlan {
    /// Focal length in pixels of the final picture.
    pub fn k(&self) -> f64 {
        focal_px(self.width, self.frame.hfov)
    }

    /// Parallax of a distance, pixels of the final picture.
    pub fn parallax(&self, distance: f64) -> f64 {
        parallax(self.k(), self.pair.separation, self.pair.converge, distance)
    }

    /// The nearest distance allowed, that of zero parallax, and the farthest allowed (which may be infinite), metres.
    pub fn planes(&self) -> [f64; 3] {
        let (k, b, c) = (self.k(), self.pair.separation, self.pair.converge);
        [
            self.budget.nearest(k, b, c),
            c,
            self.budget.farthest(k, b, c),
        ]
    }

    /// Separation and distance of zero parallax by which what is seen just fills the budget, metres. `aside` is the share of
    /// the picture that is left out at either end.
    pub fn fit(&self, depths: &Depths, aside: f64) -> Option<(f64, f64)> {
        self.budget
            .fit(self.k(), depths.nearest(aside)?, depths.farthest(aside))
    }

    /// What is beyond the budget. Half a pixel of rounding is not.
    pub fn offenders(&self, depths: &Depths) -> Vec<Offender> {
        offenders(depths, |s| {
            let px = self.parallax(s.distance);
            if px < -self.budget.front - 0.5 {
                Some((Beyond::Front, px))
            } else if px > self.budget.back + 0.5 {
                Some((Beyond::Back, px))
            } else {
                None
            }
        })
    }

    /// Things in front of the screen that the left edge of the left eye or the right edge of the right eye cuts off, and the
    /// floating window that puts the edges before them. The camera stands at a viewpoint (metres).
    pub fn window(
        &self,
        scene: &Scene,
        position: DVec3,
        orientation: Orientation,
    ) -> (Vec<Violation>, Window) {
        let mut violations: Vec<Violation> = Vec::new();
        let mut window = [0.0; 4];
        for (i, (side, u)) in [(Side::Left, 0.0), (Side::Right, 1.0)]
            .into_iter()
            .enumerate()
        {
            let eye = self.pair.eye(side, position, orientation, self.frame);
            let edge = depth::edge(scene, &eye, u);
            let needed: Vec<f64> = edge
                .iter()
                .map(|s| s.map_or(0.0, |s| (-self.parallax(s.distance)).max(0.0)))
                .collect();
            for (sight, px) in edge.iter().zip(&needed) {
                let Some(sight) = sight.filter(|_| *px > 0.5) else {
                    continue;
                };
                let left = side == Side::Left;
                match violations
                    .iter_mut()
                    .find(|v| v.object == sight.object && v.left == left)
                {
                    Some(v) if sight.distance < v.distance => {
                        v.distance = sight.distance;
                        v.parallax = -px;
                    }
                    Some(_) => {}
                    None => violations.push(Violation {
                        object: sight.object,
                        left,
                        distance: sight.distance,
                        parallax: -px,
                    }),
                }
            }
            let [top, bottom] = covering(&needed);
            window[2 * i] = top;
            window[2 * i + 1] = bottom;
        }
        violations.sort_by(|a, b| a.parallax.total_cmp(&b.parallax));
        (violations, window)
    }

    /// How far adults' and children's eyes diverge for what is farthest, degrees; nothing where the screen is not known.
    pub fn divergence_deg(&self, farthest: f64) -> Option<(f64, f64)> {
        let screen = self.screen?;
        let share = self.parallax(farthest) / self.width;
        Some((
            screen.divergence_deg(share, ADULT_EYES),
            screen.divergence_deg(share, CHILD_EYES),
        ))
    }
}

/// The straight line from the top to the bottom of an edge that covers what is needed at every height, pixels; half a pixel
/// or less needs nothing.
fn covering(needed: &[f64]) -> [f64; 2] {
    let n = needed.len();
    if needed.iter().all(|px| *px <= 0.5) {
        return [0.0; 2];
    }
    let half = |rows: &[f64]| rows.iter().copied().fold(0.0, f64::max);
    let (mut top, mut bottom) = (half(&needed[..n / 2]), half(&needed[n / 2..]));
    let lacking = |top: f64, bottom: f64| {
        (needed.iter().enumerate())
            .map(|(i, px)| {
                let t = (i as f64 + 0.5) / n as f64;
                px - (top + (bottom - top) * t)
            })
            .fold(0.0, f64::max)
    };
    let more = lacking(top, bottom);
    top += more;
    bottom += more;
    [top.ceil(), bottom.ceil()]
}

#[cfg(test)]
mod tests {
    use super::covering;

    #[test]
    fn windows_cover_what_is_cut_off() {
        assert_eq!(covering(&[0.2; 8]), [0.0, 0.0]);
        assert_eq!(covering(&[4.0; 8]), [4.0, 4.0]);
        // A post at the bottom leans the window.
        let needed = [0.0, 0.0, 0.0, 0.0, 0.0, 6.0, 6.0, 6.0];
        let [top, bottom] = covering(&needed);
        assert!(bottom > top, "{top} {bottom}");
        for (i, px) in needed.iter().enumerate() {
            let t = (i as f64 + 0.5) / 8.0;
            assert!(top + (bottom - top) * t >= *px);
        }
    }
}
