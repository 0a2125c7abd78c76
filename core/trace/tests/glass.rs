//! Light in and behind bodies of glass and water: what faces reflect, what bodies take, bodies within bodies.

mod common;

use common::{NO_SKY, WHITE_SKY, ball, block, lamp, matt, mean, quad, scene_at, with_lamp};
use dome_optics::{Eye, PicturePoint, Ray};
use dome_trace::lamp::LampKind;
use dome_trace::material::Volume;
use dome_trace::meter;
use dome_trace::scene::MeshPart;
use dome_trace::{
    Control, GlassLight, Illumination, LightFinding, Material, Quality, Render, Scene,
};
use glam::{DMat4, DVec3, Vec3};

fn body(ior: f32, colour: [f32; 3], roughness: f32) -> Material {
    Material {
        base_colour: [1.0; 3],
        roughness,
        ior,
        transmission: 1.0,
        volume: Some(Volume {
            colour,
            distance: 1.0,
        }),
        ..Material::default()
    }
}

/// A ball of a radius about a place.
fn ball_at(radius: f32, at: [f32; 3], material: u32) -> MeshPart {
    let mut part = ball(material);
    for p in &mut part.positions {
        for (v, c) in p.iter_mut().zip(at) {
            *v = *v * radius + c;
        }
    }
    part
}

/// The same turned inside out: the inner side of a shell.
fn inside_out(mut part: MeshPart) -> MeshPart {
    part.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    for n in &mut part.normals {
        *n = n.map(|v| -v);
    }
    part
}

fn floor(y: f32, half: f32, material: u32) -> MeshPart {
    quad(
        [
            [-half, y, -half],
            [-half, y, half],
            [half, y, half],
            [half, y, -half],
        ],
        material,
    )
}

/// A ray all over the picture.
struct One(Ray);

impl Eye for One {
    fn ray(&self, _: PicturePoint) -> Option<Ray> {
        Some(self.0)
    }
}

fn along(origin: [f64; 3], direction: [f64; 3]) -> Ray {
    Ray {
        origin: DVec3::from(origin),
        direction: DVec3::from(direction).normalize(),
    }
}

/// Mean radiance along a ray.
fn seen(scene: &Scene, ray: Ray, samples: u32, finding: LightFinding, glass: GlassLight) -> f64 {
    let light = Illumination::plain(scene, scene.sky.clone());
    let size = dome_optics::PanoramaSize::from_width(32).unwrap();
    let eye = One(ray);
    let render = Render {
        finding,
        glass,
        ..Render::new(scene, &light, &eye, size, Quality::Samples(samples), 3)
    };
    let strip = render.strip(0, 16, &Control::default()).unwrap();
    let all = strip.beauty.samples;
    all.iter().map(|v| f64::from(*v)).sum::<f64>() / all.len() as f64
}

fn near(found: f64, wanted: f64, share: f64, what: &str) {
    assert!(
        (found / wanted - 1.0).abs() < share,
        "{what}: {found}, not {wanted}"
    );
}

/// A lamp in a globe of clear glass lights the floor as the bare lamp does, less what each face that its light meets straight on
/// reflects: 4 % (Fresnel, index 1.5). A massive globe has one such face, a hollow one two, and its
/// floor and lamp are black, so that what is reflected does not come round again. Truly bent it is the same for a lamp in the middle.
#[test]
fn a_lamp_in_a_globe_lights_its_room() {
    let white = [1.0; 3];
    let parts = |globe: &[MeshPart]| {
        let lamp = ball_at(0.04, [0.0, 1.0, 0.0], 2);
        [&[floor(0.0, 3.0, 0), lamp][..], globe].concat()
    };
    let middle = [0.0, 1.0, 0.0];
    // What the faces let through together.
    let shells = [
        ("massive", vec![ball_at(0.3, middle, 1)], 0.96),
        (
            "hollow",
            vec![
                ball_at(0.3, middle, 1),
                inside_out(ball_at(0.25, middle, 1)),
            ],
            0.96 * 0.96,
        ),
    ];
    for place in [
        DMat4::IDENTITY,
        DMat4::from_translation(DVec3::new(400.0, 20.0, -300.0)),
    ] {
        let read = |globe: &[MeshPart]| {
            let scene = scene_at(
                &parts(globe),
                vec![matt(0.0), body(1.5, white, 0.0), lamp(1000.0)],
                NO_SKY,
                place,
            );
            let down = along([0.6, 0.5, 0.2], [0.0, -1.0, 0.0]);
            let ray = Ray {
                origin: place.transform_point3(down.origin),
                ..down
            };
            let light = Illumination::plain(&scene, NO_SKY);
            meter::read(&scene, &light, &ray, 8192)
                .illuminance_lx
                .unwrap()
        };
        let bare = read(&[]);
        for (name, globe, wanted) in &shells {
            let share = read(globe) / bare;
            println!("{name}: {share:.4} of the bare lamp");
            near(share, *wanted, 0.005, name);
        }
    }
    // Both ways of finding light, and either way through glass, agree about a floor that answers.
    let grey = |finding, glass| {
        let scene = scene_at(
            &parts(&shells[0].1),
            vec![matt(0.5), body(1.5, white, 0.0), lamp(1000.0)],
            NO_SKY,
            DMat4::IDENTITY,
        );
        let ray = along([0.6, 0.5, 0.2], [0.0, -1.0, 0.0]);
        seen(&scene, ray, 2048, finding, glass)
    };
    let both = grey(LightFinding::Both, GlassLight::Straight);
    let lights = grey(LightFinding::Lights, GlassLight::Straight);
    let surfaces = grey(LightFinding::Surfaces, GlassLight::Straight);
    let bent = grey(LightFinding::Both, GlassLight::Bent);
    println!("{both} {lights} {surfaces} {bent}");
    near(lights, both, 0.02, "lights alone");
    near(surfaces, both, 0.05, "surfaces alone");
    near(bent, both, 0.05, "truly bent");
}

