//! Textures as they are seen from far, aslant and deep: means instead of flicker, 16 bits and floats kept, bumps without seams.

mod common;

use common::{NO_SKY, WHITE_SKY, matt, quad};
use dome_files::decode::{Raster, Texels};
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PicturePoint, Ray};
use dome_trace::scene::MeshPart;
use dome_trace::texture::Texture;
use dome_trace::{Control, Illumination, Material, Quality, Render, Scene, SceneBuilder, Sky};
use glam::{DVec3, Mat4, Vec3};

/// Ground of `half` metres about the origin, its texture laid `times` over it.
fn ground(half: f32, times: f32, material: u32) -> MeshPart {
    MeshPart {
        uvs: vec![[0.0, 0.0], [0.0, times], [times, times], [times, 0.0]],
        normals: vec![[0.0, 1.0, 0.0]; 4],
        ..quad(
            [
                [-half, 0.0, -half],
                [-half, 0.0, half],
                [half, 0.0, half],
                [half, 0.0, -half],
            ],
            material,
        )
    }
}

fn built(parts: &[MeshPart], material: Material, picture: Raster, sky: Sky) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = vec![material];
    builder.pictures = vec![picture];
    for part in parts {
        builder.start_object("part");
        builder.add_part(part, &Mat4::IDENTITY);
    }
    builder.build(sky, "test").unwrap()
}

fn board(side: u32) -> Raster {
    let bytes = (0..side * side)
        .flat_map(|i| {
            let white = (i % side + i / side).is_multiple_of(2);
            if white {
                [255, 255, 255, 255]
            } else {
                [0, 0, 0, 255]
            }
        })
        .collect();
    Raster::new(side, side, Texels::Byte(bytes), "board").unwrap()
}

fn values(scene: &Scene, eye: &dyn Eye, width: u32, samples: u32, seed: u32) -> Vec<f64> {
    let light = Illumination::plain(scene, scene.sky.clone());
    let size = PanoramaSize::from_width(width).unwrap();
    let render = Render::new(scene, &light, eye, size, Quality::Samples(samples), seed);
    let strip = render.strip(0, size.height(), &Control::default()).unwrap();
    (strip.beauty.samples.chunks(3).map(|p| f64::from(p[1]))).collect()
}

/// A slow pan over a fine chequered floor: the variance over frames of what lies far away is that of its light, not of the board.
/// Four samples that each met black or white would spread by 0.25. Near the eye the squares stay black and white.
#[test]
fn far_textures_do_not_flicker_in_a_slow_pan() {
    let lit = Material {
        base_texture: Some(Texture::plain(0)),
        unlit: true,
        ..matt(1.0)
    };
    // Squares of 2 cm.
    let scene = built(
        &[ground(40.0, 80.0 / 0.32, 0)],
        lit.clone(),
        board(16),
        NO_SKY,
    );
    let (width, frames) = (128u32, 10);
    let frame = |i: u32| {
        let heading = f64::from(i) * 0.21;
        let eye = MonoEye::new(
            DVec3::new(0.003, 1.6, 0.002),
            Orientation::heading(heading),
            Equirect,
        );
        values(&scene, &eye, width, 4, i)
    };
    let all: Vec<Vec<f64>> = (0..frames).map(frame).collect();
    // Rows 7 to 10 degrees below the horizon: 9 to 13 m away, where a pixel is half a metre deep.
    let rows = 37..39usize;
    let mut variance = 0.0;
    let mut mean = 0.0;
    for row in rows.clone() {
        for column in 0..width as usize {
            let at = row * width as usize + column;
            let m = all.iter().map(|f| f[at]).sum::<f64>() / f64::from(frames);
            variance +=
                all.iter().map(|f| (f[at] - m).powi(2)).sum::<f64>() / f64::from(frames - 1);
            mean += m;
        }
    }
    let n = (rows.len() * width as usize) as f64;
    let (spread, mean) = ((variance / n).sqrt(), mean / n);
    println!("far: mean {mean:.3}, spread over frames {spread:.4}");
    assert!(
        (mean - 0.5).abs() < 0.01 && spread < 0.03,
        "{mean} {spread}"
    );
    // Looking straight down from 5 cm a pixel is far smaller than a square.
    let mut sharp = lit.clone();
    sharp.base_texture.as_mut().unwrap().hard = true;
    let scene = built(&[ground(40.0, 80.0 / 0.32, 0)], sharp, board(16), NO_SKY);
    let near = MonoEye::new(
        DVec3::new(0.003, 0.05, 0.002),
        Orientation::default(),
        Equirect,
    );
    let below = values(&scene, &near, 256, 16, 1);
    let pure = below[120 * 256..]
        .iter()
        .filter(|v| **v < 0.02 || **v > 0.98)
        .count();
    assert!(pure > 8 * 256 * 3 / 4, "{pure}");
}

