//! From scene light to a delivered picture: exposure and tone curve, fixed and told, never automatic.

use crate::transfer::{Srgb8, srgb_from_linear};

/// How values towards and above 1 are shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Curve {
    /// Linear up to 1, cut off there.
    #[default]
    Plain,
    /// Linear up to [`SHOULDER_START`], then rolling off towards 1, so that lamps keep their shape.
    Soft,
}

/// Where the soft curve leaves the straight line, in linear light.
pub const SHOULDER_START: f32 = 0.6;

/// The brightest that the soft curve is followed back from; 8-bit white.
const BRIGHTEST: f32 = 0.999;

/// Exposure and curve of one delivery.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct Tone {
    /// Exposure in stops: each doubles the light.
    pub exposure_stops: f32,
    /// The curve.
    pub curve: Curve,
}

impl Tone {
    /// The linear display value (0 to 1) of a scene value.
    pub fn display(&self, scene: f32) -> f32 {
        self.shaped(scene * self.exposure_stops.exp2())
    }

    /// The scene value whose display value (0 to 1) this is: the way back. What the soft curve reaches only at infinity is
    /// taken for nearly that.
    pub fn scene(&self, display: f32) -> f32 {
        let d = display.clamp(0.0, 1.0);
        let x = match self.curve {
            Curve::Soft if d > SHOULDER_START => {
                let room = 1.0 - SHOULDER_START;
                SHOULDER_START - room * (1.0 - (d.min(BRIGHTEST) - SHOULDER_START) / room).ln()
            }
            Curve::Plain | Curve::Soft => d,
        };
        x * (-self.exposure_stops).exp2()
    }

    fn shaped(&self, x: f32) -> f32 {
        match self.curve {
            Curve::Plain => x.clamp(0.0, 1.0),
            Curve::Soft if x <= SHOULDER_START => x.max(0.0),
            // Meets the line with the same slope and reaches 1 at infinity.
            Curve::Soft => {
                let room = 1.0 - SHOULDER_START;
                SHOULDER_START + room * (1.0 - (-(x - SHOULDER_START) / room).exp())
            }
        }
    }

    /// Scene-linear RGB samples to 8-bit sRGB.
    pub fn to_srgb8(&self, samples: &[f32]) -> Vec<u8> {
        let curve = Srgb8::get();
        // Once for all samples, not a power for each.
        let gain = self.exposure_stops.exp2();
        samples
            .iter()
            .map(|&s| curve.encode(self.shaped(s * gain)))
            .collect()
    }

    /// The same to 16 bits.
    pub fn to_srgb16(&self, samples: &[f32]) -> Vec<u16> {
        let gain = self.exposure_stops.exp2();
        samples
            .iter()
            .map(|&s| (srgb_from_linear(self.shaped(s * gain)) * 65535.0 + 0.5) as u16)
            .collect()
    }
}
