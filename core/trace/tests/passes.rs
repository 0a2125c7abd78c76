//! Depth, mask and the colours of clay where panes, holes, veils and surfaces without light stand before a wall.

mod common;

use common::*;
use dome_optics::{Eye, PanoramaSize, PicturePoint, Ray};
use dome_trace::material::{Alpha, Volume};
use dome_trace::passes::{NO_DEPTH, mask_colour};
use dome_trace::{
    Control, Illumination, Material, Pass, PassSet, Quality, Render, Scene, SceneBuilder,
};
use glam::{DMat4, DVec3, Mat4};

/// All pixels look the same way, in the frame of the scene's place.
struct Along(DMat4);

impl Eye for Along {
    fn ray(&self, _: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: self.0.transform_point3(DVec3::new(0.03, 0.02, 4.0)),
            direction: self.0.transform_vector3(DVec3::NEG_Z).normalize(),
        })
    }
}

fn upright(z: f32) -> [[f32; 3]; 4] {
    [
        [-1.0, -1.0, z],
        [1.0, -1.0, z],
        [1.0, 1.0, z],
        [-1.0, 1.0, z],
    ]
}

/// A wall at 5 m from the eye with the pane of a material 2 m from it, put somewhere.
fn before_a_wall(pane: Material, place: DMat4) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = vec![matt(0.5), pane];
    for (name, z, material) in [("Wall", -1.0, 0), ("Pane", 2.0, 1)] {
        builder.start_object(name);
        let mut part = quad(upright(z), material);
        for p in &mut part.positions {
            let moved = place.transform_point3(DVec3::from(p.map(f64::from)));
            *p = moved.as_vec3().to_array();
        }
        builder.add_part(&part, &Mat4::IDENTITY);
    }
    builder.build(WHITE_SKY, "test").unwrap()
}

/// Depth and the number of the object (0 the wall, 1 the pane) that a pixel shows.
fn seen(scene: &Scene, place: DMat4) -> (f64, Option<usize>) {
    let light = Illumination::plain(scene, scene.sky.clone());
    let size = PanoramaSize::from_width(16).unwrap();
    let eye = Along(place);
    let render = Render {
        passes: PassSet::new([Pass::Depth, Pass::ObjectMask]),
        ..Render::new(scene, &light, &eye, size, Quality::Samples(1), 5)
    };
    let strip = render.strip(0, 8, &Control::default()).unwrap();
    let (depths, masks) = (&strip.layers[0], &strip.layers[1]);
    assert!(
        depths
            .iter()
            .all(|d| (d - depths[0]).abs() <= depths[0] * 1e-6),
        "all pixels look the same way"
    );
    let colour: Vec<u8> = masks[..3]
        .iter()
        .map(|c| (c * 255.0).round() as u8)
        .collect();
    let object = (0..2).find(|&i| mask_colour(i)[..] == colour[..]);
    (f64::from(depths[0]), object.map(|i| i as usize))
}

