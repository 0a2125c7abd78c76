//! How noisy blocks of a picture may stay for the whole to have the noise that was asked for, as it is told; of one that is denoised, for
//! denoising to leave as little.
//!
//! A few patches of the picture, at its own detail, are rendered in two qualities and denoised, and what is left in them is
//! told by their halves. What is left follows the noise by a power between none (all is detail that was taken for noise) and one
//! (all is noise): the two qualities, and what is usual, tell it. The answer depends on the picture alone, not on how it is cut or which rows are
//! there already, and is rounded so that parts made on several machines go together.

use super::denoise::{Job, Remaining, Way, denoised};
use super::eyes::Eyes;
use super::recipe::Recipe;
use dome_files::FileError;
use dome_optics::{PictureSize, Shape};
use dome_trace::patch::PatchSums;
use dome_trace::{Control, PassSet, Quality, Stopped};
use rayon::prelude::*;
use std::sync::{Mutex, PoisonError};

/// How much noisier than wanted the patches are rendered first.
const FIRST: f32 = 6.0;
/// How much less noisy they are then: half as noisy takes four times as long, and hardly tells more.
const SECOND: f32 = 1.5;
/// Most noise that a picture is rendered with, percent: beyond, too few samples were taken to tell.
const MOST: f32 = 48.0;
/// Share of a picture's pixels that the patches are.
const SHARE: u64 = 160;
/// Fewest patches, and the share of its pixels from which on they are smaller.
const LEAST: u64 = 6;
const MOST_SHARE: u64 = 25;
/// Side of a patch, pixels: many small ones see more of the picture than few large ones, for the same work.
const SIDE: u32 = 32;
/// The power by which what is left follows the noise, and how much noisier a picture may be than what is to be left of it, ln: usual ones,
/// and how far they scatter. By experience, with the denoising library: 0.3 to 0.7, and 2 to 9 times.
const USUAL_POWER: (f64, f64) = (0.5, 0.2);
const USUAL_OVER: (f64, f64) = (1.5, 0.8);
/// How well patches stand for the whole picture, as a share of the square.
const PATCHES_DIFFER: f64 = 0.1;
/// Steps of the grid.
const POWERS: u32 = 45;
const NOISES: u32 = 100;
/// Denoising must let blocks stay so much noisier, or it is left out: a third fewer samples.
const SAVES: f32 = 1.25;
/// Rounding: so many steps double the noise.
const STEPS: f32 = 8.0;

/// How noisy blocks of a picture may stay.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Aim {
    /// The noise at which they are to end, percent of the displayed value; nothing where no noise is asked for.
    pub percent: Option<f32>,
    /// Whether the picture is denoised: wanted, and worth it.
    pub denoised: bool,
}

/// What is said where denoising was wanted and left out.
pub const NOT_WORTH_IT: &str = "Denoising was left out: here it would take detail for noise, and need as many samples as a render without it.";

/// The aim by which as much noise is left as a recipe asks. Where it `may` be, denoising is left out if it would hardly save samples.
pub fn limit(
    recipe: &Recipe,
    eyes: &mut Eyes,
    (way, may): (&Way, bool),
    control: &Control,
) -> Result<Aim, Stopped> {
    let raw = raw_noise(recipe, eyes, way, control)?;
    let denoised = |percent| Aim {
        percent,
        denoised: recipe.denoise,
    };
    let Some(raw) = raw else {
        return Ok(denoised(eyes.limit(control)?));
    };
    let Quality::Noise { percent, .. } = recipe.quality else {
        return Ok(denoised(Some(raw)));
    };
    // Without denoising calm places leave the others room, up to twice what is asked.
    if !may || raw > 2.0 * percent * SAVES {
        return Ok(denoised(Some(raw)));
    }
    let plain = eyes.limit(control)?;
    if plain.is_some_and(|plain| raw <= plain * SAVES) {
        return Ok(Aim {
            percent: plain,
            denoised: false,
        });
    }
    eyes.forget_survey();
    Ok(denoised(Some(raw)))
}

