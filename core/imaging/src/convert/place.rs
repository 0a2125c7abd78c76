//! Where the pixels of a row of the result come from. The exact mapping is asked at a few places; between them
//! a cubic is taken where it is as good as exact.

use super::Layout;
use super::directions::{Row, cubic};
use super::frame::Frame;
use super::piece::{Extent, Place};
use super::sphere::SPAN;

/// Largest error of a curve where it is checked, pixels of the source.
const TOLERANCE: f64 = 0.004;
/// Spans below this are asked point by point.
const SHORTEST: usize = 8;

/// From places of the result to places of the source.
pub(super) struct Mapping<'a> {
    pub(super) frame: &'a Frame,
    pub(super) layout: &'a Layout,
}

/// Takes places with the number of their point.
pub(super) trait Sink {
    /// Some place, or none.
    fn point(&mut self, index: usize, place: Place);
    /// Points `first ..` along a curve that stays on its piece.
    fn curve(&mut self, first: usize, count: usize, curve: &Curve);
}

impl Mapping<'_> {
    /// Exactly, for a point in pixels of the result.
    pub(super) fn at(&self, x: f64, y: f64) -> Place {
        (self.layout.direction(x, y))
            .and_then(|d| self.frame.place(d))
            .unwrap_or(Place::NOWHERE)
    }

    /// Width and height of a piece.
    fn piece(&self, piece: i32) -> &Extent {
        &self.frame.extents[piece as usize]
    }

    /// A row of `count` points.
    pub(super) fn row(&self, row: Row, count: usize, sink: &mut impl Sink) {
        for first in (0..count).step_by(SPAN) {
            self.span(row, first, SPAN.min(count - first), sink);
        }
    }

    fn span(&self, row: Row, first: usize, count: usize, sink: &mut impl Sink) {
        let ask = |i: usize| self.at(row.x + (first + i) as f64 * row.step, row.y);
        if count < SHORTEST {
            for i in 0..count {
                sink.point(first + i, ask(i));
            }
            return;
        }
        let (third, check) = (count / 3, count / 6);
        let knots = [0, third, 2 * third, count - 1];
        if let Some(curve) = self.curve(knots.map(ask), knots) {
            let guess = curve.at(check as f64);
            let exact = self.unwrapped(ask(check), guess);
            if exact.piece == curve.piece
                && (exact.x - guess.x).abs() < TOLERANCE
                && (exact.y - guess.y).abs() < TOLERANCE
            {
                if self.stays(&curve, count) {
                    sink.curve(first, count, &curve);
                } else {
                    self.follow(&curve, row, first, count, sink);
                }
                return;
            }
        }
        let half = count / 2;
        self.span(row, first, half, sink);
        self.span(row, first + half, count - half, sink);
    }

    /// Whether all of a curve lies on its piece.
    fn stays(&self, curve: &Curve, count: usize) -> bool {
        let piece = self.piece(curve.piece);
        let within = |c: &[f64; 4], side: u32| {
            // No further from the chord's ends than the curve's bends can carry it.
            let n = (count - 1) as f64;
            let end = c[0] + n * (c[1] + n * (c[2] + n * c[3]));
            let bend = n * n * (c[2].abs() + c[3].abs() * n);
            c[0].min(end) - bend >= 0.0 && c[0].max(end) + bend <= f64::from(side)
        };
        within(&curve.x, piece.width) && within(&curve.y, piece.height)
    }

    /// Point by point along a curve that crosses the seam or the edge of its piece.
    fn follow(&self, curve: &Curve, row: Row, first: usize, count: usize, sink: &mut impl Sink) {
        let piece = self.piece(curve.piece);
        let (w, h) = (f64::from(piece.width), f64::from(piece.height));
        for i in 0..count {
            let mut p = curve.at(i as f64);
            if self.frame.shape.wraps() {
                p.x = p.x.rem_euclid(w);
            }
            // A span may leave its piece and come back between the places that were asked.
            let inside = p.x >= -0.01 && p.x <= w + 0.01 && p.y >= -0.01 && p.y <= h + 0.01;
            if !inside {
                p = self.at(row.x + (first + i) as f64 * row.step, row.y);
            }
            sink.point(first + i, p);
        }
    }

    /// The place moved by whole turns so that it is nearest to another.
    fn unwrapped(&self, place: Place, to: Place) -> Place {
        if !self.frame.shape.wraps() || place.piece < 0 {
            return place;
        }
        let w = f64::from(self.piece(place.piece).width);
        Place {
            x: place.x - ((place.x - to.x) / w).round() * w,
            ..place
        }
    }

    /// The cubic through four places of one piece.
    fn curve(&self, places: [Place; 4], at: [usize; 4]) -> Option<Curve> {
        let piece = places[0].piece;
        if piece < 0 || places.iter().any(|p| p.piece != piece) {
            return None;
        }
        let mut p = places;
        for i in 1..4 {
            p[i] = self.unwrapped(p[i], p[i - 1]);
        }
        let t = at.map(|i| i as f64);
        Some(Curve {
            piece,
            x: cubic(t, p.map(|p| p.x)),
            y: cubic(t, p.map(|p| p.y)),
        })
    }
}

/// A piece of the row's way through the source, by the number of the point.
pub(super) struct Curve {
    pub(super) piece: i32,
    x: [f64; 4],
    y: [f64; 4],
}

impl Curve {
    #[inline(always)]
    pub(super) fn at(&self, t: f64) -> Place {
        let value = |c: &[f64; 4]| c[0] + t * (c[1] + t * (c[2] + t * c[3]));
        Place {
            piece: self.piece,
            x: value(&self.x),
            y: value(&self.y),
        }
    }
}
