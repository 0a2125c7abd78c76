//! The polar caps of an unrolled sphere with fewer and fewer columns.
//!
//! Towards the poles columns lie closer and closer. Where pixels of a result cover several of them, means made
//! beforehand are as good and much quicker.

use super::source::{Extent, Frame, MARGIN};
use super::texel::{Sample, Texel};
use crate::pages::zeros;
use rayon::prelude::*;

/// Columns are halved where pixels at the horizon that cover 1.25 of them would cover 1.25 times twice the
/// inverse of this.
const FEWER: f64 = 1.4;
/// Most levels that are made.
pub(super) const MOST_LEVELS: usize = 14;

/// What caps there are: level by level, in how many rows from either pole.
#[derive(Default)]
pub(super) struct Caps {
    rows: Vec<u32>,
}

/// The levels that some pixels take: in so many rows from either pole the first, in so many the second.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Levels {
    rows: [i32; MOST_LEVELS],
    /// How many there are.
    count: usize,
}

impl Levels {
    pub(super) const NONE: Self = Self {
        rows: [0; MOST_LEVELS],
        count: 0,
    };

    /// The level at a row that lies so many rows from the nearer pole.
    #[inline(always)]
    pub(super) fn at(&self, from_pole: i32) -> u8 {
        let mut level = 0;
        for rows in &self.rows[..self.count.min(MOST_LEVELS)] {
            level += u8::from(from_pole < *rows);
        }
        level
    }
}

/// How many rows from a pole have their middle where the cosine of the latitude is below `fewer`.
fn rows_below(fewer: f64, height: u32) -> u32 {
    // The cosine of a latitude is the sine of its distance from the pole.
    let most = fewer.min(1.0).asin() / std::f64::consts::PI * f64::from(height);
    ((most + 0.5).ceil() as u32)
        .saturating_sub(1)
        .min(height / 2)
}

/// Halvings that a sphere's rows allow: how many rows from each pole, level by level.
fn rows_of_levels(width: u32, height: u32) -> Vec<u32> {
    let mut found = Vec::new();
    for level in 1..=MOST_LEVELS as u32 {
        let columns = width >> level;
        let rows = rows_below(FEWER / f64::from(1u32 << level), height);
        // Too low a picture is not worth it: rows of the next level's neighbours are there too.
        if rows == 0 || columns < 16 || columns << level != width || rows + MARGIN as u32 > height {
            break;
        }
        found.push(rows);
    }
    found
}

/// How often the columns may be halved at a row.
pub(super) fn level_at(width: u32, height: u32, row: u32) -> u32 {
    let from_pole = row.min(height - 1 - row.min(height - 1));
    (rows_of_levels(width, height).iter())
        .take_while(|&&rows| from_pole < rows)
        .count() as u32
}

impl Caps {
    pub(super) fn none(&self) -> bool {
        self.rows.is_empty()
    }

    /// The levels for pixels where columns are halved once their cosine is below `fewer / 2`, twice below
    /// `fewer / 4` and so on.
    pub(super) fn levels(&self, fewer: f64, height: u32) -> Levels {
        let mut levels = Levels::NONE;
        for (i, held) in self.rows.iter().enumerate() {
            let rows = rows_below(fewer / f64::from(2u32 << i), height).min(*held);
            if rows == 0 {
                break;
            }
            levels.rows[i] = rows as i32;
            levels.count = i + 1;
        }
        levels
    }
}

/// The piece that holds a level: above the horizon, or below.
#[inline(always)]
pub(super) fn piece_of(level: u8, lower: bool) -> usize {
    match level {
        0 => 0,
        _ => usize::from(level) * 2 - 1 + usize::from(lower),
    }
}

impl Frame {
    /// Adds the caps' pieces and fills all margins.
    pub(super) fn add_caps<S: Sample>(&mut self, pieces: &mut Vec<Vec<Texel<S>>>) {
        let whole = self.extents[0];
        self.fill_sphere_margins(&whole, 0, &mut pieces[0]);
        let (top, end) = (whole.top, whole.top + i64::from(whole.height));
        let height = i64::from(self.height);
        let levels = rows_of_levels(self.width, self.height);
        for (i, rows) in levels.iter().enumerate() {
            let (level, rows) = (i as u8 + 1, i64::from(*rows));
            let reach = rows + MARGIN as i64;
            let upper = top.min(reach)..end.min(reach);
            let lower = top.max(height - reach)..end.max(height - reach);
            // A part of the sphere begins and ends at columns that this level can have.
            let fits = |v: i64| v % (1 << level) == 0;
            if (upper.is_empty() && lower.is_empty())
                || !fits(whole.left)
                || !fits(i64::from(whole.width))
            {
                break;
            }
            for (lower, range) in [(false, upper), (true, lower)] {
                let made = Extent::new(
                    whole.left >> level,
                    range.start,
                    whole.width >> level,
                    (range.end - range.start).max(0) as u32,
                );
                let from = piece_of(level - 1, lower);
                let mut texels = halved(&self.extents[from], &pieces[from], &made);
                self.fill_sphere_margins(&made, level, &mut texels);
                self.extents.push(made);
                pieces.push(texels);
            }
            self.caps.rows.push(rows as u32);
        }
    }

    /// Round the sphere the other end follows, over the pole the other side. A part of the sphere is held wider
    /// than it is asked for, so any value will do beyond it.
    fn fill_sphere_margins<S: Sample>(&self, extent: &Extent, level: u8, texels: &mut [Texel<S>]) {
        if extent.height == 0 {
            return;
        }
        let (w, h, margin) = (
            i64::from(extent.width),
            i64::from(extent.height),
            MARGIN as i64,
        );
        let round = extent.width == self.width >> level;
        let at = |x: i64, y: i64| extent.index(x + extent.left, y + extent.top);
        for y in 0..h {
            for x in (-margin..0).chain(w..w + margin) {
                let from = if round {
                    x.rem_euclid(w)
                } else {
                    x.clamp(0, w - 1)
                };
                texels[at(x, y)] = texels[at(from, y)];
            }
        }
        let poles = (extent.top == 0, extent.top + h == i64::from(self.height));
        for y in (-margin..0).chain(h..h + margin) {
            let over = if y < 0 { poles.0 } else { poles.1 };
            let row = match (over, y < 0) {
                (true, true) => (-1 - y).min(h - 1),
                (true, false) => (2 * h - 1 - y).max(0),
                (false, _) => y.clamp(0, h - 1),
            };
            for x in -margin..w + margin {
                let from = if over && round {
                    (x + w / 2).rem_euclid(w)
                } else {
                    x
                };
                texels[at(x, y)] = texels[at(from, row)];
            }
        }
    }
}

/// The rows of `made` with half the columns of the piece.
fn halved<S: Sample>(from: &Extent, texels: &[Texel<S>], made: &Extent) -> Vec<Texel<S>> {
    let mut out: Vec<Texel<S>> = zeros(made.area());
    let width = made.width as usize;
    (out.par_chunks_mut(made.stride).skip(MARGIN))
        .take(made.height as usize)
        .enumerate()
        .for_each(|(y, line)| {
            let start = from.index(from.left, made.top + y as i64);
            let row = &texels[start..][..2 * width];
            for (to, two) in line[MARGIN..][..width].iter_mut().zip(row.chunks_exact(2)) {
                for c in 0..4 {
                    to[c] = two[0][c].mean(two[1][c]);
                }
            }
        });
    out
}
