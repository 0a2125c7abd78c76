//! Lamps without a body: points, spots and light from one direction (KHR_lights_punctual).

use crate::light::Beam;
use glam::Vec3;

/// What kind of lamp.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum LampKind {
    /// Shines all round; intensity in candela.
    Point,
    /// Shines in a cone; intensity in candela. Cosines of the half angles where the light begins to
    /// fade and where it ends.
    Spot {
        /// Cosine of the half angle up to which it is full.
        inner_cos: f32,
        /// Cosine of the half angle at which it has ended.
        outer_cos: f32,
    },
    /// Shines from one direction everywhere; illuminance in lux.
    Directional,
}

/// A lamp without a body. It lights surfaces and cannot itself be seen.
#[derive(Clone, Debug, PartialEq)]
pub struct Lamp {
    /// Name.
    pub name: String,
    /// Kind.
    pub kind: LampKind,
    /// Where it is, metres.
    pub position: Vec3,
    /// Where it shines to, unit length.
    pub direction: Vec3,
    /// Candela, or lux for a directional one, by colour.
    pub intensity: [f32; 3],
    /// Distance at which it ends, metres, if the scene limits it.
    pub range: Option<f32>,
    /// Candela by direction as measured, if it is to shine so; its intensity is then what that is multiplied with.
    pub beam: Option<Beam>,
}

impl Lamp {
    /// What the kind is called.
    pub fn kind_name(&self) -> &'static str {
        match self.kind {
            LampKind::Point => "point lamp",
            LampKind::Spot { .. } => "spot lamp",
            LampKind::Directional => "directional light",
        }
    }

    /// Candela towards a direction away from the lamp.
    pub fn towards(&self, away: Vec3) -> Vec3 {
        let intensity = Vec3::from(self.intensity);
        if let Some(beam) = &self.beam {
            return intensity * beam.candela(away);
        }
        match self.kind {
            LampKind::Point | LampKind::Directional => intensity,
            LampKind::Spot {
                inner_cos,
                outer_cos,
            } => {
                // The fading that the extension's text recommends.
                let scale = 1.0 / (inner_cos - outer_cos).max(1e-3);
                let fade = ((self.direction.dot(away) - outer_cos) * scale).clamp(0.0, 1.0);
                intensity * fade * fade
            }
        }
    }

    /// Steradians into which it shines, those where it fades counted by their share of the full intensity: its flux is that
    /// times its candela. The integral of the recommended fading over the cone, 2 pi times that of its square over the cosine.
    pub fn steradians(&self) -> f32 {
        use std::f32::consts::PI;
        if let Some(beam) = &self.beam {
            return beam.table().flux();
        }
        match self.kind {
            LampKind::Point => 4.0 * PI,
            LampKind::Directional => 0.0,
            LampKind::Spot {
                inner_cos,
                outer_cos,
            } => 2.0 * PI * ((1.0 - inner_cos) + (inner_cos - outer_cos) / 3.0),
        }
    }

    /// Irradiance on a surface that faces the lamp from `distance` metres, by the inverse square and the
    /// range's window (the extension's text).
    pub fn irradiance(&self, away: Vec3, distance: f32) -> Vec3 {
        let window = self.range.map_or(1.0, |range| {
            (1.0 - (distance / range).powi(4)).clamp(0.0, 1.0)
        });
        self.towards(away) * window / (distance * distance).max(1e-12)
    }

    /// Keeps what the lamp gives when the scene is made larger by `factor`: distances grow, candela with
    /// their square, lux stay.
    pub(crate) fn scale(&mut self, factor: f32) {
        self.position *= factor;
        self.range = self.range.map(|r| r * factor);
        if self.kind != LampKind::Directional {
            self.intensity = self.intensity.map(|v| v * factor * factor);
        }
    }
}