/// Steps that 8 bits would lose are kept, and a float texture glows as bright as it says.
#[test]
fn deep_textures_keep_their_depth() {
    let seen = |texels: Texels, colour: bool| {
        let picture = Raster::new(1, 1, texels, "deep").unwrap();
        let texture = Some(Texture::plain(0));
        let material = if colour {
            Material {
                emission: [1.0; 3],
                emission_texture: texture,
                ..matt(0.0)
            }
        } else {
            Material {
                base_texture: texture,
                unlit: true,
                ..matt(1.0)
            }
        };
        let scene = built(&[ground(5.0, 1.0, 0)], material, picture, NO_SKY);
        let eye = MonoEye::new(DVec3::new(0.1, 1.0, 0.1), Orientation::default(), Equirect);
        let all = values(&scene, &eye, 16, 1, 1);
        all[all.len() - 8]
    };
    let word = |v: u16| seen(Texels::Word(vec![v, v, v, 65535]), false);
    // Between 30/255 and 31/255: sRGB's curve (IEC 61966-2-1) at 7840/65535.
    let (low, high) = (word(7840), word(7841));
    let curve = |v: f64| ((v / 65535.0 + 0.055) / 1.055).powf(2.4);
    assert!(
        high > low && (low / curve(7840.0) - 1.0).abs() < 1e-4,
        "{low} {high}"
    );
    let bright = seen(Texels::Float(vec![40.5, 40.5, 40.5, 1.0]), true);
    assert!((bright - 40.5).abs() < 1e-3, "{bright}");
}

/// Looks along the ground at a grazing angle.
struct Grazing(f64);

impl Eye for Grazing {
    fn ray(&self, p: PicturePoint) -> Option<Ray> {
        let angle = self.0.to_radians();
        let direction = DVec3::new(angle.cos(), -angle.sin(), 0.0);
        let target = DVec3::new(p.u - 0.5, 0.0, p.v - 0.5);
        Some(Ray {
            origin: target - direction * 3.0,
            direction,
        })
    }
}

/// Strong bumps in an even white surrounding, matt and polished, straight and at grazing angles: no black seams. Such bumps would
/// hide some of the light, so it may be a little darker than the furnace, but nowhere nearly black, and it does not fall off where
/// normals begin to turn away from the eye.
#[test]
fn bumps_have_no_black_seams_at_grazing_angles() {
    let side = 32u32;
    let bytes = (0..side * side)
        .flat_map(|i| {
            let (x, y) = ((i % side) as f32, (i / side) as f32);
            let wave = |v: f32| (v / side as f32 * std::f32::consts::TAU * 2.0).sin() * 0.75;
            let n = Vec3::new(wave(x), wave(y), 0.8).normalize();
            let code = |v: f32| ((v + 1.0) * 127.5 + 0.5) as u8;
            [code(n.x), code(n.y), code(n.z), 255]
        })
        .collect();
    let bumps = Raster::new(side, side, Texels::Byte(bytes), "bumps").unwrap();
    let bumpy = |material: Material| Material {
        normal_texture: Some((Texture::plain(0), 1.0)),
        ..material
    };
    let mirror = Material {
        metallic: 1.0,
        roughness: 0.05,
        ..matt(1.0)
    };
    for (name, material) in [("matt", matt(1.0)), ("polished", mirror)] {
        let scene = built(
            &[ground(2.0, 8.0, 0)],
            bumpy(material),
            bumps.clone(),
            WHITE_SKY,
        );
        for angle in [60.0, 20.0, 5.0, 2.0] {
            let all = values(&scene, &Grazing(angle), 32, 64, 1);
            let darkest = all.iter().copied().fold(f64::INFINITY, f64::min);
            let mean = all.iter().sum::<f64>() / all.len() as f64;
            println!("{name} at {angle} degrees: mean {mean:.3}, darkest {darkest:.3}");
            assert!(
                darkest > 0.35 && mean > 0.6,
                "{name} {angle}: {mean} {darkest}"
            );
        }
    }
}
