//! A short look at places all over a picture before it is rendered: how noisy they are after a few samples, and how long a sample takes.
//! From it follow how many samples each place will take, how long the render will, and how noisy a block may stay so that the whole
//! picture, as its noise is told, is as noisy as was asked.

use crate::pixel::{PixelSums, Shooter};
use crate::render::{BLOCK, Control, FIRST_LOOK, Quality, Render, Stopped};
use rayon::prelude::*;
use std::time::{Duration, Instant};

/// Places that are looked at, at least and at most.
const PLACES: (u32, u32) = (16, 192);
/// Share of the samples that the picture will take which a look may take.
const SHARE: f64 = 0.02;
/// Most samples of a look whatever the picture takes: the first strip is waited for, and a fifth is near enough.
const MOST: f64 = 4e5;
/// How well a forecast tells the whole time before it is told, as a share of it, and the fewest places that can say how well.
const TOLD: f64 = 0.2;
const TELLING: u32 = 2 * PLACES.0;
/// Samples of a place that tell how long one takes, where their number is set.
const TIMED: u32 = 8;
/// Blocks of one place: one, and its neighbours, which it goes on with.
const TOGETHER: usize = 3;
/// No place is left noisier than this many times what is asked of the whole.
const WORST: f32 = 2.0;
/// Limits are told in steps of this share, so that machines whose last digits differ agree.
const STEP: f32 = 1.0 / 64.0;

/// What was seen at one place: of its block and those beside it.
struct Spot {
    row: u32,
    /// Columns and sums of each block, the middle one first.
    blocks: Vec<(u32, Vec<PixelSums>)>,
    samples: u32,
    spent: Duration,
    shot: u64,
}

impl Spot {
    /// Noise of each block after one sample a pixel, percent, as its samples so far tell.
    fn noise(&self) -> impl Iterator<Item = f32> + '_ {
        let root = (self.samples as f32).sqrt();
        (self.blocks.iter()).map(move |(_, sums)| rms(sums, |p| p.all_noise()) * root)
    }

    /// Samples that the middle one takes if blocks end at a noise, and the noise it has then.
    fn end(&self, limit: f32, most: u32) -> (f32, f32) {
        let wanted = |one: f32| (one / limit).powi(2);
        let most_wanted = self.noise().map(wanted).fold(0.0, f32::max);
        let samples = most_wanted.clamp(FIRST_LOOK.min(most) as f32, most as f32);
        let own = self.noise().next().unwrap_or(0.0);
        (samples, own / samples.sqrt())
    }

    fn seconds(&self) -> f64 {
        self.spent.as_secs_f64() / self.shot.max(1) as f64
    }

    fn shoot(&mut self, shooter: &Shooter, to: u32, control: &Control) {
        control.wait_while_held();
        // Not the time for which something more urgent had the cores.
        let begun = Instant::now();
        for (first, sums) in &mut self.blocks {
            for (column, sums) in (*first..).zip(sums.iter_mut()) {
                shooter.shoot((column, self.row), self.samples..to, sums);
                self.shot += u64::from(to - self.samples);
            }
        }
        self.spent += begun.elapsed();
        self.samples = to;
    }
}

fn rms(sums: &[PixelSums], noise: impl Fn(&PixelSums) -> f32) -> f32 {
    let squares: f32 = sums.iter().map(|p| noise(p).powi(2)).sum();
    (squares / sums.len().max(1) as f32).sqrt()
}

/// How noisy pixels all over a picture are after some samples: the mean of their squares, percent. Of sixteen places some neighbours
/// each; the same for every part of a picture.
pub(crate) fn noise_squared(
    render: &Render,
    samples: u32,
    control: &Control,
) -> Result<f32, Stopped> {
    let render = Render {
        quality: Quality::Samples(samples),
        passes: render.passes.clone(),
        ..*render
    };
    let shooter = render.shooter();
    let mut spots = places(&render, PLACES.0);
    (spots.par_iter_mut())
        .filter(|_| !control.is_stopped())
        .for_each(|spot| spot.shoot(&shooter, samples, control));
    if control.is_stopped() {
        return Err(Stopped);
    }
    let squares = spots
        .iter()
        .flat_map(|s| &s.blocks)
        .map(|(_, sums)| rms(sums, |p| p.all_noise()).powi(2));
    Ok(squares.sum::<f32>() / spots.len().max(1) as f32)
}