/// What lets more than half of the light through is looked through, whatever lets it; what does not, and bodies of
/// glass, which bend what is behind them, are seen themselves. So at every place, turned and at every scale.
#[test]
fn clear_panes_are_looked_through_and_others_are_not() {
    let veil = |opacity: f32| Material {
        opacity,
        alpha: Alpha::Blend,
        ..matt(0.5)
    };
    let glass = |roughness: f32, colour: f32| Material {
        base_colour: [colour; 3],
        transmission: 1.0,
        roughness,
        ..Material::default()
    };
    let body = Material {
        volume: Some(Volume {
            colour: [1.0; 3],
            distance: f32::INFINITY,
        }),
        ..glass(0.0, 1.0)
    };
    let hole = Material {
        opacity: 0.2,
        alpha: Alpha::Mask(0.5),
        ..matt(0.5)
    };
    let whole = Material {
        opacity: 0.7,
        alpha: Alpha::Mask(0.5),
        ..matt(0.5)
    };
    let cases = [
        ("a thin veil", veil(0.3), 0),
        ("a thick veil", veil(0.7), 1),
        ("a clear thin pane", glass(0.0, 1.0), 0),
        ("a dark thin pane", glass(0.0, 0.3), 1),
        ("a frosted pane", glass(0.6, 1.0), 1),
        ("a body of glass", body, 1),
        ("a hole", hole, 0),
        ("no hole", whole, 1),
        ("a wall", matt(0.5), 1),
    ];
    for (place_name, place) in places() {
        let scale = place.transform_vector3(DVec3::X).length();
        for (name, pane, wanted) in &cases {
            let scene = before_a_wall(pane.clone(), place);
            let (depth, object) = seen(&scene, place);
            let far = if *wanted == 0 { 5.0 } else { 2.0 } * scale;
            assert_eq!(object, Some(*wanted), "{name}, {place_name}");
            // Single precision places the scene to 0.00012 m at 3,000 m.
            let bound = far * 1e-5 + place.w_axis.truncate().length() * 1.2e-7;
            assert!(
                (depth - far).abs() < bound,
                "{name}, {place_name}: {depth} for {far}"
            );
        }
    }
}

/// With nothing behind a clear pane there is nothing; behind a pane that is no hole there is the pane.
#[test]
fn nothing_behind_a_pane_is_nothing() {
    for (opacity, wanted) in [(0.2, f64::from(NO_DEPTH)), (0.8, 2.0)] {
        let mut builder = SceneBuilder::default();
        builder.materials = vec![Material {
            opacity,
            alpha: Alpha::Blend,
            ..matt(0.5)
        }];
        builder.start_object("Pane");
        builder.add_part(&quad(upright(2.0), 0), &Mat4::IDENTITY);
        let scene = builder.build(WHITE_SKY, "test").unwrap();
        let (depth, _) = seen(&scene, DMat4::IDENTITY);
        assert!((depth / wanted - 1.0).abs() < 1e-6, "{depth} for {wanted}");
    }
}

/// In clay every surface is the same grey, also one that has no light of its own to take (unlit): in an even white sky
/// both mirror the same share of it.
#[test]
fn unlit_surfaces_are_clay_among_clay() {
    let unlit = Material {
        unlit: true,
        base_colour: [0.9, 0.1, 0.4],
        ..matt(0.5)
    };
    let brightness = |material: Material, clay: bool| {
        let scene = scene(&[quad(upright(0.0), 0)], vec![material], WHITE_SKY);
        let light = Illumination::plain(&scene, scene.sky.clone());
        let eye = Along(DMat4::IDENTITY);
        let size = PanoramaSize::from_width(16).unwrap();
        let render = Render {
            clay,
            ..Render::new(&scene, &light, &eye, size, Quality::Samples(64), 2)
        };
        let strip = render.strip(0, 8, &Control::default()).unwrap().beauty;
        let mean = |c: usize| {
            strip
                .samples
                .iter()
                .skip(c)
                .step_by(3)
                .map(|&s| f64::from(s))
                .sum::<f64>()
                / (strip.samples.len() / 3) as f64
        };
        [mean(0), mean(1), mean(2)]
    };
    let clay = brightness(matt(0.9), true);
    assert!(
        clay[0] > 0.05 && (clay[0] - clay[2]).abs() < 1e-6,
        "{clay:?}"
    );
    let same = brightness(unlit.clone(), true);
    for (a, b) in clay.iter().zip(&same) {
        assert!((a - b).abs() < 0.01 * a, "{clay:?} {same:?}");
    }
    // Without clay its own colour is shown, whatever light there is (KHR_materials_unlit).
    let own = brightness(unlit, false);
    for (found, wanted) in own.iter().zip([0.9, 0.1, 0.4]) {
        assert!((found - wanted).abs() < 1e-5, "{own:?}");
    }
}
