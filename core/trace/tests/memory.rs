//! What a scene needs is claimed before it is made. Alone in its process: the limit holds for all of it.

mod common;

use dome_files::budget;
use dome_trace::{Material, SceneBuilder, Sky};
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
}
