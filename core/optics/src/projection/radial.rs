//! Discs about one direction: fisheyes, the angular map, the mirror ball.

use super::{PicturePoint, Projection};
use glam::DVec3;
use std::f64::consts::PI;

/// How the distance from the middle grows with the angle from the axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum FisheyeKind {
    /// `r = f theta`: angles keep their distances (azimuthal equidistant).
    Equidistant,
    /// `r = 2 f sin(theta / 2)`: areas keep their sizes (Lambert azimuthal equal-area).
    Equisolid,
    /// `r = 2 f tan(theta / 2)`: small shapes keep their form.
    Stereographic,
    /// `r = f sin theta`: as seen from far; ends at 180 degrees.
    Orthographic,
}

impl FisheyeKind {
    /// Distance from the middle at angle `theta`, for f = 1.
    pub fn radius(self, theta: f64) -> f64 {
        match self {
            Self::Equidistant => theta,
            Self::Equisolid => 2.0 * (theta / 2.0).sin(),
            Self::Stereographic => 2.0 * (theta / 2.0).tan(),
            Self::Orthographic => theta.sin(),
        }
    }

    /// The angle at distance `r`, for f = 1.
    pub fn angle(self, r: f64) -> f64 {
        match self {
            Self::Equidistant => r,
            Self::Equisolid => 2.0 * (r / 2.0).clamp(-1.0, 1.0).asin(),
            Self::Stereographic => 2.0 * (r / 2.0).atan(),
            Self::Orthographic => r.clamp(-1.0, 1.0).asin(),
        }
    }

    /// Solid angle for an area of the picture at distance `r`, f = 1: `sin theta / r * d theta / d r`.
    fn density(self, r: f64) -> f64 {
        match self {
            Self::Equidistant => sinc(r),
            Self::Equisolid => 1.0,
            Self::Stereographic => (1.0 + r * r / 4.0).powi(-2),
            Self::Orthographic => 1.0 / (1.0 - r * r).max(1e-30).sqrt(),
        }
    }

    /// Widest angle of view, degrees.
    pub fn widest_deg(self) -> f64 {
        match self {
            Self::Equidistant | Self::Equisolid => 360.0,
            // At 360 degrees its edge lies at infinity.
            Self::Stereographic => 350.0,
            Self::Orthographic => 180.0,
        }
    }
}

fn sinc(x: f64) -> f64 {
    if x.abs() < 1e-4 {
        1.0 - x * x / 6.0
    } else {
        x.sin() / x
    }
}

/// A disc that touches the edges of a square, its middle straight ahead. The angular map (light probe) is
/// the equidistant one of 360 degrees.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Disc {
    /// How the distance grows with the angle.
    pub kind: FisheyeKind,
    /// Angle of view across the disc, radians.
    pub fov: f64,
}

impl Disc {
    /// The angular map: 0 in the middle, 180 degrees at the edge.
    pub fn angular_map() -> Self {
        Self {
            kind: FisheyeKind::Equidistant,
            fov: 2.0 * PI,
        }
    }

    fn edge(&self) -> f64 {
        self.kind.radius(self.fov / 2.0)
    }

    /// The direction at (x, y) with the disc's edge at distance 1, also somewhat beyond the edge, where the
    /// mapping goes on.
    pub fn beyond(&self, x: f64, y: f64) -> DVec3 {
        let r = x.hypot(y);
        let theta = self.kind.angle(r * self.edge());
        let across = if r > 0.0 { theta.sin() / r } else { 0.0 };
        DVec3::new(x * across, -y * across, -theta.cos())
    }
}

