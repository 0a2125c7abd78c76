//! Materials and lamps against facts of optics and photometry.

mod common;

use common::*;
use dome_optics::{Equirect, Eye, LensEye, MonoEye, Orientation, PanoramaSize, PicturePoint, Ray};
use dome_trace::bsdf::{Bsdf, Gloss, fresnel};
use dome_trace::lamp::LampKind;
use dome_trace::material::{Alpha, Coat, Sheen, Volume};
use dome_trace::scene::MeshPart;
use dome_trace::{Illumination, LightSetting, LightSettings, Material, Surroundings};
use glam::{DVec3, Vec3};

fn clear(volume: bool) -> Material {
    Material {
        base_colour: [1.0; 3],
        roughness: 0.0,
        transmission: 1.0,
        volume: volume.then_some(Volume {
            colour: [1.0; 3],
            distance: f32::INFINITY,
        }),
        ..Material::default()
    }
}

/// White furnace: glass, lacquer, cloth and veils neither make nor lose light.
#[test]
fn clear_and_layered_balls_vanish_in_the_furnace() {
    let white = Material {
        base_colour: [1.0; 3],
        ..Material::default()
    };
    let coat = |roughness| Coat {
        weight: 1.0,
        weight_texture: None,
        roughness,
        roughness_texture: None,
        normal_texture: None,
    };
    let cases = [
        ("thin glass", clear(false), 0.01),
        ("a body of glass", clear(true), 0.01),
        (
            "frosted thin glass",
            Material {
                roughness: 0.3,
                ..clear(false)
            },
            0.02,
        ),
        (
            "a veil",
            Material {
                alpha: Alpha::Blend,
                opacity: 0.4,
                ..white.clone()
            },
            0.01,
        ),
        (
            "smooth lacquer",
            Material {
                coat: Some(coat(0.0)),
                ..white.clone()
            },
            0.01,
        ),
        (
            "rough lacquer",
            Material {
                coat: Some(coat(0.4)),
                ..white.clone()
            },
            0.02,
        ),
        (
            "cloth",
            Material {
                sheen: Some(Sheen {
                    colour: [1.0; 3],
                    colour_texture: None,
                    roughness: 0.5,
                    roughness_texture: None,
                }),
                ..white
            },
            0.02,
        ),
    ];
    for (name, material, tolerance) in cases {
        let s = scene(&[ball(0)], vec![material], WHITE_SKY);
        let found = mean(&s, &FromAbove { height: 5.0 }, 32, 128, 1);
        assert!((found - 1.0).abs() < tolerance, "{name}: {found}");
    }
}

/// Fresnel (Hecht, Optics): 0.04 straight on for index 1.5; at Brewster's angle, 56.31 degrees, only the
/// crossed half is reflected, ((n^2 - 1) / (n^2 + 1))^2 / 2; nothing leaves glass beyond 41.81 degrees.
#[test]
fn fresnel_knows_brewster_and_total_reflection() {
    assert!((fresnel(1.0, 1.5) - 0.04).abs() < 1e-6);
    let brewster = 1.5f32.atan();
    assert!((brewster.to_degrees() - 56.31).abs() < 0.01);
    let crossed = ((1.5f32.powi(2) - 1.0) / (1.5f32.powi(2) + 1.0)).powi(2) / 2.0;
    assert!((fresnel(brewster.cos(), 1.5) - crossed).abs() < 1e-6);
    let edge = (1.0f32 / 1.5).asin();
    assert!((edge.to_degrees() - 41.81).abs() < 0.01);
    assert!(fresnel((edge + 0.001).cos(), 1.0 / 1.5) == 1.0);
    assert!(fresnel((edge - 0.02).cos(), 1.0 / 1.5) < 1.0);
}

