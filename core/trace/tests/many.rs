//! Scenes with a great many of one thing, as exporters write them: imports take no longer for how they lie.

use dome_trace::accel::TraceRay;
use dome_trace::{ImportOptions, Imported, TraceError, load};
use std::f64::consts::TAU;
use std::fmt::Write as _;

fn read(file: &str, text: &str) -> Result<Imported, TraceError> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(file);
    std::fs::write(&path, text).unwrap();
    load(&path, &ImportOptions::default())
}

/// One face of 64,000 corners, a face that repeats three corners 19,500 times, and 10,000 things at one place: where each box is joined
/// with the nearest, all have the same, and by rounds the first took over 100 s.
#[test]
fn faces_of_many_corners_and_things_at_one_place_are_read() {
    let corners = 64_000;
    let mut face = String::new();
    for i in 0..corners {
        let (sin, cos) = (f64::from(i) / f64::from(corners) * TAU).sin_cos();
        writeln!(face, "v {cos:.7} 0 {sin:.7}").unwrap();
    }
    let all: Vec<String> = (1..=corners).map(|i| i.to_string()).collect();
    writeln!(face, "f {}", all.join(" ")).unwrap();
    let disc = read("disc.obj", &face).unwrap();
    // Some corners are the same as written, and what has no size is nothing.
    assert!((63_900..=63_998).contains(&disc.scene.triangle_count()));
    // A disc is seen from above wherever one looks down at it, and not beside it.
    let hit = |x: f32| {
        let down = TraceRay::new([x, 1.0, 0.2].into(), glam::Vec3::NEG_Y);
        disc.scene.hit(&down).is_some()
    };
    assert!(hit(0.0) && hit(-0.97) && hit(0.5) && !hit(1.1));

    let same = "f ".to_owned() + &"1 2 3 ".repeat(6500);
    let corner = "v 0 0 0\nv 1 0 0\nv 0 0 1\nv 1 1 1\n";
    read("same.obj", &format!("{corner}{same}\n")).unwrap();

    let things: String = (0..10_000)
        .map(|i| format!("o thing {i}\nf 1 2 3\nf 2 3 4\n"))
        .collect();
    let things = read("things.obj", &format!("{corner}{things}")).unwrap();
    assert_eq!(things.scene.objects().len(), 10_000);
}

/// A chain of 1,000 nodes is legal (glTF 2.0, 3.5.2 asks for trees of any depth), each moves what is below it; a node below itself is
/// none.
#[test]
fn chains_of_nodes_are_followed_to_their_end() {
    let triangle =
        "data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAAAAAAIA/";
    let scene = |last: &str| {
        let nodes: Vec<String> = (1..1000)
            .map(|i| format!(r#"{{"translation":[0,0.002,0],"children":[{i}]}}"#))
            .collect();
        format!(
            r#"{{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],
            "nodes":[{},{{"mesh":0{last}}}],
            "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}}}}]}}],
            "accessors":[{{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,0,1]}}],
            "bufferViews":[{{"buffer":0,"byteLength":36}}],"buffers":[{{"byteLength":36,"uri":"{triangle}"}}]}}"#,
            nodes.join(",")
        )
    };
    let chain = read("chain.gltf", &scene("")).unwrap();
    let (low, high) = chain.scene.bounds();
    // 999 steps of 2 mm, on top of where the origin was put.
    let height = f64::from(low.y) + chain.report.origin[1];
    assert!((height - 1.998).abs() < 1e-4 && low.y == high.y, "{height}");
    let circle = read("circle.gltf", &scene(r#","children":[3]"#));
    let message = circle.err().expect("it goes round").to_string();
    assert!(message.contains("circle.gltf"), "{message}");
}
