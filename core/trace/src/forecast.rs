//! How long a render will take, from a look at places all over the picture: a few blocks are rendered to their end there, by the
//! same rule as all will be.

use crate::pixel::{PixelSums, Shooter};
use crate::render::{BLOCK, Control, Quality, Render, block_noise, goes_on, next_look};
use rayon::prelude::*;
use std::time::{Duration, Instant};

/// Share of the work that the look is about, and for which it counts as much as what was measured since: it tells how long it takes
/// before any of it is done, and less and less later on.
const LOOKED: f64 = 0.02;
/// Places that are looked at in each strip, at least and at most.
const LOOKS: (u32, u32) = (2, 4);
/// Most strips that are looked at; the others are taken to be like their neighbours.
const MOST_STRIPS: usize = 64;
/// Blocks of one look: one, and its neighbours, which it goes on with.
const TOGETHER: usize = 3;
/// Samples that tell how long one takes, where their number is set.
const SAMPLES: u32 = 32;

/// The work that each strip is expected to take.
pub struct Forecast {
    /// First row and number of rows, expected time on one core in seconds, expected samples.
    strips: Vec<(u32, f64, f64)>,
    /// Cores that work on them.
    threads: usize,
}

impl Forecast {
    /// Looks at the strips, given as first row and number of rows. Takes a few hundredths of the render; told to stop, it ends
    /// at once and knows little.
    pub fn look(render: &Render, places: &[(u32, u32)], control: &Control) -> Self {
        let shooter = render.shooter();
        let width = render.size.width();
        let step = places.len().div_ceil(MOST_STRIPS).max(1);
        control.look(places.len().div_ceil(step) as u64);
        let seen: Vec<(f64, f64)> = places
            .par_iter()
            .step_by(step)
            .map(|&(top, rows)| {
                let pixels = f64::from(rows) * f64::from(width);
                let looks = (LOOKED * pixels / (TOGETHER * BLOCK) as f64) as u32;
                let looks = looks.clamp(LOOKS.0, LOOKS.1);
                let (mut seconds, mut samples) = (0.0, 0.0);
                for i in 0..looks {
                    // Not all in one row, nor below each other.
                    let row = top + (2 * i + 1) * rows / (2 * looks);
                    let column = (2 * i + 1 + top / rows.max(1) % 2) * width / (2 * looks);
                    let (each, wanted) = block_at(&shooter, render, (column, row), control);
                    seconds += each * wanted;
                    samples += wanted;
                }
                control.looked(1);
                (seconds / f64::from(looks), samples / f64::from(looks))
            })
            .collect();
        control.look(0);
        let strips = places
            .iter()
            .enumerate()
            .map(|(i, &(top, rows))| {
                let (seconds, samples) = seen[i / step];
                let pixels = f64::from(rows) * f64::from(width);
                (top, (seconds * pixels).max(1e-9), samples * pixels)
            })
            .collect();
        Self {
            strips,
            threads: rayon::current_num_threads(),
        }
    }

    /// The same for so many eyes, each of which takes as long as the one that was looked through.
    #[must_use]
    pub fn for_eyes(mut self, eyes: usize) -> Self {
        for (_, seconds, samples) in &mut self.strips {
            *seconds *= eyes as f64;
            *samples *= eyes as f64;
        }
        self
    }

    /// Samples that all of it is expected to take.
    pub fn samples(&self) -> f64 {
        self.strips.iter().map(|s| s.2).sum()
    }

    /// Seconds by the clock that all of it is expected to take.
    fn seconds(&self) -> f64 {
        self.strips.iter().map(|s| s.1).sum::<f64>() / self.threads.max(1) as f64
    }

    /// Seconds that are left with a share done, of which this run did `here` in the time `spent`: at the pace since it began, and as
    /// long as little was done, at the pace of the look.
    pub fn left(&self, share: f64, here: f64, spent: Duration) -> f64 {
        let whole = self.seconds();
        let pace = (spent.as_secs_f64() + LOOKED * whole) / (here.max(0.0) + LOOKED);
        (1.0 - share).max(0.0) * pace
    }

