//! Joint non-local means, guided by colour and normals of what is seen first (after Buades, Coll and Morel
//! 2005, and Rousselle, Manzi and Zwicker 2013).
//!
//! A pixel becomes the mean of pixels near by whose surroundings look alike in picture, albedo and normal. How far two
//! values of one surface lie apart by noise alone is known from the two halves of the samples, for each place by itself:
//! neither bands nor the other eye of a pair have a say in it.

use super::{Band, DenoiseFailed, Filter};
use crate::strip::CHANNELS;
use rayon::prelude::*;

/// Pixels that are looked at to each side.
const WINDOW: usize = 4;
/// Pixels to each side that make up a pixel's surroundings.
const PATCH: usize = 1;
/// Pixels to each side whose noise is taken together: that of a single one is not known well.
const CALM: usize = 3;
/// Pixels that a result depends on, to each side.
const REACH: usize = WINDOW + PATCH + CALM;
/// Rows that are filtered at a time.
const ROWS: u32 = 64;
/// Differences of albedo and normal that separate two surfaces.
const ALBEDO_STEP: f32 = 0.06;
const NORMAL_STEP: f32 = 0.15;
/// Noise that is taken for granted where it is not known, as a share of the light.
const UNKNOWN_NOISE: f32 = 0.8;
/// Most noise that one pixel speaks for: beyond, it is a firefly and no measure of its surroundings.
const MOST_NOISE: f32 = 1.0;
/// Least noise, so that a calm picture is not taken for one of many surfaces.
const LEAST_NOISE: f32 = 0.005;
/// Values below this are as dark as the eye tells apart: noise there is not relative to less.
const DARKEST: f32 = 0.02;

/// The built-in filter.
pub struct PlainFilter;

impl Filter for PlainFilter {
    fn band(&self, _width: u32) -> u32 {
        ROWS
    }

    fn margin(&self, _width: u32) -> u32 {
        REACH as u32
    }

    fn filter(&self, band: &Band, image: &[f32], times: f32) -> Result<Vec<f32>, DenoiseFailed> {
        let noise = match &band.halves {
            Some(apart) => noise_of(band, apart),
            None => vec![UNKNOWN_NOISE.powi(2); band.width * band.rows],
        };
        Ok(filtered(band, image, &noise, times))
    }
}

fn three(values: &[f32], pixel: usize) -> [f32; 3] {
    std::array::from_fn(|c| values[pixel * CHANNELS + c])
}

fn squares(a: [f32; 3], b: [f32; 3]) -> f32 {
    (0..3).map(|i| (a[i] - b[i]).powi(2)).sum()
}

/// The noise of each pixel as a share of its light, squared: that of the pixels around taken together.
fn noise_of(band: &Band, apart: &[f32]) -> Vec<f32> {
    let single: Vec<f32> = ((band.colour)
        .par_chunks_exact(CHANNELS)
        .zip(apart.par_chunks_exact(CHANNELS)))
    .map(|(light, apart)| {
        let share = |c: usize| (apart[c] / light[c].max(DARKEST)).powi(2);
        ((share(0) + share(1) + share(2)) / 3.0).min(MOST_NOISE.powi(2))
    })
    .collect();
    let (width, rows) = (band.width, band.rows);
    // First along the rows, then across them.
    let mean = |from: &[f32], length: usize, step: usize, along: usize, at: usize| {
        let (low, high) = (along.saturating_sub(CALM), (along + CALM).min(length - 1));
        let sum: f32 = (low..=high)
            .map(|k| from[at + k * step - along * step])
            .sum();
        sum / (high - low + 1) as f32
    };
    let across: Vec<f32> = (0..single.len())
        .into_par_iter()
        .map(|at| mean(&single, width, 1, at % width, at))
        .collect();
    (0..single.len())
        .into_par_iter()
        .map(|at| mean(&across, rows, width, at / width, at).max(LEAST_NOISE.powi(2)))
        .collect()
}

/// The image without its noise; its margin is left as it was. Its variance is `times` that which `noise` tells.
fn filtered(band: &Band, image: &[f32], noise: &[f32], times: f32) -> Vec<f32> {
    let (width, rows) = (band.width, band.rows);
    let mut out = image.to_vec();
    out.par_chunks_mut(width * CHANNELS)
        .enumerate()
        .filter(|(y, _)| (REACH..rows - REACH).contains(y))
        .for_each(|(y, line)| {
            for x in REACH..width - REACH {
                if let Some(mean) = mean_of_alike(band, image, noise, times, y * width + x) {
                    line[x * CHANNELS..][..CHANNELS].copy_from_slice(&mean);
                }
            }
        });
    out
}

/// The mean of the pixels near one, by how alike their surroundings are.
fn mean_of_alike(
    band: &Band,
    image: &[f32],
    noise: &[f32],
    times: f32,
    here: usize,
) -> Option<[f32; 3]> {
    let width = band.width;
    let (albedo, normal) = (three(&band.albedo, here), three(&band.normal, here));
    let mut sum = [0.0f32; 3];
    let mut whole = 0.0f32;
    // The corner from which windows and patches are counted, so that no number falls below nothing.
    let window = here - WINDOW * width - WINDOW;
    for wy in 0..=2 * WINDOW {
        for wx in 0..=2 * WINDOW {
            let there = window + wy * width + wx;
            let guide = squares(albedo, three(&band.albedo, there)) / (ALBEDO_STEP * ALBEDO_STEP)
                + squares(normal, three(&band.normal, there)) / (NORMAL_STEP * NORMAL_STEP);
            if guide > 8.0 {
                continue;
            }
            let mut apart = 0.0;
            let corner = PATCH * width + PATCH;
            for step in (0..=2 * PATCH).flat_map(|y| (0..=2 * PATCH).map(move |x| y * width + x)) {
                let (a, b) = (here - corner + step, there - corner + step);
                let share = times * (noise[a] + noise[b]) / 2.0;
                let (p, q) = (three(image, a), three(image, b));
                for c in 0..3 {
                    let level = ((p[c] + q[c]) / 2.0).max(DARKEST);
                    // Two noisy values of one surface differ by twice the variance anyway.
                    apart += (p[c] - q[c]).powi(2) / (share * level * level) - 2.0;
                }
            }
            let count = ((2 * PATCH + 1).pow(2) * CHANNELS) as f32;
            let weight = (-(apart / count).max(0.0) - guide).exp();
            let value = three(image, there);
            for c in 0..3 {
                sum[c] += weight * value[c];
            }
            whole += weight;
        }
    }
    (whole > 0.0).then(|| sum.map(|s| s / whole))
}
