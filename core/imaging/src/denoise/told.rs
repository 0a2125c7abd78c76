//! What a filter did to a picture: what it took, and how far its result may still be from the truth.

use super::Filtered;
use crate::layers::DARKEST;
use crate::strip::CHANNELS;
use crate::transfer::{luminance, srgb_from_linear};

/// How far a denoised picture may still be from the truth: sums that can be added up over strips in any grouping.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Remaining {
    /// What is wrong in both halves alike, squared percent times weight; by chance it may come out below nothing.
    pub wrong: f64,
    /// What is wrong by noise, the same.
    pub noise: f64,
    /// How much of the sphere it is.
    pub weight: f64,
}

impl Remaining {
    /// Adds other rows.
    pub fn add(&mut self, other: Self) {
        self.wrong += other.wrong;
        self.noise += other.noise;
        self.weight += other.weight;
    }

    /// All of it, in percent of the displayed value; `None` where nothing was told.
    pub fn percent(&self) -> Option<f64> {
        (self.weight > 0.0).then(|| ((self.wrong.max(0.0) + self.noise) / self.weight).sqrt())
    }
}

impl Filtered {
    /// What was taken: the picture as it was less the picture as it is.
    pub fn taken(&self) -> Vec<f32> {
        (self.before.iter().zip(&self.strip.beauty.samples))
            .map(|(before, after)| before - after)
            .collect()
    }

    /// How far the picture may still be from the truth, in percent of the displayed value like all noise told; `None` where
    /// the halves are not known. `apart` is half the difference of the two halves, `weight` how much of the sphere a pixel of the
    /// strip is (column and row of the picture).
    ///
    /// Two halves A and B of independent noise are filtered alike to FA and FB. What is wrong in both is no noise: it is
    /// found as what the rests have in common, for the mean of (A - FA)(B - FB) is the square of that error, whatever the filter
    /// did. What is wrong in one alone shows as FA - FB; the whole picture, of twice as many samples, has half the variance
    /// of a half, which is (FA - FB)^2 / 4. Both are unbiased but for that last step, where what is blurred less with less
    /// noise counts as if it were blurred as before (own derivation; the idea of judging one half by the other is that of
    /// Rousselle, Knaus and Zwicker 2012, "Adaptive rendering with non-local means filtering").
    pub fn remaining(
        &self,
        apart: &[f32],
        mut weight: impl FnMut(u32, u32) -> f64,
    ) -> Option<Remaining> {
        let [one, other] = self.halves.as_ref()?;
        let beauty = &self.strip.beauty;
        let mut sum = Remaining::default();
        let width = beauty.width as usize;
        for (i, after) in beauty.samples.chunks_exact(CHANNELS).enumerate() {
            let light =
                |values: &[f32]| luminance(std::array::from_fn(|c| values[i * CHANNELS + c]));
            let (before, apart) = (light(&self.before), light(apart));
            let halves = [before + apart, before - apart];
            let filtered = [light(one), light(other)];
            let value = luminance([after[0], after[1], after[2]]);
            let [a, b, fa, fb] =
                [halves[0], halves[1], filtered[0], filtered[1]].map(|v| v.clamp(0.0, 1.0));
            let (rests, apart, whole) = if value < 1.0 {
                // Near the value the curve is straight, so that noise does not look like an error in all of it.
                let slope = displayed_slope(value);
                let rests = (a - fa) * (b - fb) * slope * slope;
                (rests, (fa - fb) * slope, srgb_from_linear(value.max(0.0)))
            } else {
                // White that may not be white in truth.
                let [a, b, fa, fb] = [a, b, fa, fb].map(srgb_from_linear);
                let whole = srgb_from_linear(before.clamp(0.0, 1.0));
                ((a - fa) * (b - fb), fa - fb, whole)
            };
            let weight = weight((i % width) as u32, beauty.top + (i / width) as u32);
            let percents = weight * 1e4 / f64::from(whole.max(DARKEST)).powi(2);
            sum.wrong += f64::from(rests) * percents;
            sum.noise += f64::from(apart * apart / 4.0) * percents;
            sum.weight += weight;
        }
        Some(sum)
    }
}

/// How much a displayed value changes with the light: the slope of the sRGB curve (IEC 61966-2-1).
fn displayed_slope(light: f32) -> f32 {
    if light <= 0.003_130_8 {
        12.92
    } else {
        1.055 / 2.4 * light.powf(1.0 / 2.4 - 1.0)
    }
}
