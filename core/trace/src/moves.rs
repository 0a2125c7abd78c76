//! Objects that stand elsewhere than their file says: a layer of its own over the scene, never written
//! into the file.

use glam::{DMat4, DVec3};
use serde::{Deserialize, Serialize};

/// Objects moved together: turned about an upright line, then shifted.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ObjectMove {
    /// What the artist calls it: the object's or its group's name.
    pub name: String,
    /// Numbers of the objects in the scene.
    pub objects: Vec<u32>,
    /// The upright line that it is turned about: x and z, metres, before the shift.
    pub about: [f64; 2],
    /// Turn, degrees clockwise seen from above.
    pub turn_deg: f64,
    /// Shift, metres.
    pub by: [f64; 3],
    /// Whether it counts at present.
    #[serde(default = "counts")]
    pub on: bool,
}

fn counts() -> bool {
    true
}

impl ObjectMove {
    /// Whether all numbers make sense.
    pub fn is_valid(&self) -> bool {
        let sane = |v: &f64| v.is_finite() && v.abs() < 1e7;
        self.about.iter().chain(&self.by).all(sane) && sane(&self.turn_deg)
    }

    /// From where things were to where they are.
    pub fn transform(&self) -> DMat4 {
        let line = DVec3::new(self.about[0], 0.0, self.about[1]);
        let by = DVec3::from(self.by);
        // Clockwise seen from above is a negative turn about +Y.
        let turn = DMat4::from_rotation_y(-self.turn_deg.to_radians());
        DMat4::from_translation(by + line) * turn * DMat4::from_translation(-line)
    }

    /// The same in a scene that is `factor` times as large.
    #[must_use]
    pub fn scaled(&self, factor: f64) -> Self {
        Self {
            about: self.about.map(|v| v * factor),
            by: self.by.map(|v| v * factor),
            ..self.clone()
        }
    }
}
