//! The laws of light do not depend on where a scene stands, how it is turned and how large it is: near lamps,
//! far from the origin, on triangles a kilometre wide.

mod common;

use common::*;
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PicturePoint, Ray};
use dome_trace::accel::TraceRay;
use dome_trace::lamp::{Lamp, LampKind};
use dome_trace::scene::MeshPart;
use dome_trace::{
    Control, Illumination, LightFinding, Material, Pass, PassSet, Quality, Render, Scene,
    SceneBuilder,
};
use glam::{DMat4, DVec3, Mat4, Vec3};

/// Looks at one place.
struct Spot(DVec3, DVec3);

impl Eye for Spot {
    fn ray(&self, _: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: self.0,
            direction: self.1,
        })
    }
}

fn level(x: f32, y: f32, z: f32, half: f32) -> [[f32; 3]; 4] {
    [
        [x - half, y, z - half],
        [x - half, y, z + half],
        [x + half, y, z + half],
        [x + half, y, z - half],
    ]
}

fn found_by(scene: &Scene, eye: &dyn Eye, samples: u32, finding: LightFinding) -> f64 {
    let light = Illumination::plain(scene, scene.sky.clone());
    let size = PanoramaSize::from_width(16).unwrap();
    let render = Render {
        finding,
        ..Render::new(scene, &light, eye, size, Quality::Samples(samples), 3)
    };
    let strip = render.strip(0, 8, &Control::default()).unwrap().beauty;
    strip.samples.iter().map(|&s| f64::from(s)).sum::<f64>() / strip.samples.len() as f64
}

/// From a point to a parallel rectangle, one corner straight above it (Howell, A Catalog of Radiation Heat
/// Transfer Configuration Factors, B-3): the share that a lamp of four such quarters has.
fn share_of_square(side: f64, height: f64) -> f64 {
    let x = side / 2.0 / height;
    let root = (1.0 + x * x).sqrt();
    4.0 * (2.0 * x / root * (x / root).atan()) / std::f64::consts::TAU
}

/// A black lamp close above a floor gives the light that its view factor says, whatever height the floor is at.
/// Lights alone, surfaces alone and both weighed agree.
#[test]
fn a_lamp_does_not_shade_itself_at_any_height() {
    for (height, gap, side) in [
        (0.0, 0.6, 0.3),
        (6.0, 0.6, 0.3),
        (30.0, 0.6, 0.3),
        (30.0, 1.5, 0.3),
        (3000.0, 0.6, 0.3),
        (3000.0, 1.5, 1.0),
    ] {
        let floor = level(0.0, height, 0.0, 2.0);
        let s = scene(
            &[
                quad(floor, 0),
                quad(level(0.0, height + gap, 0.0, side / 2.0), 1),
            ],
            vec![matt(0.5), lamp(10.0)],
            NO_SKY,
        );
        let eye = Spot(
            DVec3::new(1.0, f64::from(height) + 1.0, 0.0),
            DVec3::new(-1.0, -1.0, 0.0).normalize(),
        );
        // Single precision itself moves the lamp by up to 0.12 mm at 3,000 m.
        let gap = f64::from(height + gap) - f64::from(height);
        let wanted = 0.5 * 10.0 * share_of_square(f64::from(side), gap);
        for (finding, samples, within) in [
            (LightFinding::Both, 64, 0.01),
            (LightFinding::Lights, 64, 0.01),
            (LightFinding::Surfaces, 4096, 0.02),
        ] {
            let found = found_by(&s, &eye, samples, finding);
            assert!(
                (found / wanted - 1.0).abs() < within,
                "floor at {height} m, lamp {gap} m above, {finding:?}: {found} instead of {wanted}"
            );
        }
    }
}

