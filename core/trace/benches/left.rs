//! Whether what is told to be left after denoising is left: pictures of five kinds in three sizes, each against two references of other
//! seeds. The mean of the product of the differences from both is the squared error of the picture, without the references' own noise; they
//! must be calm all the same, since what is displayed is no straight measure of light, and a noisy reference is too dark.
//! `OWL_DOME_DENOISER` names the denoising library; without it the built-in filter is measured.
#![allow(missing_docs, clippy::unwrap_used)]

mod blocks;
mod lit;

use dome_imaging::LayeredStrip;
use dome_imaging::denoise::library::{DenoiseLibrary, LibraryFilter};
use dome_imaging::denoise::plain::PlainFilter;
use dome_imaging::denoise::told::Remaining;
use dome_imaging::denoise::{DenoiseFailed, Filtered, Guides, denoise};
use dome_imaging::transfer::{luminance, srgb_from_linear};
use dome_optics::neighbourhood::Edges;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize, Projection, Shape};
use dome_trace::scene::MeshPart;
use dome_trace::sky::SunSky;
use dome_trace::{
    Control, Illumination, ImportOptions, Material, Pass, PassSet, Quality, Render, Scene,
    SceneBuilder, Sky, load,
};
use glam::{DVec3, Mat4, Vec3};
use std::path::PathBuf;
use std::sync::Arc;

const STRIP: u32 = 16;
/// Darker than this is told as if it were so bright, as all noise is.
const DARKEST: f64 = 0.05;

/// Bushes of small leaves on a ground.
fn foliage() -> Scene {
    let mut b = SceneBuilder::default();
    let grey = |base_colour| Material {
        base_colour,
        ..Material::default()
    };
    b.materials = vec![grey([0.35, 0.28, 0.2]), grey([0.1, 0.3, 0.06])];
    b.start_object("ground");
    blocks::block(
        &mut b,
        0,
        Vec3::new(-30.0, -0.5, -30.0),
        Vec3::new(30.0, 0.0, 30.0),
    );
    // Numbers without a pattern, the same in every run.
    let mut state = 1u32;
    let mut next = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 24) as f32 * 2.0 - 1.0
    };
    for bush in 0..24 {
        b.start_object(format!("bush {bush}"));
        let angle = bush as f32 * 2.4;
        let far = 2.5 + bush as f32 * 0.5;
        let middle = Vec3::new(far * angle.cos(), 1.3, far * angle.sin());
        let mut part = MeshPart {
            material: 1,
            ..MeshPart::default()
        };
        for _ in 0..2500 {
            let p = middle + Vec3::new(next(), next(), next()) * Vec3::new(1.1, 1.2, 1.1);
            let (u, v) = (
                Vec3::new(next(), next(), next()) * 0.06,
                Vec3::new(next(), next(), next()) * 0.06,
            );
            let first = part.positions.len() as u32;
            part.positions
                .extend([p, p + u, p + v].map(|p| p.to_array()));
            part.triangles.push([first, first + 1, first + 2]);
        }
        b.add_part(&part, &Mat4::IDENTITY);
    }
    b.build(Sky::default(), "foliage").unwrap()
}

/// Panes and boxes of clear and of frosted glass among matt ones.
fn glass() -> Scene {
    let mut b = SceneBuilder::default();
    let glass = |roughness| Material {
        base_colour: [0.95, 1.0, 0.97],
        transmission: 1.0,
        roughness,
        ..Material::default()
    };
    let matt = |base_colour| Material {
        base_colour,
        ..Material::default()
    };
    b.materials = vec![
        matt([0.6; 3]),
        glass(0.0),
        glass(0.3),
        matt([0.7, 0.2, 0.1]),
    ];
    b.start_object("ground");
    blocks::block(
        &mut b,
        0,
        Vec3::new(-30.0, -0.5, -30.0),
        Vec3::new(30.0, 0.0, 30.0),
    );
    for i in 0..24u32 {
        let angle = i as f32 * 2.4;
        let far = 2.0 + i as f32 * 0.3;
        let low = Vec3::new(far * angle.cos(), 0.0, far * angle.sin());
        let size = match i % 3 {
            0 => Vec3::new(0.05, 2.0, 1.2),
            1 => Vec3::splat(0.8),
            _ => Vec3::new(0.5, 1.4, 0.5),
        };
        b.start_object(format!("piece {i}"));
        blocks::block(&mut b, 1 + i % 3, low, low + size);
    }
    b.build(Sky::default(), "glass").unwrap()
}

