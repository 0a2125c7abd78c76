//! Conversion between shapes of pictures, strip by strip.
//!
//! Every pixel of the result asks where its direction lies in the source. Where the source is magnified a
//! kernel interpolates; where it is made smaller the mean over the footprint of the pixel is taken, from as
//! many points as it covers pixels. Colour is linear light, multiplied by alpha.

mod kernel;
mod place;
mod source;

use dome_optics::{Orientation, Shape};
use glam::DMat3;
pub use kernel::Kernel;
use kernel::{MOST_TAPS, STEPS};
use place::{Curve, Mapping, Place, Sink};
use rayon::prelude::*;
use source::MARGIN;
pub use source::{Source, SourceBuilder};

/// Red, green, blue in linear light, multiplied by alpha; alpha.
pub type Pixel = glam::Vec4;

/// Pixels of the result that share one decision about their footprint.
const TILE: usize = 128;
/// Rows of a tile.
const TILE_ROWS: u32 = 16;
/// Most points along one axis of a pixel's footprint. Only pixels that lie on a pole need more, and there
/// neighbouring columns of the source are all but equal.
const MOST_POINTS: usize = 64;
/// A pixel that covers no more of the source than this is taken from one point.
const ONE_POINT: f64 = 1.6;
/// Distance between the points of a pixel that covers more, pixels of the source: their straight lines reach
/// from one to the next.
const BETWEEN_POINTS: f64 = 1.25;
/// So many levels left out are all of them.
const NO_CAPS: u8 = 64;

/// A conversion of one picture into another.
pub struct Conversion<'a> {
    source: &'a Source,
    shape: Shape,
    width: u32,
    height: u32,
    turn: DMat3,
    kernel: Kernel,
}

impl<'a> Conversion<'a> {
    /// To a picture of the given shape and size, which looks in the source's sphere where `turn` says.
    pub fn new(
        source: &'a Source,
        shape: Shape,
        (width, height): (u32, u32),
        turn: Orientation,
        kernel: Kernel,
    ) -> Self {
        Self {
            source,
            shape: shape.fitted(width, height),
            width,
            height,
            turn: turn.matrix(),
            kernel,
        }
    }

    /// Rows `top .. top + rows` of the result, row by row; transparent where the source or the shape of the
    /// result shows nothing.
    pub fn rows(&self, top: u32, rows: u32) -> Vec<Pixel> {
        let width = self.width as usize;
        let mut out = vec![Pixel::ZERO; width * rows as usize];
        out.par_chunks_mut(width * TILE_ROWS as usize)
            .enumerate()
            .for_each(|(i, band)| {
                let top = top + i as u32 * TILE_ROWS;
                let mut worker = Worker {
                    mapping: self.mapping(),
                    kernel: self.kernel,
                };
                for left in (0..width).step_by(TILE) {
                    worker.tile(band, width, left, top);
                }
            });
        out
    }

    /// The same rows without the help of curves and tiles, each point asked exactly and `points` x `points`
    /// of them averaged: slow, the measure for the fast way.
    pub fn reference_rows(&self, top: u32, rows: u32, points: u32) -> Vec<Pixel> {
        let mapping = self.mapping();
        (0..rows * self.width)
            .into_par_iter()
            .map(|i| {
                let (x, y) = (i % self.width, top + i / self.width);
                let mut sum = Pixel::ZERO;
                for k in 0..points * points {
                    let share = |v: u32| (f64::from(v) + 0.5) / f64::from(points);
                    let place = mapping.at(
                        f64::from(x) + share(k % points),
                        f64::from(y) + share(k / points),
                    );
                    sum += sample(self.source, place, self.kernel);
                }
                sum / (points * points) as f32
            })
            .collect()
    }

    fn mapping(&self) -> Mapping<'a> {
        Mapping {
            source: self.source,
            shape: self.shape,
            turn: self.turn,
            size: (f64::from(self.width), f64::from(self.height)),
            spare: NO_CAPS,
        }
    }
}

impl Source {
    /// The value in a direction by straight lines; nothing where the picture shows nothing.
    pub fn look(&self, direction: glam::DVec3) -> Pixel {
        let place = self.place(direction).unwrap_or(Place::NOWHERE);
        sample(self, place, Kernel::Bilinear)
    }
}

struct Worker<'a> {
    mapping: Mapping<'a>,
    kernel: Kernel,
}

