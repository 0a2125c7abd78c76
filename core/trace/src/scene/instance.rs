//! Bodies where they stand.

use super::body::{Body, cofactor};
use crate::accel::instances::Placed;
use glam::{DAffine3, DMat4, DVec3, Mat3, Vec3};
use std::sync::Arc;

/// A body placed in the world. It is never a mirror image, and it has an extent along every axis.
pub(crate) struct Instance {
    pub(crate) body: Arc<Body>,
    /// From the body's space into the world, metres.
    pub(crate) place: DAffine3,
    /// The same for directions, and for normals.
    pub(crate) turn: Mat3,
    pub(crate) normals: Mat3,
    /// Number of its first triangle among all of the scene.
    pub(crate) first: u32,
    /// The object that all of it belongs to; otherwise each triangle tells its own.
    pub(crate) object: Option<u32>,
    /// Its box in the world.
    pub(crate) bounds: (Vec3, Vec3),
    /// The largest coordinate that occurs on the way from its space into the world.
    pub(crate) reach: f32,
}

/// A body flatter than this share of itself along an axis cannot be traced in its own space.
const FLAT: f64 = 1e-9;

impl Instance {
    /// Whether a body can be traced in its own space where `place` puts it.
    pub(crate) fn can_be(place: &DMat4) -> bool {
        let (x, y, z) = (
            place.x_axis.truncate(),
            place.y_axis.truncate(),
            place.z_axis.truncate(),
        );
        let volume = x.cross(y).dot(z);
        let widest = x.length().max(y.length()).max(z.length());
        place.is_finite() && volume > FLAT * widest.powi(3)
    }

    /// A body of which [`Self::can_be`] is true; `bounds` is its box in the world.
    pub(crate) fn new(
        body: Arc<Body>,
        place: &DMat4,
        first: u32,
        object: Option<u32>,
        bounds: (Vec3, Vec3),
    ) -> Self {
        let affine = DAffine3::from_mat4(*place);
        let turn = Mat3::from_mat4(place.as_mat4());
        let (low, high) = body.bounds();
        let far = low.abs().max(high.abs()).as_dvec3();
        let absolute = affine.matrix3.x_axis.abs() * far.x
            + affine.matrix3.y_axis.abs() * far.y
            + affine.matrix3.z_axis.abs() * far.z;
        Self {
            turn,
            normals: cofactor(&turn),
            first,
            object,
            bounds,
            reach: (absolute + affine.translation.abs()).max_element() as f32,
            place: affine,
            body,
        }
    }

    /// How many triangles it has.
    pub(crate) fn count(&self) -> u32 {
        self.body.faces.len() as u32
    }

    /// A point of the body in the world, before it is rounded.
    pub(crate) fn at(&self, p: DVec3) -> DVec3 {
        self.place.transform_point3(p)
    }

    /// What the tree over all instances needs.
    pub(crate) fn placed(&self) -> Placed {
        Placed {
            accel: Arc::clone(&self.body.accel),
            to_own: self.place.inverse(),
            first: self.first,
            count: self.count(),
            bounds: self.bounds,
        }
    }
}
