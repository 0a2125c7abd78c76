//! Rendering strip by strip on all cores, with a fixed number of samples or until the noise is low.

use crate::integrator::{LightFinding, Tracer};
use crate::learned::Learned;
use crate::light::Illumination;
use crate::media::Media;
use crate::meeting::GlassLight;
use crate::passes::{Pass, PassSet};
use crate::pixel::{PixelSums, Shooter};
use crate::sampler::SETS;
use crate::scene::Scene;
use dome_imaging::strip::CHANNELS;
use dome_imaging::{LayeredStrip, NoiseSum, Strip};
use dome_optics::{Eye, PicturePoint, PictureSize, Projection};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::borrow::Borrow;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use thiserror::Error;

/// Rows of a strip: small enough to be seen coming and lost cheaply, a multiple of the master's blocks.
pub const STRIP_ROWS: u32 = 16;
/// Neighbouring pixels of a row that get the same number of samples. Blocks do not reach over rows, so
/// that a picture may be cut anywhere.
pub(crate) const BLOCK: usize = 32;
/// Samples after which the noise is looked at for the first time.
pub(crate) const FIRST_LOOK: u32 = 32;

/// How good a picture is to be.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Quality {
    /// So many samples for every pixel.
    Samples(u32),
    /// Until the noise is below `percent` of the displayed value, with at most `most` samples.
    Noise {
        /// Percent of the displayed value.
        percent: f32,
        /// Most samples a pixel may take.
        most: u32,
    },
}

impl Quality {
    /// Most samples a pixel may take.
    pub fn most(self) -> u32 {
        match self {
            Self::Samples(n) => n,
            Self::Noise { most, .. } => most,
        }
    }

    /// How many samples a pixel takes before it is asked whether they are enough.
    pub(crate) fn first(self) -> u32 {
        match self {
            Self::Samples(n) => n,
            Self::Noise { most, .. } => FIRST_LOOK.min(most),
        }
    }
}

/// The render was told to stop.
#[derive(Debug, Error, PartialEq, Eq)]
#[error("The render was stopped; the finished strips are kept.")]
pub struct Stopped;

/// The way to watch and stop a render from outside.
#[derive(Default)]
pub struct Control {
    stop: AtomicBool,
    samples: AtomicU64,
    holds: AtomicU32,
    looks: Mutex<Looks>,
    /// Finished rows of what is being rendered, where somebody watches.
    rows: Mutex<Option<BTreeMap<u32, Vec<Vec3>>>>,
}

/// How far the looks before a render are.
#[derive(Default)]
struct Looks {
    /// How many there are to be, and how many have ended.
    wanted: u32,
    ended: u32,
    /// Steps of the one that is under way: done, and in all.
    steps: Option<[u64; 2]>,
}

impl Control {
    /// Asks the render to stop soon.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Whether stopping was asked for.
    pub fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }

    /// Samples taken so far, of all pixels together.
    pub fn samples_done(&self) -> u64 {
        self.samples.load(Ordering::Relaxed)
    }

    /// So many looks come before the render, which are told as one; with 0 there are no more.
    pub fn expect_looks(&self, count: u32) {
        *open(&self.looks) = Looks {
            wanted: count,
            ..Looks::default()
        };
    }

    /// A look before the render begins, of so many steps; with 0 it has ended.
    pub fn look(&self, steps: u64) {
        let mut looks = open(&self.looks);
        if looks.steps.take().is_some() {
            looks.ended += 1;
        }
        looks.steps = (steps > 0).then_some([0, steps]);
    }

    /// Steps of the look are done.
    pub fn looked(&self, steps: u64) {
        if let Some([done, _]) = &mut open(&self.looks).steps {
            *done += steps;
        }
    }

    /// How far all looks together are while there is one under way or to come, 0 to 1.
    pub fn look_share(&self) -> Option<f64> {
        let looks = open(&self.looks);
        let own = (looks.steps).map(|[done, all]| (done as f64 / all.max(1) as f64).min(1.0));
        if own.is_none() && looks.ended >= looks.wanted {
            return None;
        }
        let all = looks.wanted.max(looks.ended + 1);
        Some((f64::from(looks.ended) + own.unwrap_or(0.0)) / f64::from(all))
    }

    /// Keeps finished rows of what is rendered from now on, to be shown before their strip is whole; those of before are let go.
    pub fn watch_rows(&self) {
        *open(&self.rows) = Some(BTreeMap::new());
    }

    /// Rows that are finished since rows are watched: each with its first number, its pixels' light after it.
    pub fn watched_rows(&self) -> BTreeMap<u32, Vec<Vec3>> {
        open(&self.rows).clone().unwrap_or_default()
    }

    /// How many rows are finished since they are watched.
    pub fn count_rows(&self) -> usize {
        open(&self.rows).as_ref().map_or(0, BTreeMap::len)
    }

    fn row_finished(&self, row: u32, line: &[PixelSums]) {
        if let Some(rows) = &mut *open(&self.rows) {
            rows.insert(row, line.iter().map(PixelSums::beauty).collect());
        }
    }

    /// Makes the render wait while something more urgent has the cores; ends when the answer is dropped.
    pub fn hold(&self) -> Hold<'_> {
        self.holds.fetch_add(1, Ordering::Relaxed);
        Hold(self)
    }

    pub(crate) fn wait_while_held(&self) {
        while self.holds.load(Ordering::Relaxed) > 0 && !self.is_stopped() {
            std::thread::sleep(Duration::from_millis(2));
        }
    }
}

