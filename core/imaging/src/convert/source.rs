//! The picture that is converted: its pieces with a margin that continues them over their edges, so that a
//! filter never has to ask where the picture ends.

use super::caps::Caps;
use super::texel::{Row, Sample, Texel, Texels, pixel, with_texels};
use super::window::Window;
use super::{Pixel, place::Place};
use crate::pages::zeros;
use dome_optics::projection::{CubeLayout, Face};
use dome_optics::{PicturePoint, Projection, Shape};
use rayon::prelude::*;
use std::borrow::Cow;

/// Pixels of margin round each piece: half the widest kernel.
pub(super) const MARGIN: usize = 4;
/// How far beyond the rim of a disc pixels are filled in.
const BEYOND_RIM: f64 = 8.0;

/// Where one piece lies, in its own pixels: those of the picture, of a face, or of a cap's fewer columns.
#[derive(Clone, Copy, Debug)]
pub(super) struct Extent {
    /// The first column and row that are held.
    pub(super) left: i64,
    pub(super) top: i64,
    /// Size without margin, pixels.
    pub(super) width: u32,
    pub(super) height: u32,
    /// Width with margins.
    pub(super) stride: usize,
}

impl Extent {
    pub(super) fn new(left: i64, top: i64, width: u32, height: u32) -> Self {
        Self {
            left,
            top,
            width,
            height,
            stride: width as usize + 2 * MARGIN,
        }
    }

    /// Pixels with margins.
    pub(super) fn area(&self) -> usize {
        self.stride * (self.height as usize + 2 * MARGIN)
    }

    /// Where a pixel lies, the margins included.
    pub(super) fn index(&self, x: i64, y: i64) -> usize {
        let margin = MARGIN as i64;
        (y - self.top + margin) as usize * self.stride + (x - self.left + margin) as usize
    }
}

/// Straight lines between the pixels inside; a point beyond their centres counts as on them.
fn inner<S: Sample>(extent: &Extent, texels: &[Texel<S>], x: f64, y: f64) -> Pixel {
    let (right, low) = (
        f64::from(extent.width) - 1.0,
        f64::from(extent.height) - 1.0,
    );
    let (x, y) = ((x - 0.5).clamp(0.0, right), (y - 0.5).clamp(0.0, low));
    let (x0, y0) = (x.floor(), y.floor());
    let (fx, fy) = ((x - x0) as f32, (y - y0) as f32);
    let at = |dx: f64, dy: f64| {
        let (x, y) = ((x0 + dx).min(right), (y0 + dy).min(low));
        pixel(texels[extent.index(x as i64, y as i64)])
    };
    let upper = at(0.0, 0.0).lerp(at(1.0, 0.0), fx);
    let lower = at(0.0, 1.0).lerp(at(1.0, 1.0), fx);
    upper.lerp(lower, fy)
}

/// A source's geometry.
pub(super) struct Frame {
    pub(super) shape: Shape,
    pub(super) width: u32,
    pub(super) height: u32,
    pub(super) extents: Vec<Extent>,
    /// Of an unrolled sphere: the polar caps once more, with fewer and fewer columns.
    pub(super) caps: Caps,
    /// Of a cube with flat faces: where they are, in the order of [`Face::ALL`]; else empty.
    pub(super) faces: Vec<OnFace>,
}

/// Where a face of a cube is.
#[derive(Clone, Copy, Debug)]
pub(super) struct OnFace {
    pub(super) piece: usize,
    /// Outward from the viewer, to the right and down in the piece.
    pub(super) axes: [[f32; 3]; 3],
}

fn faces_of(shape: Shape) -> Vec<OnFace> {
    let Some(layout) = shape.cube().filter(|c| !c.equiangular) else {
        return Vec::new();
    };
    (Face::ALL.iter())
        .filter_map(|face| {
            let mut cells = layout.places().enumerate();
            let (piece, (cell, ..)) = cells.find(|(_, p)| p.0.face == *face)?;
            let axes = CubeLayout::cell_axes(cell).map(|a| a.as_vec3().to_array());
            Some(OnFace { piece, axes })
        })
        .collect()
}

/// Takes the rows of a picture from the top.
pub struct SourceBuilder {
    frame: Frame,
    /// Left of each piece in the picture.
    left: Vec<u32>,
    /// First row of each piece in the picture.
    top: Vec<u32>,
    next: u32,
    /// The rows that come have the window's columns only.
    cut: bool,
    texels: Texels,
}

