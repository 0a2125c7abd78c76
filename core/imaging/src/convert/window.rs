//! What part of an unrolled sphere a part of the result is made from, so that a picture larger than memory can be
//! converted piece by piece.

use super::Layout;
use super::caps::level_at;
use super::piece::MARGIN;
use dome_optics::neighbourhood::around;
use dome_optics::{LonLat, PicturePoint, Projection, Shape};
use glam::DVec3;
use std::f64::consts::{PI, TAU};

/// Places along each side of a part that are asked.
const ASKED: u32 = 24;
/// Places round the rim of a disc that are asked.
const RIM: u32 = 1440;
/// A part that needs more than this share of the columns needs all.
const ALMOST_ALL: f64 = 0.75;

/// A part of an unrolled sphere, pixels. Columns go on beyond the right edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Window {
    /// First column.
    pub left: i64,
    /// First row.
    pub top: u32,
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
}

/// A part of the result, pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Block {
    /// First column.
    pub left: u32,
    /// First row.
    pub top: u32,
    /// Columns.
    pub width: u32,
    /// Rows.
    pub height: u32,
}

impl Block {
    /// The halves of the longer side, cut where `tile` allows; `None` if it is too small.
    pub fn halves(self, (across, down): (u32, u32)) -> Option<[Self; 2]> {
        let cut = |length: u32, tile: u32| (length / 2).div_ceil(tile) * tile;
        if self.width >= self.height && self.width > across {
            let first = cut(self.width, across);
            return Some([
                Self {
                    width: first,
                    ..self
                },
                Self {
                    left: self.left + first,
                    width: self.width - first,
                    ..self
                },
            ]);
        }
        let first = cut(self.height, down);
        (self.height > down).then_some([
            Self {
                height: first,
                ..self
            },
            Self {
                top: self.top + first,
                height: self.height - first,
                ..self
            },
        ])
    }
}

impl Layout {
    /// The part of an unrolled sphere that a block of the result needs, with all that filters reach; of other
    /// shapes all of the picture.
    pub fn window(&self, block: Block) -> Window {
        let (width, height) = self.from_size;
        let all = Window {
            left: 0,
            top: 0,
            width,
            height,
        };
        if self.from != Shape::Equirect || block.width == 0 || block.height == 0 {
            return all;
        }
        let (w, h) = (f64::from(width), f64::from(height));
        let grid = Grid::new(self, block, (w, h));
        let Some((least, most)) = grid.rows() else {
            // It shows nothing at all.
            return Window {
                width: width.min(64),
                height: height.min(64),
                ..all
            };
        };
        let margin = f64::from(MARGIN as u32) + 2.0;
        let (mut beyond_x, mut beyond_y) = grid.steps(w);
        if grid.hidden() {
            // Between the last place that shows something and the outline things may go faster.
            (beyond_x, beyond_y) = (3.0 * beyond_x, 3.0 * beyond_y);
        }
        let mut top = (least - beyond_y - margin).floor().max(0.0) as u32;
        let mut end = (most + beyond_y + margin).ceil().min(h) as u32;
        if self.shows(block, DVec3::Y) {
            top = 0;
        }
        if self.shows(block, -DVec3::Y) {
            end = height;
        }
        let rows = Window {
            top,
            height: end - top,
            ..all
        };
        // Over a pole the other side follows.
        if top == 0 || end == height {
            return rows;
        }
        let level = level_at(width, height, top).max(level_at(width, height, end - 1));
        let unit = f64::from(1u32 << level);
        let (from, gap) = grid.widest_gap(w);
        let beyond = beyond_x + (margin + 1.0) * unit;
        let (first, last) = (from - beyond, from + (w - gap) + beyond);
        if gap <= 2.0 * beyond_x || last - first > ALMOST_ALL * w {
            return rows;
        }
        let left = (first / unit).floor() * unit;
        let right = (last / unit).ceil() * unit;
        Window {
            left: i64::from(around(left as i64, width)),
            width: (right - left) as u32,
            ..rows
        }
    }

