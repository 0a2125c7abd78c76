//! The surroundings made ready: radiance by direction, and directions chosen in proportion to it.

use super::sun_sky::{self, SUN_RADIUS};
use crate::photometry::DAYLIGHT_WHITE_CD_M2;
use crate::sky::{Sky, Surroundings, two_colours};
use dome_imaging::Picture;
use dome_imaging::scale::shrink_to_width;
use dome_imaging::transfer::luminance;
use dome_optics::neighbourhood;
use glam::Vec3;
use std::f32::consts::{PI, TAU};

/// Width of the table from which directions are chosen, pixels.
const TABLE_WIDTH: u32 = 1024;
/// Width of that table for a computed sky, pixels.
const COMPUTED_WIDTH: u32 = 128;
/// Width of the computed sky, pixels.
const SKY_WIDTH: u32 = 1024;

enum Radiance {
    Plain(Vec3),
    TwoColour { zenith: Vec3, horizon: Vec3 },
    Picture(Picture),
}

/// Chance with which later bounces look for light of a computed sky: it is smooth, so that paths find it nearly as well by going on.
const LATER_CHANCE: f32 = 0.25;

/// The sun's disc.
struct Sun {
    direction: Vec3,
    radiance: Vec3,
}

/// What surrounds the scene, ready to be looked up and chosen from.
pub struct Environment {
    radiance: Radiance,
    table: Option<Table>,
    /// Whether the sky is one that was computed, without anything small and bright in it.
    computed: bool,
    sun: Option<Sun>,
    /// Sine and cosine of the turn.
    turn: (f32, f32),
    light: f32,
    sun_light: f32,
    backdrop: f32,
    /// Luminance that 1 of the radiance is, cd/m^2.
    unit_cd_m2: f32,
    /// Whether the eye sees nothing there.
    pub transparent: bool,
}

/// A direction chosen from the surroundings.
pub(crate) struct SkySample {
    pub(crate) direction: Vec3,
    pub(crate) radiance: Vec3,
    pub(crate) pdf: f32,
}

impl Environment {
    /// Prepares surroundings. `picture` is an equirectangular picture for [`Sky::Picture`]; without it
    /// such a sky is black. The gains brighten the light of the sky and of the sun's disc, not what is seen
    /// of them; 1 in a picture of them is `white_cd_m2`.
    pub fn new(
        surroundings: &Surroundings,
        picture: Option<&Picture>,
        (sky_gain, sun_gain): (f32, f32),
        white_cd_m2: f32,
    ) -> Self {
        let black = || Radiance::Plain(Vec3::ZERO);
        let radiance = match &surroundings.sky {
            Sky::Plain { colour } => Radiance::Plain(Vec3::from(*colour)),
            Sky::TwoColour { zenith, horizon } => Radiance::TwoColour {
                zenith: Vec3::from(*zenith),
                horizon: Vec3::from(*horizon),
            },
            Sky::Sun(sky) => Radiance::Picture(sun_sky::panorama(sky, SKY_WIDTH)),
            Sky::Picture { .. } => picture.map_or_else(black, |p| Radiance::Picture(p.clone())),
        };
        let computed = matches!(surroundings.sky, Sky::Sun(_));
        let table = match &radiance {
            Radiance::Picture(p) => {
                // A computed sky is smooth, and a small table stays in the cache.
                Table::new(
                    p,
                    if computed {
                        COMPUTED_WIDTH
                    } else {
                        TABLE_WIDTH
                    },
                )
            }
            // Even light is found best by the surfaces themselves.
            _ => None,
        };
        let sun = match &surroundings.sky {
            Sky::Sun(sky) => {
                let irradiance = sun_sky::sun_irradiance(sky);
                // In single precision 1 - cos of so small an angle has no digits left.
                let solid_angle = PI * SUN_RADIUS * SUN_RADIUS;
                (irradiance != Vec3::ZERO).then(|| Sun {
                    direction: sun_sky::direction(sky),
                    radiance: irradiance / solid_angle,
                })
            }
            _ => None,
        };
        let unit_cd_m2 = match &surroundings.sky {
            // Made in the model's own unit, whatever is set for the others.
            Sky::Sun(_) => DAYLIGHT_WHITE_CD_M2,
            _ => surroundings.unit_cd_m2,
        };
        let unit = unit_cd_m2 / white_cd_m2;
        let (sin, cos) = surroundings.turn_deg.to_radians().sin_cos();
        Self {
            radiance,
            table,
            computed,
            sun,
            turn: (sin, cos),
            light: surroundings.light_stops.exp2() * sky_gain * unit,
            sun_light: surroundings.light_stops.exp2() * sun_gain * unit,
            backdrop: surroundings.backdrop_stops.exp2() * unit,
            unit_cd_m2,
            transparent: surroundings.transparent,
        }
    }

