//! Shares of all directions that a place gets its light from.

use glam::Vec3;
use std::f32::consts::{PI, TAU};

/// Rows of equal height, and columns: bins of equal solid angle.
const ROWS: usize = 8;
const COLUMNS: usize = 16;
pub(super) const BINS: usize = ROWS * COLUMNS;
/// The sum of all shares.
const WHOLE: f32 = u16::MAX as f32;

/// The bin that a direction (unit) is in.
pub(super) fn bin(d: Vec3) -> usize {
    let row = (((d.y + 1.0) * 0.5 * ROWS as f32) as usize).min(ROWS - 1);
    let column = ((d.x.atan2(-d.z) / TAU + 0.5) * COLUMNS as f32) as usize;
    row * COLUMNS + column.min(COLUMNS - 1)
}

/// The direction at a place of a bin, 0 to 1 each way.
pub(super) fn within(bin: usize, (a, b): (f32, f32)) -> Vec3 {
    let y = ((bin / COLUMNS) as f32 + a) / ROWS as f32 * 2.0 - 1.0;
    let (sin, cos) = (((bin % COLUMNS) as f32 + b) / COLUMNS as f32 * TAU - PI).sin_cos();
    let level = (1.0 - y * y).max(0.0).sqrt();
    Vec3::new(level * sin, y, -level * cos)
}

/// Directions chosen by learned shares.
#[derive(Debug, serde::Serialize, serde::Deserialize)]
pub(crate) struct Directions {
    /// Shares summed up, in 1/65535: small, since cells are looked up at random.
    #[serde(with = "super::bytes::shares")]
    sums: [u16; BINS],
}

impl Directions {
    /// From weights of the bins, each of which gives a part to its neighbours; `keep` weighs what lies in a bin's middle. Nothing if all
    /// are 0.
    pub(super) fn new(weights: &[f32; BINS], keep: impl Fn(Vec3) -> f32) -> Option<Self> {
        let mut sums = [0.0; BINS];
        let mut whole = 0.0;
        for (i, sum) in sums.iter_mut().enumerate() {
            let (row, column) = (i / COLUMNS, i % COLUMNS);
            let at = |row: usize, column: usize| weights[row * COLUMNS + column % COLUMNS];
            let beside = at(row, column + 1) + at(row, column + COLUMNS - 1);
            let over = at((row + 1).min(ROWS - 1), column) + at(row.saturating_sub(1), column);
            whole += (0.6 * at(row, column) + 0.1 * (beside + over)) * keep(within(i, (0.5, 0.5)));
            *sum = whole;
        }
        if !(whole > 0.0 && whole.is_finite()) {
            return None;
        }
        Some(Self {
            sums: sums.map(|sum| (sum / whole * WHOLE).round() as u16),
        })
    }

    /// Whether they could have been learned.
    pub(super) fn are_sound(&self) -> bool {
        super::bytes::summed_up(&self.sums)
    }

    /// Probability per steradian of choosing a direction.
    pub(crate) fn density(&self, d: Vec3) -> f32 {
        self.share(bin(d)) * (BINS as f32 / (4.0 * PI))
    }

    fn share(&self, bin: usize) -> f32 {
        let below = if bin > 0 { self.sums[bin - 1] } else { 0 };
        f32::from(self.sums[bin] - below) / WHOLE
    }

    /// A direction.
    pub(crate) fn choose(&self, choose: f32, place: (f32, f32)) -> Vec3 {
        let wanted = choose * WHOLE;
        let bin = (self.sums)
            .partition_point(|v| f32::from(*v) <= wanted)
            .min(BINS - 1);
        within(bin, place)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Chosen directions lie as densely as is told, and the density integrates to 1.
    #[test]
    fn directions_are_chosen_as_told() {
        let weights = std::array::from_fn(|i| ((i * 37) % 11) as f32);
        let learned = Directions::new(&weights, |d| if d.y > -0.5 { 1.0 } else { 0.0 }).unwrap();
        let n = 64;
        let mut counts = [0u32; BINS];
        for i in 0..n * n {
            let x = (i as f32 + 0.5) / (n * n) as f32;
            let d = learned.choose(x, ((i % n) as f32 / n as f32, 0.37));
            assert!((d.length() - 1.0).abs() < 1e-5);
            counts[bin(d)] += 1;
        }
        let mut whole = 0.0;
        for (i, count) in counts.iter().enumerate() {
            let d = within(i, (0.5, 0.5));
            assert_eq!(bin(d), i);
            let told = learned.density(d) * 4.0 * PI / BINS as f32;
            let found = *count as f32 / (n * n) as f32;
            assert!((found - told).abs() < 1e-3, "bin {i}: {found} {told}");
            whole += told;
        }
        assert!((whole - 1.0).abs() < 1e-4);
        assert!(Directions::new(&[0.0; BINS], |_| 1.0).is_none());
    }
}
