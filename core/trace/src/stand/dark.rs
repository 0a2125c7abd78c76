//! Whether a part of the sphere gets no light.

use crate::light::Illumination;
use crate::meeting::GlassLight;
use crate::preview::{LiveView, Preview};
use crate::scene::Scene;
use dome_imaging::transfer::luminance;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use glam::DVec3;
use std::time::Duration;

/// A quarter of the sphere that is dark.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Dark {
    /// Middle of the quarter: heading, degrees.
    pub heading_deg: f64,
    /// Middle of the quarter: pitch, degrees.
    pub pitch_deg: f64,
    /// Its mean brightness, cd/m² or scene units.
    pub mean: f64,
    /// Mean brightness of the whole sphere.
    pub whole: f64,
}

/// Width of the small picture that is judged, pixels.
const WIDTH: u32 = 48;
/// Samples of each of its pixels.
const SAMPLES: u32 = 4;
/// A quarter is dark with less than this share of the whole's mean brightness ...
const SHARE: f64 = 0.01;
/// ... or below this on its own: a hundredth of what shows as white.
const BLACK: f64 = 0.01;

/// The darkest quarter of what an eye sees, if it gets no light: a sector of 90 degrees of heading, the
/// part above 30 degrees or the part below -30 degrees, each a quarter of the sphere.
pub fn dark_side(scene: &Scene, light: &Illumination, eye: DVec3) -> Option<Dark> {
    let size = PanoramaSize::from_width(WIDTH).ok()?;
    let mut preview = Preview::new(size);
    let view = LiveView {
        scene,
        light,
        eye: &MonoEye::new(eye, Orientation::default(), Equirect),
        clay: false,
        glass: GlassLight::Straight,
        kept: None,
    };
    while preview.samples() < SAMPLES {
        preview.refine(&view, Duration::ZERO);
    }
    let picture = preview.picture();
    let (w, h) = (size.width() as usize, size.height() as usize);
    // (weighed light, weight) of a set of pixels
    let mean = |inside: &dyn Fn(usize, f64) -> bool| {
        let mut sum = (0.0, 0.0);
        for row in 0..h {
            let pitch = 90.0 - (row as f64 + 0.5) / h as f64 * 180.0;
            let weight = pitch.to_radians().cos();
            for column in 0..w {
                if inside(column, pitch) {
                    let p = &picture.samples[(row * w + column) * 3..][..3];
                    let light = luminance([p[0], p[1], p[2]]);
                    sum = (sum.0 + f64::from(light) * weight, sum.1 + weight);
                }
            }
        }
        sum.0 / f64::max(sum.1, 1e-12)
    };
    let whole = mean(&|_, _| true);
    let sector = w / 4;
    // The picture's middle, heading 0, is its column w/2.
    let sectors = (0..w).map(|first| {
        let m = mean(&|column, _| (column + w - first) % w < sector);
        let middle = (first + sector / 2) as f64 / w as f64 * 360.0 - 180.0;
        (m, middle, 0.0)
    });
    let caps = [
        (mean(&|_, pitch| pitch > 30.0), 0.0, 90.0),
        (mean(&|_, pitch| pitch < -30.0), 0.0, -90.0),
    ];
    let (darkest, heading, pitch_deg) = sectors.chain(caps).min_by(|a, b| a.0.total_cmp(&b.0))?;
    (darkest < BLACK.max(SHARE * whole)).then(|| Dark {
        heading_deg: dome_optics::angle::wrap_heading_deg(heading),
        pitch_deg,
        mean: darkest,
        whole,
    })
}