/// The three ways of finding light agree where lamps, sky and glossy things meet, wherever that is.
#[test]
fn lights_alone_surfaces_alone_and_both_agree_anywhere() {
    let gloss = Material {
        base_colour: [0.6; 3],
        metallic: 1.0,
        roughness: 0.4,
        ..Material::default()
    };
    let parts = [
        quad(level(0.0, 0.0, 0.0, 3.0), 0),
        quad(level(0.4, 0.9, 0.2, 0.4), 1),
        MeshPart {
            material: 2,
            positions: ball(2)
                .positions
                .iter()
                .map(|p| [p[0] * 0.3 - 0.5, p[1] * 0.3 + 0.31, p[2] * 0.3])
                .collect(),
            ..ball(2)
        },
    ];
    let eye = MonoEye::new(DVec3::new(0.0, 0.6, 1.2), Orientation::default(), Equirect);
    for (name, place) in places() {
        let s = scene_at(
            &parts,
            vec![matt(0.5), lamp(4.0), gloss.clone()],
            WHITE_SKY,
            place,
        );
        let eye = EyeAt(&eye, place);
        let both = found_by(&s, &eye, 1024, LightFinding::Both);
        for finding in [LightFinding::Lights, LightFinding::Surfaces] {
            let found = found_by(&s, &eye, 2048, finding);
            assert!(
                (found / both - 1.0).abs() < 0.01,
                "{name}, {finding:?}: {found} instead of {both}"
            );
        }
    }
}

/// Facts of the other checks, on scenes that are somewhere else: view factors (Howell), the white furnace, the
/// closed furnace, Fresnel's four percent.
#[test]
fn facts_hold_anywhere() {
    let above = GROUND.map(|[x, _, z]| [x, 1.0, z]);
    let white = |metallic, roughness| Material {
        base_colour: [1.0; 3],
        metallic,
        roughness,
        ..Material::default()
    };
    let black = Material {
        base_colour: [0.0; 3],
        roughness: 0.0,
        ..Material::default()
    };
    let glow = Material {
        emission: [0.4; 3],
        ..matt(0.6)
    };
    let inside = MonoEye::new(DVec3::new(0.3, 0.2, 0.1), Orientation::default(), Equirect);
    let near = FromAbove { height: 0.5 };
    let high = FromAbove { height: 5.0 };
    for (name, place) in places() {
        let check = |what: &str, parts: &[MeshPart], materials, sky, eye: &dyn Eye, wanted: f64| {
            let s = scene_at(parts, materials, sky, place);
            let found = mean(&s, &EyeAt(eye, place), 32, 128, 1);
            assert!(
                (found / wanted - 1.0).abs() < 0.01,
                "{what}, {name}: {found} instead of {wanted}"
            );
        };
        check(
            "facing squares",
            &[quad(GROUND, 0), quad(above, 1)],
            vec![matt(0.5), lamp(1.0)],
            NO_SKY,
            &near,
            0.5 * 0.1998,
        );
        for (metallic, roughness) in [(0.0, 0.5), (1.0, 0.3)] {
            let materials = vec![white(metallic, roughness)];
            check("white ball", &[ball(0)], materials, WHITE_SKY, &high, 1.0);
        }
        check(
            "closed furnace",
            &[ball(0)],
            vec![glow.clone()],
            NO_SKY,
            &inside,
            1.0,
        );
        check(
            "four percent",
            &[quad(GROUND, 0)],
            vec![black.clone()],
            WHITE_SKY,
            &FromAbove { height: 1.0 },
            0.04,
        );
    }
}