impl Projection for Disc {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        let (x, y) = (2.0 * point.u - 1.0, 2.0 * point.v - 1.0);
        (x * x + y * y <= 1.0).then(|| self.beyond(x, y))
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        let across = direction.x.hypot(direction.y);
        let theta = across.atan2(-direction.z);
        if theta > self.fov / 2.0 + 1e-12 {
            return None;
        }
        let r = self.kind.radius(theta) / self.edge();
        // Straight back all round is one direction; it is put at the right.
        let (x, y) = if across > 0.0 {
            (direction.x / across * r, -direction.y / across * r)
        } else {
            (r, 0.0)
        };
        Some(PicturePoint {
            u: (x + 1.0) / 2.0,
            v: (y + 1.0) / 2.0,
        })
    }

    fn ratio(&self) -> f64 {
        1.0
    }

    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        let side = |i: u32, n: u32| 2.0 * f64::from(i) / f64::from(n) - 1.0;
        let (x0, x1) = (side(column, width), side(column + 1, width));
        let (y0, y1) = (side(row, height), side(row + 1, height));
        let edge = self.edge();
        let density = |x: f64, y: f64| self.kind.density(x.hypot(y) * edge) * edge * edge;
        // The circle's height changes its form where it crosses the pixel's upper and lower edge.
        let mut cuts = vec![x0, x1];
        for y in [y0, y1] {
            let x = (1.0 - y * y).max(0.0).sqrt();
            cuts.extend([x, -x].into_iter().filter(|v| (x0..=x1).contains(v)));
        }
        cuts.extend([-1.0, 1.0].into_iter().filter(|v| (x0..=x1).contains(v)));
        cuts.sort_by(f64::total_cmp);
        cuts.windows(2)
            .map(|w| {
                integral(w[0], w[1], |x| {
                    let reach = (1.0 - x * x).max(0.0).sqrt();
                    let (low, high) = (y0.max(-reach), y1.min(reach));
                    if low < high {
                        integral(low, high, |y| density(x, y))
                    } else {
                        0.0
                    }
                })
            })
            .sum()
    }
}

/// Gauss-Legendre quadrature of five points (Abramowitz, Stegun, table 25.4).
fn integral(from: f64, to: f64, f: impl Fn(f64) -> f64) -> f64 {
    const POINTS: [(f64, f64); 5] = [
        (0.0, 0.568_888_888_888_888_9),
        (-0.538_469_310_105_683_1, 0.478_628_670_499_366_47),
        (0.538_469_310_105_683_1, 0.478_628_670_499_366_47),
        (-0.906_179_845_938_664, 0.236_926_885_056_189_08),
        (0.906_179_845_938_664, 0.236_926_885_056_189_08),
    ];
    let (middle, half) = ((from + to) / 2.0, (to - from) / 2.0);
    half * POINTS
        .iter()
        .map(|(x, w)| w * f(middle + half * x))
        .sum::<f64>()
}

/// The picture of a mirror ball seen from far, as a camera at the viewpoint's back sees it that looks the
/// way the viewpoint does: the middle mirrors the camera itself (straight back), the ball's rim what lies
/// behind the ball (straight ahead), and what is to the right appears on the right.
///
/// The ball's normal is half-way between the way to the camera and the mirrored direction, so the distance
/// from the middle is `sin(angle from straight back / 2)`: areas keep their sizes, and the sphere is seen
/// mirror-wise, as in every mirror.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MirrorBall;

impl MirrorBall {
    const BACK: Disc = Disc {
        kind: FisheyeKind::Equisolid,
        fov: 2.0 * PI,
    };

    /// As [`Disc::beyond`].
    pub fn beyond(&self, x: f64, y: f64) -> DVec3 {
        Self::BACK.beyond(x, y) * DVec3::new(1.0, 1.0, -1.0)
    }
}

impl Projection for MirrorBall {
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3> {
        Some(Self::BACK.to_direction(point)? * DVec3::new(1.0, 1.0, -1.0))
    }

    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint> {
        Self::BACK.to_picture(direction * DVec3::new(1.0, 1.0, -1.0))
    }

    fn ratio(&self) -> f64 {
        1.0
    }

    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        Self::BACK.solid_angle(column, row, width, height)
    }
}
