//! Bands of the result, tile by tile: how many points each pixel needs, where they lie in the source, and the mean
//! of what is there.

use super::caps::Levels;
use super::directions::Row;
use super::frame::Frame;
use super::kernel::Kernel;
use super::piece::{MARGIN, Place};
use super::place::{Curve, Mapping, Sink};
use super::sample::{SHIFT, Spot, Weights, filtered, sample};
use super::sphere::{Directions, Real, SINGLE, SPAN, lon_lat};
use super::texel::{Sample, Texel};
use super::{Layout, Pixel, TILE};
use dome_optics::Shape;
use glam::Vec4;
use std::f64::consts::{PI, TAU};
use std::ops::Range;

/// Most points along one axis of a pixel's footprint. Only pixels that lie on a pole need more, and there
/// neighbouring columns of the source are all but equal.
const MOST_POINTS: usize = 64;
/// A pixel that covers no more of the source than this is taken from one point.
const ONE_POINT: f64 = 1.6;
/// Distance between the points of a pixel that covers more, pixels of the source: their straight lines reach
/// from one to the next.
const BETWEEN_POINTS: f64 = 1.25;
/// Largest error of a direction, pixels of the source: beside white, 1/4000 of a pixel more or less is one step of a
/// dark byte.
const TOLERANCE: f64 = 0.000_25;
/// Half the distance over which a pixel's footprint is measured.
const APART: f64 = 0.25;
/// Columns of a cap that a pixel of a tile covers at least, by the middle of its sizes and by the smallest. Twice as
/// many, before the next level is taken, are just so many that one point is enough.
const USUAL: f64 = ONE_POINT / 2.0;
const LEAST: f64 = 0.7;
/// Ways through a pixel that are tried.
const WAYS: u32 = 8;
/// Places of a tile whose footprints are measured.
const LOOKED: usize = 9;

/// Some rows of the result that are being made.
pub(super) struct Band<'a, S: Sample> {
    pub(super) frame: &'a Frame,
    pub(super) pieces: &'a [Vec<Texel<S>>],
    pub(super) layout: &'a Layout,
    pub(super) kernel: Kernel,
}

/// What the pixels of a tile need.
#[derive(Clone, Copy)]
struct Footprint {
    /// Points across and down.
    across: usize,
    down: usize,
    /// If all points lie on a line through the pixel's middle, so many of them along this way, a pixel long.
    line: Option<(usize, [f64; 2])>,
    /// Levels of the source's caps that its points take.
    levels: Levels,
}

/// Points that cover a length of the source.
fn points(length: f64) -> usize {
    if length < ONE_POINT {
        1
    } else {
        ((length / BETWEEN_POINTS).ceil() as usize).min(MOST_POINTS)
    }
}