impl Worker<'_> {
    /// One tile of a band of rows that starts at row `top` of the result.
    fn tile(&mut self, band: &mut [Pixel], width: usize, left: usize, top: u32) {
        let columns = TILE.min(width - left);
        let rows = band.len() / width;
        let (across, down) = self.footprint(left, top, columns, rows);
        // Between the pixels of a magnified source a kernel is needed; means of several points are smooth.
        let kernel = if across > 2 || down > 2 {
            Kernel::Bilinear
        } else {
            self.kernel
        };
        let (step, share) = (1.0 / across as f64, 1.0 / (across * down) as f32);
        for row in 0..rows {
            let line = &mut band[row * width + left..][..columns];
            for sub in 0..down {
                let y = f64::from(top) + row as f64 + (sub as f64 + 0.5) / down as f64;
                let mut line = Line {
                    source: self.mapping.source,
                    kernel,
                    across,
                    pixels: &mut *line,
                };
                let points = columns * across;
                (self.mapping).row(left as f64 + step / 2.0, step, y, points, &mut line);
            }
            for pixel in line.iter_mut() {
                // Kernels with negative weights overshoot; light and cover cannot.
                *pixel = (*pixel * share).max(Pixel::ZERO);
                pixel.w = pixel.w.min(1.0);
            }
        }
    }

    /// Points that a pixel of the tile needs across and down so that none of the source is left out. Decides
    /// also which of the source's caps are used.
    fn footprint(&mut self, left: usize, top: u32, columns: usize, rows: usize) -> (usize, usize) {
        let mut looked = [(0.0, 0.0); 9];
        // How many columns of the horizon a pixel covers at least.
        let mut finest = f64::INFINITY;
        self.mapping.spare = NO_CAPS;
        for (i, at) in looked.iter_mut().enumerate() {
            // Centres of pixels: cells, folds and outlines lie between pixels.
            let third = |i: usize, of: usize| ((of - 1) * i / 2) as f64 + 0.5;
            *at = (
                left as f64 + third(i % 3, columns),
                f64::from(top) + third(i / 3, rows),
            );
            if self.mapping.source.has_no_caps() {
                continue;
            }
            let (across, down) = self.lengths(*at);
            if across.max(down) > 0.0 {
                finest = finest.min(across.max(down) * self.closeness(*at));
            }
        }
        if finest.is_finite() {
            let spare = (BETWEEN_POINTS / finest.max(1e-3)).log2().ceil();
            self.mapping.spare = spare.max(0.0) as u8;
        }
        let (mut across, mut down) = (1.0f64, 1.0f64);
        for at in looked {
            let lengths = self.lengths(at);
            (across, down) = (across.max(lengths.0), down.max(lengths.1));
        }
        let points = |length: f64| {
            if length < ONE_POINT {
                1
            } else {
                ((length / BETWEEN_POINTS).ceil() as usize).min(MOST_POINTS)
            }
        };
        (points(across), points(down))
    }

    /// How far a step of one pixel across and one down go in the source, at a point of the result.
    fn lengths(&self, (x, y): (f64, f64)) -> (f64, f64) {
        const APART: f64 = 0.25;
        (
            self.distance((x - APART, y), (x + APART, y)) / (2.0 * APART),
            self.distance((x, y - APART), (x, y + APART)) / (2.0 * APART),
        )
    }

    /// The cosine of the latitude in an unrolled sphere: how close its columns lie.
    fn closeness(&self, (x, y): (f64, f64)) -> f64 {
        let place = self.mapping.at(x, y);
        let height = f64::from(self.mapping.source.height);
        (std::f64::consts::PI * (0.5 - place.y / height)).cos()
    }

    /// Distance in the source between two points of the result; 0 where it cannot be told.
    fn distance(&self, from: (f64, f64), to: (f64, f64)) -> f64 {
        let source = self.mapping.source;
        let (a, mut b) = (self.mapping.at(from.0, from.1), self.mapping.at(to.0, to.1));
        if a.piece < 0 || b.piece < 0 {
            return 0.0;
        }
        if a.piece != b.piece {
            if source.has_no_caps() {
                return 0.0;
            }
            // The same picture with fewer columns; rows do not matter near a pole.
            b.x *= source.columns_in_one(b.piece) / source.columns_in_one(a.piece);
            b.y = a.y;
        }
        let piece = &source.pieces[a.piece as usize];
        let (w, h) = (f64::from(piece.width), f64::from(piece.height));
        let mut dx = (a.x - b.x).abs();
        if source.shape.wraps() {
            dx = dx.min(w - dx);
        }
        let length = dx.hypot(a.y - b.y);
        // Over a cut of the picture, or from one side of a pole to the other.
        let limit = if source.has_no_caps() {
            (w + h) / 4.0
        } else {
            w * 0.375
        };
        if length > limit { 0.0 } else { length }
    }
}