    /// Share of the expected work that is done, 0 to 1: whole strips, and `samples` of the one at `current`.
    pub fn share(&self, is_done: impl Fn(u32) -> bool, current: Option<(u32, u64)>) -> f64 {
        let whole: f64 = self.strips.iter().map(|s| s.1).sum();
        let done: f64 = self
            .strips
            .iter()
            .map(|&(top, work, expected)| match current {
                _ if is_done(top) => work,
                Some((at, samples)) if at == top => {
                    // A strip that takes more than was expected does not count as done before it is.
                    work * (samples as f64 / expected.max(1.0)).min(0.95)
                }
                _ => 0.0,
            })
            .sum();
        if whole > 0.0 {
            (done / whole).min(1.0)
        } else {
            1.0
        }
    }
}

/// Renders the block at a pixel as it will be rendered: seconds for a sample of a pixel, and samples that each pixel takes.
fn block_at(
    shooter: &Shooter,
    render: &Render,
    (column, row): (u32, u32),
    control: &Control,
) -> (f64, f64) {
    let width = render.size.width() as usize;
    let count = width.div_ceil(BLOCK);
    let middle = (column as usize / BLOCK).min(count - 1);
    // The middle one first, then those beside it round the sphere, as far as there are as many and they have a say.
    let mut blocks: Vec<usize> = vec![middle, (middle + 1) % count, (middle + count - 1) % count];
    blocks.truncate(match render.quality {
        Quality::Samples(_) => 1,
        Quality::Noise { .. } => count,
    });
    let columns = |block: usize| block * BLOCK..((block + 1) * BLOCK).min(width);
    let mut sums: Vec<Vec<PixelSums>> = (blocks.iter())
        .map(|b| vec![PixelSums::default(); columns(*b).len()])
        .collect();
    let mut active = vec![true; blocks.len()];
    let (mut done, mut shot) = (0, 0u64);
    let mut spent = Duration::ZERO;
    while done < render.quality.most() && active[0] && !control.is_stopped() {
        control.wait_while_held();
        let next = match render.quality {
            Quality::Samples(n) => n.min(SAMPLES),
            Quality::Noise { most, .. } => next_look(done).min(most),
        };
        // Not the time for which something more urgent had the cores.
        let begun = Instant::now();
        for ((block, sums), _) in (blocks.iter().zip(&mut sums).zip(&active)).filter(|(_, a)| **a) {
            for (column, sums) in columns(*block).zip(sums) {
                shooter.shoot((column as u32, row), done..next, sums);
                shot += u64::from(next - done);
            }
        }
        spent += begun.elapsed();
        done = next;
        let Quality::Noise { percent, .. } = render.quality else {
            break;
        };
        let noisy: Vec<bool> = sums.iter().map(|s| block_noise(s) > percent).collect();
        active = (0..blocks.len())
            .map(|i| active[i] && goes_on(&noisy, i))
            .collect();
    }
    let each = spent.as_secs_f64() / shot.max(1) as f64;
    match render.quality {
        Quality::Samples(n) => (each, f64::from(n)),
        Quality::Noise { .. } => (each, f64::from(done)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Before anything is done the look alone tells; later on what was measured, whatever the look said; and nothing is left at the end.
    #[test]
    fn what_is_left_follows_the_look_and_then_the_pace() {
        let forecast = Forecast {
            strips: vec![(0, 100.0, 1.0), (16, 300.0, 1.0)],
            threads: 2,
        };
        let left =
            |share, here, seconds| forecast.left(share, here, Duration::from_secs_f64(seconds));
        assert!((left(0.0, 0.0, 0.0) - 200.0).abs() < 1e-9);
        // As fast as the look said.
        assert!((left(0.25, 0.25, 50.0) - 150.0).abs() < 1e-9);
        // A machine half as fast; the quarter that an earlier run did took none of this one's time.
        let half = left(0.75, 0.5, 200.0);
        assert!((half / 100.0 - 1.0).abs() < 0.03, "{half}");
        // A first step that seems to take no time at all, or minutes, is not believed alone.
        for seconds in [0.0, 2.0, 10.0] {
            let early = left(0.001, 0.001, seconds);
            assert!((150.0..800.0).contains(&early), "{seconds}: {early}");
        }
        assert_eq!(left(1.0, 1.0, 300.0), 0.0);
    }
}
