//! Anaglyphs for red-cyan glasses, and what tells two eyes apart on one screen. All in linear light.

use crate::strip::{CHANNELS, Strip};
use crate::transfer::luminance;
use glam::{Mat3, Vec3};
use rayon::prelude::*;

/// How two eyes become one picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Anaglyph {
    /// Red from the left eye's luminance, green and blue from the right eye's.
    Grey,
    /// Red from the left eye's luminance, green and blue from the right eye.
    HalfColour,
    /// Red from the left eye, green and blue from the right eye.
    FullColour,
    /// The colours that are nearest for eyes behind the glasses (Dubois 2001, ICASSP; matrices from memory).
    LeastSquares,
}

impl Anaglyph {
    /// All of them.
    pub const ALL: [Self; 4] = [
        Self::Grey,
        Self::HalfColour,
        Self::FullColour,
        Self::LeastSquares,
    ];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Grey => "grey",
            Self::HalfColour => "half-colour",
            Self::FullColour => "full-colour",
            Self::LeastSquares => "least-squares",
        }
    }

    /// The anaglyph of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|a| a.name() == name)
    }

    /// One pixel.
    pub fn of(self, left: Vec3, right: Vec3) -> Vec3 {
        match self {
            Self::Grey => {
                let (l, r) = (luminance(left.to_array()), luminance(right.to_array()));
                Vec3::new(l, r, r)
            }
            Self::HalfColour => Vec3::new(luminance(left.to_array()), right.y, right.z),
            Self::FullColour => Vec3::new(left.x, right.y, right.z),
            // Light may be brighter than white, so only what is below black is clamped here; the display clamps the rest.
            Self::LeastSquares => (LEFT * left + RIGHT * right).max(Vec3::ZERO),
        }
    }
}

/// Columns are what red, green and blue of an eye give.
const LEFT: Mat3 = Mat3::from_cols(
    Vec3::new(0.4154, -0.0458, -0.0547),
    Vec3::new(0.4710, -0.0484, -0.0615),
    Vec3::new(0.1669, -0.0257, 0.0128),
);
const RIGHT: Mat3 = Mat3::from_cols(
    Vec3::new(-0.0109, 0.3756, -0.0651),
    Vec3::new(-0.0364, 0.7333, -0.1287),
    Vec3::new(-0.0060, 0.0111, 1.2971),
);

/// What two eyes show of the same rows, by some rule for each pixel.
pub fn mixed(left: &Strip, right: &Strip, rule: impl Fn(Vec3, Vec3) -> Vec3 + Sync) -> Strip {
    const PART: usize = 4096 * CHANNELS;
    let mut samples = vec![0.0; left.samples.len().min(right.samples.len())];
    (samples.par_chunks_mut(PART))
        .zip(left.samples.par_chunks(PART))
        .zip(right.samples.par_chunks(PART))
        .for_each(|((to, left), right)| {
            let eyes = left
                .chunks_exact(CHANNELS)
                .zip(right.chunks_exact(CHANNELS));
            for (to, (l, r)) in to.chunks_exact_mut(CHANNELS).zip(eyes) {
                rule(Vec3::from_slice(l), Vec3::from_slice(r)).write_to_slice(to);
            }
        });
    Strip {
        top: left.top,
        width: left.width,
        samples,
    }
}

/// How far two pixels are apart, in each channel.
pub fn difference(left: Vec3, right: Vec3) -> Vec3 {
    (left - right).abs()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The two matrices together map white to white within 0.001 (the handbook's check).
    #[test]
    fn white_stays_white_in_every_anaglyph() {
        for kind in Anaglyph::ALL {
            let white = kind.of(Vec3::ONE, Vec3::ONE);
            assert!(
                (white - Vec3::ONE).abs().max_element() < 1e-3,
                "{kind:?}: {white}"
            );
            assert_eq!(kind.of(Vec3::ZERO, Vec3::ZERO), Vec3::ZERO);
            assert_eq!(Anaglyph::from_name(kind.name()), Some(kind));
        }
    }

    /// Through red glass the left eye's picture is seen, through cyan the right eye's.
    #[test]
    fn each_eye_comes_through_its_own_glass() {
        for kind in Anaglyph::ALL {
            let left_only = kind.of(Vec3::ONE, Vec3::ZERO);
            assert!(
                left_only.x > 0.9 && left_only.y < 0.05 && left_only.z < 0.05,
                "{kind:?}: {left_only}"
            );
            let right_only = kind.of(Vec3::ZERO, Vec3::ONE);
            assert!(
                right_only.x < 0.05 && right_only.y > 0.9 && right_only.z > 0.9,
                "{kind:?}: {right_only}"
            );
        }
        let (l, r) = (Vec3::new(0.8, 0.1, 0.2), Vec3::new(0.1, 0.5, 0.9));
        assert_eq!(Anaglyph::FullColour.of(l, r), Vec3::new(0.8, 0.5, 0.9));
        // Rec. 709 luminance of the left colour.
        let grey = 0.2126 * 0.8 + 0.7152 * 0.1 + 0.0722 * 0.2;
        assert!((Anaglyph::HalfColour.of(l, r) - Vec3::new(grey, 0.5, 0.9)).length() < 1e-5);
    }
}