    /// From the world to the picture: turned back, counter-clockwise seen from above.
    fn to_picture(&self, d: Vec3) -> Vec3 {
        let (s, c) = self.turn;
        Vec3::new(d.x * c + d.z * s, d.y, -d.x * s + d.z * c)
    }

    fn to_world(&self, d: Vec3) -> Vec3 {
        let (s, c) = self.turn;
        Vec3::new(d.x * c - d.z * s, d.y, d.x * s + d.z * c)
    }

    fn sky(&self, d: Vec3) -> Vec3 {
        match &self.radiance {
            Radiance::Plain(colour) => *colour,
            Radiance::TwoColour { zenith, horizon } => two_colours(*zenith, *horizon, d.y),
            Radiance::Picture(p) => bilinear(p, place(self.to_picture(d))),
        }
    }

    fn sees_sun(&self, d: Vec3) -> Option<&Sun> {
        let d = self.to_picture(d);
        self.sun.as_ref().filter(|s| {
            // The chord is exact where the cosine is not.
            (d - s.direction).length_squared() <= SUN_RADIUS * SUN_RADIUS
        })
    }

    /// Mean luminance of the sky by colour as it came, before any brightness is set, cd/m^2.
    pub(crate) fn mean_sky(&self) -> Vec3 {
        const POINTS: u16 = 1024;
        // Even over the sphere: a spiral of equal areas.
        let turn = PI * (3.0 - 5f32.sqrt());
        let at = |i: u16| {
            let y = 1.0 - 2.0 * (f32::from(i) + 0.5) / f32::from(POINTS);
            let (sin, cos) = (turn * f32::from(i)).sin_cos();
            let level = (1.0 - y * y).sqrt();
            self.sky(Vec3::new(level * cos, y, level * sin))
        };
        (0..POINTS).map(at).sum::<Vec3>() * (self.unit_cd_m2 / f32::from(POINTS))
    }

    /// Where the sun stands and the illuminance by colour of a surface that faces it, lux, as they came; nothing without a sun.
    pub(crate) fn sun_as_lamp(&self) -> Option<(Vec3, Vec3)> {
        let sun = self.sun.as_ref()?;
        let solid_angle = PI * SUN_RADIUS * SUN_RADIUS;
        Some((
            self.to_world(sun.direction),
            sun.radiance * (solid_angle * self.unit_cd_m2),
        ))
    }

    /// What the eye sees in a direction.
    pub fn backdrop(&self, d: Vec3) -> Vec3 {
        let sun = self.sees_sun(d).map_or(Vec3::ZERO, |s| s.radiance);
        (self.sky(d) + sun) * self.backdrop
    }

    /// Light from a direction, without the sun's disc.
    pub fn light(&self, d: Vec3) -> Vec3 {
        self.sky(d) * self.light
    }

    /// Light of the sun's disc from a direction, and the density with which [`Self::sample_sun_with`] finds it.
    pub(crate) fn sun(&self, d: Vec3) -> Option<(Vec3, f32)> {
        self.sees_sun(d).map(|s| {
            (
                s.radiance * self.sun_light,
                1.0 / (PI * SUN_RADIUS * SUN_RADIUS),
            )
        })
    }

    /// A direction in proportion to the light of the sky; numbers are drawn only if there is a choice.
    pub(crate) fn sample_sky_with(&self, place: impl FnOnce() -> (f32, f32)) -> Option<SkySample> {
        let table = self.table.as_ref()?;
        let (u, v, density) = table.sample(place());
        let (sin, cos) = (PI * v).sin_cos();
        if sin <= 0.0 || density <= 0.0 {
            return None;
        }
        let (sin_lon, cos_lon) = ((u - 0.5) * TAU).sin_cos();
        let direction = self.to_world(Vec3::new(sin * sin_lon, cos, -sin * cos_lon));
        let radiance = match &self.radiance {
            Radiance::Picture(p) => bilinear(p, (u, v)) * self.light,
            _ => self.light(direction),
        };
        Some(SkySample {
            direction,
            radiance,
            pdf: density / (2.0 * PI * PI * sin),
        })
    }