/// A picture: what is seen, from where, in which light.
struct View<'a> {
    name: &'a str,
    scene: &'a Scene,
    light: &'a Illumination,
    at: DVec3,
    heading_deg: f64,
}

fn strips<'a>(render: &'a Render<'a>, height: u32) -> impl Iterator<Item = LayeredStrip> + 'a {
    (0..height.div_ceil(STRIP)).map(move |i| {
        let top = i * STRIP;
        let rows = STRIP.min(height - top);
        render.strip(top, rows, &Control::default()).unwrap()
    })
}

/// A picture without its noise, and what is told to be left in it, percent.
fn denoised(render: &Render, height: u32, width: u32) -> (Vec<f32>, Remaining) {
    let guides = Guides {
        albedo: 0,
        normal: 1,
        halves: Some(2),
    };
    let strips = strips(render, height).map(Ok::<_, DenoiseFailed>);
    let library = std::env::var_os("OWL_DOME_DENOISER")
        .and_then(|place| DenoiseLibrary::find(&PathBuf::from(place)));
    let all: Vec<Filtered> = match library {
        Some(library) => {
            let filter = LibraryFilter {
                library: Arc::new(library),
                go_on: || true,
            };
            denoise(filter, strips, height, Edges::Sphere, guides)
                .collect::<Result<_, _>>()
                .unwrap()
        }
        None => denoise(PlainFilter, strips, height, Edges::Sphere, guides)
            .collect::<Result<_, _>>()
            .unwrap(),
    };
    let mut told = Remaining::default();
    let mut picture = Vec::new();
    let shape = Shape::Equirect;
    for part in all {
        let weight = |column, row| shape.solid_angle(column, row, width, height);
        told.add(part.remaining(&part.strip.layers[2], weight).unwrap());
        picture.extend(&part.strip.beauty.samples);
    }
    (picture, told)
}

fn shown(samples: &[f32]) -> Vec<f64> {
    (samples.as_chunks::<3>().0.iter())
        .map(|&rgb| f64::from(srgb_from_linear(luminance(rgb).clamp(0.0, 1.0))))
        .collect()
}