/// What a look found.
pub struct Survey {
    spots: Vec<Spot>,
    quality: Quality,
    pixels: f64,
}

impl Survey {
    /// Looks at a picture: the same for every part of it, but for the time. `percent` is the noise that the whole is to have; of a quality
    /// that asks for none only the time is looked at.
    pub fn look(render: &Render, control: &Control) -> Result<Self, Stopped> {
        Self::look_until(render, |_| false, control)
    }

    /// A look that ends as soon as the time that the whole will take is known to a fifth (one standard error of the mean of its places).
    pub fn look_for_time(render: &Render, control: &Control) -> Result<Self, Stopped> {
        let known =
            |survey: &Self| survey.spots.len() >= TELLING as usize && survey.error() <= TOLD;
        Self::look_until(render, known, control)
    }

    fn look_until(
        render: &Render,
        known: impl Fn(&Self) -> bool,
        control: &Control,
    ) -> Result<Self, Stopped> {
        let shooter = render.shooter();
        let (w, h) = (render.size.width(), render.size.height());
        let mut survey = Self {
            spots: Vec::new(),
            quality: render.quality,
            pixels: f64::from(w) * f64::from(h),
        };
        let first = match render.quality {
            Quality::Samples(n) => n.min(TIMED),
            Quality::Noise { most, .. } => FIRST_LOOK.min(most),
        };
        let (mut count, mut taken) = (PLACES.0, 0.0);
        control.look(u64::from(PLACES.1));
        loop {
            let mut spots: Vec<Spot> = places(render, count);
            spots.par_iter_mut().for_each(|spot| {
                if !control.is_stopped() {
                    spot.shoot(&shooter, first, control);
                    control.looked(1);
                }
            });
            if control.is_stopped() {
                control.look(0);
                return Err(Stopped);
            }
            taken += spots.iter().map(|s| s.shot as f64).sum::<f64>();
            // Sets of places are even by themselves: a larger one takes the place of a smaller one.
            survey.spots = spots;
            if known(&survey) {
                break;
            }
            let may = (survey.samples() * SHARE).min(MOST);
            let next = (count * 2).min(PLACES.1);
            if next == count || taken * (1.0 + f64::from(next) / f64::from(count)) > may {
                break;
            }
            count = next;
        }
        // Places that will take many samples are looked at longer, as far as that is little: rare bright paths are met late.
        let mut wanted = first;
        while let Quality::Noise { percent, most } = render.quality {
            wanted = (wanted * 2).min(most);
            let longer =
                |s: &Spot| s.samples < wanted && s.end(percent, most).0 > 2.0 * wanted as f32;
            let more: f64 = (survey.spots.iter())
                .filter(|s| longer(s))
                .map(|s| {
                    f64::from(wanted - s.samples) * (s.shot / u64::from(s.samples.max(1))) as f64
                })
                .sum();
            if more == 0.0 || taken + more > (survey.samples() * SHARE).min(MOST) {
                break;
            }
            taken += more;
            survey.spots.par_iter_mut().for_each(|spot| {
                if longer(spot) && !control.is_stopped() {
                    spot.shoot(&shooter, wanted, control);
                }
            });
        }
        control.look(0);
        match control.is_stopped() {
            true => Err(Stopped),
            false => Ok(survey),
        }
    }

    /// The noise at which blocks are to end so that the whole picture has `percent`, as it is told: where much of it is calm the rest may
    /// be noisier, but never more than twice as noisy. Nothing where no noise is asked for.
    pub fn limit(&self, percent: f32) -> Option<f32> {
        let Quality::Noise { most, .. } = self.quality else {
            return None;
        };
        let whole = |limit: f32| {
            let squares = self
                .spots
                .iter()
                .map(|s| f64::from(s.end(limit, most).1).powi(2));
            (squares.sum::<f64>() / self.spots.len().max(1) as f64).sqrt()
        };
        let (mut low, mut high) = (1.0f32, WORST);
        if whole(percent * high) <= f64::from(percent) {
            return Some(percent * high);
        }
        for _ in 0..24 {
            let middle = (low * high).sqrt();
            match whole(percent * middle) <= f64::from(percent) {
                true => low = middle,
                false => high = middle,
            }
        }
        Some(percent * (low / STEP).floor() * STEP)
    }

    /// Samples that the whole picture will take, all pixels together.
    pub fn samples(&self) -> f64 {
        let each = self.spots.iter().map(|s| f64::from(self.samples_at(s)));
        each.sum::<f64>() / self.spots.len().max(1) as f64 * self.pixels
    }

