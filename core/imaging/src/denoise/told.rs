//! What a filter did to a picture: what it took, and how far its result may still be from the truth.

use super::Filtered;
use crate::layers::DARKEST;
use crate::strip::CHANNELS;
use crate::transfer::{luminance, srgb_from_linear};

/// How far the picture is moved towards either half to see what a filter lets through: a share of the way. All of the way would double
/// its variance, and a filter lets less of more noise through: what was told to be left was 0.65 to 0.95 of what was.
pub(super) const NUDGE: f32 = 0.25;
/// How much of the way it is moved towards the darker half where a bright path is in the other.
const WITHOUT_IT: f32 = 0.85;
/// Half the difference of the halves as a share of the picture: from the first on, and wholly from the second on, it is that of a bright path.
const RARE: [f32; 2] = [0.2, 0.5];

/// How far a pixel is moved towards either half, as shares of the way: its light, and half of the difference of its halves.
///
/// Noise of many small parts is moved a little both ways. A rare bright path is there or is not: a filter takes most of it out, so that it
/// lets little of a change of the bright light through, and more of what the path brought altogether. So the pixel is moved to where it would be
/// without the path, and not at all the other way. For paths that come at random, each by itself, the mean of such a difference is exactly that of error
/// and noise (the theorem of Mecke, 1967, on sums over the points of a Poisson process; from memory). All of the way was told to be up to
/// 1.27 of what was left, since the paths around go with it; the share is by experience.
pub(super) fn moved(light: f32, apart: f32) -> [f32; 2] {
    let share = apart.abs() / light.max(f32::MIN_POSITIVE);
    let rare = ((share - RARE[0]) / (RARE[1] - RARE[0])).clamp(0.0, 1.0);
    let brighter = NUDGE * (1.0 - rare);
    let darker = brighter + WITHOUT_IT * rare;
    match apart > 0.0 {
        true => [brighter, darker],
        false => [darker, brighter],
    }
}

/// How far a denoised picture may still be from the truth: sums that can be added up over strips in any grouping.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Remaining {
    /// Squared percent times weight; of a little it may by chance come out below nothing.
    pub squares: f64,
    /// Of it, the noise that was let through: so much at least is wrong.
    pub apart: f64,
    /// What the halves tell of the noise before anything was taken out.
    pub noise: f64,
    /// How much of the sphere it is.
    pub weight: f64,
}

impl Remaining {
    /// Adds other rows.
    pub fn add(&mut self, other: Self) {
        self.squares += other.squares;
        self.apart += other.apart;
        self.noise += other.noise;
        self.weight += other.weight;
    }

    /// Whether more is wrong now than noise was before: detail went with it.
    pub fn is_worse(&self) -> bool {
        self.weight > 0.0 && self.squares.max(self.apart) > self.noise
    }

    /// All of it, in percent of the displayed value; `None` where nothing was told.
    pub fn percent(&self) -> Option<f64> {
        (self.weight > 0.0).then(|| (self.squares.max(self.apart) / self.weight).sqrt())
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
    /// Let the halves be T + a and T + b, of a truth T and independent noises, and the filtered whole F = T + e. The mean of
    /// (A - F)(B - F) is that of e^2 less that of e (a + b): the error squared, less what of each place's own noise is still in the
    /// result. How much that is d = (A - B) / 2 tells, which is noise like that of the whole and independent of it: where the whole moved by
    /// s d and by -s d is filtered to P and Q, d (P - Q) / s has the same mean as e (a + b), the better the smaller s is; for rare bright
    /// paths as `moved` has it. So both that was
    /// blurred and noise that was left are those of the picture itself, not those of pictures of half as many samples (own derivation; it is
    /// Stein's unbiased estimate of the risk, 1981, by a difference in place of the derivative, as Ramani, Blu and Unser 2008, "Monte-Carlo
    /// SURE", have it; judging one half by the other is the idea of Rousselle, Knaus and Zwicker 2012, "Adaptive rendering with non-local
    /// means filtering"; named from memory).
    pub fn remaining(
        &self,
        apart: &[f32],
        mut weight: impl FnMut(u32, u32) -> f64,
    ) -> Option<Remaining> {
        let [one, other] = self.nudged.as_ref()?;
        let beauty = &self.strip.beauty;
        let mut sum = Remaining::default();
        let width = beauty.width as usize;
        for (i, after) in beauty.samples.chunks_exact(CHANNELS).enumerate() {
            let light =
                |values: &[f32]| luminance(std::array::from_fn(|c| values[i * CHANNELS + c]));
            let (before, apart) = (light(&self.before), light(apart));
            let halves = [before + apart, before - apart];
            let nudged = [light(one), light(other)];
            let value = luminance([after[0], after[1], after[2]]);
            let all = [halves[0], halves[1], nudged[0], nudged[1], value];
            let all = all.map(|v| v.clamp(0.0, 1.0));
            let (shown, whole) = if value < 1.0 {
                // Near the value the curve is straight, so that noise does not look like an error in all of it.
                let slope = displayed_slope(value);
                (all.map(|v| v * slope), srgb_from_linear(value.max(0.0)))
            } else {
                // White that may not be white in truth.
                let whole = srgb_from_linear(before.clamp(0.0, 1.0));
                (all.map(srgb_from_linear), whole)
            };
            let [a, b, p, q, f] = shown;
            // What becomes of half of the difference of the halves.
            let way: f32 = moved(before, apart).iter().sum();
            let through = (p - q) / way;
            let square = (a - f) * (b - f) + through * (a - b);
            let weight = weight((i % width) as u32, beauty.top + (i / width) as u32);
            let percents = weight * 1e4 / f64::from(whole.max(DARKEST)).powi(2);
            sum.squares += f64::from(square) * percents;
            sum.apart += f64::from(through.powi(2)) * percents;
            sum.noise += f64::from((a - b).powi(2) / 4.0) * percents;
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
