//! The live picture: a small panorama that gets better for as long as nothing moves.

use crate::integrator::{LightFinding, Tracer};
use crate::kept::{Found, KeptLight};
use crate::light::Illumination;
use crate::media::Media;
use crate::meeting::GlassLight;
use crate::pixel::{PixelSums, Shooter};
use crate::render::eye_place;
use crate::scene::Scene;
use crate::sketch::{Sight, TURNS, drawn, evenly, light_of, mirror_turn, turn};
use dome_imaging::{LayeredStrip, Picture, Strip};
use dome_optics::{Eye, PictureSize, Shape};
use glam::Vec3;
use rayon::prelude::*;
use smallvec::SmallVec;
use std::time::{Duration, Instant};

/// Samples after which the picture is as good as a preview gets.
pub const ENOUGH: u32 = 256;

/// Pixels between two looks at whether to stop.
const LOOK: usize = 16;

/// What is seen is looked for in squares of so many pixels a side: rays that lie near each other meet what is in the cache still.
const TILE: usize = 8;

/// Brightest light that one sample may add to a live picture: beyond it the screen shows white anyway,
/// and a few lucky paths would fill the picture with specks. Renders are not held back.
const CALM: f32 = 3.0;

/// What a live picture shows.
pub struct LiveView<'a> {
    /// The scene.
    pub scene: &'a Scene,
    /// What gives light.
    pub light: &'a Illumination,
    /// What sees it.
    pub eye: &'a dyn Eye,
    /// One grey over everything but glass.
    pub clay: bool,
    /// How light comes through bodies of glass.
    pub glass: GlassLight,
    /// Light that pictures of this scene in this light share, clay or not: sketches begin with it and add what they find.
    pub kept: Option<&'a KeptLight>,
}

/// Samples gathered so far for one eye.
pub struct Preview {
    size: (u32, u32),
    picture_size: PictureSize,
    pixels: Vec<PixelSums>,
    samples: u32,
    enough: u32,
    sketch: Option<Sketch>,
}

/// What is known before every pixel has its light.
#[derive(Default)]
struct Sketch {
    sights: Vec<Sight>,
    /// Light that others kept of what is seen, and what it counts as, samples.
    kept: Vec<(Vec3, f32)>,
    /// Turns of pixels that have light.
    turns: u32,
    /// Whether it began with light that was kept nearly everywhere.
    begun: bool,
}

/// Share of the lit pixels that may be without kept light where a picture begins with it: one in 64 of them has a turn at once.
const FEW: f64 = 0.25;
/// What is found is kept when a pixel has so many samples, beside the first.
const KEPT_AT: [u32; 3] = [4, 16, 64];

impl Sketch {
    /// Whether light was kept for all but a few of the pixels that have any and do not mirror.
    fn is_nearly_kept(&self) -> bool {
        if self.kept.is_empty() {
            return false;
        }
        let (mut all, mut without) = (0u32, 0u32);
        for (sight, kept) in self.sights.iter().zip(&self.kept) {
            if sight.is_lit() && !sight.mirror {
                all += 1;
                without += u32::from(kept.1 == 0.0);
            }
        }
        f64::from(without) <= FEW * f64::from(all)
    }
}

/// Keeps what some pixels found, but what is mirrored: that is another picture's from elsewhere.
fn keep(
    kept: Option<&KeptLight>,
    (sights, pixels, width): (&[Sight], &[PixelSums], u32),
    which: impl Fn(u32, u32) -> bool,
) {
    let Some(kept) = kept else { return };
    let pixels = sights.iter().zip(pixels).enumerate();
    kept.keep(pixels.filter_map(|(i, (sight, sums))| {
        let (x, y) = (i as u32 % width, i as u32 / width);
        (which(x, y) && !sight.mirror).then_some(())?;
        let light = light_of(sight, sums)?;
        let samples = sums.samples as f32;
        Some(Found {
            sight,
            light,
            samples,
        })
    }));
}