/// A scene with lamps, glass, a ball and a box: the same picture and passes wherever it stands.
#[test]
fn the_picture_stays_when_the_scene_is_moved_turned_or_scaled() {
    let pane = Material {
        base_colour: [1.0; 3],
        transmission: 1.0,
        roughness: 0.0,
        ..Material::default()
    };
    let parts = [
        quad(level(0.0, 0.0, 0.0, 4.0), 0),
        quad(level(0.5, 1.8, -1.0, 0.2), 1),
        ball(2),
        quad(
            [
                [-2.0, 0.1, -1.0],
                [-2.0, 0.1, 1.0],
                [-2.0, 1.9, 1.0],
                [-2.0, 1.9, -1.0],
            ],
            3,
        ),
        quad(
            [
                [-3.0, 0.0, -3.0],
                [-3.0, 0.0, 3.0],
                [-3.0, 3.0, 3.0],
                [-3.0, 3.0, -3.0],
            ],
            0,
        ),
    ];
    let eye = MonoEye::new(
        DVec3::new(-0.8, 1.3, 1.4),
        Orientation::heading(20.0),
        Equirect,
    );
    let size = PanoramaSize::from_width(64).unwrap();
    let passes = PassSet::new([Pass::Depth, Pass::Normal, Pass::ObjectMask]);
    let picture = |place: DMat4| {
        let materials = vec![matt(0.5), lamp(20.0), matt(0.7), pane.clone()];
        let s = scene_at(&parts, materials, WHITE_SKY, place);
        let light = Illumination::plain(&s, s.sky.clone());
        let eye = EyeAt(&eye, place);
        let render = Render {
            passes: passes.clone(),
            ..Render::new(&s, &light, &eye, size, Quality::Samples(64), 1)
        };
        render.strip(0, 32, &Control::default()).unwrap()
    };
    let first = picture(DMat4::IDENTITY);
    for (name, place) in places().into_iter().skip(1) {
        let other = picture(place);
        let scale = place.x_axis.truncate().length() as f32;
        let pairs = first.beauty.samples.iter().zip(&other.beauty.samples);
        let off = pairs.map(|(a, b)| f64::from((a - b).abs())).sum::<f64>();
        let whole = first
            .beauty
            .samples
            .iter()
            .map(|&v| f64::from(v))
            .sum::<f64>();
        // The same paths but for single ones that meet an edge on its other side.
        assert!(
            off / whole < 0.02,
            "{name}: pixels differ by {}",
            off / whole
        );
        let sum = other
            .beauty
            .samples
            .iter()
            .map(|&v| f64::from(v))
            .sum::<f64>();
        assert!((sum / whole - 1.0).abs() < 2e-3, "{name}: {}", sum / whole);
        let wrong = first.layers[0]
            .iter()
            .zip(&other.layers[0])
            .filter(|(a, b)| **a < 1e9 && (**b / scale / **a - 1.0).abs() > 1e-3)
            .count();
        assert!(wrong <= 4, "{name}: {wrong} distances differ");
        let masks = first.layers[2].iter().zip(&other.layers[2]);
        let wrong = masks.filter(|(a, b)| a != b).count();
        assert!(wrong <= 12, "{name}: {wrong} mask values differ");
    }
}

/// Two triangles, a kilometre wide, sloped by 2 %, under light from 30 degrees above the horizon: every point
/// has the same light, albedo E cos / pi (Lambert), and none of it depends on chance.
#[test]
fn a_kilometre_of_ground_does_not_shade_itself() {
    let slope = 0.02f32;
    let corner = |x: f32, z: f32| [x * 500.0, x * 500.0 * slope + z * 500.0 * 0.006, z * 500.0];
    let ground = [
        corner(-1.0, -1.0),
        corner(-1.0, 1.0),
        corner(1.0, 1.0),
        corner(1.0, -1.0),
    ];
    let sun = DVec3::new(0.6, -0.5, (0.75f64 - 0.36).sqrt()).normalize();
    struct Grid;
    impl Eye for Grid {
        fn ray(&self, p: PicturePoint) -> Option<Ray> {
            // Every ray meets the ground inside its borders.
            let place = DVec3::new(p.u * 850.0 - 450.0, 40.0, p.v * 850.0 - 440.0);
            Some(Ray {
                origin: place,
                direction: DVec3::new(0.5, -0.6, 0.1).normalize(),
            })
        }
    }
    let normal = Vec3::new(-slope, 1.0, -0.006).normalize();
    let wanted = 0.5 / std::f32::consts::PI * 1000.0 * -normal.dot(sun.as_vec3());
    for (name, place) in places() {
        let mut builder = SceneBuilder::default();
        builder.materials = vec![matt(0.5)];
        builder.start_object("Ground");
        let mut placed = quad(ground, 0);
        for p in &mut placed.positions {
            let at = place.transform_point3(DVec3::from(p.map(f64::from)));
            *p = at.as_vec3().to_array();
        }
        builder.add_part(&placed, &Mat4::IDENTITY);
        builder.lamps.push(Lamp {
            name: "Sun".into(),
            kind: LampKind::Directional,
            position: Vec3::ZERO,
            direction: place.transform_vector3(sun).normalize().as_vec3(),
            intensity: [1000.0; 3],
            range: None,
            beam: None,
        });
        let s = builder.build(NO_SKY, "ground").unwrap();
        let light = Illumination::plain(&s, s.sky.clone());
        let size = PanoramaSize::from_width(256).unwrap();
        let found = render(&s, &light, &EyeAt(&Grid, place), size, 4, 1);
        let grain = found
            .iter()
            .filter(|v| (**v / wanted - 1.0).abs() > 0.01)
            .count();
        assert_eq!(grain, 0, "{name}: of {} values", found.len());
    }
}