    /// Light from a direction, without the sun's disc, and the density with which [`Self::sample_sky_with`] finds it.
    pub(crate) fn light_and_density(&self, d: Vec3) -> (Vec3, f32) {
        let (Radiance::Picture(p), Some(table)) = (&self.radiance, &self.table) else {
            return (self.light(d), 0.0);
        };
        let d = self.to_picture(d);
        let (u, v) = place(d);
        let sin = level(d);
        let density = match sin > 0.0 {
            true => table.density(u, v) / (2.0 * PI * PI * sin),
            false => 0.0,
        };
        (bilinear(p, (u, v)) * self.light, density)
    }

    /// Chance with which the sky is to be looked for where a path bounces later on, if nothing is known of it there.
    pub(crate) fn later_chance(&self) -> f32 {
        if self.computed { LATER_CHANCE } else { 1.0 }
    }

    /// A direction within the sun's disc.
    pub(crate) fn sample_sun_with(&self, place: impl FnOnce() -> (f32, f32)) -> Option<SkySample> {
        let sun = self.sun.as_ref()?;
        let (x, y) = place();
        let r = SUN_RADIUS * x.sqrt();
        let (sin, cos) = (TAU * y).sin_cos();
        let (a, b) = sun.direction.any_orthonormal_pair();
        let d = (sun.direction + (a * cos + b * sin) * r).normalize();
        Some(SkySample {
            direction: self.to_world(d),
            radiance: sun.radiance * self.sun_light,
            pdf: 1.0 / (PI * SUN_RADIUS * SUN_RADIUS),
        })
    }
}

/// The level part of a unit direction.
fn level(d: Vec3) -> f32 {
    (d.x * d.x + d.z * d.z).sqrt()
}

/// Where a direction lies in the picture, 0 to 1.
fn place(d: Vec3) -> (f32, f32) {
    (0.5 + d.x.atan2(-d.z) / TAU, 0.5 - d.y.atan2(level(d)) / PI)
}

/// Bilinear look-up that wraps at the sides and goes on over the poles.
fn bilinear(p: &Picture, (u, v): (f32, f32)) -> Vec3 {
    let (x, y) = (u * p.width as f32 - 0.5, v * p.height as f32 - 0.5);
    let (fx, fy) = (x - x.floor(), y - y.floor());
    let (x, y) = (x.floor() as i64, y.floor() as i64);
    let inside = x >= 0 && y >= 0 && x + 1 < p.width.into() && y + 1 < p.height.into();
    let texel = |x: i64, y: i64| {
        let (x, y) = match inside {
            // Nearly all: dividing costs more than all the rest.
            true => (x as u32, y as u32),
            false => neighbourhood::pixel(x, y, p.width, p.height),
        };
        Vec3::from(p.pixel(x, y))
    };
    let top = texel(x, y).lerp(texel(x + 1, y), fx);
    let bottom = texel(x, y + 1).lerp(texel(x + 1, y + 1), fx);
    top.lerp(bottom, fy)
}

/// Where to begin to look for a number in cumulative shares: one entry for each even step of it (the cutpoint method of Chen and
/// Asau 1974). The shares are walked in order from there, so that near numbers stay near, which an alias table would lose.
fn cuts(shares: &[f32], out: &mut Vec<u16>) {
    let n = shares.len();
    let mut at = 0;
    for step in 0..n {
        let from = step as f32 / n as f32;
        while at + 1 < n && shares[at] <= from {
            at += 1;
        }
        out.push(at as u16);
    }
}

/// A two-dimensional distribution, constant in each of its cells.
struct Table {
    width: usize,
    height: usize,
    /// Cumulative share within each row; the last value of a row is 1.
    columns: Vec<f32>,
    /// Where to begin in each row.
    column_cuts: Vec<u16>,
    /// Where to begin among the rows.
    row_cuts: Vec<u16>,
    /// Cumulative share of the rows; the last value is 1.
    rows: Vec<f32>,
}

