//! The pieces that a source is held in, and points of them.

/// Pixels of margin round each piece: half the widest kernel.
pub(super) const MARGIN: usize = 4;

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

/// A point of a piece of the source, in its pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Place {
    /// The piece, or [`Place::NOWHERE`]'s.
    pub(super) piece: i32,
    pub(super) x: f64,
    pub(super) y: f64,
}

impl Place {
    pub(super) const NOWHERE: Self = Self {
        piece: -1,
        x: 0.0,
        y: 0.0,
    };
}