fn open<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Keeps a render waiting for as long as it lives.
pub struct Hold<'a>(&'a Control);

impl Drop for Hold<'_> {
    fn drop(&mut self) {
        self.0.holds.fetch_sub(1, Ordering::Relaxed);
    }
}

/// What to render.
pub struct Render<'a> {
    /// The scene.
    pub scene: &'a Scene,
    /// What gives light.
    pub light: &'a Illumination,
    /// What sees it.
    pub eye: &'a dyn Eye,
    /// Size of the whole picture.
    pub size: PictureSize,
    /// How good it is to be.
    pub quality: Quality,
    /// Another seed gives other noise.
    pub seed: u32,
    /// What is made beside the picture.
    pub passes: PassSet,
    /// One grey over everything but glass.
    pub clay: bool,
    /// Brightest light that one sample may add. Holding fireflies back makes the picture a little darker
    /// than it truly is, so it is done by choice only.
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres.
    pub occlusion_radius: f32,
    /// By which ways light is found; both, but for checks.
    pub finding: LightFinding,
    /// How light comes through bodies of glass.
    pub glass: GlassLight,
    /// What was learned of the light, by which it is found sooner.
    pub learned: Option<&'a Learned>,
}

impl<'a> Render<'a> {
    /// A picture without passes, with nothing held back.
    pub fn new(
        scene: &'a Scene,
        light: &'a Illumination,
        eye: &'a dyn Eye,
        size: impl Into<PictureSize>,
        quality: Quality,
        seed: u32,
    ) -> Self {
        Self {
            scene,
            light,
            eye,
            size: size.into(),
            quality,
            seed,
            passes: PassSet::default(),
            clay: false,
            clamp: None,
            occlusion_radius: 1.0,
            finding: LightFinding::Both,
            glass: GlassLight::Straight,
            learned: None,
        }
    }

    /// Where the strips of a picture of `height` rows start, and how many rows each has.
    pub fn strip_places(height: u32) -> impl DoubleEndedIterator<Item = (u32, u32)> {
        Self::part_places(0, height)
    }

    /// The same for rows `from .. to` of a picture.
    pub fn part_places(from: u32, to: u32) -> impl DoubleEndedIterator<Item = (u32, u32)> {
        (0..to.saturating_sub(from).div_ceil(STRIP_ROWS)).map(move |i| {
            let top = from + i * STRIP_ROWS;
            (top, STRIP_ROWS.min(to - top))
        })
    }