/// Snell's law: from 30 degrees into index 1.5 light goes on at asin(0.5 / 1.5) = 19.47 degrees.
#[test]
fn glass_bends_light_as_snell_says() {
    let gloss = Gloss {
        base: Vec3::ONE,
        roughness: 0.0,
        transmission: 1.0,
        thin: false,
        specular: 1.0,
        ..Gloss::matt(Vec3::ONE)
    };
    let angle = 30f32.to_radians();
    let bsdf = Bsdf::new(&gloss, Vec3::new(angle.sin(), 0.0, angle.cos()));
    let mut seen = 0;
    for i in 0..200 {
        let u = (i as f32 + 0.5) / 200.0;
        let Some(sampled) = bsdf.sample(u, (0.1, 0.4)) else {
            continue;
        };
        if sampled.wi.z < 0.0 {
            let found = (-sampled.wi.z).acos().to_degrees();
            assert!((found - 19.47).abs() < 0.2, "{found}");
            assert!(sampled.wi.x < 0.0, "it goes on to the other side");
            seen += 1;
        }
    }
    assert!(seen > 100, "{seen}");
}

/// Sampled directions weigh up to the same as directions all round: a density that does not fit its
/// lobe would show (definition of the albedo, summed both ways).
#[test]
fn densities_fit_what_is_sampled() {
    let base = Gloss {
        roughness: 0.5,
        specular: 1.0,
        ..Gloss::matt(Vec3::splat(0.7))
    };
    let cases = [
        base,
        Gloss {
            transmission: 0.6,
            thin: false,
            ..base
        },
        Gloss {
            transmission: 0.6,
            ..base
        },
        Gloss {
            coat: 1.0,
            coat_roughness: 0.4,
            coat_normal: Some(Vec3::new(0.2, 0.0, 0.98).normalize()),
            sheen: Vec3::splat(0.4),
            sheen_roughness: 0.6,
            ..base
        },
    ];
    for (case, gloss) in cases.iter().enumerate() {
        let bsdf = Bsdf::new(gloss, Vec3::new(0.5, 0.1, 0.86).normalize());
        let n = 200_000u32;
        let (mut sampled, mut summed, mut density) = (0.0f64, 0.0f64, 0.0f64);
        for i in 0..n {
            let x = (f64::from(i) + 0.5) / f64::from(n);
            let y = f64::from(i.reverse_bits()) / 4_294_967_296.0;
            let choose = (x * 7919.0).fract() as f32;
            if let Some(s) = bsdf.sample(choose, (x as f32, y as f32)) {
                let a = s.answer;
                sampled += f64::from((a.diffuse + a.specular).x / a.pdf);
            }
            let (z, phi) = (2.0 * x - 1.0, std::f64::consts::TAU * y);
            let r = (1.0 - z * z).sqrt();
            let wi = Vec3::new((r * phi.cos()) as f32, (r * phi.sin()) as f32, z as f32);
            let a = bsdf.evaluate(wi);
            summed += f64::from((a.diffuse + a.specular).x) * 4.0 * std::f64::consts::PI;
            density += f64::from(a.pdf) * 4.0 * std::f64::consts::PI;
        }
        let n = f64::from(n);
        let (sampled, summed, density) = (sampled / n, summed / n, density / n);
        assert!(
            (sampled / summed - 1.0).abs() < 0.02,
            "case {case}: {sampled} {summed}"
        );
        // What is sampled below the surface by reflection is lost, so a density may stay under 1.
        assert!((0.85..1.01).contains(&density), "case {case}: {density}");
    }
}

/// Looks straight down on the middle of the unit square.
struct Spot(f64);

impl Eye for Spot {
    fn ray(&self, _: PicturePoint) -> Option<Ray> {
        Some(Ray {
            origin: DVec3::new(0.5, self.0, 0.5),
            direction: DVec3::NEG_Y,
        })
    }
}