/// Nothing leaks beneath a thing that stands on a kilometre of ground: what starts above it, however little,
/// meets it.
#[test]
fn what_stands_on_large_ground_is_closed_to_below() {
    let slope = 0.02f32;
    let corner = |x: f32, z: f32| [x * 500.0, x * 500.0 * slope, z * 500.0];
    let ground = [
        corner(-1.0, -1.0),
        corner(-1.0, 1.0),
        corner(1.0, 1.0),
        corner(1.0, -1.0),
    ];
    let s = scene(&[quad(ground, 0)], vec![matt(0.5)], NO_SKY);
    for i in 0..20_000 {
        let a = i as f32 * 2.399_963;
        let (x, z) = (
            a.cos() * (i as f32).sqrt() * 3.0,
            a.sin() * (i as f32).sqrt() * 3.0,
        );
        let up = 10f32.powi(-(i % 4) - 1);
        let from = Vec3::new(x, x * slope + up, z);
        let down = Vec3::new(a.sin() * 0.8, -0.7, a.cos() * 0.6).normalize();
        let hit = s.hit(&TraceRay::new(from, down));
        // Half a unit in the last place of x, times the slope, is what the start itself may be off.
        if up > 2e-5 {
            assert!(hit.is_some(), "{from} looking {down}");
        }
        assert!(s.hit(&TraceRay::new(from, -down)).is_none(), "{from}");
    }
}

/// A card 2 mm before a light 50 m away takes all of it, from lamps with and without a body.
#[test]
fn a_card_before_a_far_light_takes_it_all() {
    for bodied in [true, false] {
        for card in [false, true] {
            let mut builder = SceneBuilder::default();
            builder.materials = vec![matt(0.5), lamp(1e5), matt(0.0)];
            builder.start_object("Floor");
            builder.add_part(&quad(level(0.0, 0.0, 0.0, 1.0), 0), &Mat4::IDENTITY);
            if bodied {
                builder.start_object("Light");
                builder.add_part(&quad(level(0.0, 50.0, 0.0, 0.1), 1), &Mat4::IDENTITY);
            } else {
                builder.lamps.push(Lamp {
                    name: "Lamp".into(),
                    kind: LampKind::Point,
                    position: Vec3::new(0.0, 50.0, 0.0),
                    direction: Vec3::NEG_Y,
                    intensity: [4000.0; 3],
                    range: None,
                    beam: None,
                });
            }
            if card {
                builder.start_object("Card");
                builder.add_part(&quad(level(0.0, 49.998, 0.0, 0.2), 2), &Mat4::IDENTITY);
            }
            let s = builder.build(NO_SKY, "card").unwrap();
            let eye = Spot(
                DVec3::new(0.5, 0.5, 0.0),
                DVec3::new(-1.0, -1.0, 0.0).normalize(),
            );
            let found = found_by(&s, &eye, 64, LightFinding::Both);
            // Irradiance: L A / d^2 (1e5 x 0.2 x 0.2), and I / d^2.
            let candela = 4000.0;
            let wanted = candela / 2500.0;
            let wanted = if card {
                0.0
            } else {
                0.5 / std::f64::consts::PI * wanted
            };
            assert!(
                (found - wanted).abs() <= 0.005 * wanted,
                "bodied {bodied}, card {card}: {found} instead of {wanted}"
            );
        }
    }
}
