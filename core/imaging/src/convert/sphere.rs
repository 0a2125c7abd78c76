//! Places in an unrolled sphere for many directions at once. Plain loops over arrays, which the compiler turns
//! into vector instructions; that is why these functions have no branches and are always inlined.

/// Points that are handled at a time.
pub(super) const SPAN: usize = 128;

/// Directions in the sphere of the source, of any length; not a number where there is none.
pub(super) struct Directions {
    pub(super) x: [f32; SPAN],
    pub(super) y: [f32; SPAN],
    pub(super) z: [f32; SPAN],
}

impl Directions {
    pub(super) const NONE: Self = Self {
        x: [f32::NAN; SPAN],
        y: [f32::NAN; SPAN],
        z: [f32::NAN; SPAN],
    };
}

/// The angle of a point, radians; as exact as single precision tells it (a few units in the last place).
///
/// The polynomial is that of the Cephes library's `atanf` (S. L. Moshier, public domain), which holds up to
/// tan 22.5 degrees; larger ratios are brought there by the addition theorem.
#[inline(always)]
pub(super) fn atan2(y: f32, x: f32) -> f32 {
    use std::f32::consts::{FRAC_PI_2, FRAC_PI_4, PI};
    const TAN_PI_8: f32 = 0.414_213_57;
    let (ax, ay) = (x.abs(), y.abs());
    let (less, more) = (ax.min(ay), ax.max(ay));
    let steep = less > TAN_PI_8 * more;
    let (above, below) = if steep {
        (less - more, less + more)
    } else {
        (less, more)
    };
    // At the pole, where there is no angle, it is 0.
    let t = above / below.max(f32::MIN_POSITIVE);
    let s = t * t;
    let series = ((8.053_744_5e-2 * s - 1.387_768_6e-1) * s + 1.997_771_1e-1) * s - 3.333_295e-1;
    let small = series * s * t + t;
    let angle = if steep { small + FRAC_PI_4 } else { small };
    let angle = if ay > ax { FRAC_PI_2 - angle } else { angle };
    let angle = if x < 0.0 { PI - angle } else { angle };
    if y < 0.0 { -angle } else { angle }
}

/// Longitudes and latitudes of the first `count` directions, radians.
#[inline(always)]
pub(super) fn lon_lat(d: &Directions, count: usize, lon: &mut [f32; SPAN], lat: &mut [f32; SPAN]) {
    // Whole vectors: what lies beyond is not used.
    let count = count.next_multiple_of(8).min(SPAN);
    for i in 0..count {
        let (x, y, z) = (d.x[i], d.y[i], d.z[i]);
        lon[i] = atan2(x, -z);
        lat[i] = atan2(y, (x * x + z * z).sqrt());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Against the standard library in double precision, all round.
    #[test]
    fn the_angle_is_that_of_the_standard_library() {
        for i in 0..100_000 {
            let exact = f64::from(i) / 100_000.0 * std::f64::consts::TAU - std::f64::consts::PI;
            let (x, y) = (exact.cos() as f32, exact.sin() as f32);
            let wanted = f64::from(y).atan2(f64::from(x));
            let off = (f64::from(atan2(y, x)) - wanted).abs();
            assert!(off < 4e-7, "{exact}: {off}");
        }
        assert_eq!(atan2(0.0, 0.0), 0.0);
    }
}