/// A line of the result that is being added up.
struct Line<'a> {
    source: &'a Source,
    kernel: Kernel,
    /// Points of each pixel.
    across: usize,
    pixels: &'a mut [Pixel],
}

impl Sink for Line<'_> {
    fn point(&mut self, index: usize, place: Place) {
        self.pixels[index / self.across] += sample(self.source, place, self.kernel);
    }

    fn curve(&mut self, first: usize, count: usize, curve: &Curve) {
        let piece = &self.source.pieces[curve.piece as usize];
        let (pixels, stride) = (&piece.pixels[..], piece.stride);
        match self.kernel {
            Kernel::Bilinear => self.along(first, count, curve, |p| bilinear(pixels, stride, p)),
            k @ Kernel::Bicubic => {
                let table = k.table();
                self.along(first, count, curve, |p| {
                    filtered::<4>(pixels, stride, p, table)
                });
            }
            k @ Kernel::Lanczos => {
                let table = k.table();
                self.along(first, count, curve, |p| {
                    filtered::<6>(pixels, stride, p, table)
                });
            }
            k @ Kernel::Lanczos4 => {
                let table = k.table();
                self.along(first, count, curve, |p| {
                    filtered::<8>(pixels, stride, p, table)
                });
            }
        }
    }
}

impl Line<'_> {
    /// Adds the values along a curve; the loop is made anew for each kernel.
    #[inline(always)]
    fn along(&mut self, first: usize, count: usize, curve: &Curve, value: impl Fn(Place) -> Pixel) {
        if self.across == 1 {
            for (i, pixel) in self.pixels[first..first + count].iter_mut().enumerate() {
                *pixel += value(curve.at(i as f64));
            }
        } else {
            for i in 0..count {
                self.pixels[(first + i) / self.across] += value(curve.at(i as f64));
            }
        }
    }
}

/// The value of the source at a place.
#[inline(always)]
fn sample(source: &Source, place: Place, kernel: Kernel) -> Pixel {
    if place.piece < 0 {
        return Pixel::ZERO;
    }
    let piece = &source.pieces[place.piece as usize];
    match kernel {
        Kernel::Bilinear => bilinear(&piece.pixels, piece.stride, place),
        Kernel::Bicubic => filtered::<4>(&piece.pixels, piece.stride, place, kernel.table()),
        Kernel::Lanczos => filtered::<6>(&piece.pixels, piece.stride, place, kernel.table()),
        Kernel::Lanczos4 => filtered::<8>(&piece.pixels, piece.stride, place, kernel.table()),
    }
}

/// Whole and fractional part of a coordinate that lies within the piece and its margin.
#[inline(always)]
fn split(v: f64) -> (usize, f32) {
    // Never negative: the margin was added before.
    let whole = v as usize;
    (whole, (v - whole as f64) as f32)
}

#[inline(always)]
fn bilinear(pixels: &[Pixel], stride: usize, place: Place) -> Pixel {
    let shift = MARGIN as f64 - 0.5;
    let (x, fx) = split(place.x + shift);
    let (y, fy) = split(place.y + shift);
    let upper = &pixels[y * stride + x..][..2];
    let lower = &pixels[(y + 1) * stride + x..][..2];
    let a = upper[0] + (upper[1] - upper[0]) * fx;
    let b = lower[0] + (lower[1] - lower[0]) * fx;
    a + (b - a) * fy
}

#[inline(always)]
fn filtered<const TAPS: usize>(
    pixels: &[Pixel],
    stride: usize,
    place: Place,
    table: &[[f32; MOST_TAPS]],
) -> Pixel {
    let shift = MARGIN as f64 - 0.5;
    let (x, fx) = split(place.x + shift);
    let (y, fy) = split(place.y + shift);
    let step = |f: f32| (f * STEPS as f32 + 0.5) as usize;
    let (across, down) = (&table[step(fx)], &table[step(fy)]);
    let first = (y + 1 - TAPS / 2) * stride + x + 1 - TAPS / 2;
    let mut sum = Pixel::ZERO;
    for (row, weight) in down[..TAPS].iter().enumerate() {
        let line = &pixels[first + row * stride..][..TAPS];
        let mut value = Pixel::ZERO;
        for k in 0..TAPS {
            value += line[k] * across[k];
        }
        sum += value * *weight;
    }
    sum
}
