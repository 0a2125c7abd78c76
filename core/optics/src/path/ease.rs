//! Beginning and ending gently.

/// How long it takes until a path is at its full speed, and from there to its rest, seconds.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Ease {
    /// At its beginning.
    pub in_s: f64,
    /// At its end.
    pub out_s: f64,
}

impl Ease {
    /// The share of a way of `whole` seconds that is gone after `time`. The speed rises by the cubic 3x² - 2x³, so that nothing jerks;
    /// if both ends take longer than there is they share it.
    pub fn share(self, time: f64, whole: f64) -> f64 {
        let held = |s: f64| if s.is_finite() { s.max(0.0) } else { 0.0 };
        let (mut a, mut b) = (held(self.in_s) / whole, held(self.out_s) / whole);
        if a + b > 1.0 {
            (a, b) = (a / (a + b), b / (a + b));
        }
        let x = (time / whole).clamp(0.0, 1.0);
        // The area below the speed's curve, whose full height is 1; of the rise from 0 to x it is x³ - x⁴/2.
        let rise = |x: f64| x * x * x - 0.5 * x.powi(4);
        let mut gone = 0.0;
        if a > 0.0 {
            gone += a * rise((x / a).min(1.0));
        }
        gone += (x.min(1.0 - b) - a).max(0.0);
        let all = 1.0 - 0.5 * (a + b);
        if b > 0.0 && x > 1.0 - b {
            gone += b * (0.5 - rise(((1.0 - x) / b).max(0.0)));
        }
        gone / all
    }
}