/// Absorbing water over a lamp (Beer and Lambert: the colour to the power of the way): a lamp under water, read on the floor below
/// it in the water, and above the water, where the surface lets (1 - ((n - 1) / (n + 1))²) through straight up.
#[test]
fn water_takes_light_by_its_depth() {
    let colour = 0.4f32;
    let water = body(1.33, [colour; 3], 0.0);
    // Water from 0 to 2 m, the lamp half a metre below its surface, a card 1 m above it.
    let parts = [
        floor(1e-3, 2.0, 0),
        block([-5.0, -0.5, -5.0], [5.0, 2.0, 5.0], 1),
        inside_out(floor(3.0, 0.2, 0)),
    ];
    let scene = with_lamp(
        &parts,
        vec![matt(0.0), water],
        (LampKind::Point, Vec3::new(0.0, 1.5, 0.0), 100.0),
    );
    let light = Illumination::plain(&scene, NO_SKY);
    let scale = f64::from(light.white_cd_m2);
    let lux = |ray: Ray| {
        meter::read(&scene, &light, &ray, 4096)
            .illuminance_lx
            .unwrap()
            / scale
    };
    // From within the water, 0.5 m over the floor.
    let below = lux(along([0.0, 0.5, 0.0], [0.0, -1.0, 0.0]));
    near(
        below,
        100.0 / 1.499f64.powi(2) * f64::from(colour).powf(1.499),
        0.01,
        "the floor",
    );
    let above = lux(along([0.0, 2.5, 0.0], [0.0, 1.0, 0.0]));
    let passes = 1.0 - (0.33f64 / 2.33).powi(2);
    near(
        above,
        100.0 / 1.5f64.powi(2) * f64::from(colour).powf(0.5) * passes,
        0.01,
        "the card",
    );
    // What the eye sees under water is dimmed from the eye on.
    let parts = [
        floor(0.0, 2.0, 0),
        block([-5.0, -0.5, -5.0], [5.0, 2.0, 5.0], 1),
    ];
    let glowing = scene_at(
        &parts,
        vec![lamp(1.0), body(1.33, [colour; 3], 0.0)],
        NO_SKY,
        DMat4::IDENTITY,
    );
    let ray = along([0.0, 1.0, 0.0], [0.0, -1.0, 0.0]);
    let found = seen(&glowing, ray, 4, LightFinding::Both, GlassLight::Straight);
    near(found, f64::from(colour), 1e-3, "under water");
}

/// Water in glass: its border reflects by the index of one relative to the other. Through a clear stack of faces, met straight on,
/// comes 1 / (1 + the sum of R / (1 - R)) (Stokes 1862, "On the intensity of the light reflected from or transmitted through a pile
/// of plates"). Bodies that overlap a little, as they are modelled against gaps, are the same stack.
#[test]
fn bodies_lie_within_bodies() {
    let face = |a: f64, b: f64| {
        let r = ((a - b) / (a + b)).powi(2);
        r / (1.0 - r)
    };
    let wanted = 1.0 / (1.0 + 2.0 * face(1.0, 1.5) + 2.0 * face(1.5, 1.33));
    let clear = [1.0; 3];
    let sky_less_floor = || floor(-1.0, 3000.0, 2);
    let glass = block([-300.0, 0.0, -300.0], [300.0, 3.0, 300.0], 0);
    let hole =
        |low: f32, high: f32| inside_out(block([-200.0, low, -200.0], [200.0, high, 200.0], 0));
    let water = |low: f32, high: f32| block([-250.0, low, -250.0], [250.0, high, 250.0], 1);
    let stacks = [
        ("within", vec![glass.clone(), water(1.0, 2.0)]),
        ("overlapping", vec![glass, hole(1.1, 1.9), water(1.0, 2.0)]),
    ];
    for (name, mut parts) in stacks {
        parts.push(sky_less_floor());
        let scene = scene_at(
            &parts,
            vec![body(1.5, clear, 0.0), body(1.33, clear, 0.0), lamp(1.0)],
            NO_SKY,
            DMat4::IDENTITY,
        );
        let ray = along([0.3, 9.0, 0.2], [0.0, -1.0, 0.0]);
        let found = seen(&scene, ray, 256, LightFinding::Both, GlassLight::Straight);
        println!("{name}: {found:.4}, wanted {wanted:.4}");
        near(found, wanted, 0.004, name);
    }
}

/// The white furnace: bodies of glass of any roughness and index neither make nor lose light, seen from outside and from within. In
/// glass of index 2 light goes round within the ball for longer than paths are followed.
#[test]
fn rough_glass_keeps_its_energy() {
    for (ior, share) in [(1.2, 0.015), (1.5, 0.02), (2.0, 0.05)] {
        for roughness in [0.1, 0.3, 0.6, 1.0] {
            let scene = scene_at(
                &[ball(0)],
                vec![body(ior, [1.0; 3], roughness)],
                WHITE_SKY,
                DMat4::IDENTITY,
            );
            let outside = mean(&scene, &common::FromAbove { height: 5.0 }, 32, 256, 1);
            // From near the middle: what meets a smooth face aslant from within goes round in a ball for ever.
            let ray = along([0.05, 0.1, 0.0], [0.3, -1.0, 0.2]);
            let inside = seen(&scene, ray, 256, LightFinding::Both, GlassLight::Bent);
            println!(
                "index {ior}, roughness {roughness}: {outside:.3} outside, {inside:.3} inside"
            );
            near(outside, 1.0, share, "outside");
            near(inside, 1.0, share, "inside");
        }
    }
}