impl<S: Sample> Band<'_, S> {
    /// Rows from `top` on of the columns from `left` on, `width` to a row.
    #[inline(always)]
    pub(super) fn make(&self, out: &mut [Pixel], width: usize, left: u32, top: u32) {
        let rows = out.len() / width;
        for column in (0..width).step_by(TILE) {
            let columns = TILE.min(width - column);
            let x = f64::from(left) + column as f64;
            let footprint = self.footprint(x, f64::from(top), columns, rows);
            let Footprint {
                across, down, line, ..
            } = footprint;
            let subs = line.map_or(down, |l| l.0);
            // Between the pixels of a magnified source a kernel is needed; means of several points are smooth.
            let kernel = if across.max(subs) > 2 {
                Kernel::Bilinear
            } else {
                self.kernel
            };
            let share = S::UNIT / (across * subs) as f32;
            for row in 0..rows {
                let pixels = &mut out[row * width + column..][..columns];
                for sub in 0..subs {
                    let part = (sub as f64 + 0.5) / subs as f64;
                    let (dx, dy) = match line {
                        Some((_, way)) => {
                            (0.5 + way[0] * (part - 0.5), 0.5 + way[1] * (part - 0.5))
                        }
                        None => (0.5 / across as f64, part),
                    };
                    let points = Row {
                        x: x + dx,
                        step: 1.0 / across as f64,
                        y: f64::from(top) + row as f64 + dy,
                    };
                    self.line(points, footprint, kernel, pixels);
                }
                for pixel in pixels.iter_mut() {
                    // Kernels with negative weights overshoot; light and cover cannot.
                    let v = (*pixel * share).max(Vec4::ZERO);
                    *pixel = v.min(Vec4::new(f32::MAX, f32::MAX, f32::MAX, 1.0));
                }
            }
        }
    }

    /// Adds the values of a row of points.
    #[inline(always)]
    fn line(&self, row: Row, footprint: Footprint, kernel: Kernel, pixels: &mut [Pixel]) {
        match kernel {
            Kernel::Bilinear => self.line_of::<2>(row, footprint, kernel, pixels),
            Kernel::Bicubic => self.line_of::<4>(row, footprint, kernel, pixels),
            Kernel::Lanczos => self.line_of::<6>(row, footprint, kernel, pixels),
            Kernel::Lanczos4 => self.line_of::<8>(row, footprint, kernel, pixels),
        }
    }

    #[inline(always)]
    fn line_of<const TAPS: usize>(
        &self,
        row: Row,
        footprint: Footprint,
        kernel: Kernel,
        pixels: &mut [Pixel],
    ) {
        let mut line = Line::<S, TAPS> {
            frame: self.frame,
            pieces: self.pieces,
            kernel,
            weights: Weights::of(kernel),
            across: footprint.across,
            pixels,
        };
        let across = footprint.across;
        let faces = &self.frame.faces;
        if self.frame.shape != Shape::Equirect && faces.is_empty() {
            let mapping = Mapping {
                frame: self.frame,
                layout: self.layout,
            };
            mapping.row(row, line.pixels.len() * across, &mut line);
            return;
        }
        let around = match faces.is_empty() {
            true => self.frame.width,
            // The middle of a face is drawn finest.
            false => self.frame.extents[0].width * 7,
        };
        let tolerance = TOLERANCE * TAU / f64::from(around);
        let whole = SPAN / across;
        for first in (0..line.pixels.len()).step_by(whole) {
            let pixels = whole.min(line.pixels.len() - first);
            let row = Row {
                x: row.x + (first * across) as f64 * row.step,
                ..row
            };
            let mut directions = Directions::NONE;
            let count = pixels * across;
            self.layout
                .directions(row, count, tolerance, &mut directions);
            if faces.is_empty() {
                let pixels = first..first + pixels;
                if self.frame.width > SINGLE {
                    line.sphere::<f64>(pixels, &directions, &footprint.levels);
                } else {
                    line.sphere::<f32>(pixels, &directions, &footprint.levels);
                }
            } else {
                line.faces(first, count, &directions);
            }
        }
    }

    /// What the pixels of a tile need so that none of the source is left out.
    #[inline(always)]
    fn footprint(&self, left: f64, top: f64, columns: usize, rows: usize) -> Footprint {
        // Centres of pixels: cells, folds and outlines lie between pixels.
        let looked: [(f64, f64); LOOKED] = std::array::from_fn(|i| {
            let third = |i: usize, of: usize| ((of - 1) * i / 2) as f64 + 0.5;
            (left + third(i % 3, columns), top + third(i / 3, rows))
        });
        if self.frame.shape == Shape::Equirect {
            self.sphere_footprint(&looked)
        } else {
            self.other_footprint(&looked)
        }
    }

    #[inline(always)]
    fn sphere_footprint(&self, looked: &[(f64, f64); LOOKED]) -> Footprint {
        let mut d = Directions::NONE;
        for (i, &(x, y)) in looked.iter().enumerate() {
            let around = [
                (x - APART, y),
                (x + APART, y),
                (x, y - APART),
                (x, y + APART),
            ];
            for (k, (x, y)) in around.into_iter().enumerate() {
                if let Some(v) = self.layout.direction(x, y) {
                    let at = i * 4 + k;
                    (d.x[at], d.y[at], d.z[at]) = (v.x as f32, v.y as f32, v.z as f32);
                }
            }
        }
        let (mut lon, mut lat) = ([0.0f32; SPAN], [0.0f32; SPAN]);
        lon_lat(&d, 4 * LOOKED, &mut lon, &mut lat);
        let (w, h) = (f64::from(self.frame.width), f64::from(self.frame.height));
        // Of each place and axis: columns and rows that a pixel covers, and the row where it lies.
        let steps: [Option<(f64, f64, f64)>; 2 * LOOKED] = std::array::from_fn(|i| {
            let (a, b) = (2 * i, 2 * i + 1);
            let turn = f64::from(lon[b] - lon[a]);
            let across = (turn - (turn / TAU).round() * TAU) * w / TAU / (2.0 * APART);
            let down = f64::from(lat[a] - lat[b]) * h / PI / (2.0 * APART);
            let row = (0.5 - f64::from(lat[a] + lat[b]) / TAU) * h;
            // From one side of a pole to the other nothing can be told.
            (across.abs() < w * 0.375 / (2.0 * APART)).then_some((across, down, row))
        });
        let mut levels = Levels::NONE;
        if !self.frame.caps.none() {
            // How many columns of the horizon a pixel covers, at least and at most.
            let (mut finest, mut coarsest) = (f64::INFINITY, 0.0f64);
            for two in steps.chunks_exact(2) {
                let most = (two.iter().flatten())
                    .map(|s| s.0.hypot(s.1) * (PI * (0.5 - s.2 / h)).cos())
                    .fold(0.0, f64::max);
                if most > 0.0 {
                    (finest, coarsest) = (finest.min(most), coarsest.max(most));
                }
            }
            if finest.is_finite() {
                let fewer = ((finest * coarsest).sqrt() / USUAL).min(finest / LEAST);
                levels = self.frame.caps.levels(fewer, self.frame.height);
            }
        }
        // The same in the columns of the level that is taken there.
        let level_steps = steps.map(|s| {
            s.map(|(across, down, row)| {
                let level = levels.at(row.min(h - 1.0 - row) as i32);
                [across / f64::from(1u32 << level), down]
            })
        });
        // How far a way through the pixel goes at most, at any place.
        let length = |way: [f64; 2]| {
            (level_steps.chunks_exact(2))
                .map(|two| {
                    let [a, b] = [two[0].unwrap_or_default(), two[1].unwrap_or_default()];
                    (way[0] * a[0] + way[1] * b[0]).hypot(way[0] * a[1] + way[1] * b[1])
                })
                .fold(0.0, f64::max)
        };
        let (across, down) = (points(length([1.0, 0.0])), points(length([0.0, 1.0])));
        let mut line = None;
        let mut fewest = across * down;
        // Long and thin footprints: points in a row are enough, if one way suits all of the tile.
        for k in 0..WAYS {
            let (sin, cos) = (PI * f64::from(k) / f64::from(WAYS)).sin_cos();
            if fewest > 2 && length([-sin, cos]) < ONE_POINT {
                let count = points(length([cos, sin]));
                if count < fewest {
                    (fewest, line) = (count, Some((count, [cos, sin])));
                }
            }
        }
        Footprint {
            across: if line.is_some() { 1 } else { across },
            down,
            line,
            levels,
        }
    }

    fn other_footprint(&self, looked: &[(f64, f64); LOOKED]) -> Footprint {
        let (mut across, mut down) = (1.0f64, 1.0f64);
        for &(x, y) in looked {
            let length = |dx: f64, dy: f64| {
                self.distance((x - dx, y - dy), (x + dx, y + dy)) / (2.0 * APART)
            };
            across = across.max(length(APART, 0.0));
            down = down.max(length(0.0, APART));
        }
        Footprint {
            across: points(across),
            down: points(down),
            line: None,
            levels: Levels::NONE,
        }
    }

    /// Distance in the source between two points of the result; 0 where it cannot be told.
    fn distance(&self, from: (f64, f64), to: (f64, f64)) -> f64 {
        let mapping = Mapping {
            frame: self.frame,
            layout: self.layout,
        };
        let (a, b) = (mapping.at(from.0, from.1), mapping.at(to.0, to.1));
        if a.piece < 0 || a.piece != b.piece {
            return 0.0;
        }
        let extent = &self.frame.extents[a.piece as usize];
        let (w, h) = (f64::from(extent.width), f64::from(extent.height));
        let mut dx = (a.x - b.x).abs();
        if self.frame.shape.wraps() {
            dx = dx.min(w - dx);
        }
        let length = dx.hypot(a.y - b.y);
        // Over a cut of the picture.
        if length > (w + h) / 4.0 { 0.0 } else { length }
    }
}

