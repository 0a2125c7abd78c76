//! The live picture: a small panorama that gets better for as long as nothing moves.

use crate::integrator::pixel_samples;
use crate::scene::Scene;
use crate::sky::Sky;
use dome_imaging::Picture;
use dome_imaging::strip::CHANNELS;
use dome_optics::{Eye, PanoramaSize};
use rayon::prelude::*;
use std::time::{Duration, Instant};

/// Samples after which the picture is as good as a preview gets.
pub const ENOUGH: u32 = 256;

/// Brightest light that one sample may add to a live picture: beyond it the screen shows white anyway,
/// and a few lucky paths would fill the picture with specks. Renders are not held back.
const CALM: f32 = 3.0;

/// Samples gathered so far for one eye.
pub struct Preview {
    size: PanoramaSize,
    sums: Vec<f32>,
    samples: u32,
}

impl Preview {
    /// An empty picture.
    pub fn new(size: PanoramaSize) -> Self {
        Self {
            size,
            sums: vec![0.0; size.pixels() as usize * CHANNELS],
            samples: 0,
        }
    }

    /// Samples per pixel so far.
    pub fn samples(&self) -> u32 {
        self.samples
    }

    /// Adds samples, at least one to every pixel, for about `budget` of time.
    pub fn refine(&mut self, scene: &Scene, sky: &Sky, eye: &dyn Eye, budget: Duration) {
        crate::directional_albedo::prepare();
        let start = Instant::now();
        let mut step = 1;
        while self.samples < ENOUGH {
            let range = self.samples..(self.samples + step).min(ENOUGH);
            self.samples = range.end;
            let width = self.size.width();
            let row_length = width as usize * CHANNELS;
            let height = self.size.height();
            self.sums
                .par_chunks_mut(row_length)
                .enumerate()
                .for_each(|(row, line)| {
                    for (column, sum) in line.chunks_exact_mut(CHANNELS).enumerate() {
                        let pixel = (column as u32, row as u32);
                        let light = pixel_samples(
                            scene,
                            sky,
                            eye,
                            pixel,
                            (width, height),
                            range.clone(),
                            0,
                            CALM,
                        );
                        sum.iter_mut()
                            .zip(light.to_array())
                            .for_each(|(s, l)| *s += l);
                    }
                });
            // The next round must fit what is left of the time.
            let spent = start.elapsed();
            if spent + spent > budget {
                return;
            }
            step = (step * 2).min(16);
        }
    }

    /// The mean of what was gathered.
    pub fn picture(&self) -> Picture {
        let scale = 1.0 / self.samples.max(1) as f32;
        Picture {
            width: self.size.width(),
            height: self.size.height(),
            samples: self.sums.iter().map(|s| s * scale).collect(),
        }
    }
}