/// The noise to which a denoised picture is rendered so that about as much is left as its recipe asks, percent of the displayed
/// value. Nothing where no noise is asked for or nothing is denoised.
fn raw_noise(
    recipe: &Recipe,
    eyes: &Eyes,
    way: &Way,
    control: &Control,
) -> Result<Option<f32>, Stopped> {
    let Quality::Noise { percent, most } = recipe.quality else {
        return Ok(None);
    };
    if !recipe.denoise {
        return Ok(None);
    }
    let render = eyes.deciding();
    let size = recipe.size;
    let pixels = u64::from(size.width()) * u64::from(size.height());
    let (count, side) = patches(pixels);
    let patches = render.patches(count, side);
    let first = (FIRST * percent).min(MOST).max(percent);
    let made = recipe.strip_passes();
    // The second quality goes on with the samples of the first.
    let mut sums: Vec<PatchSums> = patches.iter().map(|_| PatchSums::default()).collect();
    let mut left_at = |level: f32| -> Result<Option<Seen>, Stopped> {
        let quality = Quality::Noise {
            percent: level,
            most,
        };
        let strips: Vec<_> = (patches.par_iter().zip(&mut sums))
            .map(|(patch, sums)| {
                let strip = render.patch_on(*patch, sums, quality, control);
                control.looked(1);
                strip
            })
            .collect();
        let mut left = Vec::with_capacity(patches.len());
        for (patch, strip) in patches.iter().zip(strips) {
            let strip = strip?;
            // Flat pieces, whatever they are cut from: beyond their edges nothing is known.
            let flat = Shape::Perspective {
                hfov_deg: 1.0,
                vfov_deg: None,
                shift: [0.0; 2],
            };
            let size = PictureSize::new(flat, Some(patch.width), Some(patch.rows));
            let Ok(size) = size else { continue };
            let job = Job {
                made: &made,
                wanted: &PassSet::default(),
                size,
            };
            let sum = Mutex::new(Remaining::default());
            let strip = std::iter::once(Ok::<_, FileError>(strip));
            // What cannot be denoised here can be told nothing of; the render says why.
            denoised(strip, job, way, &sum, || !control.is_stopped()).for_each(drop);
            left.push(sum.into_inner().unwrap_or_else(PoisonError::into_inner));
        }
        Ok(Seen::of(level, &left))
    };
    let mut look = || -> Result<f32, Stopped> {
        let Some(one) = left_at(first)?.filter(|seen| !seen.is_surely_below(percent)) else {
            // Good enough as it is, or not to be told.
            return Ok(first);
        };
        let second = (first / SECOND).max(percent);
        let Some(other) = left_at(second)? else {
            return Ok(second);
        };
        Ok(aimed(percent, &[one, other]))
    };
    control.look(2 * patches.len() as u64);
    let found = look();
    control.look(0);
    Ok(Some(rounded(found?).max(percent)))
}

/// How many patches of how many rows are looked at in a picture of so many pixels. Those of a small one are smaller and fewer: the second noise
/// takes two to three times the samples that the picture takes, and all of it at most a tenth.
fn patches(pixels: u64) -> (u32, u32) {
    let whole = u64::from(SIDE * SIDE);
    if pixels >= LEAST * whole * MOST_SHARE {
        return ((pixels / SHARE / whole).clamp(LEAST, 24) as u32, SIDE);
    }
    // Patches are whole blocks of columns: half as large.
    let count = (2 * pixels / MOST_SHARE / whole).clamp(LEAST / 2, LEAST);
    (count as u32, SIDE / 2)
}

/// What was left of a noise.
#[derive(Clone, Copy, Debug)]
struct Seen {
    /// The noise that the patches were rendered to, percent.
    level: f32,
    /// What was left, squared percent.
    square: f64,
    /// Its standard error, by how far the patches lie apart.
    error: f64,
}

