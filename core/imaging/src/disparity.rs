//! How far things are apart in two eyes' pictures, estimated from the pictures alone: blocks are matched from coarse to fine, round
//! the seam where the picture is a whole sphere.

use crate::scale::shrink_to_width;
use crate::strip::{CHANNELS, Picture};
use crate::transfer::luminance;
use dome_optics::neighbourhood::around;
use rayon::prelude::*;

/// Widest picture that is matched, pixels: larger ones are made smaller first.
const WIDEST: u32 = 1024;
/// Narrowest level of the pyramid, pixels.
const NARROWEST: u32 = 64;
/// Pixels between two places that are matched, on the finest level.
const GRID: u32 = 8;
/// Half the side of a block, pixels.
const HALF: i64 = 4;
/// Largest displacement that is looked for on the coarsest level, share of the width.
const FARTHEST: f32 = 0.08;
/// Rows that are looked up and down on the coarsest level.
const UP_DOWN: i64 = 3;
/// A block needs this much structure to be matched: variance of its signal.
const STRUCTURE: f32 = 2e-4;
/// And what is left after the match may be this share of its structure.
const LEFT_OVER: f32 = 0.35;

/// What was found at one place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Match {
    /// Place in the left eye's picture, 0 to 1 to the right.
    pub u: f32,
    /// And down.
    pub v: f32,
    /// How much farther to the right it lies in the left eye's picture than in the right one's, pixels of the whole picture:
    /// above 0 for what is nearer than zero parallax.
    pub across: f32,
    /// How much farther down, pixels of the whole picture.
    pub down: f32,
    /// Mean light of each channel there, left and right.
    pub light: [[f32; CHANNELS]; 2],
}

/// One level of a pyramid: signals, which are nearer to what is seen than light.
struct Level {
    width: u32,
    height: u32,
    signal: Vec<f32>,
}

impl Level {
    fn of(picture: &Picture) -> Self {
        let signal = (picture.samples.chunks_exact(CHANNELS))
            .map(|p| luminance([p[0], p[1], p[2]]).clamp(0.0, 4.0).sqrt())
            .collect();
        Self {
            width: picture.width,
            height: picture.height,
            signal,
        }
    }

    fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, (self.height / 2).max(1));
        let at = |x: u32, y: u32| {
            self.signal[(y.min(self.height - 1) * self.width + x.min(self.width - 1)) as usize]
        };
        let signal = (0..width * height)
            .map(|i| {
                let (x, y) = (i % width * 2, i / width * 2);
                (at(x, y) + at(x + 1, y) + at(x, y + 1) + at(x + 1, y + 1)) / 4.0
            })
            .collect();
        Self {
            width,
            height,
            signal,
        }
    }

    fn at(&self, x: i64, y: i64, round: bool) -> f32 {
        let x = match round {
            true => around(x, self.width),
            false => x.clamp(0, i64::from(self.width) - 1) as u32,
        };
        let y = y.clamp(0, i64::from(self.height) - 1) as u32;
        self.signal[(y * self.width + x) as usize]
    }
}

/// A block less its mean, and its variance.
fn block(level: &Level, x: i64, y: i64, round: bool) -> ([f32; 81], f32) {
    let mut values = [0.0; 81];
    let mut i = 0;
    for dy in -HALF..=HALF {
        for dx in -HALF..=HALF {
            values[i] = level.at(x + dx, y + dy, round);
            i += 1;
        }
    }
    let mean = values.iter().sum::<f32>() / values.len() as f32;
    values.iter_mut().for_each(|v| *v -= mean);
    let variance = values.iter().map(|v| v * v).sum::<f32>() / values.len() as f32;
    (values, variance)
}

fn apart(a: &[f32; 81], b: &[f32; 81]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum::<f32>() / a.len() as f32
}

/// Where between three neighbouring costs the least lies, -0.5 to 0.5: a parabola through them.
fn between(before: f32, least: f32, after: f32) -> f32 {
    let bend = before + after - 2.0 * least;
    if bend <= 1e-12 {
        0.0
    } else {
        ((before - after) / (2.0 * bend)).clamp(-0.5, 0.5)
    }
}