/// Beer and Lambert: through a metre of a body that colours white light to c per metre, looking straight
/// down, c (1 - r)^2 / (1 - r^2 c^2) arrives, r = 0.04 being reflected at each face.
#[test]
fn a_body_colours_light_by_its_depth() {
    let colour = [0.5, 0.25, 0.8];
    let glass = Material {
        volume: Some(Volume {
            colour,
            distance: 1.0,
        }),
        ..clear(true)
    };
    let s = scene(&[block([0.0; 3], [1.0; 3], 0)], vec![glass], WHITE_SKY);
    let light = Illumination::plain(&s, s.sky.clone());
    let size = PanoramaSize::from_width(32).unwrap();
    let samples = render(&s, &light, &Spot(3.0), size, 256, 1);
    for (channel, c) in colour.into_iter().enumerate() {
        let found = samples.iter().skip(channel).step_by(3).sum::<f32>() / 512.0;
        let r = 0.04f32;
        // The first face mirrors the white sky; what enters is mirrored to and fro inside.
        let wanted = r + (1.0 - r).powi(2) * c / (1.0 - (r * c).powi(2)) * (1.0 + r * c);
        assert!((found / wanted - 1.0).abs() < 0.02, "{found} {wanted}");
    }
}

fn lit_by(
    kind: LampKind,
    intensity: f32,
    materials: Vec<Material>,
    parts: &[MeshPart],
) -> dome_trace::Scene {
    let above = Vec3::new(0.5, 2.0, 0.5);
    with_lamp(parts, materials, (kind, above, intensity))
}

/// Photometry: I candela at distance d give the illuminance I / d^2 straight below; E lux stay E. A matt
/// surface of albedo a shows a E / pi (Lambert).
#[test]
fn lamps_light_as_their_units_say() {
    let shown = |s: &dome_trace::Scene| mean(s, &Spot(0.5), 16, 16, 1);
    let spot = |outer: f32| LampKind::Spot {
        inner_cos: (outer * 0.5).cos(),
        outer_cos: outer.cos(),
    };
    let ground = || vec![quad(GROUND, 0)];
    for (kind, intensity, lux) in [
        (LampKind::Point, 100.0, 25.0),
        (spot(0.4), 100.0, 25.0),
        (LampKind::Directional, 542.0, 542.0),
    ] {
        let s = lit_by(kind, intensity, vec![matt(0.5)], &ground());
        let wanted = 0.5 * lux / std::f64::consts::PI;
        let found = shown(&s);
        assert!(
            (found / wanted - 1.0).abs() < 1e-3,
            "{kind:?}: {found} {wanted}"
        );
    }
    // Outside the cone nothing arrives: from 2 m the corner of the square is seen at 19.5 degrees.
    struct Corner;
    impl Eye for Corner {
        fn ray(&self, _: PicturePoint) -> Option<Ray> {
            Some(Ray {
                origin: DVec3::new(0.001, 0.5, 0.001),
                direction: DVec3::NEG_Y,
            })
        }
    }
    let narrow = lit_by(spot(0.3), 100.0, vec![matt(0.5)], &ground());
    assert_eq!(mean(&narrow, &Corner, 16, 16, 1), 0.0);
    // Through a thin pane 96 percent arrive; through a thin pane that is half a veil, half of it.
    let pane = GROUND.map(|[x, _, z]| [x * 2.0 - 0.5, 1.0, z * 2.0 - 0.5]);
    let veil = Material {
        alpha: Alpha::Blend,
        opacity: 0.5,
        ..matt(0.0)
    };
    for (material, share) in [(clear(false), 0.96), (veil, 0.5)] {
        let s = lit_by(
            LampKind::Point,
            100.0,
            vec![matt(0.5), material],
            &[quad(GROUND, 0), quad(pane, 1)],
        );
        let wanted = 0.5 * 25.0 / std::f64::consts::PI * share;
        let found = shown(&s);
        assert!((found / wanted - 1.0).abs() < 0.01, "{found} {wanted}");
    }
    // Switched off it is dark, and two stops up it is four times as bright.
    let s = lit_by(LampKind::Point, 100.0, vec![matt(0.5)], &ground());
    let size = PanoramaSize::from_width(16).unwrap();
    let dimmed = |on, stops| {
        let setting = LightSetting {
            on,
            stops,
            unseen: false,
            distribution: None,
        };
        let settings = LightSettings::from([("lamp:0".into(), setting)]);
        let sky = Surroundings::from(NO_SKY);
        let light = Illumination::new(&s, &sky, None, &settings, dome_trace::LightScale::default());
        render(&s, &light, &Spot(0.5), size, 16, 1)[0]
    };
    assert_eq!(dimmed(false, 0.0), 0.0);
    assert!((dimmed(true, 2.0) / dimmed(true, 0.0) - 4.0).abs() < 1e-4);
}