/// A picture ready to be converted.
pub struct Source {
    pub(super) frame: Frame,
    pub(super) texels: Texels,
}

impl SourceBuilder {
    /// Room for a picture of this size.
    pub fn new(shape: Shape, width: u32, height: u32) -> Self {
        let part = |share: f64, of: u32| (share * f64::from(of)).round() as u32;
        let charts = shape.charts();
        let extents: Vec<Extent> = (charts.iter())
            .map(|c| Extent::new(0, 0, part(c.width, width), part(c.height, height)))
            .collect();
        Self {
            left: charts.iter().map(|c| part(c.left, width)).collect(),
            top: charts.iter().map(|c| part(c.top, height)).collect(),
            texels: Texels::Float(vec![Vec::new(); extents.len()]),
            frame: Frame {
                shape: shape.fitted(width, height),
                width,
                height,
                extents,
                caps: Caps::default(),
                faces: faces_of(shape),
            },
            next: 0,
            cut: false,
        }
    }

    /// Holds light of 0 to 1 only, as 8-bit pictures have it, in half the memory.
    pub fn compact(mut self) -> Self {
        self.texels = Texels::Compact(vec![Vec::new(); self.frame.extents.len()]);
        self
    }

    /// Holds only a part of an unrolled sphere: other rows and columns are passed over.
    pub fn within(mut self, window: &Window) -> Self {
        if self.frame.shape == Shape::Equirect {
            let Window {
                left,
                top,
                width,
                height,
            } = *window;
            self.frame.extents[0] = Extent::new(left, i64::from(top), width, height);
        }
        self
    }

    /// The same, and the rows that come are those of the part, with its columns alone.
    pub fn cut_to(mut self, window: &Window) -> Self {
        self.next = window.top;
        self.cut = true;
        self.within(window)
    }

    /// Takes the next row: linear light, multiplied by alpha. Rows beyond the last are ignored.
    pub fn row(&mut self, row: &[Pixel]) {
        self.rows(&[Row::Light(Cow::Borrowed(row))]);
    }

    /// Takes the next rows, in parallel.
    pub fn rows(&mut self, rows: &[Row]) {
        let first = i64::from(self.next);
        self.next += rows.len() as u32;
        let (frame, lefts, tops, cut) = (&self.frame, &self.left, &self.top, self.cut);
        with_texels!(&mut self.texels, pieces => {
            for (i, texels) in pieces.iter_mut().enumerate() {
                let extent = &frame.extents[i];
                let from = i64::from(tops[i]) + extent.top;
                let here = first.max(from)..(first + rows.len() as i64).min(from + i64::from(extent.height));
                if here.is_empty() {
                    continue;
                }
                if texels.is_empty() {
                    *texels = zeros(extent.area());
                }
                let wanted = &rows[(here.start - first) as usize..(here.end - first) as usize];
                let start = extent.index(extent.left, here.start - i64::from(tops[i])) - MARGIN;
                let lines = texels[start..].par_chunks_mut(extent.stride).zip(wanted);
                let left = if cut {
                    0
                } else if frame.shape.wraps() {
                    extent.left.rem_euclid(i64::from(frame.width)) as usize
                } else {
                    lefts[i] as usize
                };
                lines.for_each(|(line, row)| {
                    let line = &mut line[MARGIN..][..extent.width as usize];
                    // Over the seam the row begins anew.
                    let straight = line.len().min(row.width().saturating_sub(left));
                    let (before, after) = line.split_at_mut(straight);
                    Sample::fill(row, left, before);
                    if !after.is_empty() && frame.shape.wraps() {
                        Sample::fill(row, 0, after);
                    }
                });
            }
        });
    }

    /// All rows are there: the margins are filled.
    pub fn finish(self) -> Source {
        let (mut frame, mut texels) = (self.frame, self.texels);
        with_texels!(&mut texels, pieces => {
            for (texels, extent) in pieces.iter_mut().zip(&frame.extents) {
                if texels.is_empty() {
                    *texels = zeros(extent.area());
                }
            }
            if frame.shape == Shape::Equirect {
                frame.add_caps(pieces);
            } else {
                if frame.shape.is_disc() {
                    frame.fill_rim(&mut pieces[0]);
                }
                frame.fill_margins(pieces);
            }
        });
        Source { frame, texels }
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
        let rows: Vec<Row> = (rows.into_iter())
            .map(|r| Row::Light(Cow::Borrowed(r)))
            .collect();
        builder.rows(&rows);
        builder.finish()
    }

