//! Standing in scenes that nobody here made, against an independent ray library (Embree through trimesh and
//! exact distances to triangles; values and the program that made them: tests/samples/standing,
//! script/reference_distances.py). The two large scenes are fetched by script/fetch-scenes.

use dome_trace::plan::{CutPlane, cut};
use dome_trace::stand::clearance::{Limits, scan};
use dome_trace::stand::{sight, starts};
use dome_trace::{ImportOptions, Scene, load};
use glam::DVec3;
use serde_json::Value;
use std::path::{Path, PathBuf};

fn samples() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/samples")
}

fn fetched(path: &str) -> PathBuf {
    let path = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../.fetched/scenes")
        .join(path);
    assert!(
        path.exists(),
        "{} is not there: run script/fetch-scenes first",
        path.display()
    );
    path
}

fn scene(path: &Path) -> Scene {
    load(path, &ImportOptions::default()).unwrap().scene
}

/// Compares distances along the axes, the nearest thing and how much is covered.
fn compare(name: &str, scene: &Scene) {
    let text = std::fs::read_to_string(samples().join("standing/distances.json")).unwrap();
    let all: Value = serde_json::from_str(&text).unwrap();
    let axes = [
        ("+x", DVec3::X),
        ("-x", DVec3::NEG_X),
        ("+y", DVec3::Y),
        ("-y", DVec3::NEG_Y),
        ("+z", DVec3::Z),
        ("-z", DVec3::NEG_Z),
    ];
    for entry in all[name].as_array().unwrap() {
        let eye: Vec<f64> = serde_json::from_value(entry["eye"].clone()).unwrap();
        let eye = DVec3::from_slice(&eye);
        for (axis, direction) in axes {
            let found = sight::look(scene, eye, direction).map(|s| s.distance);
            match (found, entry["axes"][axis].as_f64()) {
                (Some(f), Some(w)) => {
                    assert!(
                        (f - w).abs() < 1e-4 * w.max(1.0),
                        "{name} {eye} {axis}: {f} for {w}"
                    );
                }
                (None, None) => {}
                other => panic!("{name} {eye} {axis}: {other:?}"),
            }
        }
        // The product's nearest thing leaves out the floor under the feet.
        let nearest = entry["nearest"].as_f64().unwrap();
        let down = entry["axes"]["-y"].as_f64().unwrap_or(f64::INFINITY);
        if nearest < down - 0.2 {
            let found = scan(scene, eye, &Limits::default()).nearest.unwrap();
            assert!(
                (found.distance - nearest).abs() < 2e-5 * nearest.max(1.0),
                "{name} {eye}: {} for {nearest}",
                found.distance
            );
        }
        let covered: f64 = sight::shares(scene, None, eye)
            .iter()
            .map(|s| s.share)
            .sum();
        let wanted = entry["covered"].as_f64().unwrap();
        // The same even directions, but for rays that graze an edge.
        assert!(
            (covered - wanted).abs() < 1e-3,
            "{name} {eye}: {covered} for {wanted}"
        );
    }
}

#[test]
fn small_scenes_agree_with_another_ray_library() {
    compare(
        "truck",
        &scene(&samples().join("milktruck/CesiumMilkTruck.gltf")),
    );
    compare(
        "cornell",
        &scene(&samples().join("cornell/cornell_box.obj")),
    );
}

#[test]
fn the_courtyard_and_the_engine_agree_with_another_ray_library() {
    let courtyard = scene(&fetched("courtyard/samurai_monastry.obj"));
    compare("courtyard", &courtyard);
    let engine = fetched("models/glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb");
    compare("engine", &scene(&engine));
    // The yard itself is among the suggestions: open to the sky, walled all round.
    let found = starts::suggest(&courtyard);
    assert!(
        found
            .iter()
            .any(|s| (0.5..0.8).contains(&s.enclosed) && s.walled >= 0.75 && s.free > 5.0),
        "{found:#?}"
    );
    let plan = cut(&courtyard, &CutPlane::Level { y: 1.0 }, None, 0.01);
    assert!(!plan.solids.is_empty() || !plan.lines.is_empty());
}
