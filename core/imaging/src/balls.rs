//! The ball test: a mirror ball, a rough ball and a white ball under a picture of the light all round, as a viewer
//! sees them who looks ahead. A quarter turn or a mirror image shows at once.

use crate::convert::{Pixel, Source};
use crate::light_maps::{chain_layout, diffuse, specular_chain};
use crate::strip::Picture;
use dome_optics::projection::MirrorBall;
use dome_optics::{PicturePoint, Projection, Shape};
use glam::{DVec3, Vec3, Vec4};
use rayon::prelude::*;

/// Mid grey round the balls, linear light: signal 128 of 255.
const GREY: f32 = 0.215_86;
/// Size of the map for the white ball, pixels.
const MATT: (u32, u32) = (128, 64);
/// Side of the largest face of the chain that the rough ball's light is taken from.
const CHAIN: u32 = 64;
/// The level that is taken: of five from mirror to fully rough it is the middle one, a roughness of 1/2.
const LEVEL: usize = 2;
/// The ball's share of its square.
const BALL: f64 = 0.92;
/// Points along each side of a pixel at the balls' outlines and all over.
const POINTS: u32 = 3;

/// The three balls side by side, each in a square of `side` pixels: mirror, rough (GGX, roughness 1/2), white.
pub fn balls(source: &Source, side: u32) -> Picture {
    let matt = diffuse(source, Shape::Equirect, MATT);
    let matt = Source::from_rows(
        Shape::Equirect,
        MATT.0,
        MATT.1,
        matt.chunks(MATT.0 as usize),
    );
    let small = CHAIN >> LEVEL;
    let chain = specular_chain(source, CHAIN);
    let rough = chain.get(LEVEL).map(|level| {
        let shape = Shape::Cube(chain_layout());
        Source::from_rows(shape, small, 6 * small, level.chunks(small as usize))
    });
    // In a mirror ball the outermost ring holds all that lies ahead; the mean of a few points calms it.
    let shown = |ball: u32, u: f64, v: f64| -> Option<Pixel> {
        let (x, y) = ((2.0 * u - 1.0) / BALL, (1.0 - 2.0 * v) / BALL);
        let square = x * x + y * y;
        if square > 1.0 {
            return None;
        }
        let point = PicturePoint {
            u: (x + 1.0) / 2.0,
            v: (1.0 - y) / 2.0,
        };
        // The ball bulges towards the viewer, who looks ahead.
        let normal = DVec3::new(x, y, (1.0 - square).sqrt());
        match ball {
            0 => MirrorBall.to_direction(point).map(|d| source.look(d)),
            1 => MirrorBall
                .to_direction(point)
                .and_then(|d| Some(rough.as_ref()?.look(d))),
            _ => Some(matt.look(normal)),
        }
    };
    let pixels: Vec<Vec3> = (0..side * 3 * side)
        .into_par_iter()
        .map(|i| {
            let (x, y) = (i % (side * 3), i / (side * 3));
            let (ball, x) = (x / side, x % side);
            let mut sum = Vec4::ZERO;
            for k in 0..POINTS * POINTS {
                let at = |v: u32, k: u32| {
                    (f64::from(v) + (f64::from(k) + 0.5) / f64::from(POINTS)) / f64::from(side)
                };
                let grey = Pixel::new(GREY, GREY, GREY, 1.0);
                sum += shown(ball, at(x, k % POINTS), at(y, k / POINTS)).unwrap_or(grey);
            }
            sum.truncate() / (POINTS * POINTS) as f32
        })
        .collect();
    Picture {
        width: side * 3,
        height: side,
        samples: pixels.iter().flat_map(|p| p.to_array()).collect(),
    }
}
