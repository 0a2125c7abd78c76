//! Maps for lighting other scenes, made of any picture of everything around: spherical harmonics, the diffuse
//! map, and the specular chain for rough mirrors.

use crate::convert::{Conversion, Kernel, Pixel, Source};
use dome_optics::projection::CubeLayout;
use dome_optics::{Orientation, PicturePoint, Projection, Shape};
use glam::DVec3;
use rayon::prelude::*;
use std::f64::consts::PI;

/// Colours in double precision.
type Rgb = [f64; 3];

/// What one steradian of a picture sends, by direction: small, for integrals over the sphere.
struct Light {
    directions: Vec<(DVec3, f64)>,
    colours: Vec<Rgb>,
}

/// Width of the picture that integrals are taken over: 1.4 degrees a pixel, each the mean of what it covers.
const INTEGRAL_WIDTH: u32 = 256;

impl Light {
    fn of(source: &Source) -> Self {
        let size = (INTEGRAL_WIDTH, INTEGRAL_WIDTH / 2);
        let rows = plain(source, Shape::Equirect, size).rows(0, size.1);
        let directions = (0..size.0 * size.1)
            .filter_map(|i| {
                let (x, y) = (i % size.0, i / size.0);
                let p = PicturePoint::pixel_centre(x, y, size.0, size.1);
                let angle = Shape::Equirect.solid_angle(x, y, size.0, size.1);
                Shape::Equirect.to_direction(p).map(|d| (d, angle))
            })
            .collect();
        Self {
            directions,
            colours: rows
                .iter()
                .map(|p| [p.x, p.y, p.z].map(f64::from))
                .collect(),
        }
    }
}

fn plain(source: &Source, shape: Shape, size: (u32, u32)) -> Conversion<'_> {
    Conversion::new(
        source,
        shape,
        size,
        Orientation::default(),
        Kernel::Bilinear,
    )
}

/// The axes of the harmonics in ours, which have x to the right of the picture's middle, y up and -z ahead: x right, y ahead, z up.
/// Right-handed, as ours are.
pub const AXES: [DVec3; 3] = [DVec3::X, DVec3::NEG_Z, DVec3::Y];

/// The nine real spherical harmonics of bands 0 to 2 at a unit direction, in the order (0,0), (1,-1), (1,0),
/// (1,1), (2,-2) ... (2,2), along [`AXES`].
///
/// Constants of Ramamoorthi, Hanrahan: "An efficient representation for irradiance environment maps"
/// (SIGGRAPH 2001), equation 3.
pub fn basis(d: DVec3) -> [f64; 9] {
    let [x, y, z] = AXES.map(|axis| d.dot(axis));
    [
        0.282_094_791_773_878,
        0.488_602_511_902_920 * y,
        0.488_602_511_902_920 * z,
        0.488_602_511_902_920 * x,
        1.092_548_430_592_079 * x * y,
        1.092_548_430_592_079 * y * z,
        0.315_391_565_252_520 * (3.0 * z * z - 1.0),
        1.092_548_430_592_079 * x * z,
        0.546_274_215_296_040 * (x * x - y * y),
    ]
}

/// How much of each harmonic the cosine of a matt surface keeps, by band: pi, 2 pi / 3, pi / 4 (the same
/// paper, equation 8).
pub const COSINE: [f64; 9] = [
    PI,
    2.0 * PI / 3.0,
    2.0 * PI / 3.0,
    2.0 * PI / 3.0,
    PI / 4.0,
    PI / 4.0,
    PI / 4.0,
    PI / 4.0,
    PI / 4.0,
];

/// Coefficients of the light's radiance for [`basis`].
pub fn harmonics(source: &Source) -> [Rgb; 9] {
    let light = Light::of(source);
    let mut sums = [[0.0; 3]; 9];
    for ((d, angle), colour) in light.directions.iter().zip(&light.colours) {
        for (sum, value) in sums.iter_mut().zip(basis(*d)) {
            for c in 0..3 {
                sum[c] += colour[c] * value * angle;
            }
        }
    }
    sums
}

/// Irradiance of a surface that faces a direction, from the coefficients of the radiance.
pub fn irradiance_of(coefficients: &[Rgb; 9], normal: DVec3) -> Rgb {
    let values = basis(normal);
    std::array::from_fn(|c| {
        (0..9)
            .map(|i| COSINE[i] * coefficients[i][c] * values[i])
            .sum()
    })
}

/// What a matt white surface shows, by the direction it faces (irradiance divided by pi), as a picture of any
/// shape. Taken straight from the light, not from the harmonics, so that lamps do not ring.
pub fn diffuse(source: &Source, shape: Shape, (width, height): (u32, u32)) -> Vec<Pixel> {
    let light = Light::of(source);
    (0..width * height)
        .into_par_iter()
        .map(|i| {
            let p = PicturePoint::pixel_centre(i % width, i / width, width, height);
            let Some(n) = shape.to_direction(p) else {
                return Pixel::ZERO;
            };
            let mut sum = [0.0; 3];
            for ((d, angle), colour) in light.directions.iter().zip(&light.colours) {
                let weight = d.dot(n).max(0.0) * angle / PI;
                for c in 0..3 {
                    sum[c] += colour[c] * weight;
                }
            }
            Pixel::new(sum[0] as f32, sum[1] as f32, sum[2] as f32, 1.0)
        })
        .collect()
}

