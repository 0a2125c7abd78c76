//! The picture that is converted: its pieces with a margin that continues them over their edges, so that a
//! filter never has to ask where the picture ends.

use super::{Pixel, place::Place};
use crate::pages::filled;
use dome_optics::{PicturePoint, Projection, Shape};
use rayon::prelude::*;

/// Pixels of margin round each piece: half the widest kernel.
pub(super) const MARGIN: usize = 4;
/// Columns are halved where pixels at the horizon that cover 1.25 of them would cover 1.25 times twice the
/// inverse of this.
const FEWER: f64 = 1.4;
/// How far beyond the rim of a disc pixels are filled in.
const BEYOND_RIM: f64 = 8.0;

/// One piece with its margin.
pub(super) struct Piece {
    /// Left and top of the piece in the picture, pixels.
    left: u32,
    top: u32,
    /// Size without margin, pixels.
    pub(super) width: u32,
    pub(super) height: u32,
    /// Width with margins.
    pub(super) stride: usize,
    pub(super) pixels: Vec<Pixel>,
}

impl Piece {
    fn index(&self, x: i64, y: i64) -> usize {
        (y + MARGIN as i64) as usize * self.stride + (x + MARGIN as i64) as usize
    }

    /// Rows `top .. top + height` with half the columns. The piece ends at a pole: above, or below if `lower`.
    fn halved(&self, top: u32, height: u32, lower: bool) -> Self {
        let width = self.width / 2;
        let mut made = Self {
            left: 0,
            top: 0,
            width,
            height,
            stride: width as usize + 2 * MARGIN,
            pixels: filled(
                Pixel::ZERO,
                (width as usize + 2 * MARGIN) * (height as usize + 2 * MARGIN),
            ),
        };
        let (w, h, margin) = (i64::from(width), i64::from(height), MARGIN as i64);
        for y in 0..h {
            for x in 0..w {
                let at = self.index(2 * x, y + i64::from(top));
                let mean = (self.pixels[at] + self.pixels[at + 1]) * 0.5;
                let to = made.index(x, y);
                made.pixels[to] = mean;
            }
        }
        for y in -margin..h + margin {
            // Over the pole the other side comes; away from it rows that no one asks for.
            let over = if lower { y >= h } else { y < 0 };
            let row = match (over, y < 0) {
                (true, true) => -1 - y,
                (true, false) => 2 * h - 1 - y,
                (false, _) => y.clamp(0, h - 1),
            };
            let turn = if over { w / 2 } else { 0 };
            for x in -margin..w + margin {
                if over || row != y || !(0..w).contains(&x) {
                    let from = made.index((x + turn).rem_euclid(w), row);
                    let to = made.index(x, y);
                    made.pixels[to] = made.pixels[from];
                }
            }
        }
        made
    }

    /// Straight lines between the pixels inside; a point beyond their centres counts as on them.
    fn inner(&self, x: f64, y: f64) -> Pixel {
        let (right, low) = (f64::from(self.width) - 1.0, f64::from(self.height) - 1.0);
        let (x, y) = ((x - 0.5).clamp(0.0, right), (y - 0.5).clamp(0.0, low));
        let (x0, y0) = (x.floor(), y.floor());
        let (fx, fy) = ((x - x0) as f32, (y - y0) as f32);
        let at = |dx: f64, dy: f64| {
            let (x, y) = ((x0 + dx).min(right), (y0 + dy).min(low));
            self.pixels[self.index(x as i64, y as i64)]
        };
        let upper = at(0.0, 0.0).lerp(at(1.0, 0.0), fx);
        let lower = at(0.0, 1.0).lerp(at(1.0, 1.0), fx);
        upper.lerp(lower, fy)
    }
}

/// Takes the rows of a picture from the top.
pub struct SourceBuilder {
    shape: Shape,
    width: u32,
    height: u32,
    next: u32,
    pieces: Vec<Piece>,
}

/// A picture ready to be converted.
pub struct Source {
    pub(super) shape: Shape,
    pub(super) width: u32,
    pub(super) height: u32,
    pub(super) pieces: Vec<Piece>,
    /// Of an unrolled sphere: the polar caps once more, with fewer and fewer columns.
    caps: Vec<Cap>,
    /// For each row how many of them there are.
    levels: Vec<u8>,
}

/// Two pieces, about zenith and nadir, with each `2^level` columns of the picture made into one.
struct Cap {
    level: u8,
    /// Rows of the picture above the lower piece.
    below: u32,
    /// The upper piece; the lower one follows.
    piece: usize,
}

