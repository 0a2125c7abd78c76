//! A value that changes along a path.

use super::cubic::Monotone;
use super::curve::Between;

/// Values at rising times with how each goes on to the next.
#[derive(Clone, Debug)]
pub(super) struct Track {
    keys: Vec<(f64, f64, Between)>,
    smooth: Monotone,
}

impl Track {
    /// Nothing if there is no key.
    pub(super) fn new(keys: impl Iterator<Item = (f64, f64, Between)>) -> Option<Self> {
        let keys: Vec<_> = keys.collect();
        Some(Self {
            smooth: Monotone::new(keys.iter().map(|(t, v, _)| (*t, *v)))?,
            keys,
        })
    }

    pub(super) fn at(&self, time: f64) -> f64 {
        let next = self.keys.partition_point(|(t, ..)| *t <= time);
        if next == 0 || next == self.keys.len() {
            return self.smooth.at(time);
        }
        let ((t0, v0, on), (t1, v1, _)) = (self.keys[next - 1], self.keys[next]);
        match on {
            Between::Held => v0,
            Between::Straight => v0 + (v1 - v0) * (time - t0) / (t1 - t0),
            Between::Smooth => self.smooth.at(time),
        }
    }
}
