//! How noisy blocks of a picture may stay for the whole to have the noise that was asked for, as it is told; of one that is denoised, for
//! denoising to leave as little.
//!
//! A few patches of the picture, at its own detail, are rendered in two qualities and denoised, and what is left in them is
//! told by their halves. What is left follows the noise by a power between none (all is detail that was taken for noise) and one
//! (all is noise): the two qualities tell it. The answer depends on the picture alone, not on how it is cut or which rows are
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
/// Most noise that a picture is rendered with, percent: beyond, too few samples were taken to tell.
const MOST: f32 = 48.0;
/// Share of a picture's pixels that the patches are.
const SHARE: u64 = 160;
/// Side of a patch, pixels: many small ones see more of the picture than few large ones, for the same work.
const SIDE: u32 = 32;
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
    let count = (pixels / SHARE / u64::from(SIDE * SIDE)).clamp(6, 24) as u32;
    let patches = render.patches(count, SIDE);
    let first = (FIRST * percent).min(MOST).max(percent);
    let made = recipe.strip_passes();
    // The second quality goes on with the samples of the first.
    let mut sums: Vec<PatchSums> = patches.iter().map(|_| PatchSums::default()).collect();
    let mut left_at = |percent: f32| -> Result<Option<f32>, Stopped> {
        let sum = Mutex::new(Remaining::default());
        let quality = Quality::Noise { percent, most };
        let strips: Vec<_> = (patches.par_iter().zip(&mut sums))
            .map(|(patch, sums)| {
                let strip = render.patch_on(*patch, sums, quality, control);
                control.looked(1);
                strip
            })
            .collect();
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
            let strip = std::iter::once(Ok::<_, FileError>(strip));
            // What cannot be denoised here can be told nothing of; the render says why.
            denoised(strip, job, way, &sum, || !control.is_stopped()).for_each(drop);
        }
        let sum = sum.into_inner().unwrap_or_else(PoisonError::into_inner);
        Ok(sum.percent().map(|p| p as f32).filter(|p| *p > 0.0))
    };
    let mut look = || -> Result<f32, Stopped> {
        let Some(left) = left_at(first)?.filter(|left| *left > percent) else {
            // Good enough as it is, or not to be told.
            return Ok(first);
        };
        // Where it may be enough, by a power in the middle.
        let second = (first * (percent / left).powf(1.5)).clamp(first / 2.0, first / 1.4);
        let Some(then) = left_at(second)? else {
            return Ok(second);
        };
        Ok(aimed(percent, [first, second], [left, then]))
    };
    control.look(2 * patches.len() as u64);
    let found = look();
    control.look(0);
    Ok(Some(rounded(found?).max(percent)))
}

/// The noise to render to, from what was left of two others.
fn aimed(wanted: f32, levels: [f32; 2], left: [f32; 2]) -> f32 {
    let power = ((left[0] / left[1]).ln() / (levels[0] / levels[1]).ln()).clamp(0.3, 1.0);
    let raw = levels[1] * (wanted / left[1]).powf(1.0 / power);
    // Far from both nothing is known.
    raw.clamp(levels[1] / 4.0, levels[0])
}

/// Small differences in how noise is taken out on two machines must not decide.
fn rounded(raw: f32) -> f32 {
    ((raw.log2() * STEPS).floor() / STEPS).exp2()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Where what is left is known to follow a power, the aim meets it.
    #[test]
    fn the_aim_follows_what_is_left() {
        for power in [0.4f32, 0.7, 1.0] {
            for wanted in [2.0f32, 4.0, 10.0] {
                let left = |raw: f32| 0.5 * raw.powf(power);
                let levels = [6.0 * wanted, 2.5 * wanted];
                let raw = aimed(wanted, levels, levels.map(left));
                let expected = (wanted / 0.5).powf(1.0 / power);
                let expected = expected.clamp(levels[1] / 4.0, levels[0]);
                assert!(
                    (raw / expected - 1.0).abs() < 1e-3,
                    "power {power}, {wanted} %: {raw} and not {expected}"
                );
                let told = rounded(raw) / raw;
                assert!((0.916..1.001).contains(&told), "{told}");
            }
        }
        // Detail alone, which no number of samples brings back, asks for a lot but not for all.
        assert_eq!(aimed(4.0, [24.0, 12.0], [30.0, 30.0]), 3.0);
    }
}
