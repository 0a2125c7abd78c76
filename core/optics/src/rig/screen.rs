//! How much parallax a screen allows, and what it is for real eyes.

use std::f64::consts::PI;

/// The mean distance between the eyes of adults, metres (Dodgson 2004, Proc. SPIE 5291).
pub const ADULT_EYES: f64 = 0.0634;
/// The smallest distance between the eyes of children that is reckoned with, metres (the same source).
pub const CHILD_EYES: f64 = 0.04;
/// Largest divergence before it is warned of, degrees (common practice, no source).
pub const MOST_DIVERGENCE_DEG: f64 = 1.0;
/// Published limit of disparity for comfort, degrees (Lambooij et al. 2009, J. Imaging Sci. Technol. 53(3)).
pub const COMFORT_DEG: f64 = 1.0;

/// Share of the width that a cautious pair may use, on each side of the screen (common practice, no source).
pub const CAUTIOUS: f64 = 1.0 / 30.0;
/// And a bold one (common practice, no source).
pub const BOLD: f64 = 1.0 / 23.0;

/// A screen and who sits before it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Screen {
    /// Width, metres.
    pub width: f64,
    /// Distance of the viewer, metres.
    pub distance: f64,
}

impl Screen {
    /// The share of the width that it allows by the cautious rule scaled with the distance: (distance / width) / 30
    /// (common practice, no source).
    pub fn share(&self) -> f64 {
        self.distance / self.width * CAUTIOUS
    }

    /// Metres on the screen for a share of the width.
    pub fn metres(&self, share: f64) -> f64 {
        share * self.width
    }

    /// Minutes of arc that a share of the width covers in the middle of the screen.
    pub fn minutes(&self, share: f64) -> f64 {
        2.0 * (self.metres(share) / (2.0 * self.distance)).atan() * 60.0 * 180.0 / PI
    }

    /// How far eyes `eyes` metres apart diverge for a parallax (share of the width, positive behind the screen), degrees; 0
    /// where they do not.
    pub fn divergence_deg(&self, share: f64, eyes: f64) -> f64 {
        let beyond = (self.metres(share) - eyes).max(0.0);
        (2.0 * (beyond / (2.0 * self.distance)).atan()).to_degrees()
    }
}
