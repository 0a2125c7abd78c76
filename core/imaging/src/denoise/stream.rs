//! Strips on their way through a filter: bands of whole rows, with what lies beyond their edges.

use super::told::{NUDGE, moved};
use super::{Band, DenoiseFailed, Filter, Filtered, Guides};
use crate::layers::LayeredStrip;
use crate::strip::CHANNELS;
use crate::transfer::luminance;
use dome_optics::neighbourhood::Edges;
use std::collections::VecDeque;

/// Strips on their way through a filter.
pub struct Denoised<I, F> {
    filter: F,
    strips: I,
    height: u32,
    edges: Edges,
    guides: Guides,
    /// Strips whose rows are still needed, from the top.
    kept: VecDeque<LayeredStrip>,
    /// Filtered strips that wait to be taken.
    ready: VecDeque<Filtered>,
    /// First row that is not filtered yet.
    next: u32,
    ended: bool,
}

/// Filters the strips of a picture of `height` rows, which must come in order from the top. Where the filter fails, an error
/// takes the place of a strip: nothing passes unfiltered.
pub fn denoise<I, E, F>(
    filter: F,
    strips: I,
    height: u32,
    edges: Edges,
    guides: Guides,
) -> Denoised<I, F>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
    F: Filter,
{
    Denoised {
        filter,
        strips,
        height,
        edges,
        guides,
        kept: VecDeque::new(),
        ready: VecDeque::new(),
        next: 0,
        ended: false,
    }
}

impl<I, E, F> Iterator for Denoised<I, F>
where
    I: Iterator<Item = Result<LayeredStrip, E>>,
    E: From<DenoiseFailed>,
    F: Filter,
{
    type Item = Result<Filtered, E>;

    fn next(&mut self) -> Option<Self::Item> {
        if let Some(strip) = self.ready.pop_front() {
            return Some(Ok(strip));
        }
        while !self.ended && !self.has_band() {
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
        if let Err(e) = self.filter_band() {
            self.ended = true;
            self.kept.clear();
            return Some(Err(e.into()));
        }
        self.ready.pop_front().map(Ok)
    }
}

impl<I, F: Filter> Denoised<I, F> {
    fn width(&self) -> Option<u32> {
        self.kept.front().map(|s| s.beauty.width)
    }

    /// Whether all rows are there that the next band depends on: its strips may reach beyond it.
    fn has_band(&self) -> bool {
        let Some(width) = self.width() else {
            return false;
        };
        let rows = self.next.saturating_add(self.filter.band(width));
        let due = (self.kept.iter().rev()).find(|s| s.beauty.top < rows);
        let end = due.map_or(0, |s| s.beauty.end()).max(rows);
        let last = self.kept.back().map_or(0, |s| s.beauty.end());
        last >= end
            .saturating_add(self.filter.margin(width))
            .min(self.height)
    }

    /// Filters the strips that start within the next band.
    fn filter_band(&mut self) -> Result<(), DenoiseFailed> {
        let Some(width) = self.width() else {
            return Ok(());
        };
        let margin = self.filter.margin(width);
        let starts = self.next..self.next.saturating_add(self.filter.band(width));
        let band: Vec<&LayeredStrip> = (self.kept.iter())
            .filter(|s| starts.contains(&s.beauty.top))
            .collect();
        let (Some(first), Some(last)) = (band.first(), band.last()) else {
            return Ok(());
        };
        let (top, end) = (first.beauty.top, last.beauty.end());
        let (columns, margin) = (width as usize, margin as usize);
        let padded = columns + 2 * margin;
        let rows = (end - top) as usize + 2 * margin;
        let image = |of: &dyn Fn(&LayeredStrip) -> &[f32]| {
            let mut values = Vec::with_capacity(padded * rows * CHANNELS);
            let from = i64::from(top) - margin as i64;
            for y in from..from + rows as i64 {
                self.extend_row(y, margin, of, &mut values);
            }
            values
        };
        let space = Band {
            width: padded,
            rows,
            colour: image(&|s| &s.beauty.samples),
            albedo: image(&|s| &s.layers[self.guides.albedo]),
            normal: image(&|s| &s.layers[self.guides.normal]),
            halves: self.guides.halves.map(|i| image(&move |s| &s.layers[i])),
        };
        let cut = |image: Vec<f32>| -> Vec<Vec<f32>> {
            (band.iter())
                .map(|strip| {
                    let skip = (strip.beauty.top - top) as usize + margin;
                    (0..strip.beauty.rows() as usize)
                        .flat_map(|row| {
                            let at = ((skip + row) * padded + margin) * CHANNELS;
                            &image[at..at + columns * CHANNELS]
                        })
                        .copied()
                        .collect()
                })
                .collect()
        };
        let whole = cut(self.filter.filter(&space, &space.colour, 1.0)?);
        // One after the other: each takes as much memory as the picture.
        let nudge = |apart: &[f32], half: usize| {
            let pixels = space.colour.as_chunks::<CHANNELS>().0.iter();
            let image: Vec<f32> = (pixels.zip(apart.as_chunks::<CHANNELS>().0))
                .flat_map(|(v, d)| {
                    let by = [1.0, -1.0][half] * moved(luminance(*v), luminance(*d))[half];
                    std::array::from_fn::<_, CHANNELS, _>(|c| (v[c] + by * d[c]).max(0.0))
                })
                .collect();
            let times = 1.0 + NUDGE * NUDGE;
            Ok(cut(self.filter.filter(&space, &image, times)?))
        };
        let nudged = match &space.halves {
            Some(apart) => Some((nudge(apart, 0)?, nudge(apart, 1)?)),
            None => None,
        };
        let mut nudged = nudged.map(|(a, b)| a.into_iter().zip(b));
        let ready: Vec<Filtered> = (band.into_iter().zip(whole))
            .map(|(strip, after)| {
                let mut now = strip.clone();
                let before = std::mem::replace(&mut now.beauty.samples, after);
                Filtered {
                    strip: now,
                    before,
                    nudged: (nudged.as_mut())
                        .and_then(Iterator::next)
                        .map(|(a, b)| [a, b]),
                }
            })
            .collect();
        self.ready.extend(ready);
        self.next = end;
        let needed = end.saturating_sub(margin as u32);
        while (self.kept.front()).is_some_and(|s| s.beauty.end() <= needed) {
            self.kept.pop_front();
        }
        Ok(())
    }

    /// Adds a row with its margins to an image. Rows that never came are as the last one that did.
    fn extend_row(
        &self,
        y: i64,
        margin: usize,
        of: &dyn Fn(&LayeredStrip) -> &[f32],
        image: &mut Vec<f32>,
    ) {
        let (y, turned) = self.edges.row(y, self.height);
        let strip = (self.kept.iter())
            .find(|s| (s.beauty.top..s.beauty.end()).contains(&y))
            .or(self.kept.back());
        let Some(strip) = strip else { return };
        let width = strip.beauty.width;
        let turn = if turned { width / 2 } else { 0 };
        let row = y.saturating_sub(strip.beauty.top);
        let row = row.min(strip.beauty.rows().saturating_sub(1)) as usize;
        let length = width as usize * CHANNELS;
        let line = &of(strip)[row * length..][..length];
        for i in 0..width as i64 + 2 * margin as i64 {
            let x = i - margin as i64 + i64::from(turn);
            let column = self.edges.column(x, width) as usize;
            image.extend_from_slice(&line[column * CHANNELS..][..CHANNELS]);
        }
    }
}
