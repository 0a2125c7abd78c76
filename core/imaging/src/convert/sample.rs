//! Values of the source between its pixels.

use super::Pixel;
use super::frame::Frame;
use super::kernel::{Kernel, MOST_TAPS, STEPS};
use super::piece::{Extent, MARGIN, Place};
use super::texel::{Sample, Texel};

/// A place within the texels of a piece: the pixel to its upper left, and how far from there.
#[derive(Clone, Copy, Default)]
pub(super) struct Spot {
    pub(super) at: usize,
    pub(super) fx: f32,
    pub(super) fy: f32,
}

/// From a piece's pixels to columns and rows of its texels, counted from the first one's middle.
pub(super) const SHIFT: f64 = MARGIN as f64 - 0.5;

impl Spot {
    /// A place of a piece; one beyond its margin counts as on its edge.
    #[inline(always)]
    pub(super) fn new(extent: &Extent, x: f64, y: f64) -> Self {
        let split = |v: f64, first: i64, length: u32| {
            let v = (v - first as f64).max(0.0).min(f64::from(length)) + SHIFT;
            // Never negative: the margin was added.
            let whole = v as usize;
            (whole, (v - whole as f64) as f32)
        };
        let (x, fx) = split(x, extent.left, extent.width);
        let (y, fy) = split(y, extent.top, extent.height);
        Self {
            at: y * extent.stride + x,
            fx,
            fy,
        }
    }
}

/// The weights of a kernel, ready to be taken.
#[derive(Clone, Copy)]
pub(super) struct Weights(&'static [[f32; MOST_TAPS]]);

impl Weights {
    pub(super) fn of(kernel: Kernel) -> Self {
        Self(kernel.table())
    }

    #[inline(always)]
    fn at<const TAPS: usize>(self, f: f32) -> [f32; TAPS] {
        if TAPS == 2 {
            let mut straight = [0.0; TAPS];
            (straight[0], straight[1]) = (1.0 - f, f);
            return straight;
        }
        let step = ((f * STEPS as f32 + 0.5) as i32 as usize).min(STEPS);
        let mut weights = [0.0; TAPS];
        weights.copy_from_slice(&self.0[step][..TAPS]);
        weights
    }
}

/// The value at a spot, in samples of the texels.
#[inline(always)]
pub(super) fn filtered<S: Sample, const TAPS: usize>(
    texels: &[Texel<S>],
    stride: usize,
    spot: Spot,
    weights: Weights,
) -> Pixel {
    let (across, down) = (weights.at::<TAPS>(spot.fx), weights.at::<TAPS>(spot.fy));
    let reach = TAPS / 2 - 1;
    let first = spot.at - reach * stride - reach;
    let mut columns = [[0.0f32; 4]; TAPS];
    for (row, weight) in down.iter().enumerate() {
        let Some(line) = texels
            .get(first + row * stride..)
            .and_then(|t| t.first_chunk::<TAPS>())
        else {
            return Pixel::ZERO;
        };
        for k in 0..TAPS {
            for c in 0..4 {
                let value = line[k][c].number() * weight;
                // A sum that begins with nothing would cost an addition.
                columns[k][c] = if row == 0 {
                    value
                } else {
                    columns[k][c] + value
                };
            }
        }
    }
    let mut sum = [0.0f32; 4];
    for k in 0..TAPS {
        for c in 0..4 {
            let value = columns[k][c] * across[k];
            sum[c] = if k == 0 { value } else { sum[c] + value };
        }
    }
    Pixel::from_array(sum)
}

/// The value of the source at a place, asked by itself.
pub(super) fn sample<S: Sample>(
    frame: &Frame,
    pieces: &[Vec<Texel<S>>],
    place: Place,
    kernel: Kernel,
) -> Pixel {
    let Ok(piece) = usize::try_from(place.piece) else {
        return Pixel::ZERO;
    };
    let extent = &frame.extents[piece];
    let spot = Spot::new(extent, place.x, place.y);
    let (texels, stride, weights) = (&pieces[piece][..], extent.stride, Weights::of(kernel));
    let sum = match kernel {
        Kernel::Bilinear => filtered::<S, 2>(texels, stride, spot, weights),
        Kernel::Bicubic => filtered::<S, 4>(texels, stride, spot, weights),
        Kernel::Lanczos => filtered::<S, 6>(texels, stride, spot, weights),
        Kernel::Lanczos4 => filtered::<S, 8>(texels, stride, spot, weights),
    };
    sum * S::UNIT
}