/// A line of the result that is being added up, in samples of the texels.
struct Line<'a, S: Sample, const TAPS: usize> {
    frame: &'a Frame,
    pieces: &'a [Vec<Texel<S>>],
    kernel: Kernel,
    weights: Weights,
    /// Points of each pixel.
    across: usize,
    pixels: &'a mut [Pixel],
}

/// Spots of a span of points.
struct Spots {
    at: [i32; SPAN],
    fx: [f32; SPAN],
    fy: [f32; SPAN],
}

impl Spots {
    const NONE: Self = Self {
        at: [0; SPAN],
        fx: [0.0; SPAN],
        fy: [0.0; SPAN],
    };

    #[inline(always)]
    fn get(&self, i: usize) -> Spot {
        Spot {
            at: self.at[i] as usize,
            fx: self.fx[i],
            fy: self.fy[i],
        }
    }
}

impl<S: Sample, const TAPS: usize> Line<'_, S, TAPS> {
    /// The points of some pixels in an unrolled sphere, by their directions.
    #[inline(always)]
    fn sphere<R: Real>(&mut self, pixels: Range<usize>, directions: &Directions, levels: &Levels) {
        let count = pixels.len() * self.across;
        let (mut x, mut y) = ([R::ZERO; SPAN], [R::ZERO; SPAN]);
        lon_lat(directions, count, &mut x, &mut y);
        let whole = &self.frame.extents[0];
        let (across, down) = (f64::from(self.frame.width), f64::from(self.frame.height));
        let (w, h) = (R::of(across), R::of(down));
        let (middle_x, middle_y) = (R::of(across / 2.0), R::of(down / 2.0));
        // Columns and rows from the first that is held.
        let (per_lon, per_lat) = (R::of(across / TAU), R::of(-down / PI));
        let (left, wide) = (R::of(whole.left as f64), R::of(whole.width as f64));
        let padded = count.next_multiple_of(LANES).min(SPAN);
        for i in 0..padded {
            let column = x[i] * per_lon + middle_x - left;
            let column = if column < R::ZERO { column + w } else { column };
            let column = if column >= w { column - w } else { column };
            // What is not a number, nowhere, becomes the first pixel and is passed over below.
            x[i] = column.max(R::ZERO).min(wide);
            // Rows of the whole picture: a part of it takes the very levels that the whole takes.
            y[i] = (y[i] * per_lat + middle_y).max(R::ZERO).min(h);
        }
        let (upper, lower, hidden) = extremes(&y[..padded], &directions.x[..padded], count);
        // Levels only grow towards the poles.
        let last = self.frame.height as i32 - 1;
        let from_pole = |row: R| row.whole().min(last - row.whole());
        let plain = levels.at(from_pole(upper).min(from_pole(lower))) == 0;
        let start = pixels.start;
        if plain && !hidden {
            self.run(0, start, 0..count, &x, &y);
            return;
        }
        let middle = self.frame.height as i32 / 2;
        let mut pieces = [NOWHERE; SPAN];
        for i in 0..padded {
            let row = y[i].whole();
            let level = i32::from(levels.at(row.min(last - row)));
            let lower = i32::from(row >= middle && level > 0);
            let piece = (2 * level - 1).max(0) + lower;
            pieces[i] = if directions.x[i].is_nan() {
                NOWHERE
            } else {
                piece
            };
        }
        // Neighbours mostly lie on the same piece.
        let mut from = 0;
        while from < count {
            let piece = pieces[from];
            let same = pieces[from..count].iter().take_while(|p| **p == piece);
            let to = from + same.count();
            if let Ok(piece) = usize::try_from(piece) {
                self.run(piece, start, from..to, &x, &y);
            }
            from = to;
        }
    }

    /// Points on the flat faces of a cube, by their directions.
    #[inline(always)]
    fn faces(&mut self, start: usize, count: usize, directions: &Directions) {
        let Directions { x, y, z } = directions;
        let mut faces = [NOWHERE; SPAN];
        for i in 0..count.next_multiple_of(LANES).min(SPAN) {
            faces[i] = face_of(x[i], y[i], z[i]);
        }
        let mut from = 0;
        while from < count {
            let face = faces[from];
            let same = faces[from..count].iter().take_while(|f| **f == face);
            let to = from + same.count();
            if let Some(on) = usize::try_from(face)
                .ok()
                .and_then(|f| self.frame.faces.get(f))
            {
                let extent = &self.frame.extents[on.piece];
                let [out, right, down] = on.axes;
                let (half_w, half_h) = (extent.width as f32 / 2.0, extent.height as f32 / 2.0);
                let (shift, stride) = (SHIFT as f32, extent.stride as i32);
                let dot = |a: [f32; 3], i: usize| a[0] * x[i] + a[1] * y[i] + a[2] * z[i];
                let mut spots = Spots::NONE;
                for i in from..to {
                    let depth = 1.0 / dot(out, i);
                    // An edge belongs to both faces; rounding must not carry it off.
                    let column = half_w + half_w * (dot(right, i) * depth).clamp(-1.0, 1.0);
                    let row = half_h + half_h * (dot(down, i) * depth).clamp(-1.0, 1.0);
                    let (column, row) = (column + shift, row + shift);
                    let (left, upper) = (column as i32, row as i32);
                    spots.at[i] = upper * stride + left;
                    spots.fx[i] = column - left as f32;
                    spots.fy[i] = row - upper as f32;
                }
                self.add(on.piece, start, from..to, &spots);
            }
            from = to;
        }
    }

    /// Points of one piece of an unrolled sphere, by column of the part that is held and row of the whole; the first
    /// point of all belongs to pixel `start`.
    #[inline(always)]
    fn run<R: Real>(
        &mut self,
        piece: usize,
        start: usize,
        points: Range<usize>,
        x: &[R; SPAN],
        y: &[R; SPAN],
    ) {
        let extent = &self.frame.extents[piece];
        let top = R::of(extent.top as f64);
        let high = R::of(extent.height as f64);
        let fewer = R::of(1.0 / f64::from(1u32 << piece.div_ceil(2)));
        let (shift, stride) = (R::of(SHIFT), extent.stride as i32);
        let mut spots = Spots::NONE;
        for i in points.clone() {
            let column = x[i] * fewer + shift;
            let row = (y[i] - top).max(R::ZERO).min(high) + shift;
            let (left, upper) = (column.whole(), row.whole());
            spots.at[i] = upper * stride + left;
            spots.fx[i] = (column - R::of_whole(left)).single();
            spots.fy[i] = (row - R::of_whole(upper)).single();
        }
        self.add(piece, start, points, &spots);
    }

    /// Adds the values at the spots of one piece; the first spot of all belongs to pixel `start`.
    #[inline(always)]
    fn add(&mut self, piece: usize, start: usize, points: Range<usize>, spots: &Spots) {
        let (texels, stride) = piece_at(self.frame, self.pieces, piece);
        let (weights, across) = (self.weights, self.across);
        if across == 1 {
            let pixels = &mut self.pixels[start + points.start..start + points.end];
            for (i, pixel) in points.zip(pixels) {
                *pixel += filtered::<S, TAPS>(texels, stride, spots.get(i), weights);
            }
            return;
        }
        let (mut pixel, mut part) = (start + points.start / across, points.start % across);
        for i in points {
            self.pixels[pixel] += filtered::<S, TAPS>(texels, stride, spots.get(i), weights);
            part += 1;
            if part == across {
                (pixel, part) = (pixel + 1, 0);
            }
        }
    }
}

