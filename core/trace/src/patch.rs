//! Patches of a picture, as they will be in the whole: to learn from a little of it what the rest will be like.

use crate::pixel::PixelSums;
use crate::render::{BLOCK, Control, Quality, Render, Stopped, go_on};
use dome_imaging::LayeredStrip;
use dome_optics::Projection;

/// A patch of whole blocks within some rows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Patch {
    /// First column; a multiple of the blocks' width.
    pub left: u32,
    /// Its width, pixels.
    pub width: u32,
    /// First row.
    pub top: u32,
    /// Number of rows.
    pub rows: u32,
}

/// What was gathered for a patch so far.
#[derive(Default)]
pub struct PatchSums {
    lines: Vec<Vec<PixelSums>>,
}

impl Render<'_> {
    /// About `count` square patches of `side` pixels, spread evenly over what the picture shows of the sphere, as far as they lie
    /// within its outline. The same for every part of a picture.
    pub fn patches(&self, count: u32, side: u32) -> Vec<Patch> {
        let (w, h) = (self.size.width(), self.size.height());
        let block = BLOCK as u32;
        let width = side.next_multiple_of(block).min(w);
        let rows = side.min(h);
        // How much of the sphere lies above each row: equal steps of it are equal parts.
        let weight = |row: u32| {
            let columns = (0..8).map(|i| (2 * i + 1) * w / 16);
            let angles = columns.map(|c| self.size.shape.solid_angle(c.min(w - 1), row, w, h));
            angles.sum::<f64>()
        };
        let mut sums = Vec::with_capacity(h as usize);
        let mut whole = 0.0;
        for row in 0..h {
            whole += weight(row);
            sums.push(whole);
        }
        (0..count)
            .map(|i| {
                let share = (f64::from(i) + 0.5) / f64::from(count) * whole;
                let row = sums.partition_point(|s| *s < share) as u32;
                // By the golden ratio no two lie below each other (common practice, no source).
                let across = (f64::from(i) * 0.618_033_988_749_895 + 0.3).fract();
                let left = (across * f64::from(w - width)) as u32 / block * block;
                Patch {
                    left,
                    width: width.min(w - left),
                    top: row.saturating_sub(rows / 2).min(h - rows),
                    rows,
                }
            })
            .filter(|p| {
                let (x, y) = (p.left + p.width / 2, p.top + p.rows / 2);
                self.size.shape.solid_angle(x, y, w, h) > 0.0
            })
            .collect()
    }

    /// A patch in some quality: a picture of its own that begins at row 0.
    pub fn patch(
        &self,
        patch: Patch,
        quality: Quality,
        control: &Control,
    ) -> Result<LayeredStrip, Stopped> {
        self.patch_on(patch, &mut PatchSums::default(), quality, control)
    }

    /// The same, going on with the samples that a patch has already: it is then as it would be if it had been rendered in the better
    /// quality alone, but for where blocks stop.
    pub fn patch_on(
        &self,
        patch: Patch,
        sums: &mut PatchSums,
        quality: Quality,
        control: &Control,
    ) -> Result<LayeredStrip, Stopped> {
        let render = Render {
            quality,
            passes: self.passes.clone(),
            ..*self
        };
        let shooter = render.shooter();
        let first = patch.left as usize / BLOCK;
        let blocks = first..first + (patch.width as usize).div_ceil(BLOCK);
        let own = patch.left as usize..(patch.left + patch.width) as usize;
        sums.lines.resize_with(patch.rows as usize, || {
            vec![PixelSums::default(); own.len()]
        });
        let mut lines: Vec<Vec<PixelSums>> = (sums.lines.iter())
            .map(|known| {
                let mut line = vec![PixelSums::default(); self.size.width() as usize];
                line[own.clone()].copy_from_slice(known);
                line
            })
            .collect();
        go_on(&render, &shooter, patch.top, &mut lines, &blocks, control)?;
        for (known, line) in sums.lines.iter_mut().zip(&lines) {
            known.copy_from_slice(&line[own.clone()]);
        }
        let rows = (patch.top, patch.rows);
        let mut strip = render.laid(&shooter, patch.left, rows, sums.lines.clone());
        strip.beauty.top = 0;
        Ok(strip)
    }
}
