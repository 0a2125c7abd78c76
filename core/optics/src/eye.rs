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

    /// Whether rays of one picture point start at different places: a lens with an opening.
    fn has_lens(&self) -> bool {
        false
    }

    /// The ray through a place of the lens, `lens` being 0 to 1 both ways; without a lens the same as
    /// [`Eye::ray`].
    fn ray_through(&self, point: PicturePoint, lens: (f64, f64)) -> Option<Ray> {
        let _ = lens;
        self.ray(point)
    }
}

impl<E: Eye + ?Sized> Eye for Box<E> {
    fn ray(&self, point: PicturePoint) -> Option<Ray> {
        (**self).ray(point)
    }

    fn has_lens(&self) -> bool {
        (**self).has_lens()
    }

    fn ray_through(&self, point: PicturePoint, lens: (f64, f64)) -> Option<Ray> {
        (**self).ray_through(point, lens)
    }
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

    /// An eye at `position` (metres) whose right, up and backward axes in the world are given.
    pub fn turned(position: DVec3, to_world: DMat3, projection: P) -> Self {
        Self {
            position,
            to_world,
            projection,
        }
    }

    /// How it draws.
    pub fn projection(&self) -> &P {
        &self.projection
    }

    /// Where it is, metres.
    pub fn position(&self) -> DVec3 {
        self.position
    }

    /// A point of the world (metres) along the eye's own axes: to the right, up, and backwards.
    pub fn to_view(&self, target: DVec3) -> DVec3 {
        self.to_world.transpose() * (target - self.position)
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

/// Focal length by which the f-number of a panorama is understood, metres. A sphere has no focal length
/// of its own; this is the usual lens of the 24 x 36 mm format (common practice, no source).
pub const LENS_FOCAL_LENGTH: f64 = 0.05;

/// An eye with a lens that is sharp at one distance all round.
///
/// Each picture point has a lens of its own, square to its direction, so that a panorama blurs alike in
/// all directions and keeps its seam.
pub struct LensEye<E> {
    eye: E,
    radius: f64,
    focus: f64,
}

impl<E: Eye> LensEye<E> {
    /// A lens of f-number `fstop`, sharp at `focus` metres along each ray.
    pub fn new(eye: E, fstop: f64, focus: f64) -> Self {
        Self {
            eye,
            radius: LENS_FOCAL_LENGTH / fstop / 2.0,
            focus,
        }
    }
}

impl<E: Eye> Eye for LensEye<E> {
    fn ray(&self, point: PicturePoint) -> Option<Ray> {
        self.eye.ray(point)
    }

    fn has_lens(&self) -> bool {
        true
    }

    fn ray_through(&self, point: PicturePoint, lens: (f64, f64)) -> Option<Ray> {
        let ray = self.eye.ray(point)?;
        let r = self.radius * lens.0.sqrt();
        let (sin, cos) = (std::f64::consts::TAU * lens.1).sin_cos();
        let (x, y) = ray.direction.any_orthonormal_pair();
        let start = ray.origin + (x * cos + y * sin) * r;
        Some(Ray {
            origin: start,
            direction: (ray.origin + ray.direction * self.focus - start).normalize(),
        })
    }
}