/// The number of the face in [`Frame::faces`] that a direction meets, as `Face::met` tells it.
#[inline(always)]
fn face_of(x: f32, y: f32, z: f32) -> i32 {
    let (ax, ay, az) = (x.abs(), y.abs(), z.abs());
    let along_x = if x > 0.0 { 2 } else { 0 };
    let along_y = if y > 0.0 { 4 } else { 5 };
    let along_z = if z < 0.0 { 1 } else { 3 };
    let level = if ax >= ay { along_x } else { along_y };
    let face = if (az >= ax) & (az >= ay) {
        along_z
    } else {
        level
    };
    if x.is_nan() { NOWHERE } else { face }
}

/// Vector instructions take so many numbers at once.
const LANES: usize = 8;
/// The piece of a point that lies nowhere.
const NOWHERE: i32 = -1;

/// The least and the greatest of the values, and whether any of the first `count` directions is none.
#[inline(always)]
fn extremes<R: Real>(values: &[R], directions: &[f32], count: usize) -> (R, R, bool) {
    let (mut least, mut most) = ([R::of(f64::INFINITY); LANES], [R::ZERO; LANES]);
    for chunk in values.chunks_exact(LANES) {
        for i in 0..LANES {
            least[i] = if chunk[i] < least[i] {
                chunk[i]
            } else {
                least[i]
            };
            most[i] = if chunk[i] > most[i] {
                chunk[i]
            } else {
                most[i]
            };
        }
    }
    let mut hidden = 0;
    for d in &directions[..count] {
        hidden += i32::from(d.is_nan());
    }
    let least = least.into_iter().fold(R::of(f64::INFINITY), R::min);
    (least, most.into_iter().fold(R::ZERO, R::max), hidden > 0)
}