    pub(crate) fn shooter(&self) -> Shooter<'a> {
        Shooter {
            tracer: Tracer {
                scene: self.scene,
                light: self.light,
                clay: self.clay,
                finding: self.finding,
                glass: self.glass,
                start: Media::at(self.scene, eye_place(self.eye, self.size)),
                plate: false,
                learned: self.learned,
                notes: None,
            },
            eye: self.eye,
            size: (self.size.width(), self.size.height()),
            seed: self.seed,
            clamp: self.clamp,
            occlusion: self
                .passes
                .has(Pass::AmbientOcclusion)
                .then_some(self.occlusion_radius),
        }
    }

    /// Renders rows `top .. top + rows`.
    pub fn strip(&self, top: u32, rows: u32, control: &Control) -> Result<LayeredStrip, Stopped> {
        self.strip_at_least(top, rows, &[], control)
    }

    /// The same with at least so many samples for each block, row by row, as another eye took; no counts ask nothing.
    pub fn strip_at_least(
        &self,
        top: u32,
        rows: u32,
        least: &[u32],
        control: &Control,
    ) -> Result<LayeredStrip, Stopped> {
        let eyes = [(self, self.shooter())];
        let lines = lines_of(&eyes, (top, rows), least, control)?;
        let one = lines.into_iter().map(|[line]| line).collect();
        Ok(self.laid(&eyes[0].1, 0, (top, rows), one))
    }

    /// Renders rows of two eyes at once. How many samples a block takes is decided for both together, so that neither is
    /// noisier than the other. Both have the same size and quality.
    pub fn pair_strips(
        eyes: [&Self; 2],
        top: u32,
        rows: u32,
        control: &Control,
    ) -> Result<[LayeredStrip; 2], Stopped> {
        let both = eyes.map(|eye| (eye, eye.shooter()));
        let lines = lines_of(&both, (top, rows), &[], control)?;
        let (left, right) = lines.into_iter().map(|[a, b]| (a, b)).unzip();
        let [(a, first), (b, second)] = &both;
        Ok([
            a.laid(first, 0, (top, rows), left),
            b.laid(second, 0, (top, rows), right),
        ])
    }

    /// The strip of some lines, whose first column is `left`.
    pub(crate) fn laid(
        &self,
        shooter: &Shooter,
        left: u32,
        (top, rows): (u32, u32),
        lines: Vec<Vec<PixelSums>>,
    ) -> LayeredStrip {
        let width = lines.first().map_or(0, Vec::len);
        let layers = self.passes.layers();
        let mut strip = LayeredStrip {
            beauty: Strip::black(top, width as u32, rows),
            layers: layers
                .iter()
                .map(|l| vec![0.0; width * rows as usize * l.channels.len()])
                .collect(),
            noise: NoiseSum::default(),
            counts: match self.quality {
                Quality::Samples(_) => Vec::new(),
                Quality::Noise { .. } => (lines.iter())
                    .flat_map(|line| line.chunks(BLOCK).map(|block| block[0].samples))
                    .collect(),
            },
        };
        for (line, row) in lines.iter().zip(top..) {
            for (column, sums) in line.iter().enumerate() {
                let at = (row - top) as usize * width + column;
                strip.beauty.samples[at * CHANNELS..][..CHANNELS]
                    .copy_from_slice(&sums.beauty().to_array());
                let mut put = |layer: usize, values: &[f32]| {
                    strip.layers[layer][at * values.len()..][..values.len()]
                        .copy_from_slice(values);
                };
                let column = left + column as u32;
                sums.layers(shooter, (column, row), &self.passes, &mut put);
                strip.noise.samples += u64::from(sums.samples);
                if let Some(noise) = sums.noise_percent() {
                    let weight = self.weight(column, row);
                    let noise = f64::from(noise);
                    strip.noise.squares += noise * noise * weight;
                    strip.noise.weight += weight;
                }
            }
        }
        strip
    }

    /// How much of the sphere a pixel is.
    fn weight(&self, column: u32, row: u32) -> f64 {
        let size = self.size;
        (size.shape).solid_angle(column, row, size.width(), size.height())
    }
}

/// Where an eye is: where the ray of its picture's middle starts, or of the first place that has one.
pub(crate) fn eye_place(eye: &dyn Eye, size: PictureSize) -> Vec3 {
    let (w, h) = (size.width(), size.height());
    let middle = PicturePoint::in_pixel(w / 2, h / 2, (0.0, 0.0), w, h);
    let rows = (0..h).map(|row| PicturePoint::pixel_centre(w / 2, row, w, h));
    (std::iter::once(middle).chain(rows))
        .find_map(|p| eye.ray(p))
        .map_or(Vec3::ZERO, |ray| ray.origin.as_vec3())
}

/// Rows of one eye or of several, row by row and within each eye by eye.
fn lines_of<const N: usize>(
    eyes: &[(&Render, Shooter); N],
    (top, rows): (u32, u32),
    least: &[u32],
    control: &Control,
) -> Result<Vec<[Vec<PixelSums>; N]>, Stopped> {
    let blocks = (eyes[0].0.size.width() as usize).div_ceil(BLOCK);
    let lines = (top..top + rows)
        .into_par_iter()
        .map(|row| {
            let from = (row - top) as usize * blocks;
            let least = least.get(from..from + blocks);
            let mut lines = std::array::from_fn(|_| empty_line(eyes[0].0));
            line_of(eyes, &mut lines, row, least, control);
            if !control.is_stopped() {
                control.row_finished(row, &lines[0]);
            }
            lines
        })
        .collect();
    if control.is_stopped() {
        return Err(Stopped);
    }
    Ok(lines)
}