impl Table {
    /// In proportion to luminance and to what a cell covers of the sphere; `None` if all is black.
    fn new(picture: &Picture, width: u32) -> Option<Self> {
        let small = shrink_to_width(picture, width);
        let (width, height) = (small.width as usize, small.height as usize);
        let mut columns = Vec::with_capacity(width * height);
        let mut rows = Vec::with_capacity(height);
        let mut whole = 0.0f64;
        for row in 0..height {
            let sin = (std::f64::consts::PI * (row as f64 + 0.5) / height as f64).sin();
            let mut sum = 0.0f64;
            let start = columns.len();
            for p in small.samples[row * width * 3..][..width * 3].chunks_exact(3) {
                sum += f64::from(luminance([p[0], p[1], p[2]])).max(0.0);
                columns.push(sum as f32);
            }
            for c in &mut columns[start..] {
                *c = if sum > 0.0 { *c / sum as f32 } else { 0.0 };
            }
            if let Some(last) = columns.last_mut() {
                *last = 1.0;
            }
            whole += sum * sin;
            rows.push(whole as f32);
        }
        if !(whole > 0.0 && whole.is_finite()) {
            return None;
        }
        for r in &mut rows {
            *r /= whole as f32;
        }
        if let Some(last) = rows.last_mut() {
            *last = 1.0;
        }
        let mut column_cuts = Vec::with_capacity(width * height);
        for row in columns.chunks_exact(width) {
            cuts(row, &mut column_cuts);
        }
        let mut row_cuts = Vec::with_capacity(height);
        cuts(&rows, &mut row_cuts);
        Some(Self {
            width,
            height,
            columns,
            column_cuts,
            row_cuts,
            rows,
        })
    }

    fn row(&self, row: usize) -> &[f32] {
        &self.columns[row * self.width..][..self.width]
    }

    /// The cell that a number falls into, where in it, and its share.
    fn choose(shares: &[f32], cuts: &[u16], x: f32) -> (usize, f32, f32) {
        let n = shares.len();
        // A step of the number may be rounded up; its share is looked for from one step before.
        let step = ((x * n as f32) as usize).min(n - 1).saturating_sub(1);
        let mut i = usize::from(cuts[step]);
        while i + 1 < n && shares[i] <= x {
            i += 1;
        }
        let below = if i > 0 { shares[i - 1] } else { 0.0 };
        let share = shares[i] - below;
        let within = if share > 0.0 {
            (x - below) / share
        } else {
            0.5
        };
        (i, within.clamp(0.0, 1.0), share)
    }

    /// A place (0 to 1 both ways) and its density over the unit square.
    fn sample(&self, (x, y): (f32, f32)) -> (f32, f32, f32) {
        let (row, fy, row_share) = Self::choose(&self.rows, &self.row_cuts, y);
        let (column, fx, column_share) = Self::choose(
            self.row(row),
            &self.column_cuts[row * self.width..][..self.width],
            x,
        );
        (
            (column as f32 + fx) / self.width as f32,
            (row as f32 + fy) / self.height as f32,
            row_share * column_share * (self.width * self.height) as f32,
        )
    }

    fn density(&self, u: f32, v: f32) -> f32 {
        let share = |shares: &[f32], i: usize| shares[i] - if i > 0 { shares[i - 1] } else { 0.0 };
        let row = ((v * self.height as f32) as usize).min(self.height - 1);
        let column = ((u * self.width as f32) as usize).min(self.width - 1);
        share(&self.rows, row) * share(self.row(row), column) * (self.width * self.height) as f32
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The cell by cuts is the first whose cumulative share is above the number, also where shares are nothing or nearly all.
    #[test]
    fn cuts_find_what_a_search_finds() {
        for seed in 0..40u32 {
            let n = 1 + seed as usize * 7;
            let weight = |i: usize| match (i as u32).wrapping_mul(2_654_435_761) >> (seed % 20) & 7
            {
                0..=2 => 0.0f64,
                7 => 1000.0,
                w => f64::from(w),
            };
            let all: f64 = (0..n).map(weight).sum::<f64>().max(1e-9);
            let mut sum = 0.0;
            let mut shares: Vec<f32> = (0..n)
                .map(|i| {
                    sum += weight(i) / all;
                    sum as f32
                })
                .collect();
            shares[n - 1] = 1.0;
            let mut table = Vec::new();
            cuts(&shares, &mut table);
            for k in 0..5000u32 {
                let x = (k as f32 / 5000.0)
                    .max(shares[k as usize % n].min(0.999_999_9) * ((k % 3) as f32 / 2.0));
                let wanted = shares.partition_point(|&s| s <= x).min(n - 1);
                assert_eq!(Table::choose(&shares, &table, x).0, wanted, "{seed} {x}");
            }
        }
    }
}
