//! How a viewpoint is turned: heading, then pitch, then roll.

use crate::angle::wrap_heading_deg;
use glam::{DMat3, DVec3};

/// Heading, pitch and roll in degrees, applied in that order about the viewer's own axes.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct Orientation {
    /// Clockwise seen from above; 0 looks along -Z, 90 along +X.
    pub heading_deg: f64,
    /// Up positive.
    pub pitch_deg: f64,
    /// Clockwise positive, as seen by the viewer.
    pub roll_deg: f64,
}

impl Orientation {
    /// A level orientation.
    pub fn heading(heading_deg: f64) -> Self {
        Self {
            heading_deg,
            ..Self::default()
        }
    }

    /// Whether the horizon will be a straight line: no pitch and no roll.
    pub fn is_level(&self) -> bool {
        self.pitch_deg == 0.0 && self.roll_deg == 0.0
    }

    /// The rotation from the viewer's directions to the world's.
    ///
    /// Columns are the viewer's right, up and backward axes in the world, so that
    /// `matrix * (0, 0, -1)` is where the viewer looks.
    pub fn matrix(&self) -> DMat3 {
        // Clockwise seen from above is a negative turn about +Y in a right-handed world; clockwise
        // as the viewer sees it is a negative turn about the backward axis +Z.
        DMat3::from_rotation_y(-self.heading_deg.to_radians())
            * DMat3::from_rotation_x(self.pitch_deg.to_radians())
            * DMat3::from_rotation_z(-self.roll_deg.to_radians())
    }

    /// Heading, pitch and roll of a rotation made by [`Orientation::matrix`].
    ///
    /// Looking straight up or down heading and roll are one turn; it is given to the heading.
    pub fn from_matrix(m: &DMat3) -> Self {
        let forward = -m.z_axis;
        let pitch = forward.y.clamp(-1.0, 1.0).asin();
        if forward.x.hypot(forward.z) < 1e-9 {
            let right = m.x_axis;
            return Self {
                heading_deg: wrap_heading_deg(right.z.atan2(right.x).to_degrees()),
                pitch_deg: pitch.to_degrees(),
                roll_deg: 0.0,
            };
        }
        let heading = forward.x.atan2(-forward.z);
        let level_right = DVec3::new(heading.cos(), 0.0, heading.sin());
        let right = m.x_axis;
        let roll = (-right.y / pitch.cos()).atan2(right.dot(level_right));
        Self {
            heading_deg: wrap_heading_deg(heading.to_degrees()),
            pitch_deg: pitch.to_degrees(),
            roll_deg: roll.to_degrees(),
        }
    }
}