    fn samples_at(&self, spot: &Spot) -> f32 {
        samples_at(self.quality, spot)
    }

    /// Mean samples of a pixel, and seconds of one core for it, that a picture of the same view takes in another quality.
    pub fn foretell(&self, quality: Quality) -> (f64, f64) {
        let count = self.spots.len().max(1) as f64;
        let each = self.spots.iter().map(|s| {
            let samples = f64::from(samples_at(quality, s));
            (samples, samples * s.seconds())
        });
        let (samples, seconds) = each.fold((0.0, 0.0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
        (samples / count, seconds / count)
    }

    /// Standard error of the time that the whole takes, as a share of it, by how far its places lie apart.
    fn error(&self) -> f64 {
        let count = self.spots.len().max(2) as f64;
        let times = || (self.spots.iter()).map(|s| f64::from(self.samples_at(s)) * s.seconds());
        let mean = times().sum::<f64>() / count;
        let scatter = times().map(|t| (t - mean).powi(2)).sum::<f64>() / (count - 1.0);
        (scatter / count).sqrt() / mean.max(f64::MIN_POSITIVE)
    }

    /// The same with blocks that end at another noise.
    #[must_use]
    pub fn with_limit(mut self, limit: f32) -> Self {
        if let Quality::Noise { percent, .. } = &mut self.quality {
            *percent = limit;
        }
        self
    }

    /// Seconds of one core and samples that a pixel of a row takes, from the places nearest to it.
    pub(crate) fn at_row(&self, row: u32) -> (f64, f64) {
        const NEAREST: usize = 6;
        let mut near: Vec<&Spot> = self.spots.iter().collect();
        near.sort_by_key(|s| s.row.abs_diff(row));
        near.truncate(NEAREST);
        let count = near.len().max(1) as f64;
        let samples = near.iter().map(|s| f64::from(self.samples_at(s)));
        let seconds = near
            .iter()
            .map(|s| f64::from(self.samples_at(s)) * s.seconds());
        (seconds.sum::<f64>() / count, samples.sum::<f64>() / count)
    }
}

fn samples_at(quality: Quality, spot: &Spot) -> f32 {
    match quality {
        Quality::Samples(n) => n as f32,
        Quality::Noise { percent, most } => spot.end(percent, most).0,
    }
}

/// Places spread evenly over what the picture shows of the sphere.
fn places(render: &Render, count: u32) -> Vec<Spot> {
    let width = render.size.width() as usize;
    let blocks = width.div_ceil(BLOCK);
    let columns = |block: usize| block * BLOCK..((block + 1) * BLOCK).min(width);
    (render.patches(count, BLOCK as u32).into_iter())
        .map(|patch| {
            let middle = patch.left as usize / BLOCK;
            let mut all = vec![
                middle,
                (middle + 1) % blocks,
                (middle + blocks - 1) % blocks,
            ];
            // As many as there are and have a say.
            all.truncate(match render.quality {
                Quality::Samples(_) => 1,
                Quality::Noise { .. } => blocks.min(TOGETHER),
            });
            Spot {
                row: patch.top + patch.rows / 2,
                blocks: (all.into_iter())
                    .map(|b| {
                        (
                            columns(b).start as u32,
                            vec![PixelSums::default(); columns(b).len()],
                        )
                    })
                    .collect(),
                samples: 0,
                spent: Duration::ZERO,
                shot: 0,
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use crate::render::next_counts;

    /// What counts go on to is at least a quarter more, and as much as the noise asks where that is known, in whole sets.
    #[test]
    fn counts_go_on_to_what_the_noise_asks() {
        let next = |noise: &[f32], done: &[u32]| next_counts(noise, done, 4.0, 4096);
        // Quiet ones stay, their noisy neighbour takes them along.
        assert_eq!(
            next(&[1.0, 8.0, 1.0, 1.0, 1.0], &[32; 5]),
            [64, 64, 64, 32, 32]
        );
        // A little too noisy: no more than that asks.
        assert_eq!(next(&[4.2, 0.0, 0.0, 0.0], &[320, 32, 32, 32])[0], 400);
        assert_eq!(next(&[5.0, 0.0, 0.0, 0.0], &[320, 32, 32, 32])[0], 504);
        // At the end of what may be taken there is no more.
        assert_eq!(next(&[50.0, 0.0, 0.0], &[4096, 4096, 4096]), [4096; 3]);
    }
}