    /// Its shape.
    pub fn shape(&self) -> Shape {
        self.frame.shape
    }

    /// Width and height in pixels.
    pub fn size(&self) -> (u32, u32) {
        (self.frame.width, self.frame.height)
    }

    /// Width and height of a piece, pixels.
    pub(crate) fn piece_size(&self, piece: usize) -> (u32, u32) {
        let p = &self.frame.extents[piece];
        (p.width, p.height)
    }

    /// A pixel of a piece or, up to the margin's width, of what continues it.
    pub(crate) fn pixel(&self, piece: usize, x: i64, y: i64) -> Pixel {
        let at = self.frame.extents[piece].index(x, y);
        with_texels!(&self.texels, pieces => pixel(pieces[piece][at]))
    }

    /// The bytes that a picture takes in memory, `compact` or not.
    pub fn bytes(shape: Shape, width: u32, height: u32, compact: bool) -> u64 {
        let texel = if compact {
            size_of::<Texel<u16>>()
        } else {
            size_of::<Texel<f32>>()
        };
        let margins = 2 * MARGIN as u64;
        let pixels: u64 = (shape.charts().iter())
            .map(|c| {
                let side = |share: f64, of: u32| (share * f64::from(of)).round() as u64 + margins;
                side(c.width, width) * side(c.height, height)
            })
            .sum();
        // The caps of an unrolled sphere are a third of it once more.
        let caps = if shape == Shape::Equirect {
            pixels / 3
        } else {
            0
        };
        (pixels + caps) * texel as u64
    }
}

impl Frame {
    /// Where a direction lies, or `None` where the picture shows nothing.
    pub(super) fn place(&self, d: glam::DVec3) -> Option<Place> {
        let (piece, x, y) = self.shape.to_chart(d)?;
        let (width, height) = match self.shape {
            // Its extent may be a part.
            Shape::Equirect => (self.width, self.height),
            _ => {
                let p = self.extents.get(piece)?;
                (p.width, p.height)
            }
        };
        Some(Place {
            piece: piece as i32,
            x: x * f64::from(width),
            y: y * f64::from(height),
        })
    }

    /// The value at a point of a piece that may lie beyond its edges: from wherever it continues.
    fn continued<S: Sample>(
        &self,
        pieces: &[Vec<Texel<S>>],
        piece: usize,
        x: f64,
        y: f64,
    ) -> Pixel {
        let p = &self.extents[piece];
        let found = self
            .shape
            .beyond(piece, x / f64::from(p.width), y / f64::from(p.height))
            .and_then(|d| self.place(d));
        match found {
            Some(place) => {
                let there = place.piece as usize;
                inner(&self.extents[there], &pieces[there], place.x, place.y)
            }
            None => inner(p, &pieces[piece], x, y),
        }
    }

    fn fill_margins<S: Sample>(&self, pieces: &mut [Vec<Texel<S>>]) {
        let margin = MARGIN as i64;
        for i in 0..pieces.len() {
            let extent = &self.extents[i];
            let (w, h) = (i64::from(extent.width), i64::from(extent.height));
            let known = &*pieces;
            let filled: Vec<(usize, Pixel)> = (-margin..h + margin)
                .into_par_iter()
                .flat_map_iter(|y| {
                    // Whole rows above and below, else the two ends.
                    let left = if (0..h).contains(&y) { 0 } else { w };
                    (-margin..left).chain(w..w + margin).map(move |x| (x, y))
                })
                .map(|(x, y)| {
                    let value = self.continued(known, i, x as f64 + 0.5, y as f64 + 0.5);
                    (extent.index(x, y), value)
                })
                .collect();
            for (at, value) in filled {
                pieces[i][at] = value.to_array().map(|v| S::nearest(v / S::UNIT));
            }
        }
    }

    /// Round a disc, pixels whose centres lie outside the rim go on as the sphere does.
    fn fill_rim<S: Sample>(&self, texels: &mut [Texel<S>]) {
        let extent = &self.extents[0];
        let (w, h) = (extent.width, extent.height);
        let reach = 2.0 * BEYOND_RIM / f64::from(w.min(h));
        let known = &*texels;
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
                let (x_q, y_q) = (inward(q.u) * f64::from(w), inward(q.v) * f64::from(h));
                let value = inner(extent, known, x_q, y_q);
                Some((extent.index(i64::from(x), i64::from(y)), value))
            })
            .collect();
        for (at, value) in filled {
            texels[at] = value.to_array().map(|v| S::nearest(v / S::UNIT));
        }
    }
}
