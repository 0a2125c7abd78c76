//! From a file's coordinates to the scene's.

use glam::{DMat3, DMat4, DVec3};

/// How a file's coordinates become those of the scene: moved to a near origin, turned, scaled to metres.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Frame {
    /// Place in the file that becomes the origin, in the file's axes and unit.
    pub(crate) origin: DVec3,
    /// Whether the file's Z points up.
    pub(crate) z_up: bool,
    /// Metres of the file's unit.
    pub(crate) metres: f64,
}

impl Default for Frame {
    fn default() -> Self {
        Self {
            origin: DVec3::ZERO,
            z_up: false,
            metres: 1.0,
        }
    }
}

impl Frame {
    /// From the file's frame to the scene's.
    pub(crate) fn matrix(&self) -> DMat4 {
        // (x, y, z) becomes (x, z, -y), which rounds nothing.
        let turn = if self.z_up {
            DMat3::from_cols(DVec3::X, DVec3::NEG_Z, DVec3::Y)
        } else {
            DMat3::IDENTITY
        };
        DMat4::from_scale(DVec3::splat(self.metres))
            * DMat4::from_mat3(turn)
            * DMat4::from_translation(-self.origin)
    }
}