/// A veil of 30 percent over black lets 70 percent of a white sky through; a mask lets all or nothing.
#[test]
fn veils_and_masks_let_their_share_through() {
    let up = GROUND.map(|[x, _, z]| [x * 4.0 - 1.5, 0.0, z * 4.0 - 1.5]);
    let see = |alpha, opacity| {
        let material = Material {
            alpha,
            opacity,
            ..matt(0.0)
        };
        let s = scene(&[quad(up, 0)], vec![material], WHITE_SKY);
        mean(&s, &Spot(1.0), 32, 64, 1)
    };
    assert!((see(Alpha::Blend, 0.3) - 0.7).abs() < 0.01);
    assert_eq!(see(Alpha::Mask(0.5), 0.49), 1.0);
    assert_eq!(see(Alpha::Mask(0.5), 0.5), 0.0);
    assert_eq!(see(Alpha::Opaque, 0.1), 0.0);
}

/// A lamp made unseen still lights, and the eye looks through it.
#[test]
fn an_unseen_lamp_still_lights() {
    let above = GROUND.map(|[x, _, z]| [x, 1.0, z]);
    let s = scene(
        &[quad(GROUND, 0), quad(above, 1)],
        vec![matt(0.5), lamp(2.0)],
        NO_SKY,
    );
    let size = PanoramaSize::from_width(16).unwrap();
    let see = |unseen| {
        let setting = LightSetting {
            unseen,
            ..LightSetting::default()
        };
        let settings = LightSettings::from([("object:1".into(), setting)]);
        let sky = Surroundings::from(NO_SKY);
        let light = Illumination::new(&s, &sky, None, &settings, dome_trace::LightScale::default());
        let samples = render(&s, &light, &Spot(3.0), size, 256, 1);
        samples.iter().sum::<f32>() / samples.len() as f32
    };
    assert_eq!(see(false), 2.0);
    let through = see(true);
    // From its middle a unit square sees 0.2394 of the hemisphere filled by another at distance 1, four times the share of
    // a quarter with its corner above (Howell, A Catalog of Radiation Heat Transfer Configuration Factors, B-3).
    assert!((through / 0.2394 - 1.0).abs() < 0.01, "{through}");
}

/// All rays of a lens meet at the distance of focus, and start within its opening (definition of both).
#[test]
fn a_lens_is_sharp_at_its_focus() {
    let plain = MonoEye::new(
        DVec3::new(1.0, 1.6, 2.0),
        Orientation::heading(30.0),
        Equirect,
    );
    let eye = LensEye::new(
        MonoEye::new(
            DVec3::new(1.0, 1.6, 2.0),
            Orientation::heading(30.0),
            Equirect,
        ),
        2.0,
        3.0,
    );
    for (u, v) in [(0.1, 0.5), (0.5, 0.01), (0.77, 0.9)] {
        let point = PicturePoint { u, v };
        let chief = plain.ray(point).unwrap();
        let meet = chief.origin + chief.direction * 3.0;
        for lens in [(0.0, 0.0), (1.0, 0.3), (0.4, 0.9)] {
            let ray = eye.ray_through(point, lens).unwrap();
            let along = (meet - ray.origin).dot(ray.direction);
            assert!((ray.origin + ray.direction * along - meet).length() < 1e-12);
            // 50 mm at f/2 is 25 mm wide.
            assert!((ray.origin - chief.origin).length() <= 0.0125 + 1e-12);
        }
    }
}