/// Squared percent that a picture differs from the truth, as two references tell, over the sphere; and how far that may be off, from
/// how much its strips differ.
fn measured(picture: &[f64], references: [&[f64]; 2], width: u32, height: u32) -> (f64, f64) {
    let parts: Vec<(f64, f64)> = (0..height as usize)
        .flat_map(|row| (0..8).map(move |eighth| (row, eighth)))
        .map(|(row, eighth)| {
            let weight = Shape::Equirect.solid_angle(0, row as u32, width, height);
            let columns = (eighth * width as usize / 8)..((eighth + 1) * width as usize / 8);
            let sum: f64 = columns
                .clone()
                .map(|column| {
                    let i = row * width as usize + column;
                    let [a, b] = references.map(|r| picture[i] - r[i]);
                    a * b * 1e4 / picture[i].max(DARKEST).powi(2)
                })
                .sum();
            (sum * weight, weight * columns.len() as f64)
        })
        .collect();
    let weight: f64 = parts.iter().map(|p| p.1).sum();
    let mean = parts.iter().map(|p| p.0).sum::<f64>() / weight;
    let off: f64 = parts.iter().map(|p| (p.0 - mean * p.1).powi(2)).sum();
    (mean, off.sqrt() / weight)
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("merlow.glb");
    std::fs::write(&file, merlow::build()).unwrap();
    let read = load(&file, &ImportOptions::default()).unwrap();
    let sun = |elevation_deg: f32| {
        Sky::Sun(SunSky {
            elevation_deg,
            heading_deg: 165.0,
            ..SunSky::default()
        })
    };
    let (room, field, foliage, glass) = (blocks::room(), blocks::field(), foliage(), glass());
    let lights = [
        lit::under(&glass, sun(35.0)),
        lit::under(&foliage, sun(50.0)),
        lit::under(&room, sun(35.0)),
        lit::under(&field, sun(40.0)),
        lit::begun(&read),
    ];
    let [of_glass, of_foliage, of_room, of_field, of_demo] = &lights;
    let view = |name, scene, light, at: [f64; 3], heading_deg| View {
        name,
        scene,
        light,
        at: DVec3::from(at),
        heading_deg,
    };
    let place = |i: usize| merlow::PLACES[i].position.map(f64::from);
    let all = [
        view("Glass", &glass, of_glass, [0.0, 1.6, 0.0], 0.0),
        view("Foliage", &foliage, of_foliage, [0.0, 1.6, 0.0], 0.0),
        view("Sun-lit room", &room, of_room, [0.5, 1.5, -0.5], 150.0),
        view("Open field", &field, of_field, [0.0, 1.7, 0.0], 0.0),
        view(
            "Terrace, textured",
            &read.scene,
            of_demo,
            place(3),
            merlow::PLACES[3].heading_deg,
        ),
    ];
    println!(
        "| picture | width, px | rendered to, % | left, told, % | left, measured, % | told / measured | rendered, told, % | rendered, measured, % |"
    );
    println!("|---|---|---|---|---|---|---|---|");
    let only = std::env::var("ONLY").unwrap_or_default();
    for (width, samples) in [(128u32, 512), (256, 256), (512, 256)] {
        for v in all.iter().filter(|v| v.name.contains(&only)) {
            let eye = MonoEye::new(v.at, Orientation::heading(v.heading_deg), Equirect);
            let size = PanoramaSize::from_width(width).unwrap();
            let height = width / 2;
            let render = |quality, seed, passes: &[Pass]| Render {
                passes: PassSet::new(passes.iter().copied()),
                ..Render::new(v.scene, v.light, &eye, size, quality, seed)
            };
            let learned = lit::learn(&render(Quality::Samples(64), 1, &[]));
            let references = [101, 102].map(|seed| {
                let render = lit::with(render(Quality::Samples(samples), seed, &[]), &learned);
                let all: Vec<f32> = strips(&render, height)
                    .flat_map(|s| s.beauty.samples)
                    .collect();
                shown(&all)
            });
            let [one, other] = &references;
            for percent in [24.0f32, 12.0] {
                let quality = Quality::Noise {
                    percent,
                    most: 1024,
                };
                let passes = [Pass::Albedo, Pass::Normal, Pass::Halves];
                let with = |passes| lit::with(render(quality, 1, passes), &learned);
                let (picture, told) = denoised(&with(&passes), height, width);
                let plain: Vec<f32> = strips(&with(&[]), height)
                    .flat_map(|s| s.beauty.samples)
                    .collect();
                let of = |samples: &[f32]| measured(&shown(samples), [one, other], width, height);
                let ((left, off), (noise, _)) = (of(&picture), of(&plain));
                let root = |square: f64| square.max(0.0).sqrt();
                let left_told = told.percent().unwrap_or_default();
                println!(
                    "| {} | {width} | {percent:.0} | {left_told:.2} | {:.2} ({:.2} to {:.2}) | {:.2} | {:.2} | {:.2} |",
                    v.name,
                    root(left),
                    root(left - off),
                    root(left + off),
                    left_told / root(left),
                    root(told.noise / told.weight),
                    root(noise),
                );
            }
        }
    }
}