fn empty_line(render: &Render) -> Vec<PixelSums> {
    vec![PixelSums::default(); render.size.width() as usize]
}

/// Samples for a block of a row, unless it is stopped.
pub(crate) fn shoot_block(
    shooter: &Shooter,
    (column, row): (u32, u32),
    samples: Range<u32>,
    block: &mut [PixelSums],
    control: &Control,
) {
    control.wait_while_held();
    if control.is_stopped() {
        return;
    }
    let count = u64::from(samples.end - samples.start) * block.len() as u64;
    for (column, sums) in (column..).zip(block) {
        shooter.shoot((column, row), samples.clone(), sums);
    }
    control.samples.fetch_add(count, Ordering::Relaxed);
}

/// One row: samples for its blocks, then more for those that are still too noisy in any eye, or have fewer than the least.
fn line_of<'a, const N: usize>(
    eyes: &[(&Render<'a>, impl Borrow<Shooter<'a>> + Sync); N],
    lines: &mut [Vec<PixelSums>; N],
    row: u32,
    least: Option<&[u32]>,
    control: &Control,
) {
    let (width, quality) = (eyes[0].0.size.width() as usize, eyes[0].0.quality);
    let most = quality.most();
    let first = quality.first();
    let mut done: Vec<u32> = (lines[0].chunks(BLOCK))
        .map(|block| block[0].samples)
        .collect();
    debug_assert_eq!(done.len(), width.div_ceil(BLOCK));
    let mut wanted: Vec<u32> = done.iter().map(|done| first.max(*done)).collect();
    loop {
        for ((_, shooter), line) in eyes.iter().zip(lines.iter_mut()) {
            line.par_chunks_mut(BLOCK)
                .enumerate()
                .filter(|(i, _)| wanted[*i] > done[*i])
                .for_each(|(i, block)| {
                    let at = ((i * BLOCK) as u32, row);
                    shoot_block(shooter.borrow(), at, done[i]..wanted[i], block, control);
                });
        }
        if control.is_stopped() {
            break;
        }
        done.clone_from(&wanted);
        let Quality::Noise { percent, .. } = quality else {
            break;
        };
        let noise: Vec<f32> = (0..done.len())
            .map(|i| {
                let of = |line: &Vec<PixelSums>| {
                    block_noise(line.chunks(BLOCK).nth(i).unwrap_or_default())
                };
                lines.iter().map(of).fold(0.0, f32::max)
            })
            .collect();
        wanted = next_counts(&noise, &done, percent, most);
        for (wanted, least) in wanted.iter_mut().zip(least.unwrap_or_default()) {
            // As many as the other eye took.
            *wanted = (*wanted).max((*least).min(most));
        }
        if wanted == done {
            break;
        }
    }
}

/// How many samples each block of a row is to have next, from the noise it has (percent) after those it has: enough for the limit as far
/// as that can be told, at least a quarter and at most as many more, in whole sets. A block whose neighbour is too noisy goes on with
/// it: what it has not met yet may be near. Where the row's ends do not meet this asks a little more than needed.
pub(crate) fn next_counts(noise: &[f32], done: &[u32], percent: f32, most: u32) -> Vec<u32> {
    let own: Vec<u32> = (noise.iter().zip(done))
        .map(|(noise, &done)| {
            if *noise <= percent {
                return done;
            }
            let needed = f64::from(done) * f64::from(noise / percent).powi(2);
            let next = (needed.ceil() as u32).clamp(done + done / 4, done.saturating_mul(2));
            next.next_multiple_of(SETS).min(most)
        })
        .collect();
    let n = own.len();
    (0..n)
        .map(|i| {
            let beside = [i, (i + 1) % n, (i + n - 1) % n].into_iter();
            let with = beside.filter(|k| noise[*k] > percent).map(|k| own[k]);
            with.fold(done[i], u32::max)
        })
        .collect()
}

/// Noise of neighbouring pixels together, percent.
pub(crate) fn block_noise(block: &[PixelSums]) -> f32 {
    let squares: f32 = block.iter().map(|p| p.deciding_noise().powi(2)).sum();
    (squares / block.len().max(1) as f32).sqrt()
}
