//! Joint non-local means, guided by colour and normals of what is seen first (after Buades, Coll and Morel
//! 2005, and Rousselle, Manzi and Zwicker 2013).
//!
//! A pixel becomes the mean of pixels near by whose surroundings look alike in picture, albedo and normal.
//! The window wraps at the left and right edge and goes on over the poles, so that there is no seam.
//! Strips go through one by one; memory is that of a few of them.

use super::Guides;
use crate::layers::LayeredStrip;
use crate::strip::CHANNELS;
use dome_optics::neighbourhood::{around, over_the_pole};
use rayon::prelude::*;
use std::collections::VecDeque;

/// Pixels that are looked at to each side.
const WINDOW: i64 = 4;
/// Pixels to each side that make up a pixel's surroundings.
const PATCH: i64 = 1;
/// Rows that a row's result depends on, above and below.
const REACH: i64 = WINDOW + PATCH;
/// Differences of albedo and normal that separate two surfaces.
const ALBEDO_STEP: f32 = 0.06;
const NORMAL_STEP: f32 = 0.15;
/// Noise that is taken for granted where too few samples were taken to measure it, percent.
const UNKNOWN_NOISE: f64 = 40.0;
/// Values below this are as dark as the eye tells apart: noise there is not relative to less.
const DARKEST: f32 = 0.02;

/// Strips on their way through the filter.
pub struct Denoised<I> {
    strips: I,
    height: u32,
    guides: Guides,
    /// Strips whose rows are still needed, from the top.
    kept: VecDeque<LayeredStrip>,
    /// Row of the picture at which the next result starts.
    next: u32,
    ended: bool,
}

/// Filters the strips of a picture of `height` rows, which must come in order from the top.
pub fn denoise<I, E>(strips: I, height: u32, guides: Guides) -> Denoised<I>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
{
    Denoised {
        strips,
        height,
        guides,
        kept: VecDeque::new(),
        next: 0,
        ended: false,
    }
}

impl<I, E> Iterator for Denoised<I>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
{
    type Item = Result<LayeredStrip, E>;

    fn next(&mut self) -> Option<Self::Item> {
        // The strip that is due, and all rows that it depends on.
        loop {
            let due = self.kept.iter().find(|s| s.beauty.top == self.next);
            let last = self.kept.back().map_or(0, |s| s.beauty.end());
            let wanted = due.map(|s| (i64::from(s.beauty.end()) + REACH).min(self.height.into()));
            if wanted.is_some_and(|w| i64::from(last) >= w) || self.ended {
                break;
            }
            match self.strips.next() {
                Some(Ok(strip)) => self.kept.push_back(strip),
                Some(Err(e)) => {
                    self.ended = true;
                    self.kept.clear();
                    return Some(Err(e));
                }
                None => self.ended = true,
            }
        }
        let due = self.kept.iter().position(|s| s.beauty.top == self.next)?;
        let result = self.filtered(&self.kept[due]);
        self.next = result.beauty.end();
        let needed = i64::from(self.next) - REACH;
        while self
            .kept
            .front()
            .is_some_and(|s| i64::from(s.beauty.end()) <= needed)
        {
            self.kept.pop_front();
        }
        Some(Ok(result))
    }
}

/// One row with its guides.
struct Row<'a> {
    beauty: &'a [f32],
    albedo: &'a [f32],
    normal: &'a [f32],
    /// Turned by half a width: the row lies beyond a pole.
    turned: bool,
}

impl Row<'_> {
    fn column(&self, x: i64, width: u32) -> usize {
        let turn = if self.turned { i64::from(width / 2) } else { 0 };
        around(x + turn, width) as usize * CHANNELS
    }
}

fn three(values: &[f32], at: usize) -> [f32; 3] {
    [values[at], values[at + 1], values[at + 2]]
}

fn squares(a: [f32; 3], b: [f32; 3]) -> f32 {
    (0..3).map(|i| (a[i] - b[i]).powi(2)).sum()
}

