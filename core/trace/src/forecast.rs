//! How long a render will take, from a quick look at places all over the picture: how noisy they are
//! after a few samples, and how long a sample takes there.

use crate::pixel::PixelSums;
use crate::render::{Control, FIRST_LOOK, Quality, Render, block_noise, next_look};
use rayon::prelude::*;
use std::time::Instant;

/// Places that are looked at in each strip.
const LOOKS: u32 = 4;
/// Most strips that are looked at; the others are taken to be like their neighbours.
const MOST_STRIPS: usize = 96;
/// Pixels of one look.
const PIXELS: u32 = 16;

/// The work that each strip is expected to take.
pub struct Forecast {
    /// First row and number of rows, expected time on one core in seconds, expected samples.
    strips: Vec<(u32, f64, f64)>,
}

impl Forecast {
    /// Looks at the strips, given as first row and number of rows. Takes a few hundredths of the render; told to stop, it ends
    /// at once and knows little.
    pub fn look(render: &Render, places: &[(u32, u32)], control: &Control) -> Self {
        let shooter = render.shooter();
        let width = render.size.width();
        let step = places.len().div_ceil(MOST_STRIPS).max(1);
        let first = FIRST_LOOK.min(render.quality.most());
        let seen: Vec<(f64, f64)> = places
            .par_iter()
            .step_by(step)
            .map(|&(top, rows)| {
                let row = top + rows / 2;
                let (mut seconds, mut samples) = (0.0, 0.0);
                for i in 0..LOOKS {
                    if control.is_stopped() {
                        break;
                    }
                    let pixels = PIXELS.min(width);
                    let start = (width / LOOKS * i + width / LOOKS / 2).min(width - pixels);
                    let begun = Instant::now();
                    let mut block = vec![PixelSums::default(); pixels as usize];
                    for (k, sums) in block.iter_mut().enumerate() {
                        shooter.shoot((start + k as u32, row), 0..first, sums);
                    }
                    let each = begun.elapsed().as_secs_f64() / f64::from(first * pixels);
                    let wanted = wanted(render.quality, first, block_noise(&block));
                    seconds += each * wanted;
                    samples += wanted;
                }
                (seconds / f64::from(LOOKS), samples / f64::from(LOOKS))
            })
            .collect();
        let strips = places
            .iter()
            .enumerate()
            .map(|(i, &(top, rows))| {
                let (seconds, samples) = seen[i / step];
                let pixels = f64::from(rows) * f64::from(width);
                (top, (seconds * pixels).max(1e-9), samples * pixels)
            })
            .collect();
        Self { strips }
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

/// Samples a pixel will take, from its noise after the first ones: four times as many halve it.
fn wanted(quality: Quality, first: u32, noise: f32) -> f64 {
    match quality {
        Quality::Samples(n) => f64::from(n),
        Quality::Noise { percent, most } => {
            let needed = f64::from(first) * f64::from(noise / percent).powi(2);
            let mut looks = next_look(0);
            while f64::from(looks) < needed && looks < most {
                looks = next_look(looks);
            }
            f64::from(looks.min(most))
        }
    }
}
