//! Time of a plan cut, a section, a clearance scan and the suggested starts by size of scene, on all cores,
//! as the server answers them. Scenes may be named; balls of many triangles in a room stand for large ones.
#![allow(missing_docs, clippy::unwrap_used)]

use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::plan::{CutPlane, cut};
use dome_trace::scene::MeshPart;
use dome_trace::stand::clearance::{Limits, scan};
use dome_trace::stand::{self, starts};
use dome_trace::{Illumination, ImportOptions, Material, Scene, SceneBuilder, Sky, quick};
use glam::{DVec3, Mat4, Vec2, Vec3};
use std::path::Path;
use std::time::Instant;

#[path = "common/timing.rs"]
mod timing;
use timing::time;

const ROUNDS: usize = 7;

/// A closed ball turned outwards.
fn ball(rings: u32) -> MeshPart {
    let sectors = 2 * rings;
    let mut part = MeshPart::default();
    for r in 0..=rings {
        for s in 0..=sectors {
            let lat = std::f32::consts::PI * (r as f32 / rings as f32 - 0.5);
            let lon = std::f32::consts::TAU * s as f32 / sectors as f32;
            part.positions
                .push([lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos()]);
        }
    }
    for r in 0..rings {
        for s in 0..sectors {
            let a = r * (sectors + 1) + s;
            let b = a + sectors + 1;
            part.triangles.extend([[a, a + 1, b + 1], [a, b + 1, b]]);
        }
    }
    part
}

/// A floor with a hundred balls of 1 m, with so many triangles in all.
fn balls(triangles: f64) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = vec![Material::default()];
    builder.start_object("Floor");
    let floor = MeshPart {
        positions: vec![
            [-30.0, 0.0, -30.0],
            [30.0, 0.0, -30.0],
            [30.0, 0.0, 30.0],
            [-30.0, 0.0, 30.0],
        ],
        triangles: vec![[0, 2, 1], [0, 3, 2]],
        ..MeshPart::default()
    };
    builder.add_part(&floor, &Mat4::IDENTITY);
    let part = ball((triangles / 400.0).sqrt() as u32);
    for i in 0..100 {
        builder.start_object(format!("Ball {i}"));
        let place = Vec3::new(
            (i % 10) as f32 * 5.0 - 22.5,
            1.0,
            (i / 10) as f32 * 5.0 - 22.5,
        );
        builder.add_part(&part, &Mat4::from_translation(place));
    }
    builder.build(Sky::default(), "balls").unwrap()
}

fn measure(name: &str, scene: &Scene, eye: DVec3) {
    let level = CutPlane::Level {
        y: eye.y as f32 - 0.5,
    };
    let upright = CutPlane::through(
        Vec2::new(eye.x as f32, eye.z as f32),
        Vec2::new(eye.x as f32 + 1.0, eye.z as f32),
    );
    let first = Instant::now();
    let drawing = cut(scene, &level, None, 0.005);
    let first = first.elapsed().as_secs_f64() * 1000.0;
    let light = Illumination::plain(scene, Sky::default());
    let size = PanoramaSize::from_width(192).unwrap();
    let sphere = MonoEye::new(eye, Orientation::default(), Equirect);
    println!(
        "| {name} | {} | {:.1} (first {first:.0}) | {} | {:.1} | {:.1} | {:.1} | {:.0} |",
        scene.triangle_count(),
        time(ROUNDS, || cut(scene, &level, None, 0.005)),
        drawing.solids.len() + drawing.lines.len(),
        time(ROUNDS, || cut(scene, &upright, None, 0.005)),
        time(ROUNDS, || scan(scene, eye, &Limits::default())),
        time(ROUNDS, || quick::picture(scene, &light, &sphere, size, 1)),
        {
            let start = Instant::now();
            std::hint::black_box(starts::suggest(scene));
            start.elapsed().as_secs_f64() * 1000.0
        }
    );
}

fn main() {
    println!(
        "| scene | triangles | plan cut, ms | outlines | section, ms | clearance scan, ms | picture while moving, ms | suggested starts, ms |"
    );
    println!("|---|---|---|---|---|---|---|---|");
    let folder = std::env::temp_dir().join("owl-dome-bench-merlow.glb");
    std::fs::write(&folder, merlow::build()).unwrap();
    let given = std::env::args().skip(1).filter(|a| !a.starts_with("--"));
    for path in std::iter::once(folder.display().to_string()).chain(given) {
        let scene = dome_trace::load(Path::new(&path), &ImportOptions::default())
            .unwrap()
            .scene;
        let demo = path.contains("owl-dome-bench");
        let eye = if demo {
            DVec3::from(merlow::PLACES[0].position)
        } else {
            stand::middle(&scene)
        };
        let name = Path::new(&path).file_stem().unwrap().to_string_lossy();
        measure(if demo { "Merlow Observatory" } else { &name }, &scene, eye);
    }
    for millions in [0.2, 1.0, 5.0] {
        let scene = balls(millions * 1e6);
        measure("Balls", &scene, DVec3::new(0.0, 1.6, 0.0));
    }
}