impl Seen {
    /// Of all patches; nothing where nothing is left, or nothing was told.
    fn of(level: f32, patches: &[Remaining]) -> Option<Self> {
        let mut sum = Remaining::default();
        for patch in patches {
            sum.add(*patch);
        }
        let square = sum.percent()?.powi(2);
        let mean = sum.squares / sum.weight;
        let scatter: f64 = (patches.iter())
            .map(|p| (p.squares - p.weight * mean).powi(2))
            .sum();
        let count = patches.len().max(2) as f64;
        let error = (scatter * count / (count - 1.0)).sqrt() / sum.weight;
        (square > 0.0).then_some(Self {
            level,
            square,
            error,
        })
    }

    /// Whether less is left than some percent, whatever chance did to the patches (two standard errors).
    fn is_surely_below(&self, percent: f32) -> bool {
        self.square + 2.0 * self.error < f64::from(percent).powi(2)
    }
}

/// The noise to render to, from what was left of others.
///
/// What is left follows the noise by a power. Two looks at a few patches tell it badly: one seed's second look lies above its first, another's
/// far below, and a power taken from the two alone sent the same picture to 3 % or to 20 %. So what is usual counts as much as its own scatter
/// allows, and what was seen as much as the scatter of the patches allows: the mean of the noise that is asked for, over all powers and noises
/// (Bayes' rule on a grid).
fn aimed(wanted: f32, seen: &[Seen]) -> f32 {
    let levels = || seen.iter().map(|seen| seen.level);
    let (most, least) = (levels().fold(0.0, f32::max), levels().fold(MOST, f32::min));
    let off = |value: f64, usual: (f64, f64)| ((value - usual.0) / usual.1).powi(2) / 2.0;
    let wanted = f64::from(wanted);
    let mut all = Vec::with_capacity(((POWERS + 1) * (NOISES + 1)) as usize);
    for step in 0..=POWERS {
        let power = 0.1 + 0.9 * f64::from(step) / f64::from(POWERS);
        for step in 0..=NOISES {
            // From half of what is wanted to sixteen times as much, ln.
            let over = (-1.0 + 5.0 * f64::from(step) / f64::from(NOISES)) * std::f64::consts::LN_2;
            let mut unlikely = off(power, USUAL_POWER) + off(over, USUAL_OVER);
            for seen in seen {
                let share = f64::from(seen.level) / wanted / over.exp();
                let square = (wanted * share.powf(power)).powi(2);
                let error = seen.error.hypot(PATCHES_DIFFER * square);
                unlikely += off(seen.square, (square, error)) + error.ln();
            }
            all.push((unlikely, over));
        }
    }
    let best = all.iter().map(|all| all.0).fold(f64::INFINITY, f64::min);
    let likely = |unlikely: f64| (best - unlikely).exp();
    let weight: f64 = all.iter().map(|all| likely(all.0)).sum();
    let mean = all.iter().map(|all| likely(all.0) * all.1).sum::<f64>() / weight;
    let raw = wanted * mean.exp();
    // Far from all that was seen nothing is known.
    (raw as f32).clamp(least / 4.0, most)
}

