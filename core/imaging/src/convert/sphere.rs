//! Places in an unrolled sphere for many directions at once. Plain loops over arrays, which the compiler turns
//! into vector instructions; that is why these functions have no branches and are always inlined.

use std::ops::{Add, Div, Mul, Neg, Sub};

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

/// Spheres up to this width have their columns in single precision: one of 4096 px has steps of 1/4000 there, larger ones coarser ones.
pub(super) const SINGLE: u32 = 4096;

/// Numbers that places are told in.
pub(super) trait Real:
    Copy
    + PartialOrd
    + Add<Output = Self>
    + Sub<Output = Self>
    + Mul<Output = Self>
    + Div<Output = Self>
    + Neg<Output = Self>
{
    const ZERO: Self;
    const LEAST: Self;
    fn of(v: f64) -> Self;
    fn of_single(v: f32) -> Self;
    fn single(self) -> f32;
    fn whole(self) -> i32;
    fn of_whole(v: i32) -> Self;
    fn abs(self) -> Self;
    fn sqrt(self) -> Self;
    fn max(self, other: Self) -> Self;
    fn min(self, other: Self) -> Self;
    /// The angle whose tangent this is, up to 22.5 degrees either way.
    fn small_angle(self) -> Self;
}

macro_rules! real {
    ($kind:ty, |$t:ident| $small:expr) => {
        impl Real for $kind {
            const ZERO: Self = 0.0;
            const LEAST: Self = <$kind>::MIN_POSITIVE;
            #[inline(always)]
            fn of(v: f64) -> Self {
                v as $kind
            }
            #[inline(always)]
            fn of_single(v: f32) -> Self {
                v as $kind
            }
            #[inline(always)]
            fn single(self) -> f32 {
                self as f32
            }
            #[inline(always)]
            fn whole(self) -> i32 {
                self as i32
            }
            #[inline(always)]
            fn of_whole(v: i32) -> Self {
                v as $kind
            }
            #[inline(always)]
            fn abs(self) -> Self {
                <$kind>::abs(self)
            }
            #[inline(always)]
            fn sqrt(self) -> Self {
                <$kind>::sqrt(self)
            }
            #[inline(always)]
            fn max(self, other: Self) -> Self {
                <$kind>::max(self, other)
            }
            #[inline(always)]
            fn min(self, other: Self) -> Self {
                <$kind>::min(self, other)
            }
            #[inline(always)]
            fn small_angle(self) -> Self {
                let $t = self;
                $small
            }
        }
    };
}

// The polynomials of the Cephes library's `atanf` and `atan` (S. L. Moshier, public domain).
real!(f32, |t| {
    let s = t * t;
    let series = ((8.053_744_5e-2 * s - 1.387_768_6e-1) * s + 1.997_771_1e-1) * s - 3.333_295e-1;
    series * s * t + t
});
real!(f64, |t| {
    let s = t * t;
    let above = (((-8.750_608_600_031_904e-1 * s - 1.615_753_718_733_365e1) * s
        - 7.500_855_792_314_705e1)
        * s
        - 1.228_866_684_490_136_2e2)
        * s
        - 6.485_021_904_942_025e1;
    let below = ((((s + 2.485_846_490_142_306_3e1) * s + 1.650_270_098_316_988_5e2) * s
        + 4.328_810_604_912_902_7e2)
        * s
        + 4.853_903_996_359_137e2)
        * s
        + 1.945_506_571_482_614e2;
    above / below * s * t + t
});

/// The angle of a point, radians; as exact as the numbers tell it (a few units in the last place). Ratios beyond those of the polynomials
/// are brought there by the addition theorem.
#[inline(always)]
pub(super) fn atan2<R: Real>(y: R, x: R) -> R {
    use std::f64::consts::{FRAC_PI_2, FRAC_PI_4, PI};
    const TAN_PI_8: f64 = 0.414_213_562_373_095_03;
    let (ax, ay) = (x.abs(), y.abs());
    let (less, more) = (ax.min(ay), ax.max(ay));
    let steep = less > R::of(TAN_PI_8) * more;
    let (above, below) = if steep {
        (less - more, less + more)
    } else {
        (less, more)
    };
    // At the pole, where there is no angle, it is 0.
    let small = (above / below.max(R::LEAST)).small_angle();
    let angle = if steep {
        small + R::of(FRAC_PI_4)
    } else {
        small
    };
    let angle = if ay > ax {
        R::of(FRAC_PI_2) - angle
    } else {
        angle
    };
    let angle = if x < R::ZERO {
        R::of(PI) - angle
    } else {
        angle
    };
    if y < R::ZERO { -angle } else { angle }
}

/// Longitudes and latitudes of the first `count` directions, radians.
#[inline(always)]
pub(super) fn lon_lat<R: Real>(
    d: &Directions,
    count: usize,
    lon: &mut [R; SPAN],
    lat: &mut [R; SPAN],
) {
    // Whole vectors: what lies beyond is not used.
    let count = count.next_multiple_of(8).min(SPAN);
    for i in 0..count {
        let [x, y, z] = [d.x[i], d.y[i], d.z[i]].map(R::of_single);
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
            let (x, y) = (exact.cos(), exact.sin());
            let off = (atan2(y, x) - y.atan2(x)).abs();
            assert!(off < 1e-15, "{exact}: {off}");
        }
        assert_eq!(atan2(0.0f32, 0.0), 0.0);
        assert_eq!(atan2(0.0f64, 0.0), 0.0);
    }
}
