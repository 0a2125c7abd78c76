//! Eyes: from a picture point to the ray that is traced for it.

use crate::{orientation::Orientation, projection::PicturePoint, projection::Projection};
use glam::{DMat3, DVec3};

/// A ray in the world: where it starts (metres) and its unit direction.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ray {
    /// Start, metres.
    pub origin: DVec3,
    /// Unit direction.
    pub direction: DVec3,
}

/// Something that sees: the renderer asks it for rays and knows nothing of panoramas.
pub trait Eye: Send + Sync {
    /// The ray seen at a picture point, or `None` where the picture shows nothing.
    fn ray(&self, point: PicturePoint) -> Option<Ray>;
}

/// One eye at a point: every ray starts at the viewpoint.
pub struct MonoEye<P> {
    position: DVec3,
    to_world: DMat3,
    projection: P,
}

impl<P: Projection> MonoEye<P> {
    /// An eye at `position` (metres), turned by `orientation`, drawing with `projection`.
    pub fn new(position: DVec3, orientation: Orientation, projection: P) -> Self {
        Self {
            position,
            to_world: orientation.matrix(),
            projection,
        }
    }

    /// Where a point of the world (metres) appears, or `None` if it is out of view or at the eye.
    pub fn locate(&self, target: DVec3) -> Option<PicturePoint> {
        let offset = target - self.position;
        if offset.length_squared() == 0.0 {
            return None;
        }
        self.projection
            .to_picture(self.to_world.transpose() * offset)
    }
}

impl<P: Projection> Eye for MonoEye<P> {
    fn ray(&self, point: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: self.position,
            direction: (self.to_world * self.projection.to_direction(point)?).normalize(),
        })
    }
}
