//! Light of some pixels, spread over what they see.
//!
//! Light changes slowly over a surface where its colour does not, so it is parted from the colour, smoothed along the surface and
//! put together again: the edge-avoiding à-trous filter of Dammertz, Sewtz, Hanika and Lensch 2010 ("Edge-Avoiding À-Trous
//! Wavelet Transform for fast Global Illumination Filtering"), here with holes where no light is known yet.

use crate::sketch::Sight;
use dome_optics::neighbourhood;
use glam::Vec3;
use rayon::prelude::*;

/// Light without its colour and how much is known of it, for each pixel.
pub(crate) type Known = (Vec3, f32);

/// Weights of the filter by the distance in steps: the cubic spline of the paper, from memory.
const KERNEL: [f32; 3] = [3.0 / 8.0, 1.0 / 4.0, 1.0 / 16.0];
/// Steps to those that have their say along each axis.
const TAPS: [i64; 5] = [-2, -1, 0, 1, 2];
/// Most passes of the filter; each reaches twice as far as the one before.
const PASSES: u32 = 4;
/// Turns of pixels during which light is known on each fourth column and row alone, but of what mirrors (see
/// [`turn`](crate::sketch::turn)).
pub(crate) const LATTICE_TURNS: u32 = 4;
const LATTICE: usize = 4;
/// Pixels of the lattice that have their say along each axis, from the one at or before a pixel, and how far away they cease to: our own
/// choice, tried once (docs/benchmarks.md).
const CORNERS: [i64; 4] = [-4, 0, 4, 8];
const REACH: f32 = 9.0;

/// What the pixels of a picture see.
pub(crate) struct Seen<'a> {
    pub(crate) sights: &'a [Sight],
    pub(crate) size: (u32, u32),
    /// Whether it goes round and over the poles.
    pub(crate) whole: bool,
}

/// Light that comes together for a pixel.
#[derive(Default)]
struct Mean {
    sum: Vec3,
    sure: f32,
}

impl Mean {
    fn add(&mut self, (light, known): Known, weight: f32) {
        self.sum += light * (weight * known);
        self.sure += weight * known;
    }

    fn whole(self) -> Known {
        (self.sum / self.sure.max(f32::MIN_POSITIVE), self.sure)
    }
}

