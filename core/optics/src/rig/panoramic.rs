//! The panoramic pair: omnidirectional stereo (Ishiguro, Yamamoto, Tsuji 1992; Peleg, Ben-Ezra, Pritch 2001, IEEE PAMI
//! 23(3)). Every direction has eyes of its own, side by side across it, so that a pair is right wherever one looks.

use super::{Anchor, Side};
use crate::eye::{Eye, Ray};
use crate::orientation::Orientation;
use crate::projection::{PicturePoint, Projection, Shape};
use glam::{DMat3, DVec3};

/// Two eyes that turn with the direction of view.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PanoramicPair {
    /// Distance between the eyes, metres.
    pub separation: f64,
    /// What stands on the viewpoint.
    pub anchor: Anchor,
    /// Distance all round at which both eyes see a point in the same place of the picture, metres; parallel without.
    pub converge: Option<f64>,
    /// Latitudes between which the pair closes towards zenith and nadir, radians: whole up to the first, one eye from
    /// the second on.
    pub close: Option<[f64; 2]>,
}

/// Whether a shape can be a panoramic pair: all that viewers look round in. Light probes are for one eye, and an ordinary
/// camera's picture is a flat pair.
pub fn shape_takes_pairs(shape: &Shape) -> bool {
    match shape {
        Shape::Equirect
        | Shape::EquirectPart { .. }
        | Shape::Cylinder { .. }
        | Shape::CubeFaces(_)
        | Shape::Cube(_)
        | Shape::Fisheye { .. } => true,
        Shape::MirrorBall | Shape::AngularMap | Shape::Octahedral | Shape::Perspective { .. } => {
            false
        }
    }
}

impl PanoramicPair {
    /// How much of the separation is left at a latitude (radians), 0 to 1; its slope has no jumps.
    pub fn openness(&self, lat: f64) -> f64 {
        let Some([from, to]) = self.close else {
            return 1.0;
        };
        let t = ((lat.abs() - from) / (to - from).max(1e-9)).clamp(0.0, 1.0);
        1.0 - t * t * (3.0 - 2.0 * t)
    }

    /// Where an eye stands for a direction of the rig's own frame, from the viewpoint, metres.
    pub fn offset(&self, side: Side, direction: DVec3) -> DVec3 {
        self.offset_open_to(side, direction, -1.0)
    }

    /// The same where the pair is known to be open at all heights of a direction up to `open_to`: no angle is needed there.
    fn offset_open_to(&self, side: Side, direction: DVec3, open_to: f64) -> DVec3 {
        // A unit direction needs no care for what is too large or too small to be squared.
        let level = (direction.x * direction.x + direction.z * direction.z).sqrt();
        let share = self.anchor.offset(side);
        if share == 0.0 || level == 0.0 {
            return DVec3::ZERO;
        }
        // Across the direction, to the right of it: (cos lon, 0, sin lon).
        let across = DVec3::new(-direction.z, 0.0, direction.x) / level;
        let openness = match direction.y.abs() <= open_to {
            true => 1.0,
            false => self.openness(direction.y.atan2(level)),
        };
        across * (share * self.separation * openness)
    }

    /// The unit direction in which an eye that stands at `offset` looks for a direction of the picture.
    fn look(&self, direction: DVec3, offset: DVec3) -> DVec3 {
        match self.converge {
            Some(distance) => (direction * distance - offset).normalize(),
            None => direction,
        }
    }

    /// Angle between the rays of the two eyes to a point at a distance on the horizon, radians: 2 asin(b / 2Z). Nearer than
    /// half the separation no pair sees anything.
    pub fn angle_at(&self, distance: f64) -> f64 {
        2.0 * (self.separation / (2.0 * distance)).clamp(0.0, 1.0).asin()
    }
}

/// One eye of a panoramic pair.
pub struct PanoramicEye<P> {
    position: DVec3,
    to_world: DMat3,
    projection: P,
    pair: PanoramicPair,
    side: Side,
    /// Up to this height of a direction the pair is open for certain, whatever rounding does.
    open_to: f64,
}

impl<P: Projection> PanoramicEye<P> {
    /// The eye of a pair at `position` (metres). The pair is turned with `orientation`: a tilted viewpoint tilts its circle.
    pub fn new(
        position: DVec3,
        orientation: Orientation,
        projection: P,
        pair: PanoramicPair,
        side: Side,
    ) -> Self {
        Self {
            position,
            to_world: orientation.matrix(),
            projection,
            pair,
            side,
            open_to: pair.close.map_or(1.0, |[from, _]| from.sin() - 1e-9),
        }
    }

    /// Where a point of the world (metres) appears, or `None` if it is out of view or within the circle of the eyes.
    pub fn locate(&self, target: DVec3) -> Option<PicturePoint> {
        let target = self.to_world.transpose() * (target - self.position);
        if target.length() <= self.pair.separation {
            return None;
        }
        // The eye that sees the point depends on the direction it is seen in; the circle is small beside the distance, so
        // that each round brings it nearer by their ratio.
        let mut direction = target.normalize();
        for _ in 0..200 {
            let offset = self.pair.offset(self.side, direction);
            let sight = target - offset;
            let next = match self.pair.converge {
                None => sight.normalize(),
                // The ray from the eye through the point meets the sphere of convergence in the picture's direction.
                Some(distance) => {
                    let (a, b) = (sight.length_squared(), offset.dot(sight));
                    let c = offset.length_squared() - distance * distance;
                    let t = (-b + (b * b - a * c).max(0.0).sqrt()) / a;
                    (offset + sight * t).normalize()
                }
            };
            let step = next.distance(direction);
            direction = next;
            if step < 1e-15 {
                break;
            }
        }
        self.projection.to_picture(direction)
    }
}

impl<P: Projection> Eye for PanoramicEye<P> {
    fn ray(&self, point: PicturePoint) -> Option<Ray> {
        let direction = self.projection.to_direction(point)?;
        let offset = (self.pair).offset_open_to(self.side, direction, self.open_to);
        if offset == DVec3::ZERO {
            // Bit for bit what one eye alone sees.
            return Some(Ray {
                origin: self.position,
                direction: (self.to_world * direction).normalize(),
            });
        }
        Some(Ray {
            origin: self.position + self.to_world * offset,
            direction: (self.to_world * self.pair.look(direction, offset)).normalize(),
        })
    }
}