impl SourceBuilder {
    /// Room for a picture of this size.
    pub fn new(shape: Shape, width: u32, height: u32) -> Self {
        let pieces = (shape.charts().into_iter())
            .map(|c| {
                let part = |share: f64, of: u32| (share * f64::from(of)).round() as u32;
                let (w, h) = (part(c.width, width), part(c.height, height));
                let stride = w as usize + 2 * MARGIN;
                Piece {
                    left: part(c.left, width),
                    top: part(c.top, height),
                    width: w,
                    height: h,
                    stride,
                    pixels: filled(Pixel::ZERO, stride * (h as usize + 2 * MARGIN)),
                }
            })
            .collect();
        Self {
            shape: shape.fitted(width, height),
            width,
            height,
            next: 0,
            pieces,
        }
    }

    /// Takes the next row: linear light, multiplied by alpha. Rows beyond the last are ignored.
    pub fn row(&mut self, row: &[Pixel]) {
        for piece in &mut self.pieces {
            if (piece.top..piece.top + piece.height).contains(&self.next) {
                let at = piece.index(0, i64::from(self.next - piece.top));
                let (from, width) = (piece.left as usize, piece.width as usize);
                piece.pixels[at..at + width].copy_from_slice(&row[from..from + width]);
            }
        }
        self.next += 1;
    }

    /// All rows are there: the margins are filled.
    pub fn finish(self) -> Source {
        let mut source = Source {
            shape: self.shape,
            width: self.width,
            height: self.height,
            pieces: self.pieces,
            caps: Vec::new(),
            levels: Vec::new(),
        };
        if source.shape.is_disc() {
            source.fill_rim();
        }
        source.fill_margins();
        if source.shape == Shape::Equirect {
            source.add_caps();
        }
        source
    }
}

