//! Rendering strip by strip on all cores.

use crate::integrator::pixel_samples;
use crate::scene::Scene;
use crate::sky::Sky;
use dome_imaging::Strip;
use dome_imaging::strip::CHANNELS;
use dome_optics::{Eye, PanoramaSize};
use rayon::prelude::*;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicU64, Ordering};
use std::time::Duration;
use thiserror::Error;

/// Rows of a strip: small enough to be seen coming and lost cheaply, a multiple of the master's blocks.
pub const STRIP_ROWS: u32 = 16;
/// Pixels that one thread takes at a time.
const RUN: usize = 32;

/// The render was told to stop.
#[derive(Debug, Error, PartialEq, Eq)]
#[error("The render was stopped; the finished strips are kept.")]
pub struct Stopped;

/// The way to watch and stop a render from outside.
#[derive(Default)]
pub struct Control {
    stop: AtomicBool,
    pixels: AtomicU64,
    holds: AtomicU32,
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

    /// Pixels finished so far.
    pub fn pixels_done(&self) -> u64 {
        self.pixels.load(Ordering::Relaxed)
    }

    /// Makes the render wait while something more urgent has the cores; ends when the answer is dropped.
    pub fn hold(&self) -> Hold<'_> {
        self.holds.fetch_add(1, Ordering::Relaxed);
        Hold(self)
    }

    fn wait_while_held(&self) {
        while self.holds.load(Ordering::Relaxed) > 0 && !self.is_stopped() {
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    /// Counts pixels that were finished earlier.
    pub fn count_pixels(&self, pixels: u64) {
        self.pixels.fetch_add(pixels, Ordering::Relaxed);
    }
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
    /// What surrounds it.
    pub sky: Sky,
    /// What sees it.
    pub eye: &'a dyn Eye,
    /// Size of the whole picture.
    pub size: PanoramaSize,
    /// Samples per pixel.
    pub samples: u32,
    /// Another seed gives other noise.
    pub seed: u32,
}

impl Render<'_> {
    /// Where the strips of a picture of `height` rows start, and how many rows each has.
    pub fn strip_places(height: u32) -> impl DoubleEndedIterator<Item = (u32, u32)> {
        (0..height.div_ceil(STRIP_ROWS)).map(move |i| {
            let top = i * STRIP_ROWS;
            (top, STRIP_ROWS.min(height - top))
        })
    }

    /// Renders rows `top .. top + rows`.
    pub fn strip(&self, top: u32, rows: u32, control: &Control) -> Result<Strip, Stopped> {
        crate::directional_albedo::prepare();
        let width = self.size.width();
        let mut strip = Strip::black(top, width, rows);
        strip
            .samples
            .par_chunks_mut(RUN * CHANNELS)
            .enumerate()
            .for_each(|(run, chunk)| {
                control.wait_while_held();
                if control.is_stopped() {
                    return;
                }
                for (i, out) in chunk.chunks_exact_mut(CHANNELS).enumerate() {
                    let at = (run * RUN + i) as u32;
                    let pixel = (at % width, top + at / width);
                    let light = pixel_samples(
                        self.scene,
                        &self.sky,
                        self.eye,
                        pixel,
                        (width, self.size.height()),
                        0..self.samples,
                        self.seed,
                        f32::INFINITY,
                    );
                    out.copy_from_slice(&(light / self.samples as f32).to_array());
                }
                control.count_pixels((chunk.len() / CHANNELS) as u64);
            });
        if control.is_stopped() {
            return Err(Stopped);
        }
        Ok(strip)
    }
}
