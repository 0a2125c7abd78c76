//! A source's geometry: its pieces, where directions lie in them, and how each goes on beyond its edges.

use super::Pixel;
use super::caps::Caps;
use super::piece::{Extent, MARGIN, Place};
use super::texel::{Sample, Texel, pixel};
use dome_optics::projection::{CubeLayout, Face};
use dome_optics::{PicturePoint, Projection, Shape};
use rayon::prelude::*;

/// How far beyond the rim of a disc pixels are filled in.
const BEYOND_RIM: f64 = 8.0;

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

pub(super) fn faces_of(shape: Shape) -> Vec<OnFace> {
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

    pub(super) fn fill_margins<S: Sample>(&self, pieces: &mut [Vec<Texel<S>>]) {
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
    pub(super) fn fill_rim<S: Sample>(&self, texels: &mut [Texel<S>]) {
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
