//! Parallax of a flat pair in pixels: positive behind the screen, negative in front of it.
//!
//! b is the separation, C the distance of zero parallax, Z the distance of a point along the direction of view (all in
//! metres), K the focal length in pixels. The formulas follow from similar triangles.

use std::f64::consts::FRAC_PI_2;

/// Focal length in pixels of a picture of `width` pixels with a horizontal field of view in radians: W / (2 tan(hfov / 2)).
pub fn focal_px(width: f64, hfov: f64) -> f64 {
    width / (2.0 * (hfov / 2.0).tan())
}

/// Parallax of a point at a distance, pixels: K b (1/C - 1/Z). The distance may be infinite.
pub fn parallax(k: f64, b: f64, c: f64, z: f64) -> f64 {
    k * b * (1.0 / c - 1.0 / z)
}

/// Distance at which a parallax is met, metres: the inverse of [`parallax`]. Infinite where nothing reaches it.
pub fn distance_of(k: f64, b: f64, c: f64, parallax: f64) -> f64 {
    let inverse = 1.0 / c - parallax / (k * b);
    if inverse <= 0.0 {
        f64::INFINITY
    } else {
        1.0 / inverse
    }
}

/// A scene whose far end is not even so much farther than its near end, as a share, has no depth.
const FLAT: f64 = 1e-4;

/// How many pixels may lie in front of the screen and behind it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Budget {
    /// In front, above 0.
    pub front: f64,
    /// Behind, above 0.
    pub back: f64,
}

impl Budget {
    /// The nearest distance allowed, metres: 1/Zn = 1/C + front / (K b).
    pub fn nearest(&self, k: f64, b: f64, c: f64) -> f64 {
        distance_of(k, b, c, -self.front)
    }

    /// The farthest distance allowed, metres: 1/Zf = 1/C - back / (K b); infinite where that is 0 or less.
    pub fn farthest(&self, k: f64, b: f64, c: f64) -> f64 {
        distance_of(k, b, c, self.back)
    }

    /// Separation and distance of zero parallax (metres) by which a scene from `near` to `far` just fills the budget. The far
    /// end may be infinite. Nothing where the scene has no depth.
    pub fn fit(&self, k: f64, near: f64, far: f64) -> Option<(f64, f64)> {
        let depth = 1.0 / near - 1.0 / far;
        // A wall that is looked at squarely has the depth of rounding only.
        if !(near > 0.0 && depth * near > FLAT) {
            return None;
        }
        let b = (self.front + self.back) / (k * depth);
        let c = 1.0 / (1.0 / far + self.back / (k * b));
        (b.is_finite() && c.is_finite()).then_some((b, c))
    }
}

/// Roundness at the distance of zero parallax: b V / (e C) for a viewer with eyes `e` apart at `v` metres from the screen.
///
/// A thing of width x at C is x W / (2 C tan(hfov/2)) wide on the screen, and appears s = e C / (b V) times smaller than
/// it is deep; 1 is undistorted, less is flat like scenery, more is drawn out.
pub fn roundness(b: f64, c: f64, e: f64, v: f64) -> f64 {
    b * v / (e * c)
}

/// Roundness of a thing at another distance than that of zero parallax, for a screen `screen` metres wide that shows `k`
/// pixels of focal length on `width` pixels.
///
/// The viewer sees a point of parallax p metres at depth V e / (e - p). With p = s K b (1/C - 1/Z), s being metres a pixel,
/// the depth grows by dV/dZ = V e / (e - p)^2 s K b / Z^2, the width by s K / Z x e / (e - p): their ratio is told.
pub fn roundness_at(z: f64, k: f64, b: f64, c: f64, seen: Seen) -> f64 {
    let metres = seen.screen / seen.width;
    let p = metres * parallax(k, b, c, z);
    seen.distance * b / ((seen.eyes - p) * z)
}

/// How a picture is seen on a screen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Seen {
    /// Width of the screen, metres.
    pub screen: f64,
    /// Distance of the viewer, metres.
    pub distance: f64,
    /// The viewer's own eye distance, metres.
    pub eyes: f64,
    /// Width of the picture, pixels.
    pub width: f64,
}

/// Angle in radians of something a number of pixels wide in the middle of a frame.
pub fn angle_of(k: f64, pixels: f64) -> f64 {
    (pixels / k).atan().clamp(-FRAC_PI_2, FRAC_PI_2)
}
