//! The polar caps of an unrolled sphere with fewer and fewer columns.
//!
//! Towards the poles columns lie closer and closer. Where pixels of a result cover several of them, means made
//! beforehand are as good and much quicker.

use super::piece::MARGIN;

/// Columns are halved where pixels at the horizon that cover 1.25 of them would cover 1.25 times twice the
/// inverse of this.
const FEWER: f64 = 1.4;
/// Most levels that are made.
pub(super) const MOST_LEVELS: usize = 14;

/// What caps there are: level by level, in how many rows from either pole.
#[derive(Default)]
pub(super) struct Caps {
    pub(super) rows: Vec<u32>,
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
pub(super) fn rows_of_levels(width: u32, height: u32) -> Vec<u32> {
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
