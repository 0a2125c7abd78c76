//! Single values between keys: a cubic that never overshoots.

/// Values at rising times, joined by cubics whose slopes at the keys keep what rises rising and what falls falling (Fritsch and
/// Butland 1984, "A method for constructing local monotone piecewise cubic interpolants", after Fritsch and Carlson 1980; the ends'
/// three-point slopes as in SciPy's `PchipInterpolator`, which the tests compare with).
#[derive(Clone, Debug)]
pub struct Monotone {
    times: Vec<f64>,
    values: Vec<f64>,
    slopes: Vec<f64>,
}

impl Monotone {
    /// Times must rise; pairs that do not are left out. Nothing without any pair.
    pub fn new(pairs: impl IntoIterator<Item = (f64, f64)>) -> Option<Self> {
        let (mut times, mut values): (Vec<f64>, Vec<f64>) = (Vec::new(), Vec::new());
        for (t, v) in pairs {
            if t.is_finite() && v.is_finite() && times.last().is_none_or(|last| t > *last) {
                times.push(t);
                values.push(v);
            }
        }
        (!times.is_empty()).then(|| Self {
            slopes: slopes(&times, &values),
            times,
            values,
        })
    }

    /// The value at a time; before the first key and after the last theirs.
    pub fn at(&self, time: f64) -> f64 {
        match self.segment(time) {
            Ok(i) => {
                let (h, x) = self.within(i, time);
                let (a, b) = (self.values[i], self.values[i + 1]);
                let (p, q) = (self.slopes[i] * h, self.slopes[i + 1] * h);
                // Hermite's basis.
                let (x2, x3) = (x * x, x * x * x);
                a * (2.0 * x3 - 3.0 * x2 + 1.0)
                    + p * (x3 - 2.0 * x2 + x)
                    + b * (3.0 * x2 - 2.0 * x3)
                    + q * (x3 - x2)
            }
            Err(i) => self.values[i],
        }
    }

    /// How fast the value changes at a time, per second.
    pub fn slope_at(&self, time: f64) -> f64 {
        match self.segment(time) {
            Ok(i) => {
                let (h, x) = self.within(i, time);
                let rise = (self.values[i + 1] - self.values[i]) / h;
                let (p, q) = (self.slopes[i], self.slopes[i + 1]);
                6.0 * x * (1.0 - x) * rise
                    + p * (3.0 * x * x - 4.0 * x + 1.0)
                    + q * (3.0 * x * x - 2.0 * x)
            }
            Err(_) => 0.0,
        }
    }

    /// The first time at which a rising sequence of values has come to `value`, by halving: exact to the last digits.
    pub fn first_time_of(&self, value: f64) -> f64 {
        let n = self.times.len();
        let i = self.values.partition_point(|v| *v < value);
        if i == 0 || i == n {
            return self.times[i.min(n - 1)];
        }
        let (mut low, mut high) = (self.times[i - 1], self.times[i]);
        for _ in 0..64 {
            let middle = 0.5 * (low + high);
            if middle <= low || middle >= high {
                break;
            }
            if self.at(middle) < value {
                low = middle;
            } else {
                high = middle;
            }
        }
        high
    }

    /// The segment that a time is in, or the key that stands for what is outside.
    fn segment(&self, time: f64) -> Result<usize, usize> {
        let i = self.times.partition_point(|t| *t <= time);
        match i {
            0 => Err(0),
            i if i == self.times.len() => Err(i - 1),
            i => Ok(i - 1),
        }
    }

    /// How long a segment is, and how far within it a time lies, 0 to 1.
    fn within(&self, i: usize, time: f64) -> (f64, f64) {
        let h = self.times[i + 1] - self.times[i];
        (h, (time - self.times[i]) / h)
    }
}

fn slopes(times: &[f64], values: &[f64]) -> Vec<f64> {
    let n = times.len();
    let h: Vec<f64> = times.windows(2).map(|t| t[1] - t[0]).collect();
    let rise: Vec<f64> = (values.windows(2).zip(&h))
        .map(|(v, h)| (v[1] - v[0]) / h)
        .collect();
    match n {
        0 | 1 => return vec![0.0; n],
        2 => return vec![rise[0]; 2],
        _ => {}
    }
    let mut slopes = vec![0.0; n];
    for i in 1..n - 1 {
        let (before, after) = (rise[i - 1], rise[i]);
        if before * after > 0.0 {
            let (w1, w2) = (2.0 * h[i] + h[i - 1], h[i] + 2.0 * h[i - 1]);
            slopes[i] = (w1 + w2) / (w1 / before + w2 / after);
        }
    }
    slopes[0] = end_slope((h[0], h[1]), (rise[0], rise[1]));
    slopes[n - 1] = end_slope((h[n - 2], h[n - 3]), (rise[n - 2], rise[n - 3]));
    slopes
}

/// The slope at an end by three points, held back where it would overshoot.
fn end_slope((h0, h1): (f64, f64), (d0, d1): (f64, f64)) -> f64 {
    let slope = ((2.0 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if slope * d0 <= 0.0 {
        0.0
    } else if d0 * d1 <= 0.0 && slope.abs() > 3.0 * d0.abs() {
        3.0 * d0
    } else {
        slope
    }
}