#[inline(always)]
fn piece_at<'a, S: Sample>(
    frame: &Frame,
    pieces: &'a [Vec<Texel<S>>],
    piece: usize,
) -> (&'a [Texel<S>], usize) {
    (&pieces[piece], frame.extents[piece].stride)
}

impl<S: Sample, const TAPS: usize> Sink for Line<'_, S, TAPS> {
    #[inline(always)]
    fn point(&mut self, index: usize, place: Place) {
        let value = sample(self.frame, self.pieces, place, self.kernel);
        self.pixels[index / self.across] += value * (1.0 / S::UNIT);
    }

    #[inline(always)]
    fn curve(&mut self, first: usize, count: usize, curve: &Curve) {
        let piece = curve.piece as usize;
        let mut spots = Spots::NONE;
        let (texels, stride) = piece_at(self.frame, self.pieces, piece);
        for i in 0..count {
            let place = curve.at(f64::from(i as u32));
            let (x, y) = ((place.x + SHIFT) as f32, (place.y + SHIFT) as f32);
            let (column, row) = (x as i32, y as i32);
            spots.at[i] = row * stride as i32 + column;
            spots.fx[i] = x - column as f32;
            spots.fy[i] = y - row as f32;
        }
        let pixel = first / self.across;
        let before = first - pixel * self.across;
        if before == 0 || self.across == 1 {
            self.add(piece, pixel, 0..count, &spots);
            return;
        }
        for i in 0..count {
            let value = filtered::<S, TAPS>(texels, stride, spots.get(i), self.weights);
            self.pixels[(first + i) / self.across] += value;
        }
    }
}

/// A filter never reaches beyond the margin.
const _: () = assert!(super::kernel::MOST_TAPS / 2 <= MARGIN);
