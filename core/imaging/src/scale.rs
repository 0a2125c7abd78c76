//! Making pictures smaller by area: every output pixel is the mean of the input it covers.

use crate::strip::{CHANNELS, Picture, Strip, StripError};

/// Takes the strips of a large picture in order and gives the picture at a smaller size; memory is
/// that of the small picture.
pub struct Shrink {
    source: (u32, u32),
    next_row: u32,
    sums: Vec<f64>,
    target: (u32, u32),
}

impl Shrink {
    /// From `source` to `target`, both width and height in pixels; a target side larger than the
    /// source's is cut down to it.
    pub fn new(source: (u32, u32), target: (u32, u32)) -> Self {
        let target = (
            target.0.clamp(1, source.0.max(1)),
            target.1.clamp(1, source.1.max(1)),
        );
        Self {
            source,
            next_row: 0,
            sums: vec![0.0; target.0 as usize * target.1 as usize * CHANNELS],
            target,
        }
    }

    /// Takes the next strip.
    pub fn add(&mut self, strip: &Strip) -> Result<(), StripError> {
        strip.check_follows(self.next_row)?;
        for row in 0..strip.rows() {
            let line = self.shrink_row(strip.row(row));
            let shares = shares(self.next_row + row, self.source.1, self.target.1);
            for (target_row, share) in shares {
                let at = target_row as usize * line.len();
                for (sum, value) in self.sums[at..at + line.len()].iter_mut().zip(&line) {
                    *sum += value * share;
                }
            }
        }
        self.next_row = strip.end();
        Ok(())
    }

    fn shrink_row(&self, row: &[f32]) -> Vec<f64> {
        let mut line = vec![0.0; self.target.0 as usize * CHANNELS];
        for column in 0..self.source.0 {
            for (target_column, share) in shares(column, self.source.0, self.target.0) {
                for c in 0..CHANNELS {
                    line[target_column as usize * CHANNELS + c] +=
                        f64::from(row[column as usize * CHANNELS + c]) * share;
                }
            }
        }
        line
    }

    /// The small picture; rows that never came are black.
    pub fn finish(self) -> Picture {
        Picture {
            width: self.target.0,
            height: self.target.1,
            samples: self.sums.into_iter().map(|s| s as f32).collect(),
        }
    }
}

/// Which target pixels the source pixel `index` of `source` falls on, and the share of each target
/// pixel's area that it fills.
fn shares(index: u32, source: u32, target: u32) -> impl Iterator<Item = (u32, f64)> {
    let scale = f64::from(target) / f64::from(source);
    let start = f64::from(index) * scale;
    let end = f64::from(index + 1) * scale;
    let first = start.floor() as u32;
    let last = ((end - 1e-9).floor() as u32).min(target - 1);
    (first..=last).map(move |t| {
        let covered = end.min(f64::from(t + 1)) - start.max(f64::from(t));
        (t, covered)
    })
}

/// A whole picture made smaller to `width` pixels, its ratio kept; unchanged if it is no wider.
pub fn shrink_to_width(picture: &Picture, width: u32) -> Picture {
    if width >= picture.width || picture.width == 0 {
        return picture.clone();
    }
    let ratio = f64::from(picture.height) / f64::from(picture.width);
    let height = ((f64::from(width) * ratio).round() as u32).max(1);
    let mut shrink = Shrink::new((picture.width, picture.height), (width, height));
    for strip in picture.strips(64) {
        if shrink.add(&strip).is_err() {
            break; // a picture's own strips are in order and whole
        }
    }
    shrink.finish()
}
