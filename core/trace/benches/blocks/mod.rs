//! Rooms and fields made of boxes, for benchmarks. Built from an older commit too, as what uses it.
#![allow(dead_code)]

use dome_trace::scene::MeshPart;
use dome_trace::{Material, Scene, SceneBuilder, Sky};
use glam::{Mat4, Vec3};

/// A box of a material between two corners.
pub fn block(b: &mut SceneBuilder, material: u32, low: Vec3, high: Vec3) {
    let (middle, size) = ((low + high) / 2.0, high - low);
    let mut part = MeshPart {
        material,
        ..MeshPart::default()
    };
    for axis in 0..3 {
        for side in [-0.5f32, 0.5] {
            let first = part.positions.len() as u32;
            for (u, v) in [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)] {
                let mut p = [0.0f32; 3];
                p[axis] = side;
                p[(axis + 1) % 3] = u;
                p[(axis + 2) % 3] = v;
                part.positions.push(p);
            }
            let all = match side > 0.0 {
                true => [[0, 1, 2], [0, 2, 3]],
                false => [[0, 2, 1], [0, 3, 2]],
            };
            part.triangles
                .extend(all.map(|t: [u32; 3]| t.map(|i| first + i)));
        }
    }
    let place = Mat4::from_translation(middle) * Mat4::from_scale(size);
    b.add_part(&part, &place);
}

/// Boxes of one grey.
pub fn built(blocks: &[([f32; 3], [f32; 3])]) -> Scene {
    let mut b = SceneBuilder::default();
    b.materials = vec![Material {
        base_colour: [0.6; 3],
        ..Material::default()
    }];
    for (i, (low, high)) in blocks.iter().enumerate() {
        b.start_object(format!("block {i}"));
        block(&mut b, 0, Vec3::from(*low), Vec3::from(*high));
    }
    b.build(Sky::default(), "blocks").unwrap()
}

/// Walls 0.2 m thick round 6 x 3 x 5 m, with one window to the south.
pub fn room() -> Scene {
    built(&[
        ([-3.2, -0.2, -2.7], [3.2, 0.0, 2.7]),
        ([-3.2, 3.0, -2.7], [3.2, 3.2, 2.7]),
        ([-3.2, 0.0, -2.7], [3.2, 3.0, -2.5]),
        ([-3.2, 0.0, -2.5], [-3.0, 3.0, 2.5]),
        ([3.0, 0.0, -2.5], [3.2, 3.0, 2.5]),
        ([-3.2, 0.0, 2.5], [-0.8, 3.0, 2.7]),
        ([0.8, 0.0, 2.5], [3.2, 3.0, 2.7]),
        ([-0.8, 0.0, 2.5], [0.8, 0.9, 2.7]),
        ([-0.8, 2.3, 2.5], [0.8, 3.0, 2.7]),
        ([-1.5, 0.0, -1.0], [0.0, 0.75, 0.0]),
    ])
}

/// An open field of blocks.
pub fn field() -> Scene {
    let mut blocks = vec![([-60.0, -0.5, -60.0], [60.0, 0.0, 60.0])];
    for i in 0..40i32 {
        let (x, z) = ((i * 37 % 41 - 20) as f32, (i * 53 % 43 - 21) as f32);
        if x.abs() + z.abs() > 4.0 {
            blocks.push(([x, 0.0, z], [x + 2.0, 2.0 + (i % 5) as f32, z + 3.0]));
        }
    }
    built(&blocks)
}