impl Preview {
    /// An empty picture.
    pub fn new(size: impl Into<PictureSize>) -> Self {
        let size: PictureSize = size.into();
        let (width, height) = (size.width(), size.height());
        Self {
            size: (width, height),
            picture_size: size,
            // On all threads: much of a first picture's time would go into fresh memory.
            pixels: (0..width as usize * height as usize)
                .into_par_iter()
                .map(|_| PixelSums::default())
                .collect(),
            samples: 0,
            enough: ENOUGH,
            sketch: None,
        }
    }

    /// Rests after so many samples a pixel in place of [`ENOUGH`].
    pub fn resting_after(self, samples: u32) -> Self {
        Self {
            enough: samples.clamp(1, ENOUGH),
            ..self
        }
    }

    /// An empty picture that can be [drawn](Self::drawn) as soon as some of its pixels have light: what is seen comes first, then
    /// light for one pixel in 64 at a time.
    pub fn sketched(size: impl Into<PictureSize>) -> Self {
        Self {
            sketch: Some(Sketch::default()),
            ..Self::new(size)
        }
    }

    /// Width and height, pixels.
    pub fn size(&self) -> (u32, u32) {
        self.size
    }

    /// Samples per pixel so far.
    pub fn samples(&self) -> u32 {
        self.samples
    }

    /// Adds samples, at least one to every pixel, for about `budget` of time; in a sketch at least one turn of its pixels.
    pub fn refine(&mut self, view: &LiveView, budget: Duration) {
        self.refine_unless(view, budget, &|| false);
    }

    /// The same, given up as soon as `stop` says so: what was gathered is kept, and the next call brings all
    /// pixels to the same number of samples again.
    pub fn refine_unless(
        &mut self,
        view: &LiveView,
        budget: Duration,
        stop: &(dyn Fn() -> bool + Sync),
    ) {
        let (width, height) = self.size;
        let shooter = Shooter {
            tracer: Tracer {
                scene: view.scene,
                light: view.light,
                clay: view.clay,
                finding: LightFinding::Both,
                glass: view.glass,
                start: Media::at(view.scene, eye_place(view.eye, self.picture_size)),
                plate: false,
                learned: None,
                notes: None,
            },
            eye: view.eye,
            size: (width, height),
            seed: 0,
            clamp: Some(CALM),
            occlusion: None,
        };
        let start = Instant::now();
        if !self.take_turns(&shooter, view.kept, (start, budget), stop) {
            return;
        }
        let mut step = 1;
        while self.samples < self.enough {
            let end = (self.samples + step).min(self.enough);
            self.pixels
                .par_chunks_mut(width as usize)
                .enumerate()
                .for_each(|(row, line)| {
                    for (column, sums) in line.iter_mut().enumerate() {
                        if column % LOOK == 0 && stop() {
                            return;
                        }
                        let missing = sums.samples..end;
                        shooter.shoot((column as u32, row as u32), missing, sums);
                    }
                });
            if stop() {
                return;
            }
            let before = std::mem::replace(&mut self.samples, end);
            if KEPT_AT.iter().any(|at| before < *at && *at <= end) {
                let sights = self.sketch.as_ref().map_or(&[][..], |s| &s.sights);
                // A part of it, spread over the picture.
                keep(view.kept, (sights, &self.pixels, width), evenly);
            }
            // The next round must fit what is left of the time.
            let spent = start.elapsed();
            if spent + spent > budget {
                return;
            }
            step = (step * 2).min(16);
        }
    }