impl Source {
    /// A whole picture in memory.
    pub fn from_rows<'a>(
        shape: Shape,
        width: u32,
        height: u32,
        rows: impl IntoIterator<Item = &'a [Pixel]>,
    ) -> Self {
        let mut builder = SourceBuilder::new(shape, width, height);
        for row in rows {
            builder.row(row);
        }
        builder.finish()
    }

    /// Its shape.
    pub fn shape(&self) -> Shape {
        self.shape
    }

    /// Width and height in pixels.
    pub fn size(&self) -> (u32, u32) {
        (self.width, self.height)
    }

    /// Width and height of a piece, pixels.
    pub(crate) fn piece_size(&self, piece: usize) -> (u32, u32) {
        let p = &self.pieces[piece];
        (p.width, p.height)
    }

    /// A pixel of a piece or, up to the margin's width, of what continues it.
    pub(crate) fn pixel(&self, piece: usize, x: i64, y: i64) -> Pixel {
        let p = &self.pieces[piece];
        p.pixels[p.index(x, y)]
    }

    /// The bytes that the picture takes in memory.
    pub fn bytes(shape: Shape, width: u32, height: u32) -> u64 {
        let margins = 2 * MARGIN as u64;
        (shape.charts().iter())
            .map(|c| {
                let side = |share: f64, of: u32| (share * f64::from(of)).round() as u64 + margins;
                side(c.width, width) * side(c.height, height) * size_of::<Pixel>() as u64
            })
            .sum()
    }

    /// Where a direction lies, or `None` where the picture shows nothing.
    pub(super) fn place(&self, d: glam::DVec3) -> Option<Place> {
        let (piece, x, y) = self.shape.to_chart(d)?;
        let p = self.pieces.get(piece)?;
        Some(Place {
            piece: piece as i32,
            x: x * f64::from(p.width),
            y: y * f64::from(p.height),
        })
    }

    /// The same place in the cap with the fewest columns there, `spare` of its levels left out.
    pub(super) fn capped(&self, place: Place, spare: u8) -> Place {
        let Some(levels) = self.levels.get(place.y as usize) else {
            return place;
        };
        let level = levels.saturating_sub(spare);
        if level == 0 {
            return place;
        }
        let cap = &self.caps[usize::from(level) - 1];
        let x = place.x / f64::from(1u32 << cap.level);
        if place.y < f64::from(self.height) / 2.0 {
            Place {
                piece: cap.piece as i32,
                x,
                y: place.y,
            }
        } else {
            Place {
                piece: cap.piece as i32 + 1,
                x,
                y: place.y - f64::from(cap.below),
            }
        }
    }

    /// Whether there are no polar caps with fewer columns.
    pub(super) fn has_no_caps(&self) -> bool {
        self.caps.is_empty()
    }

    /// How many columns of the picture one column of a piece stands for.
    pub(super) fn columns_in_one(&self, piece: i32) -> f64 {
        f64::from(self.width) / f64::from(self.pieces[piece as usize].width)
    }

    /// Towards the poles columns lie closer and closer. Where pixels of a result cover several of them, means
    /// made beforehand are as good and much quicker.
    fn add_caps(&mut self) {
        self.levels = vec![0; self.height as usize + 1];
        let angle = |row: u32| {
            std::f64::consts::PI * (0.5 - (f64::from(row) + 0.5) / f64::from(self.height))
        };
        for level in 1u8.. {
            let columns = self.width >> level;
            let rows = (0..self.height / 2)
                .take_while(|&row| angle(row).cos() < FEWER / f64::from(1u32 << level))
                .count() as u32;
            if rows == 0 || columns < 16 || columns << level != self.width {
                break;
            }
            // Rows of the next level's neighbours are there too, for the filter.
            let height = rows + MARGIN as u32;
            if height > self.height {
                break; // too low a picture to be worth it
            }
            let below = self.height - height;
            let before = self.caps.last().map_or((0, 0), |c| (c.piece, c.piece + 1));
            let tops = [0, below - self.caps.last().map_or(0, |c| c.below)];
            let (piece, whole) = (self.pieces.len(), before.0 == 0);
            for (lower, top) in [(false, tops[0]), (true, tops[1])] {
                let from = match (whole, lower) {
                    (true, _) => 0,
                    (false, false) => before.0,
                    (false, true) => before.1,
                };
                let made = self.pieces[from].halved(top, height, lower);
                self.pieces.push(made);
            }
            for row in 0..rows {
                self.levels[row as usize] = level;
                self.levels[(self.height - 1 - row) as usize] = level;
            }
            self.caps.push(Cap {
                level,
                below,
                piece,
            });
        }
        let last = self.height as usize;
        self.levels[last] = self.levels[last - 1];
    }

    /// The value at a point of a piece that may lie beyond its edges: from wherever it continues.
    fn continued(&self, piece: usize, x: f64, y: f64) -> Pixel {
        let p = &self.pieces[piece];
        let found = self
            .shape
            .beyond(piece, x / f64::from(p.width), y / f64::from(p.height))
            .and_then(|d| self.place(d));
        match found {
            Some(place) => self.pieces[place.piece as usize].inner(place.x, place.y),
            None => p.inner(x, y),
        }
    }

    fn fill_margins(&mut self) {
        let margin = MARGIN as i64;
        for i in 0..self.pieces.len() {
            let (w, h) = (
                i64::from(self.pieces[i].width),
                i64::from(self.pieces[i].height),
            );
            let filled: Vec<(usize, Pixel)> = (-margin..h + margin)
                .into_par_iter()
                .flat_map_iter(|y| {
                    // Whole rows above and below, else the two ends.
                    let left = if (0..h).contains(&y) { 0 } else { w };
                    (-margin..left).chain(w..w + margin).map(move |x| (x, y))
                })
                .map(|(x, y)| {
                    let value = self.continued(i, x as f64 + 0.5, y as f64 + 0.5);
                    (self.pieces[i].index(x, y), value)
                })
                .collect();
            for (at, value) in filled {
                self.pieces[i].pixels[at] = value;
            }
        }
    }

    /// Round a disc, pixels whose centres lie outside the rim go on as the sphere does.
    fn fill_rim(&mut self) {
        let (w, h) = (self.pieces[0].width, self.pieces[0].height);
        let reach = 2.0 * BEYOND_RIM / f64::from(w.min(h));
        let filled: Vec<(usize, Pixel)> = (0..h)
            .into_par_iter()
            .flat_map_iter(|y| (0..w).map(move |x| (x, y)))
            .filter_map(|(x, y)| {
                let p = PicturePoint::pixel_centre(x, y, w, h);
                let r = (2.0 * p.u - 1.0).hypot(2.0 * p.v - 1.0);
                if r <= 1.0 || r > 1.0 + reach {
                    return None;
                }
                // A little inside, so that no pixel from outside takes part.
                let pull = 1.0 - 1.5 / f64::from(w.min(h)) * 2.0;
                let d = self.shape.beyond(0, p.u, p.v)?;
                let q = self.shape.to_picture(d)?;
                let inward = |v: f64| {
                    let r_q = (2.0 * q.u - 1.0).hypot(2.0 * q.v - 1.0);
                    (v - 0.5) * (pull / r_q.max(1e-9)).min(1.0) + 0.5
                };
                let piece = &self.pieces[0];
                let value = piece.inner(inward(q.u) * f64::from(w), inward(q.v) * f64::from(h));
                Some((piece.index(i64::from(x), i64::from(y)), value))
            })
            .collect();
        for (at, value) in filled {
            self.pieces[0].pixels[at] = value;
        }
    }
}