    /// Whether a direction of the source's sphere may lie in a block.
    fn shows(&self, block: Block, direction: DVec3) -> bool {
        let Some(p) = self.to.to_picture(self.turn.transpose() * direction) else {
            return false;
        };
        let (x, y) = PicturePoint::to_pixels(p, self.size.0, self.size.1);
        let within = |v: f64, from: u32, length: u32| {
            v >= f64::from(from) - 2.0 && v <= f64::from(from) + f64::from(length) + 2.0
        };
        within(x, block.left, block.width) && within(y, block.top, block.height)
    }
}

/// Places of the source, column and row, that lie behind a grid of pixels of a block.
struct Grid {
    columns: u32,
    places: Vec<Option<(f64, f64)>>,
    /// Places behind the rim of a disc in the block: towards it they go faster than between any pixels.
    rim: Vec<Option<(f64, f64)>>,
}

impl Grid {
    fn new(layout: &Layout, block: Block, (w, h): (f64, f64)) -> Self {
        let (columns, rows) = (block.width.min(ASKED), block.height.min(ASKED));
        let centre = |from: u32, length: u32, i: u32, of: u32| {
            f64::from(from) + 0.5 + f64::from(length - 1) * f64::from(i) / f64::from(of)
        };
        let place = |d: DVec3| {
            let at = LonLat::from_vector(d);
            ((at.lon / TAU + 0.5) * w, (0.5 - at.lat / PI) * h)
        };
        let mut places = Vec::new();
        for j in 0..=rows {
            for i in 0..=columns {
                let x = centre(block.left, block.width, i, columns);
                let y = centre(block.top, block.height, j, rows);
                places.push(layout.direction(x, y).map(place));
            }
        }
        let mut grid = Self {
            columns,
            places,
            rim: Vec::new(),
        };
        if grid.hidden() && layout.to.is_disc() {
            let (width, height) = (f64::from(layout.size.0), f64::from(layout.size.1));
            let within = |v: f64, from: u32, length: u32| {
                v >= f64::from(from) - 1.0 && v <= f64::from(from + length) + 1.0
            };
            for i in 0..RIM {
                let (sin, cos) = (TAU * f64::from(i) / f64::from(RIM)).sin_cos();
                let (x, y) = (
                    width * (0.5 + 0.499_999 * cos),
                    height * (0.5 + 0.499_999 * sin),
                );
                if within(x, block.left, block.width) && within(y, block.top, block.height) {
                    grid.rim.push(layout.direction(x, y).map(place));
                }
            }
        }
        grid
    }

    fn seen(&self) -> impl Iterator<Item = (f64, f64)> + '_ {
        self.places.iter().chain(&self.rim).flatten().copied()
    }

    /// The first and last row; `None` if nothing is seen.
    fn rows(&self) -> Option<(f64, f64)> {
        let seen = || self.seen().map(|p| p.1);
        let (least, most) = (seen().reduce(f64::min)?, seen().reduce(f64::max)?);
        Some((least, most))
    }

    fn hidden(&self) -> bool {
        self.places.iter().any(Option::is_none)
    }

    /// How far neighbours are apart at most, across the short way round.
    fn steps(&self, w: f64) -> (f64, f64) {
        let line = self.columns as usize + 1;
        let mut most = (1.0f64, 1.0f64);
        let mut compare = |a: Option<(f64, f64)>, b: Option<(f64, f64)>| {
            if let (Some(a), Some(b)) = (a, b) {
                let across = (a.0 - b.0).abs();
                most.0 = most.0.max(across.min(w - across));
                most.1 = most.1.max((a.1 - b.1).abs());
            }
        };
        for (i, &place) in self.places.iter().enumerate() {
            if (i + 1) % line != 0 {
                compare(place, self.places[i + 1]);
            }
            if let Some(&below) = self.places.get(i + line) {
                compare(place, below);
            }
        }
        for two in self.rim.windows(2) {
            compare(two[0], two[1]);
        }
        most
    }

    /// Where the places begin after the widest stretch of columns that none lies in, and how wide it is.
    fn widest_gap(&self, w: f64) -> (f64, f64) {
        let mut across: Vec<f64> = self.seen().map(|p| p.0.rem_euclid(w)).collect();
        across.sort_by(f64::total_cmp);
        let (mut from, mut gap) = (0.0, 0.0);
        for (i, &x) in across.iter().enumerate() {
            let next = across.get(i + 1).copied().unwrap_or(across[0] + w);
            if next - x > gap {
                (from, gap) = (next, next - x);
            }
        }
        (from, gap)
    }
}
