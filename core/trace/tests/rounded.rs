//! Coarse meshes whose normals say that they are round: no facet shows at the edge of the shadow, nothing leaks, no energy is lost.

mod common;

use common::*;
use dome_optics::{Eye, PanoramaSize, PicturePoint, Ray};
use dome_trace::lamp::{Lamp, LampKind};
use dome_trace::scene::MeshPart;
use dome_trace::{
    Control, Illumination, LightFinding, Material, Pass, PassSet, Quality, Render, Scene,
    SceneBuilder,
};
use glam::{DMat3, DMat4, DVec3, Mat4, Vec3};

const SIZE: u32 = 128;

/// Looks along -Z at the unit ball, evenly.
struct Beside;

impl Eye for Beside {
    fn ray(&self, p: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: DVec3::new(2.2 * p.u - 1.1, 1.1 - 2.2 * p.v, 4.0),
            direction: DVec3::NEG_Z,
        })
    }
}

/// Parts under parallel light of 1 lux from the direction `to_light`, somewhere.
fn under_light(parts: &[MeshPart], materials: Vec<Material>, to_light: DVec3, at: DMat4) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = materials;
    for part in parts {
        builder.start_object("part");
        builder.add_part(&part_at(part, at), &Mat4::IDENTITY);
    }
    let direction = DMat3::from_mat4(at) * -to_light;
    builder.lamps.push(Lamp {
        name: "Lamp".into(),
        kind: LampKind::Directional,
        position: Vec3::ZERO,
        direction: direction.normalize().as_vec3(),
        intensity: [1.0; 3],
        range: None,
        beam: None,
    });
    builder.build(NO_SKY, "test").unwrap()
}

/// A picture, and passes of it.
fn seen(scene: &Scene, at: DMat4, samples: u32, passes: &[Pass]) -> (Vec<f32>, Vec<Vec<f32>>) {
    let light = Illumination::plain(scene, scene.sky.clone());
    let eye = EyeAt(&Beside, at);
    let size = PanoramaSize::from_width(SIZE).unwrap();
    let render = Render {
        passes: PassSet::new(passes.iter().copied()),
        ..Render::new(scene, &light, &eye, size, Quality::Samples(samples), 3)
    };
    let strip = render.strip(0, size.height(), &Control::default()).unwrap();
    (strip.beauty.samples, strip.layers)
}

/// Lambert's law holds on a ball of 12 by 16 faces for the normals that it shows, up to and over the edge of the shadow: facets that
/// turn from the light are as bright as their rounded form is.
#[test]
fn no_facets_at_the_edge_of_the_shadow() {
    let to_light = DVec3::new(0.9, 0.3, 0.35).normalize();
    for (name, at) in places() {
        let scene = under_light(&[ball_of(0, 12, 16)], vec![matt(0.5)], to_light, at);
        let (beauty, layers) = seen(&scene, at, 32, &[Pass::Alpha, Pass::Normal]);
        let towards = (DMat3::from_mat4(at) * to_light).normalize();
        let (mut checked, mut edge) = (0, 0);
        let solid = layers[0].iter().zip(layers[1].chunks_exact(3));
        for (rgb, (alpha, n)) in beauty.chunks_exact(3).zip(solid) {
            if *alpha < 1.0 {
                continue;
            }
            let n = DVec3::new(n[0].into(), n[1].into(), n[2].into());
            let cosine = n.dot(towards).max(0.0);
            let found = f64::from(rgb[0]) * std::f64::consts::PI / 0.5;
            assert!(
                (found - cosine).abs() < 0.03,
                "{name}: {found}, not {cosine}"
            );
            checked += 1;
            edge += u32::from(cosine > 0.01 && cosine < 0.2);
        }
        assert!(checked > 4000 && edge > 300, "{name}: {checked}, {edge}");
    }
}

/// A white ball of few faces cannot be told from uniform light: nothing is lost to its facets.
#[test]
fn a_coarse_ball_vanishes_in_the_furnace() {
    for (metallic, roughness) in [(0.0, 1.0), (1.0, 0.4)] {
        let white = Material {
            metallic,
            roughness,
            ..matt(1.0)
        };
        for (name, at) in places() {
            let scene = scene_at(&[ball_of(0, 12, 16)], vec![white.clone()], WHITE_SKY, at);
            let (beauty, _) = seen(&scene, at, 64, &[]);
            let mean = beauty.iter().map(|v| f64::from(*v)).sum::<f64>() / beauty.len() as f64;
            assert!((mean - 1.0).abs() < 0.004, "{name}, {metallic}: {mean}");
        }
    }
}

/// A ball that is sunk into a thin wall takes no light from beyond it.
#[test]
fn light_does_not_leak_round_a_wall() {
    let wall = quad(
        [
            [0.97, -50.0, -50.0],
            [0.97, 50.0, -50.0],
            [0.97, 50.0, 50.0],
            [0.97, -50.0, 50.0],
        ],
        0,
    );
    for (name, at) in places() {
        let parts = [ball_of(0, 12, 16), wall.clone()];
        let scene = under_light(&parts, vec![matt(0.5)], DVec3::X, at);
        let (_, layers) = seen(&scene, at, 16, &[Pass::Direct]);
        for (i, rgb) in layers[0].chunks_exact(3).enumerate() {
            let x = 2.2 * (f64::from(i as u32 % SIZE) + 1.0) / f64::from(SIZE) - 1.1;
            assert!(x > 0.96 || rgb[0] == 0.0, "{name}: {x}: {rgb:?}");
        }
    }
}

/// Light that is chosen and light that is met is the same light, with a lamp near a coarse ball on the ground.
#[test]
fn both_ways_of_finding_light_agree() {
    let lamp_panel = quad(
        [
            [1.2, 0.4, -0.5],
            [1.2, 0.4, 0.5],
            [1.2, 1.4, 0.5],
            [1.2, 1.4, -0.5],
        ],
        1,
    );
    let parts = [ball_of(0, 8, 12), lamp_panel];
    let scene = scene(&parts, vec![matt(0.7), lamp(1.0)], NO_SKY);
    let light = Illumination::plain(&scene, scene.sky.clone());
    let size = PanoramaSize::from_width(64).unwrap();
    let found = |finding| {
        let render = Render {
            finding,
            ..Render::new(&scene, &light, &Beside, size, Quality::Samples(512), 5)
        };
        let strip = render.strip(0, size.height(), &Control::default()).unwrap();
        let samples = strip.beauty.samples;
        samples.iter().map(|v| f64::from(*v)).sum::<f64>() / samples.len() as f64
    };
    let both = found(LightFinding::Both);
    for finding in [LightFinding::Lights, LightFinding::Surfaces] {
        let one = found(finding);
        assert!(
            (one / both - 1.0).abs() < 0.01,
            "{finding:?}: {one}, {both}"
        );
    }
}
