//! What a scene needs is claimed before it is made. Alone in its process: the limit holds for all of it.

mod common;

use dome_files::budget;
use dome_trace::{ImportOptions, Material, SceneBuilder, Sky, load};
use glam::Mat4;

#[test]
fn a_scene_that_does_not_fit_is_refused_with_both_numbers() {
    budget::set_limit(4_000_000);
    let build = || {
        let mut builder = SceneBuilder::default();
        builder.materials.push(Material::default());
        builder.start_object("Ball");
        builder.add_part(&common::ball(0), &Mat4::IDENTITY);
        builder.build(Sky::default(), "vast.glb")
    };
    // 36,864 triangles of 190 bytes and 18,721 corners of 64 while the tree is built: 8.2 MB.
    let message = build().err().expect("it does not fit").to_string();
    assert!(
        message.contains("The scene vast.glb needs") && message.contains("--memory"),
        "{message}"
    );
    assert_eq!(budget::used(), 0, "what was refused holds nothing");
    budget::set_limit(40_000_000);
    let scene = build().expect("it fits");
    assert!(scene.memory_bytes() > 8_000_000);
    drop(scene);
    assert_eq!(budget::used(), 0, "all of it comes back");
    files_are_claimed_before_they_are_read();
}

/// Files whose sizes are lies or too much: a buffer beside a scene, one that stands in for compressed ones, and a picture to be tagged.
fn files_are_claimed_before_they_are_read() {
    budget::set_limit(2_000_000);
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let scene = |buffer: &str| {
        let text = format!(
            r#"{{"asset":{{"version":"2.0"}},"scenes":[{{"nodes":[0]}}],"nodes":[{{}}],"buffers":[{buffer}],
               "extensionsUsed":["EXT_meshopt_compression"]}}"#
        );
        std::fs::write(at("room.gltf"), text).unwrap();
        let read = load(&at("room.gltf"), &ImportOptions::default());
        let message = read.err().expect("it does not fit").to_string();
        assert_eq!(budget::used(), 0, "what was refused holds nothing");
        message
    };
    let large = std::fs::File::create(at("big.bin")).unwrap();
    large.set_len(3_000_000).unwrap();
    let message = scene(r#"{"byteLength":16,"uri":"big.bin"}"#);
    assert!(
        message.contains("big.bin") && message.contains("3 MB"),
        "{message}"
    );
    let message = scene(
        r#"{"byteLength":3000000,"extensions":{"EXT_meshopt_compression":{"fallback":true}}}"#,
    );
    assert!(message.contains("3 MB"), "{message}");

    let mut jpeg = vec![0xff, 0xd8, 0xff, 0xe0];
    jpeg.resize(1_000_000, 0);
    std::fs::write(at("wide.jpg"), jpeg).unwrap();
    let refused = dome_files::inspect::inspect(&at("wide.jpg"));
    // Two copies just fit, and then it is damaged; three would not.
    assert!(refused.is_err());
    budget::set_limit(1_500_000);
    let message = dome_files::inspect::inspect(&at("wide.jpg")).unwrap_err();
    assert!(message.to_string().contains("2 MB"), "{message}");
    assert_eq!(budget::used(), 0);
}
