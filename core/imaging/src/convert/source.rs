//! The picture that is converted: its pieces with a margin that continues them over their edges, so that a
//! filter never has to ask where the picture ends.

use super::Pixel;
use super::caps::Caps;
use super::frame::{Frame, faces_of};
use super::piece::{Extent, MARGIN};
use super::texel::{Row, Sample, Texel, Texels, pixel, with_texels};
use super::window::Window;
use crate::pages::zeros;
use dome_optics::Shape;
use dome_optics::neighbourhood::around;
use rayon::prelude::*;
use std::borrow::Cow;

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
                    around(extent.left, frame.width) as usize
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