impl<I> Denoised<I> {
    /// A row of the picture, beyond the poles too; rows that never came are as the nearest that did.
    fn row(&self, y: i64) -> Option<Row<'_>> {
        let (y, turned) = over_the_pole(y, self.height);
        let strip = self
            .kept
            .iter()
            .find(|s| (s.beauty.top..s.beauty.end()).contains(&y))?;
        let length = strip.beauty.width as usize * CHANNELS;
        let start = (y - strip.beauty.top) as usize * length;
        let of = |layer: usize| &strip.layers[layer][start..start + length];
        Some(Row {
            beauty: &strip.beauty.samples[start..start + length],
            albedo: of(self.guides.albedo),
            normal: of(self.guides.normal),
            turned,
        })
    }

    fn filtered(&self, strip: &LayeredStrip) -> LayeredStrip {
        let beauty = &strip.beauty;
        let (top, rows) = (i64::from(beauty.top), i64::from(beauty.rows()));
        let width = beauty.width;
        let near: Vec<Option<Row>> = (top - REACH..top + rows + REACH)
            .map(|y| self.row(y))
            .collect();
        // How far two noisy values of one surface lie apart, as a share of the value.
        let noise = strip
            .noise
            .percent()
            .unwrap_or(UNKNOWN_NOISE)
            .clamp(0.5, 100.0) as f32
            / 100.0;
        // Noise is told of the displayed value; the curve lessens it to about a half of the light's.
        let spread = 2.2 * noise;
        let mut out = strip.clone();
        out.beauty
            .samples
            .par_chunks_mut(beauty.width as usize * CHANNELS)
            .enumerate()
            .for_each(|(i, line)| {
                for (x, pixel) in line.chunks_exact_mut(CHANNELS).enumerate() {
                    let y = i as i64 + REACH;
                    if let Some(mean) = mean_of_alike(&near, x as i64, y, width, spread) {
                        pixel.copy_from_slice(&mean);
                    }
                }
            });
        out
    }
}

/// The mean of the pixels near one, by how alike their surroundings are.
fn mean_of_alike(
    near: &[Option<Row>],
    x: i64,
    y: i64,
    width: u32,
    spread: f32,
) -> Option<[f32; 3]> {
    let here = near[y as usize].as_ref()?;
    let at = here.column(x, width);
    let (albedo, normal) = (three(here.albedo, at), three(here.normal, at));
    let mut sum = [0.0f32; 3];
    let mut whole = 0.0f32;
    for dy in -WINDOW..=WINDOW {
        let Some(row) = near[(y + dy) as usize].as_ref() else {
            continue;
        };
        for dx in -WINDOW..=WINDOW {
            let to = row.column(x + dx, width);
            let guide = squares(albedo, three(row.albedo, to)) / (ALBEDO_STEP * ALBEDO_STEP)
                + squares(normal, three(row.normal, to)) / (NORMAL_STEP * NORMAL_STEP);
            if guide > 8.0 {
                continue;
            }
            let mut apart = 0.0;
            let mut count = 0.0;
            for py in -PATCH..=PATCH {
                let rows = (&near[(y + py) as usize], &near[(y + dy + py) as usize]);
                let (Some(a), Some(b)) = rows else { continue };
                for px in -PATCH..=PATCH {
                    let p = three(a.beauty, a.column(x + px, width));
                    let q = three(b.beauty, b.column(x + dx + px, width));
                    for c in 0..3 {
                        let level = spread * ((p[c] + q[c]) / 2.0).max(DARKEST);
                        // Two noisy values of one surface differ by twice the variance anyway.
                        apart += (p[c] - q[c]).powi(2) / (level * level) - 2.0;
                        count += 1.0;
                    }
                }
            }
            let weight = (-(apart / count).max(0.0) - guide).exp();
            let value = three(row.beauty, to);
            for c in 0..3 {
                sum[c] += weight * value[c];
            }
            whole += weight;
        }
    }
    (whole > 0.0).then(|| sum.map(|s| s / whole))
}