/// The cube layout in which chains are made: one face after the other in the order of OpenGL and KTX 2.
pub fn chain_layout() -> CubeLayout {
    CubeLayout::opengl(1, 6)
}

/// Pictures of the light with fewer and fewer pixels, for wide lobes.
struct Pyramid {
    levels: Vec<Source>,
}

impl Pyramid {
    fn of(source: &Source) -> Self {
        let mut width = Shape::Equirect
            .width_for(source.shape().sphere_width(source.size().0))
            .min(2048);
        let mut levels = Vec::new();
        loop {
            width = (width & !1).max(8);
            let size = (width, width / 2);
            let from = levels.last().unwrap_or(source);
            let rows = plain(from, Shape::Equirect, size).rows(0, size.1);
            let made =
                Source::from_rows(Shape::Equirect, size.0, size.1, rows.chunks(width as usize));
            levels.push(made);
            if width <= 8 {
                return Self { levels };
            }
            width /= 2;
        }
    }

    /// The light in a direction, as the mean over about the given solid angle.
    fn look(&self, d: DVec3, solid_angle: f64) -> Pixel {
        let (width, height) = self.levels[0].size();
        let pixel = 4.0 * PI / (f64::from(width) * f64::from(height));
        let level = (0.5 * (solid_angle / pixel).log2()).clamp(0.0, (self.levels.len() - 1) as f64);
        let (low, share) = (level as usize, level.fract() as f32);
        let a = self.levels[low].look(d);
        match self.levels.get(low + 1) {
            Some(next) if share > 0.0 => a.lerp(next.look(d), share),
            _ => a,
        }
    }
}

/// Directions that stand for a lobe, from the sharpest level that is blurred to the softest: a wide lobe needs more to find
/// a small lamp, and its level has fewer pixels.
const LOBE: u32 = 512;
const WIDEST_LOBE: u32 = 8192;

/// One level of the specular chain: what a mirror of a roughness (0 to 1, its square being the alpha of GGX:
/// Walter and others, "Microfacet models for refraction", EGSR 2007) shows by the mirrored direction, seen
/// straight on: normal, view and mirrored direction are one (common practice, no source).
fn specular_level(pyramid: &Pyramid, roughness: f64, side: u32, count: u32) -> Vec<Pixel> {
    let layout = chain_layout();
    let alpha = (roughness * roughness).max(1e-4);
    // Half vectors about the normal, mirrored, with their weights and solid angles; the same for all pixels.
    let lobe: Vec<(DVec3, f64, f64)> = (0..count)
        .filter_map(|i| {
            let u = (f64::from(i) + 0.5) / f64::from(count);
            let phi = 2.0 * PI * f64::from(i.reverse_bits()) / 4_294_967_296.0;
            let cos2 = (1.0 - u) / (1.0 + (alpha * alpha - 1.0) * u);
            let (cos, sin) = (cos2.sqrt(), (1.0 - cos2).max(0.0).sqrt());
            let h = DVec3::new(sin * phi.cos(), sin * phi.sin(), cos);
            let l = h * (2.0 * cos) - DVec3::Z;
            let spread = cos2 * (alpha * alpha - 1.0) + 1.0;
            let density = alpha * alpha / (PI * spread * spread) / 4.0;
            (l.z > 0.0).then_some((l, l.z, 1.0 / (f64::from(count) * density)))
        })
        .collect();
    (0..side * side * 6)
        .into_par_iter()
        .map(|i| {
            let p = PicturePoint::pixel_centre(i % side, i / side, side, side * 6);
            let Some(n) = layout.to_direction(p) else {
                return Pixel::ZERO;
            };
            let (x, y) = n.any_orthonormal_pair();
            let (mut sum, mut weight) = (Pixel::ZERO, 0.0);
            for (l, w, angle) in &lobe {
                sum += pyramid.look(x * l.x + y * l.y + n * l.z, *angle) * *w as f32;
                weight += w;
            }
            (sum / weight as f32).with_w(1.0)
        })
        .collect()
}

/// A cube with its chain of smaller levels, face by face in the order of [`chain_layout`], largest level
/// first. Level 0 is the light itself; the roughness grows evenly to 1 at the last level that is made
/// (4 pixels a side), and the levels below are its means.
pub fn specular_chain(source: &Source, side: u32) -> Vec<Vec<Pixel>> {
    let levels = side.ilog2() + 1;
    let rough = levels.saturating_sub(3).max(1);
    let pyramid = Pyramid::of(source);
    let cube = Shape::Cube(chain_layout());
    (0..levels)
        .map(|level| {
            let side = (side >> level).max(1);
            if level == 0 {
                return Conversion::new(
                    source,
                    cube,
                    (side, side * 6),
                    Orientation::default(),
                    Kernel::Bicubic,
                )
                .rows(0, side * 6);
            }
            specular_level(
                &pyramid,
                f64::from(level.min(rough)) / f64::from(rough),
                side,
                (LOBE << (2 * (level - 1)).min(4)).min(WIDEST_LOBE),
            )
        })
        .collect()
}
