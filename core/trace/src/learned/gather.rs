//! The look that teaches: paths over the whole picture, whose light is noted where they went.

use super::notes::{Cells, Counts, Notes, Sums, Wanted};
use super::{ENOUGH, Grid, Learned};
use crate::light::{Cut, Illumination};
use crate::render::{Control, Quality, Render, Stopped, eye_place};
use crate::survey::noise_squared;
use rayon::prelude::*;
use std::collections::hash_map::Entry;
use std::sync::{Arc, Mutex, PoisonError};

/// Samples of a whole picture from which a look pays.
const WORTH: u64 = 1 << 23;
/// Samples that a picture usually has, and one that ends at a noise without being denoised.
const USUAL_SAMPLES: u32 = 64;
const PLAIN_SAMPLES: u32 = 256;
/// Paths of a look: a share of the picture's, within limits.
const SHARE: u64 = 64;
const LEAST: u64 = 1 << 17;
const MOST: u64 = 3 << 17;
/// Samples of each place that is looked at.
const SAMPLES: u32 = 8;
/// Most cells that are learned, those with most paths first. Each takes some 3 kB while it learns and 1 kB later.
const MOST_CELLS: usize = 20_000;
/// Most memory of a look at once, bytes: measured while it learned without what lights gave and without what parts paths; half a kilobyte
/// and 32 bytes more a cell are reckoned for these.
const MOST_BYTES: u64 = 93 << 20;
/// Samples of each pixel that is tried with what was learned and without.
const TRIED: u32 = 32;
/// How much longer a sample takes that asks what was learned: by experience.
const ASKING: f32 = 1.25;
/// Another seed than the picture's: what is learned must not know its noise.
const OTHER: u32 = 0x1ea2_4ed0;

impl Learned {
    /// Looks at a render's light, if that pays for a picture of its size and quality, `denoised` or not: where a noise is asked for that tells how
    /// many samples a pixel will usually take. It is the same for every part of a picture.
    pub fn look(
        render: &Render,
        denoised: bool,
        control: &Control,
    ) -> Result<Option<Self>, Stopped> {
        let pixels = u64::from(render.size.width()) * u64::from(render.size.height());
        let most = match render.quality {
            Quality::Samples(n) => n,
            Quality::Noise { most, .. } => most.min(if denoised {
                USUAL_SAMPLES
            } else {
                PLAIN_SAMPLES
            }),
        };
        let whole = pixels * u64::from(most);
        if whole < WORTH {
            return Ok(None);
        }
        let learned = Self::look_by(render, (whole / SHARE).clamp(LEAST, MOST), control)?;
        if !learned.pays() {
            return Ok(None);
        }
        // Whether it does is tried: where lights are few or plain to see asking costs, and gains nothing.
        let with = Render {
            learned: Some(&learned),
            passes: render.passes.clone(),
            ..*render
        };
        let without = Render {
            learned: None,
            passes: render.passes.clone(),
            ..*render
        };
        let with = noise_squared(&with, TRIED, control)?;
        let without = noise_squared(&without, TRIED, control)?;
        Ok((with * ASKING < without).then_some(learned))
    }

    /// Memory that a look takes at most for a picture of so many pixels, bytes: counted where usual numbers of samples would
    /// make it pay.
    pub fn bytes_for(pixels: u64) -> u64 {
        if pixels * u64::from(USUAL_SAMPLES) < WORTH {
            0
        } else {
            MOST_BYTES
        }
    }

    /// Looks by about so many paths.
    pub fn look_by(render: &Render, paths: u64, control: &Control) -> Result<Self, Stopped> {
        // Small pictures of the same shape and eye: as many places as the paths allow.
        let (w, h) = (render.size.width(), render.size.height());
        let share = (paths as f64 / f64::from(SAMPLES) / f64::from(w) / f64::from(h)).sqrt();
        let small = |side: u32| ((f64::from(side) * share).round() as u32).max(1);
        let size = (small(w), small(h));
        let eye = eye_place(render.eye, render.size);
        let light = render.light;
        let grid = Grid::new(eye, render.scene.bounds());
        let cut = Arc::new(light.tree.cut(eye));
        control.look(u64::from(size.1 * (1 + SAMPLES)));
        let look = |samples: u32, wanted: Option<Arc<Wanted>>| {
            let all = Mutex::new((Counts::default(), Cells::default()));
            (0..size.1).into_par_iter().for_each(|row| {
                if control.is_stopped() {
                    return;
                }
                let notes = Notes {
                    inner: Mutex::default(),
                    grid,
                    cut: Arc::clone(&cut),
                    wanted: wanted.clone(),
                };
                let mut shooter = render.shooter();
                shooter.size = size;
                shooter.seed ^= OTHER;
                shooter.clamp = None;
                shooter.occlusion = None;
                shooter.tracer.learned = None;
                shooter.tracer.notes = Some(&notes);
                for column in 0..size.0 {
                    control.wait_while_held();
                    shooter.each((column, row), 0..samples, |light| notes.end(light));
                }
                control.looked(samples.into());
                let found = (notes.inner.into_inner()).unwrap_or_else(PoisonError::into_inner);
                let mut all = all.lock().unwrap_or_else(PoisonError::into_inner);
                for (key, count) in found.counts {
                    *all.0.entry(key).or_default() += count;
                }
                for (key, sums) in found.cells {
                    match all.1.entry(key) {
                        Entry::Occupied(mut cell) => cell.get_mut().add(&sums),
                        Entry::Vacant(cell) => {
                            cell.insert(sums);
                        }
                    }
                }
            });
            if control.is_stopped() {
                return Err(Stopped);
            }
            Ok(all.into_inner().unwrap_or_else(PoisonError::into_inner))
        };
        // First where paths go, so that only what will be asked often takes memory.
        let mut counts: Vec<(u64, u32)> = look(1, None)?.0.into_iter().collect();
        counts.sort_unstable_by_key(|(key, count)| (std::cmp::Reverse(*count), *key));
        counts.truncate(MOST_CELLS);
        let wanted = counts.into_iter().map(|(key, _)| key).collect();
        let found = look(SAMPLES, Some(Arc::new(wanted)));
        control.look(0);
        let (_, cells) = found?;
        Ok(Self::from_sums(grid, cut, cells, light))
    }

    fn from_sums(grid: Grid, cut: Arc<Cut>, all: Cells, light: &Illumination) -> Self {
        let mut found: Vec<(u64, Box<Sums>)> = (all.into_iter())
            .filter(|(_, sums)| sums.visits >= ENOUGH)
            .collect();
        found.sort_unstable_by_key(|(key, sums)| (std::cmp::Reverse(sums.visits), *key));
        let index = (found.iter().enumerate())
            .map(|(i, (key, _))| (*key, i as u32))
            .collect();
        let cells = found
            .par_iter()
            .map(|(_, sums)| sums.cell(&grid, &cut, light))
            .collect();
        Self {
            grid,
            cut,
            cells,
            index,
        }
    }
}