/// Places of the left eye's picture that were found again in the right eye's. Both have the same size; `round` says that they are
/// whole spheres. Squares of 81 pixels with too little in them are left out, and so is what is found nowhere.
pub fn matches(left: &Picture, right: &Picture, round: bool) -> Vec<Match> {
    let scale = left.width as f32 / left.width.min(WIDEST) as f32;
    let [small_left, small_right] = [left, right].map(|p| {
        if p.width > WIDEST {
            shrink_to_width(p, WIDEST)
        } else {
            p.clone()
        }
    });
    let mut pyramid = vec![[Level::of(&small_left), Level::of(&small_right)]];
    while let Some([l, r]) = pyramid.last().filter(|p| p[0].width / 2 >= NARROWEST) {
        let halved = [l.halved(), r.halved()];
        pyramid.push(halved);
    }
    let (width, height) = (small_left.width, small_left.height);
    let (columns, rows) = ((width / GRID).max(1), (height / GRID).max(1));
    let place = |i: usize| {
        let (c, r) = (i as u32 % columns, i as u32 / columns);
        (c * GRID + GRID / 2, r * GRID + GRID / 2)
    };
    let mut found: Vec<(i64, i64)> = vec![(0, 0); (columns * rows) as usize];
    let last = pyramid.len() - 1;
    for (depth, [l, r]) in pyramid.iter().enumerate().rev() {
        let shrunk = 1 << depth;
        let (reach_x, reach_y) = if depth == last {
            ((l.width as f32 * FARTHEST).ceil() as i64, UP_DOWN)
        } else {
            (2, 1)
        };
        let start = found.clone();
        found = (0..start.len())
            .into_par_iter()
            .map(|i| {
                let (x, y) = place(i);
                let (x, y) = (i64::from(x / shrunk), i64::from(y / shrunk));
                let (own, _) = block(l, x, y, round);
                let (sx, sy) = (start[i].0 * 2, start[i].1 * 2);
                let mut best = (f32::INFINITY, (sx, sy));
                for dy in -reach_y..=reach_y {
                    for dx in -reach_x..=reach_x {
                        let (ax, ay) = (sx + dx, sy + dy);
                        let (other, _) = block(r, x - ax, y - ay, round);
                        // Of equal ones the nearest to nothing.
                        let cost = apart(&own, &other) * (1.0 + 1e-3 * (dx * dx + dy * dy) as f32);
                        if cost < best.0 {
                            best = (cost, (ax, ay));
                        }
                    }
                }
                best.1
            })
            .collect();
        if depth > 0 {
            found = smoothed(&found, columns, rows, round);
        }
    }
    let [l, r] = &pyramid[0];
    (0..found.len())
        .into_par_iter()
        .filter_map(|i| {
            let (x, y) = place(i);
            let (dx, dy) = found[i];
            let (own, structure) = block(l, i64::from(x), i64::from(y), round);
            let cost = |ax: i64, ay: i64| {
                let (other, _) = block(r, i64::from(x) - ax, i64::from(y) - ay, round);
                apart(&own, &other)
            };
            let least = cost(dx, dy);
            if structure < STRUCTURE || least > structure * LEFT_OVER {
                return None;
            }
            let fine_x = between(cost(dx - 1, dy), least, cost(dx + 1, dy));
            let fine_y = between(cost(dx, dy - 1), least, cost(dx, dy + 1));
            let light = |p: &Picture, x: i64, y: i64| -> [f32; CHANNELS] {
                let mut sum = [0.0; CHANNELS];
                for j in -HALF..=HALF {
                    for k in -HALF..=HALF {
                        let column = match round {
                            true => around(x + k, p.width),
                            false => (x + k).clamp(0, i64::from(p.width) - 1) as u32,
                        };
                        let row = (y + j).clamp(0, i64::from(p.height) - 1) as u32;
                        let pixel = p.pixel(column, row);
                        (0..CHANNELS).for_each(|c| sum[c] += pixel[c].max(0.0) / 81.0);
                    }
                }
                sum
            };
            let (x, y) = (i64::from(x), i64::from(y));
            Some(Match {
                u: (x as f32 + 0.5) / width as f32,
                v: (y as f32 + 0.5) / height as f32,
                across: (dx as f32 + fine_x) * scale,
                down: (dy as f32 + fine_y) * scale,
                light: [
                    light(&small_left, x, y),
                    light(&small_right, x - dx, y - dy),
                ],
            })
        })
        .collect()
}

/// Each displacement as the middle of itself and its neighbours, so that one wrong match does not lead the finer ones astray.
fn smoothed(found: &[(i64, i64)], columns: u32, rows: u32, round: bool) -> Vec<(i64, i64)> {
    let middle = |mut values: Vec<i64>| {
        values.sort_unstable();
        values[values.len() / 2]
    };
    (0..found.len())
        .map(|i| {
            let (c, r) = (i64::from(i as u32 % columns), i64::from(i as u32 / columns));
            let near: Vec<(i64, i64)> = (-1..=1)
                .flat_map(|dr| (-1..=1).map(move |dc| (c + dc, r + dr)))
                .filter(|(c, r)| {
                    (0..i64::from(rows)).contains(r)
                        && (round || (0..i64::from(columns)).contains(c))
                })
                .map(|(c, r)| {
                    found[(r * i64::from(columns)) as usize + around(c, columns) as usize]
                })
                .collect();
            (
                middle(near.iter().map(|n| n.0).collect()),
                middle(near.iter().map(|n| n.1).collect()),
            )
        })
        .collect()
}