impl Seen<'_> {
    /// Where a row begins and by how much it is turned; nothing beyond an edge.
    fn row(&self, row: i64) -> Option<(usize, usize)> {
        let (width, height) = self.size;
        let (at, turned) = neighbourhood::over_the_pole(row, height);
        let turn = if turned { width as usize / 2 } else { 0 };
        (self.whole || (0..i64::from(height)).contains(&row))
            .then_some((at as usize * width as usize, turn))
    }

    /// A column; nothing beyond an edge.
    fn column(&self, column: i64) -> Option<usize> {
        let width = self.size.0;
        if (0..i64::from(width)).contains(&column) {
            return Some(column as usize);
        }
        (self.whole).then(|| neighbourhood::around(column, width) as usize)
    }

    /// Smoothed in passes, each of which reaches twice as far.
    pub(crate) fn smoothed(&self, mut light: Vec<Known>) -> Vec<Known> {
        for pass in 0..PASSES {
            // With each pass four times as many pixels have their say; those that know more need fewer.
            let enough = match pass {
                0 => f32::INFINITY,
                _ => 4.0f32.powi((PASSES - pass) as i32 - 2),
            };
            light = self.pass(&light, 1 << pass, enough, 1);
        }
        light
    }

    /// The same where light is known on a lattice: it is smoothed there and spread from there, so that the many pixels between are asked
    /// for once and not in each pass.
    pub(crate) fn smoothed_from_lattice(&self, mut light: Vec<Known>) -> Vec<Known> {
        for step in [1, 2] {
            light = self.pass(&light, step * LATTICE, f32::INFINITY, LATTICE);
        }
        let w = self.size.0 as usize;
        let mut out = light.clone();
        out.par_chunks_mut(w).enumerate().for_each(|(y, line)| {
            let before = (y / LATTICE * LATTICE) as i64;
            let rows = CORNERS.map(|t| self.row(before + t));
            let near = self.rows(y, 1);
            for (x, out) in line.iter_mut().enumerate() {
                let sight = &self.sights[y * w + x];
                if !sight.is_lit() {
                    continue;
                }
                if sight.mirror {
                    *out = self.around(sight, &light, x, &near, 1);
                    continue;
                }
                let left = (x / LATTICE * LATTICE) as i64;
                let mut mean = Mean::default();
                for (row, dy) in rows.iter().zip(CORNERS) {
                    let Some((start, turn)) = *row else { continue };
                    let down = (before + dy - y as i64).unsigned_abs() as f32;
                    for dx in CORNERS {
                        let Some(column) = self.column(left + dx + turn as i64) else {
                            continue;
                        };
                        let j = start + column;
                        if light[j].1 == 0.0 {
                            continue;
                        }
                        let across = (left + dx - x as i64).unsigned_abs() as f32;
                        let close = |d: f32| (1.0 - d / REACH).max(0.0).powi(2);
                        let alike = sight.alike(&self.sights[j], across.max(down).max(1.0));
                        mean.add(light[j], close(across) * close(down) * alike);
                    }
                }
                *out = mean.whole();
            }
        });
        out
    }

    /// Where the rows begin that have their say for one, one and two steps away.
    fn rows(&self, y: usize, step: usize) -> [Option<(usize, usize)>; 5] {
        TAPS.map(|t| self.row(y as i64 + t * step as i64))
    }

    /// One pass: the pixels on each so many columns and rows become the means of those one and two steps away that are alike, unless they
    /// know enough.
    fn pass(&self, light: &[Known], step: usize, enough: f32, every: usize) -> Vec<Known> {
        let w = self.size.0 as usize;
        let mut out = light.to_vec();
        let lines = out.par_chunks_mut(w * every).enumerate();
        lines.for_each(|(y, lines)| {
            let y = y * every;
            let rows = self.rows(y, step);
            for (x, out) in lines[..w].iter_mut().enumerate().step_by(every) {
                let sight = &self.sights[y * w + x];
                // What mirrors changes from pixel to pixel.
                if sight.is_lit() && !(sight.mirror && step > 1) && light[y * w + x].1 < enough {
                    *out = self.around(sight, light, x, &rows, step);
                }
            }
        });
        out
    }

    /// The mean of what is one and two steps away from a column and alike.
    fn around(
        &self,
        sight: &Sight,
        light: &[Known],
        x: usize,
        rows: &[Option<(usize, usize)>; 5],
        step: usize,
    ) -> Known {
        let mut mean = Mean::default();
        for (row, dy) in rows.iter().zip(TAPS) {
            let Some((start, turn)) = *row else { continue };
            for dx in TAPS {
                let Some(column) = self.column((x + turn) as i64 + dx * step as i64) else {
                    continue;
                };
                let j = start + column;
                if light[j].1 == 0.0 {
                    continue;
                }
                let (ax, ay) = (dx.unsigned_abs() as usize, dy.unsigned_abs() as usize);
                let alike = match ax.max(ay) {
                    0 => 1.0,
                    far => sight.alike(&self.sights[j], (step * far) as f32),
                };
                mean.add(light[j], KERNEL[ax] * KERNEL[ay] * alike);
            }
        }
        mean.whole()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sketch::turn;

    const WIDE: u32 = 128;
    const HIGH: u32 = 96;

    /// A wall of pixels a centimetre wide, or a floor from its middle on.
    fn sights(with_floor: bool) -> Vec<Sight> {
        let sight = |x: u32, y: u32| {
            let floor = with_floor && y >= HIGH / 2;
            let (x, y) = (x as f32 * 0.01, y as f32 * 0.01);
            let position = if floor {
                Vec3::new(x, -0.01 * (HIGH / 2) as f32, y)
            } else {
                Vec3::new(x, -y, 0.0)
            };
            Sight {
                position,
                normal: if floor { Vec3::Y } else { Vec3::Z },
                colour: Vec3::ONE,
                width: 0.005,
                ..Sight::NOTHING
            }
        };
        (0..HIGH)
            .flat_map(|y| (0..WIDE).map(move |x| sight(x, y)))
            .collect()
    }

    fn known(turns: u32, light: impl Fn(u32, u32) -> f32) -> Vec<Known> {
        let pixels = (0..HIGH).flat_map(|y| (0..WIDE).map(move |x| (x, y)));
        let one = |(x, y)| match turn(x, y) < turns {
            true => (Vec3::splat(light(x, y)), 1.0),
            false => Known::default(),
        };
        pixels.map(one).collect()
    }

    fn seen(sights: &[Sight], whole: bool) -> Seen<'_> {
        Seen {
            sights,
            size: (WIDE, HIGH),
            whole,
        }
    }

    /// During the first turns light is known on the lattice alone, which is what spreading from it takes for granted.
    #[test]
    fn the_first_turns_lie_on_the_lattice() {
        let all = known(LATTICE_TURNS, |_, _| 1.0);
        for (i, known) in all.iter().enumerate() {
            let (x, y) = (i % WIDE as usize, i / WIDE as usize);
            let on = x.is_multiple_of(LATTICE) && y.is_multiple_of(LATTICE);
            assert_eq!(known.1 > 0.0, on, "{x} {y}");
        }
    }

    /// Even light stays as it is, a slope stays a slope, and every pixel has light, by either way.
    #[test]
    fn a_wall_is_lit_as_its_few_pixels_say() {
        let sights = sights(false);
        for turns in [1, 2, LATTICE_TURNS] {
            for whole in [false, true] {
                let seen = seen(&sights, whole);
                let even = known(turns, |_, _| 0.7);
                for lit in [
                    seen.smoothed_from_lattice(even.clone()),
                    seen.smoothed(even),
                ] {
                    assert!(lit.iter().all(|l| (l.0.x - 0.7).abs() < 1e-5 && l.1 > 0.0));
                }
                let slope = seen.smoothed_from_lattice(known(turns, |_, y| y as f32));
                for y in 36..HIGH as usize - 36 {
                    for x in 0..WIDE as usize {
                        let found = slope[y * WIDE as usize + x].0.x;
                        assert!((found - y as f32).abs() < 1.5, "{x} {y}: {found}");
                    }
                }
            }
        }
    }

    /// Where a bright wall stands on a dark floor neither takes light from the other.
    #[test]
    fn light_does_not_go_round_a_corner() {
        let sights = sights(true);
        let bright = |_: u32, y: u32| if y < HIGH / 2 { 1.0 } else { 0.01 };
        for turns in [1, 2, LATTICE_TURNS] {
            let lit = seen(&sights, false).smoothed_from_lattice(known(turns, bright));
            for (i, light) in lit.iter().enumerate() {
                let (x, y) = (i as u32 % WIDE, i as u32 / WIDE);
                let error = (light.0.x / bright(x, y) - 1.0).abs();
                assert!(error < 1e-3, "{x} {y}: {}", light.0.x);
            }
        }
    }

    /// In a picture that goes round, light at its left edge comes to its right edge; in a flat one it does not.
    #[test]
    fn light_goes_round_where_the_picture_does() {
        let mut sights = sights(false);
        for sight in &mut sights {
            // All at one place: nothing but the pixels' own distance parts them.
            sight.position = Vec3::ZERO;
        }
        let left = known(2, |x, _| if x < WIDE / 2 { 1.0 } else { 0.0 });
        let at_right = |whole: bool| {
            let lit = seen(&sights, whole).smoothed_from_lattice(left.clone());
            lit[(HIGH / 2 * WIDE + WIDE - 1) as usize].0.x
        };
        assert!(at_right(true) > 0.2 && at_right(false) < 1e-6);
    }
}
