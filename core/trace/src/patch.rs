//! Patches of a picture, as they will be in the whole: to learn from a little of it what the rest will be like.

use crate::pixel::{PixelSums, Shooter};
use crate::render::{
    BLOCK, Control, Quality, Render, Stopped, block_noise, next_counts, shoot_block,
};
use dome_imaging::LayeredStrip;
use dome_optics::Projection;
use rayon::prelude::*;

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
    /// quality alone, but for where blocks stop. In a whole row a noisy block takes those beside it along; here rows some way off stand
    /// for them, or the patch would be noisier than the picture.
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
        sums.lines.resize_with(patch.rows as usize, || {
            vec![PixelSums::default(); patch.width as usize]
        });
        go_on(patch, sums, (&shooter, quality), control)?;
        let rows = (patch.top, patch.rows);
        let mut strip = render.laid(&shooter, patch.left, rows, sums.lines.clone());
        strip.beauty.top = 0;
        Ok(strip)
    }
}

/// Goes on with a patch until its quality is reached.
fn go_on(
    patch: Patch,
    sums: &mut PatchSums,
    (shooter, quality): (&Shooter, Quality),
    control: &Control,
) -> Result<(), Stopped> {
    let mut blocks: Vec<((u32, u32), &mut [PixelSums])> = Vec::new();
    for (row, line) in (patch.top..).zip(&mut sums.lines) {
        let columns = (patch.left..).step_by(BLOCK);
        let line = columns.zip(line.chunks_mut(BLOCK));
        blocks.extend(line.map(|(column, block)| ((column, row), block)));
    }
    // Blocks whose places follow each other in this order are neighbours.
    let step = far_step(blocks.len());
    let ring: Vec<usize> = (0..blocks.len()).map(|i| i * step % blocks.len()).collect();
    let mut done: Vec<u32> = blocks.iter().map(|block| block.1[0].samples).collect();
    let mut wanted: Vec<u32> = done.iter().map(|n| quality.first().max(*n)).collect();
    loop {
        let counts = done.par_iter().zip(&wanted);
        (blocks.par_iter_mut().zip(counts)).for_each(|((at, block), (done, wanted))| {
            if wanted > done {
                shoot_block(shooter, *at, *done..*wanted, block, control);
            }
        });
        if control.is_stopped() {
            return Err(Stopped);
        }
        done.clone_from(&wanted);
        let Quality::Noise { percent, most } = quality else {
            return Ok(());
        };
        let noise: Vec<f32> = ring.iter().map(|i| block_noise(blocks[*i].1)).collect();
        let have: Vec<u32> = ring.iter().map(|i| done[*i]).collect();
        let next = next_counts(&noise, &have, percent, most);
        for (i, next) in ring.iter().zip(next) {
            wanted[*i] = next;
        }
        if wanted == done {
            return Ok(());
        }
    }
}

/// A step by which all of so many are met once, each about a third of them from the one before.
fn far_step(count: usize) -> usize {
    let common = |mut a: usize, mut b: usize| {
        while b > 0 {
            (a, b) = (b, a % b);
        }
        a
    };
    (count / 3..count)
        .find(|step| common(*step, count) == 1)
        .unwrap_or(1)
}

#[cfg(test)]
mod tests {
    use super::far_step;

    #[test]
    fn a_far_step_meets_all() {
        for count in 1..200 {
            let step = far_step(count);
            let mut met: Vec<usize> = (0..count).map(|i| i * step % count).collect();
            met.sort_unstable();
            assert!(met.iter().enumerate().all(|(i, met)| i == *met), "{count}");
            assert!(
                count < 7 || (count / 4..=count * 3 / 4).contains(&step),
                "{count}: {step}"
            );
        }
    }
}