/// Small differences in how noise is taken out on two machines must not decide.
fn rounded(raw: f32) -> f32 {
    ((raw.log2() * STEPS).floor() / STEPS).exp2()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a noise leaves, told with an error that is a share of it.
    fn seen(level: f32, left: f32, error: f64) -> Seen {
        let square = f64::from(left).powi(2);
        Seen {
            level,
            square,
            error: error * square,
        }
    }

    /// Where what is left follows a power, and is told well, the aim is near; the more so the less is unusual.
    #[test]
    fn the_aim_follows_what_is_left() {
        for (power, usual) in [(0.3f32, 1.3), (0.45, 1.12), (0.7, 1.3), (1.0, 1.5)] {
            for wanted in [2.0f32, 4.0, 8.0] {
                for over in [2.0f32, 4.0, 6.0] {
                    let left = |raw: f32| wanted * (raw / (over * wanted)).powf(power);
                    let levels = [6.0 * wanted, 3.0 * wanted];
                    let raw = aimed(wanted, &levels.map(|l| seen(l, left(l), 0.02)));
                    let off = raw / (over * wanted);
                    assert!(
                        (1.0 / usual..usual).contains(&off),
                        "power {power}, {wanted} %, {over} times: {off}"
                    );
                    let told = rounded(raw) / raw;
                    assert!((0.916..1.001).contains(&told), "{told}");
                }
            }
        }
        // Detail alone, which no number of samples brings back, asks for a lot but not for all.
        let detail = aimed(4.0, &[seen(24.0, 30.0, 0.02), seen(12.0, 30.0, 0.02)]);
        assert!((3.0..4.5).contains(&detail), "{detail}");
    }

    /// Chance in a few patches must not decide how long a picture takes: what six seeds saw of one picture (measured under the
    /// observatory's dome, 12 patches of 32 px: squares at 24 %, percent at 12 %, in every combination) asks for nearly the same noise.
    #[test]
    fn the_aim_is_the_same_whatever_chance_did() {
        let mut all = Vec::new();
        for square in [41.0, 10.0, 7.0, 25.0, 18.0, 24.0] {
            for percent in [2.6f32, 3.0, 3.16, 3.3, 3.5] {
                let one = Seen {
                    level: 24.0,
                    square,
                    error: 12.0,
                };
                all.push(aimed(4.0, &[one, seen(12.0, percent, 0.25)]));
            }
        }
        let least = all.iter().copied().fold(f32::INFINITY, f32::min);
        let most = all.iter().copied().fold(0.0, f32::max);
        println!("{least} to {most} %");
        assert!(most / least < 1.75, "{least} to {most}");
        assert!(least > 13.0 && most <= 24.0, "{least} to {most}");
    }

    /// Patches are at most a twenty-fifth of any picture that takes more than seconds.
    #[test]
    fn patches_are_little_of_a_picture() {
        for (width, expected) in [
            (8192u64, (24, 32)),
            (2048, (12, 32)),
            (1024, (6, 32)),
            (512, (6, 16)),
            (384, (5, 16)),
            (256, (3, 16)),
        ] {
            let pixels = width * width / 2;
            assert_eq!(patches(pixels), expected, "{width} px");
            let looked = u64::from(expected.0) * 32 * u64::from(expected.1);
            assert!(looked * 20 <= pixels, "{width} px");
        }
    }

    /// The error of a sum over patches is that of independent numbers, and one look that is surely good enough is told from one
    /// that may be luck.
    #[test]
    fn how_sure_a_look_is_comes_from_its_patches() {
        let patch = |squares: f64| Remaining {
            squares,
            apart: 0.0,
            noise: 100.0,
            weight: 2.0,
        };
        let calm = Seen::of(24.0, &[18.0, 20.0, 22.0].map(patch)).unwrap();
        // Three numbers of mean 20 and standard deviation 2: their sum has 2 times the root of 3.
        assert!((calm.square - 10.0).abs() < 1e-9);
        assert!((calm.error - 2.0 * 3.0f64.sqrt() / 6.0).abs() < 1e-9);
        assert!(calm.is_surely_below(4.0) && !calm.is_surely_below(3.0));
        let wild = Seen::of(24.0, &[-20.0, 0.0, 80.0].map(patch)).unwrap();
        assert!((wild.square - 10.0).abs() < 1e-9 && !wild.is_surely_below(4.0));
        assert!(Seen::of(24.0, &[]).is_none());
        assert!(Seen::of(24.0, &[patch(0.0)]).is_none());
    }
}
