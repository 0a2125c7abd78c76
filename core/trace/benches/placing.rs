//! What a new moment costs beside reading the file again, and what copies cost in time, memory and rays.

use dome_trace::accel::TraceRay;
use dome_trace::{ImportOptions, ObjectMove, Scene, SceneBuilder, load};
use glam::{Mat4, Vec3};
use serde_json::{Value, json};

#[path = "../tests/common/made.rs"]
mod made;
#[path = "common/timing.rs"]
mod timing;
use made::Made;
use timing::time;

const ROUNDS: usize = 9;

/// A bush of about so many triangles: cards turned every way in a ball.
fn bush(triangles: usize) -> (Vec<[f32; 3]>, Vec<u32>) {
    let mut corners = Vec::new();
    for i in 0..triangles {
        let (a, b) = (i as f32 * 2.399_963, (i as f32 * 0.618_034).fract());
        let r = (1.0 - (2.0 * b - 1.0).powi(2)).sqrt();
        let at = Vec3::new(r * a.cos(), 2.0 * b, r * a.sin())
            * (0.4 + 0.6 * (i as f32 * 0.7548777).fract());
        let turn = glam::Quat::from_euler(glam::EulerRot::XYZ, a, 3.0 * b, i as f32);
        let card = [Vec3::X, Vec3::Y, Vec3::NEG_X];
        corners.extend(card.map(|c| (at + turn * c * 0.04).to_array()));
    }
    let numbers = (0..corners.len() as u32).collect();
    (corners, numbers)
}

fn place(i: usize) -> [f32; 3] {
    [2.0 * (i % 100) as f32, 0.0, 2.0 * (i / 100) as f32]
}

fn wood(copies: usize, triangles: usize) -> Made {
    let (corners, numbers) = bush(triangles);
    let mut made = Made::new();
    let position = made.floats("VEC3", corners.as_flattened());
    let bytes: Vec<u8> = numbers.iter().flat_map(|i| i.to_le_bytes()).collect();
    let view = made.bytes(&bytes);
    let indices = made.accessor(
        json!({"bufferView": view, "componentType": 5125, "type": "SCALAR", "count": numbers.len()}),
    );
    made.document["meshes"][0]["primitives"][0] =
        json!({"attributes": {"POSITION": position}, "indices": indices});
    let places: Vec<f32> = (0..copies).flat_map(place).collect();
    let at = made.floats("VEC3", &places);
    made.document["nodes"] = Value::Array(vec![json!({"name": "Tree", "mesh": 0,
        "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": at}}}})]);
    made
}

/// The same trees, each with triangles of its own.
fn merged(copies: usize, triangles: usize) -> Scene {
    let (corners, numbers) = bush(triangles);
    let mut builder = SceneBuilder::default();
    builder.materials.push(Default::default());
    let part = dome_trace::scene::MeshPart {
        positions: corners,
        triangles: numbers.as_chunks::<3>().0.to_vec(),
        ..Default::default()
    };
    for i in 0..copies {
        builder.start_object("Tree");
        builder.add_part(&part, &Mat4::from_translation(place(i).into()));
    }
    builder.build(Default::default(), "wood").unwrap()
}

fn rays(scene: &Scene) -> f64 {
    let mut n = 3u64;
    let mut random = || {
        n = n
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (n >> 40) as f32 / 16_777_216.0
    };
    let (low, high) = scene.bounds();
    let rays: Vec<TraceRay> = (0..200_000)
        .map(|_| {
            let from = low + (high - low) * Vec3::new(random(), random(), random());
            let (z, phi) = (1.0 - 2.0 * random(), std::f32::consts::TAU * random());
            let r = (1.0 - z * z).max(0.0).sqrt();
            TraceRay::new(from, Vec3::new(r * phi.cos(), z, r * phi.sin()))
        })
        .collect();
    let ms = time(5, || rays.iter().filter(|r| scene.hit(r).is_some()).count());
    rays.len() as f64 / ms / 1000.0
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let demo = folder.path().join("merlow.glb");
    std::fs::write(&demo, merlow::build()).unwrap();
    println!(
        "\n| scene | triangles | reading, ms | a new moment, ms | share | a thing moved first, ms | moved on, ms |"
    );
    println!("|---|---|---|---|---|---|---|");
    let row = |name: &str, path: &std::path::Path| {
        let reading = time(3, || load(path, &ImportOptions::default()).unwrap());
        let read = load(path, &ImportOptions::default()).unwrap();
        let mut moment = 0.0;
        let placing = time(ROUNDS, || {
            moment += 0.37;
            read.document.place(moment, &[]).unwrap()
        });
        let mut turn = 0.0;
        let mut change = |object: u32| {
            turn += 1.0;
            let change = ObjectMove {
                name: String::new(),
                objects: vec![object],
                about: [0.0; 2],
                turn_deg: turn,
                by: [0.1, 0.0, 0.0],
                on: true,
            };
            read.document.place(0.0, &[change]).unwrap()
        };
        let first = time(1, || change(1));
        println!(
            "| {name} | {} | {reading:.0} | {placing:.2} | {:.2} % | {first:.0} | {:.2} |",
            read.scene.triangle_count(),
            100.0 * placing / reading,
            time(ROUNDS, || change(1)),
        );
    };
    row("Merlow", &demo);
    for argument in std::env::args().skip(1).filter(|a| !a.starts_with("--")) {
        let path = std::path::PathBuf::from(argument);
        row(&path.file_stem().unwrap().to_string_lossy(), &path);
    }
    println!(
        "\n| copies x triangles | kept triangles | MB | reading and building, ms | Mray/s | merged, Mray/s |"
    );
    println!("|---|---|---|---|---|---|");
    for (copies, triangles) in [(100, 5_000), (400, 5_000), (10_000, 5_000)] {
        let made = wood(copies, triangles);
        let building = time(3, || made.load().unwrap());
        let scene = made.load().unwrap().scene;
        let flat = (copies * triangles <= 2_000_000).then(|| rays(&merged(copies, triangles)));
        println!(
            "| {copies} x {triangles} | {} | {:.1} | {building:.0} | {:.2} | {} |",
            scene.kept_triangles(),
            scene.memory_bytes() as f64 / 1e6,
            rays(&scene),
            flat.map_or("-".into(), |r| format!("{r:.2}"))
        );
    }
}
