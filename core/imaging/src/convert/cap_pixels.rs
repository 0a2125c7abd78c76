//! The pixels of the polar caps, made from the whole sphere's, and the margins round both.

use super::caps::{piece_of, rows_of_levels};
use super::frame::Frame;
use super::piece::{Extent, MARGIN};
use super::texel::{Sample, Texel};
use crate::pages::zeros;
use dome_optics::neighbourhood::{around, over_the_pole};
use rayon::prelude::*;

impl Frame {
    /// Adds the caps' pieces and fills all margins.
    pub(super) fn add_caps<S: Sample>(&mut self, pieces: &mut Vec<Vec<Texel<S>>>) {
        let whole = self.extents[0];
        self.fill_sphere_margins(&whole, 0, &mut pieces[0]);
        let (top, end) = (whole.top, whole.top + i64::from(whole.height));
        let height = i64::from(self.height);
        let levels = rows_of_levels(self.width, self.height);
        for (i, rows) in levels.iter().enumerate() {
            let (level, rows) = (i as u8 + 1, i64::from(*rows));
            let reach = rows + MARGIN as i64;
            let upper = top.min(reach)..end.min(reach);
            let lower = top.max(height - reach)..end.max(height - reach);
            // A part of the sphere begins and ends at columns that this level can have.
            let fits = |v: i64| v % (1 << level) == 0;
            if (upper.is_empty() && lower.is_empty())
                || !fits(whole.left)
                || !fits(i64::from(whole.width))
            {
                break;
            }
            for (lower, range) in [(false, upper), (true, lower)] {
                let made = Extent::new(
                    whole.left >> level,
                    range.start,
                    whole.width >> level,
                    (range.end - range.start).max(0) as u32,
                );
                let from = piece_of(level - 1, lower);
                let mut texels = halved(&self.extents[from], &pieces[from], &made);
                self.fill_sphere_margins(&made, level, &mut texels);
                self.extents.push(made);
                pieces.push(texels);
            }
            self.caps.rows.push(rows as u32);
        }
    }

    /// Round the sphere the other end follows, over the pole the other side. A part of the sphere is held wider
    /// than it is asked for, so any value will do beyond it.
    fn fill_sphere_margins<S: Sample>(&self, extent: &Extent, level: u8, texels: &mut [Texel<S>]) {
        if extent.height == 0 {
            return;
        }
        let (w, h, margin) = (
            i64::from(extent.width),
            i64::from(extent.height),
            MARGIN as i64,
        );
        let round = extent.width == self.width >> level;
        let at = |x: i64, y: i64| extent.index(x + extent.left, y + extent.top);
        for y in 0..h {
            for x in (-margin..0).chain(w..w + margin) {
                let from = if round {
                    i64::from(around(x, extent.width))
                } else {
                    x.clamp(0, w - 1)
                };
                texels[at(x, y)] = texels[at(from, y)];
            }
        }
        let poles = (extent.top == 0, extent.top + h == i64::from(self.height));
        for y in (-margin..0).chain(h..h + margin) {
            let over = if y < 0 { poles.0 } else { poles.1 };
            let row = if over {
                i64::from(over_the_pole(y, extent.height).0)
            } else {
                y.clamp(0, h - 1)
            };
            for x in -margin..w + margin {
                let from = if over && round {
                    i64::from(around(x + w / 2, extent.width))
                } else {
                    x
                };
                texels[at(x, y)] = texels[at(from, row)];
            }
        }
    }
}

/// The rows of `made` with half the columns of the piece.
fn halved<S: Sample>(from: &Extent, texels: &[Texel<S>], made: &Extent) -> Vec<Texel<S>> {
    let mut out: Vec<Texel<S>> = zeros(made.area());
    let width = made.width as usize;
    (out.par_chunks_mut(made.stride).skip(MARGIN))
        .take(made.height as usize)
        .enumerate()
        .for_each(|(y, line)| {
            let start = from.index(from.left, made.top + y as i64);
            let row = &texels[start..][..2 * width];
            for (to, two) in line[MARGIN..][..width].iter_mut().zip(row.chunks_exact(2)) {
                for c in 0..4 {
                    to[c] = two[0][c].mean(two[1][c]);
                }
            }
        });
    out
}