    /// Looks at what is there and gives light to pixels by turns; whether all have some and there is time for more.
    fn take_turns(
        &mut self,
        shooter: &Shooter,
        kept: Option<&KeptLight>,
        (start, budget): (Instant, Duration),
        stop: &(dyn Fn() -> bool + Sync),
    ) -> bool {
        let Some(sketch) = self.sketch.as_mut().filter(|_| self.samples == 0) else {
            return true;
        };
        let (width, height) = self.size;
        if sketch.sights.is_empty() {
            sketch.sights = (0..width * height)
                .into_par_iter()
                .map(|_| Sight::NOTHING)
                .collect();
            let bands = sketch
                .sights
                .par_chunks_mut(width as usize * TILE)
                .enumerate();
            bands.for_each(|(band, lines)| {
                let rows = lines.len() / width as usize;
                let row = |y: usize| (band * TILE + y) as u32;
                let spreads: SmallVec<[f32; TILE]> = (0..rows)
                    .map(|y| shooter.spread((width / 2, row(y))))
                    .collect();
                for left in (0..width as usize).step_by(TILE) {
                    for (y, spread) in spreads.iter().enumerate() {
                        for x in left..(left + TILE).min(width as usize) {
                            lines[y * width as usize + x] =
                                shooter.sight((x as u32, row(y)), *spread);
                        }
                    }
                }
            });
            sketch.kept = kept.map_or_else(Vec::new, |kept| kept.of(&sketch.sights));
        }
        // Where light was kept nearly everywhere, only what mirrors and the rest have a turn before the first picture.
        let begins = sketch.turns == 0 && !sketch.begun && sketch.is_nearly_kept();
        sketch.begun |= begins;
        while sketch.turns < TURNS {
            let began = Instant::now();
            let (turns, sights) = (sketch.turns, &sketch.sights);
            let kept_here = |i: usize| begins && sketch.kept[i].1 > 0.0;
            (self.pixels.par_chunks_mut(width as usize))
                .zip(sights.par_chunks(width as usize))
                .enumerate()
                .for_each(|(row, (line, sights))| {
                    for (column, sums) in line.iter_mut().enumerate() {
                        let (x, y) = (column as u32, row as u32);
                        let first = sights[column].mirror && mirror_turn(x, y) == Some(turns);
                        let has = kept_here(row * width as usize + column);
                        let due = first || (turn(x, y) == turns && !has);
                        if column % LOOK == 0 && stop() {
                            return;
                        }
                        if due && sums.samples == 0 {
                            shooter.shoot((x, y), 0..1, sums);
                        }
                    }
                });
            if stop() {
                return false;
            }
            if begins {
                break;
            }
            keep(kept, (sights, &self.pixels, width), |x, y| {
                turn(x, y) == turns
            });
            sketch.turns += 1;
            if start.elapsed() + began.elapsed() > budget {
                break;
            }
        }
        if sketch.turns == TURNS {
            self.samples = 1;
        }
        false
    }

    /// Share of the pixels that have light, of a sketch: of their own, or kept from before.
    pub fn lit_share(&self) -> f64 {
        match &self.sketch {
            Some(sketch) if self.samples == 0 => {
                f64::from(sketch.turns.max(u32::from(sketch.begun))) / f64::from(TURNS)
            }
            _ => f64::from(self.samples.min(1)),
        }
    }

    /// The picture with its light smoothed along what is seen, of a sketch.
    pub fn drawn(&self) -> Option<Picture> {
        let sketch = self.sketch.as_ref()?;
        let sights = &sketch.sights;
        if sights.is_empty() {
            return None;
        }
        let whole = self.picture_size.shape == Shape::Equirect;
        Some(Picture {
            width: self.size.0,
            height: self.size.1,
            samples: drawn(
                sights,
                &self.pixels,
                &sketch.kept,
                (self.size, whole),
                // Once all have had their turn, more samples come.
                if self.samples > 0 {
                    TURNS
                } else {
                    sketch.turns
                },
            ),
        })
    }

    /// The mean of what was gathered, with albedo and normal as its layers.
    pub fn layered(&self) -> LayeredStrip {
        let each = |value: &dyn Fn(&PixelSums) -> [f32; 3]| {
            self.pixels.iter().flat_map(value).collect::<Vec<f32>>()
        };
        LayeredStrip {
            layers: vec![
                each(&|p| p.albedo().to_array()),
                each(&|p| p.normal().to_array()),
            ],
            ..Strip {
                top: 0,
                width: self.size.0,
                samples: each(&|p| p.beauty().to_array()),
            }
            .into()
        }
    }

    /// The mean of what was gathered.
    pub fn picture(&self) -> Picture {
        Picture {
            width: self.size.0,
            height: self.size.1,
            samples: self
                .pixels
                .iter()
                .flat_map(|p| p.beauty().to_array())
                .collect(),
        }
    }
}
