//! The engine as a whole: honest noise, passes that add up, many lamps, surroundings, any cutting.

mod common;

use common::*;
use dome_imaging::Picture;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::passes::{NO_DEPTH, mask_colour, mask_table};
use dome_trace::scene::MeshPart;
use dome_trace::sky::{SunSky, Surroundings};
use dome_trace::{
    Control, Forecast, Illumination, ImportOptions, LightSettings, Material, Pass, PassSet,
    Quality, Render, Scene, SceneBuilder, Sky, Survey, load,
};
use glam::{DVec3, Mat4, Vec3};
use std::sync::LazyLock;

/// The observatory in the light that it begins with, made once for all tests.
fn observatory() -> (&'static Scene, &'static Illumination) {
    static MADE: LazyLock<(Scene, Illumination)> = LazyLock::new(|| {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("merlow.glb");
        std::fs::write(&path, merlow::build()).unwrap();
        let read = load(&path, &ImportOptions::default()).unwrap();
        let light = read.report.light.illumination(&read.scene);
        (read.scene, light)
    });
    (&MADE.0, &MADE.1)
}

fn eye(at: [f64; 3], heading: f64) -> MonoEye<Equirect> {
    MonoEye::new(DVec3::from(at), Orientation::heading(heading), Equirect)
}

fn shown(v: f32) -> f32 {
    dome_imaging::transfer::srgb_from_linear(v.clamp(0.0, 1.0))
}

fn luminance(p: &[f32]) -> f32 {
    0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2]
}

/// The noise that is told is the noise that there is: the spread over independent seeds, within 10 %, indoors and out.
#[test]
fn told_noise_is_measured_noise() {
    let (scene, light) = observatory();
    let size = PanoramaSize::from_width(64).unwrap();
    let to_noise = Quality::Noise {
        percent: 20.0,
        most: 96,
    };
    for (place, quality) in [
        (0, Quality::Samples(32)),
        (3, Quality::Samples(17)),
        (1, Quality::Samples(20)),
        (0, to_noise),
        (1, Quality::Samples(64)),
        (3, Quality::Samples(32)),
    ] {
        let place = merlow::PLACES[place];
        let eye = eye(place.position, place.heading_deg);
        let n = 6;
        let runs: Vec<_> = (0..n)
            .map(|seed| {
                Render::new(scene, light, &eye, size, quality, seed)
                    .strip(0, 32, &Control::default())
                    .unwrap()
            })
            .collect();
        let told = (runs
            .iter()
            .map(|r| r.noise.percent().unwrap().powi(2))
            .sum::<f64>()
            / f64::from(n))
        .sqrt();
        let (mut squares, mut weights) = (0.0f64, 0.0f64);
        for pixel in 0..64 * 32usize {
            let values: Vec<f64> = runs
                .iter()
                .map(|r| f64::from(shown(luminance(&r.beauty.samples[pixel * 3..][..3]))))
                .collect();
            let mean = values.iter().sum::<f64>() / f64::from(n);
            let variance =
                values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / f64::from(n - 1);
            let row = (pixel / 64) as u32;
            let weight = dome_optics::Projection::solid_angle(&Equirect, 0, row, 64, 32);
            squares += variance / mean.max(0.05).powi(2) * 1e4 * weight;
            weights += weight;
        }
        let measured = (squares / weights).sqrt();
        println!(
            "{}, {quality:?}: told {told:.2} %, measured {measured:.2} %",
            place.name
        );
        assert!(
            (told / measured - 1.0).abs() < 0.1,
            "{quality:?}: told {told:.2} %, measured {measured:.2} %"
        );
        if let Quality::Noise { percent, .. } = quality {
            assert!(told < f64::from(percent) * 1.05, "{told}");
        }
    }
}

#[test]
fn any_cutting_gives_the_same_bits_with_noise_targets_and_passes() {
    let (scene, light) = observatory();
    let place = merlow::PLACES[1];
    let eye = eye(place.position, place.heading_deg);
    let size = PanoramaSize::from_width(48).unwrap();
    let quality = Quality::Noise {
        percent: 24.0,
        most: 72,
    };
    let render = |passes: PassSet| Render {
        passes,
        ..Render::new(scene, light, &eye, size, quality, 5)
    };
    let all = render(PassSet::new(Pass::ALL));
    let whole = all.strip(0, 24, &Control::default()).unwrap();
    let one = rayon::ThreadPoolBuilder::new()
        .num_threads(1)
        .build()
        .unwrap();
    let mut from = 0;
    for (top, rows) in [(0, 5), (5, 15), (20, 4)] {
        let part = one.install(|| all.strip(top, rows, &Control::default()).unwrap());
        let n = rows as usize * 48;
        assert_eq!(
            part.beauty.samples,
            whole.beauty.samples[from * 3..][..n * 3]
        );
        for (a, b) in part.layers.iter().zip(&whole.layers) {
            let channels = a.len() / n;
            assert_eq!(*a, b[from * channels..][..n * channels]);
        }
        from += n;
    }
    // Passes change nothing in the picture itself.
    let plain = render(PassSet::default());
    let plain = plain.strip(0, 24, &Control::default()).unwrap();
    assert_eq!(plain.beauty, whole.beauty);
    // Blocks that are quickly clean take fewer samples than those that are not.
    assert!(
        whole.noise.samples < 72 * 48 * 24 * 9 / 10,
        "{:?}",
        whole.noise
    );
    let stopped = Control::default();
    stopped.stop();
    assert!(all.strip(0, 16, &stopped).is_err());
}

/// Raw light x albedo = beauty - emission - specular (their definitions).
#[test]
fn passes_add_up() {
    let (scene, light) = observatory();
    let place = merlow::PLACES[0];
    let eye = eye(place.position, place.heading_deg);
    let size = PanoramaSize::from_width(64).unwrap();
    let passes = PassSet::new(Pass::ALL);
    let render = Render {
        passes: passes.clone(),
        ..Render::new(scene, light, &eye, size, Quality::Samples(16), 1)
    };
    let strip = render.strip(0, 32, &Control::default()).unwrap();
    let layer = |wanted: Pass| {
        let i = passes.iter().position(|p| p == wanted).unwrap();
        &strip.layers[i]
    };
    let [indirect, raw, albedo, emission, specular] = [
        Pass::Indirect,
        Pass::RawLight,
        Pass::Albedo,
        Pass::Emission,
        Pass::Specular,
    ]
    .map(layer);
    let mut lit = 0;
    for (i, &beauty) in strip.beauty.samples.iter().enumerate() {
        let scale = beauty.abs().max(1e-3);
        let rest = beauty - emission[i] - specular[i];
        assert!(
            (raw[i] * albedo[i] - rest).abs() < 1e-4 * scale.max(emission[i]),
            "{i}: {} x {} is not {rest}",
            raw[i],
            albedo[i]
        );
        lit += usize::from(raw[i] > 0.0 && indirect[i] > 0.0 && specular[i] > 0.0);
    }
    assert!(lit > 3000, "{lit}");
    let unit = |p: &[f32]| (Vec3::from_slice(p).length() - 1.0).abs() < 1e-4;
    assert!(layer(Pass::Normal).chunks(3).filter(|p| unit(p)).count() > 1500);
    assert!(
        layer(Pass::AmbientOcclusion)
            .iter()
            .all(|v| (0.0..=1.0).contains(v))
    );
    assert!(layer(Pass::Alpha).iter().all(|v| (0.0..=1.0).contains(v)));
}

/// A closed furnace of albedo a whose walls glow with 1 - a shows 1 everywhere: 1 - a at its source and a (1 - a) after
/// one scattering, which is direct, (1 - a)(1 + a) together; the rest, a squared, is indirect (geometric series).
#[test]
fn direct_and_indirect_light_are_told_apart() {
    for albedo in [0.3, 0.6, 0.8] {
        let wall = Material {
            emission: [1.0 - albedo; 3],
            ..matt(albedo)
        };
        let s = scene(&[ball(0)], vec![wall], NO_SKY);
        let light = Illumination::plain(&s, NO_SKY);
        let eye = eye([0.2, 0.1, -0.3], 0.0);
        let size = PanoramaSize::from_width(64).unwrap();
        let passes = PassSet::new([Pass::Direct, Pass::Indirect]);
        let render = Render {
            passes: passes.clone(),
            ..Render::new(&s, &light, &eye, size, Quality::Samples(64), 2)
        };
        let strip = render.strip(0, 32, &Control::default()).unwrap();
        let mean = |pass: Pass| {
            let layer = &strip.layers[passes.iter().position(|p| p == pass).unwrap()];
            layer.iter().sum::<f32>() / layer.len() as f32
        };
        let wanted = (1.0 - albedo) * (1.0 + albedo);
        let (direct, indirect) = (mean(Pass::Direct), mean(Pass::Indirect));
        assert!(
            (direct / wanted - 1.0).abs() < 0.01,
            "albedo {albedo}: direct {direct}, not {wanted}"
        );
        let wanted = albedo * albedo;
        assert!(
            (indirect / wanted - 1.0).abs() < 0.02,
            "albedo {albedo}: indirect {indirect}, not {wanted}"
        );
    }
}

/// A room whose walls are planes: distance, normal, mask and occlusion are known for every direction.
#[test]
fn depth_normal_mask_and_alpha_are_exact() {
    let floor = quad(
        [
            [-50.0, 0.0, -50.0],
            [-50.0, 0.0, 50.0],
            [50.0, 0.0, 50.0],
            [50.0, 0.0, -50.0],
        ],
        0,
    );
    let mut builder = SceneBuilder::default();
    builder.materials = vec![matt(0.5)];
    for name in ["Unused", "Floor"] {
        builder.start_object(name);
    }
    builder.add_part(&floor, &Mat4::IDENTITY);
    let scene = builder.build(WHITE_SKY, "test").unwrap();
    let sky = Surroundings {
        transparent: true,
        ..WHITE_SKY.into()
    };
    let light = Illumination::plain(&scene, sky);
    let eye = eye([0.0, 2.0, 0.0], 0.0);
    let size = PanoramaSize::from_width(64).unwrap();
    let passes = PassSet::parse("depth,normal,object-mask,alpha,ambient-occlusion").unwrap();
    let render = Render {
        passes: passes.clone(),
        ..Render::new(&scene, &light, &eye, size, Quality::Samples(8), 1)
    };
    let strip = render.strip(0, 32, &Control::default()).unwrap();
    let layer = |wanted: Pass| {
        let i = passes.iter().position(|p| p == wanted).unwrap();
        &strip.layers[i]
    };
    let mask: Vec<f32> = mask_colour(1)
        .iter()
        .map(|&c| f32::from(c) / 255.0)
        .collect();
    for row in 0..32usize {
        let latitude = (0.5 - (row as f64 + 0.5) / 32.0) * std::f64::consts::PI;
        for column in 0..64 {
            let i = row * 64 + column;
            let depth = layer(Pass::Depth)[i];
            if row < 16 {
                assert_eq!((depth, layer(Pass::Alpha)[i]), (NO_DEPTH, 0.0));
                assert_eq!(&strip.beauty.samples[i * 3..][..3], [0.0; 3]);
            } else if latitude < -0.1 {
                let wanted = 2.0 / (-latitude).sin();
                assert!(
                    (f64::from(depth) / wanted - 1.0).abs() < 1e-5,
                    "{depth} {wanted}"
                );
                assert_eq!(layer(Pass::Alpha)[i], 1.0);
                assert_eq!(layer(Pass::AmbientOcclusion)[i], 1.0);
                assert_eq!(&layer(Pass::ObjectMask)[i * 3..][..3], &mask[..]);
                assert_eq!(&layer(Pass::Normal)[i * 3..][..3], [0.0, 1.0, 0.0]);
            }
        }
    }
    let [r, g, b] = mask_colour(1);
    assert_eq!(
        mask_table(&scene),
        format!("#{r:02x}{g:02x}{b:02x} Floor\n")
    );
    assert!(PassSet::parse("depth,nonsense").is_err());
    // Colours of different objects differ.
    let colours: std::collections::BTreeSet<_> = (0..100_000).map(mask_colour).collect();
    assert_eq!(colours.len(), 100_000);
}

/// Lamps of the same power together, all over a long hall: the noise must not grow with their number.
fn hall(lamps: u32) -> Scene {
    let mut builder = SceneBuilder::default();
    builder.materials = vec![matt(0.6), lamp(60.0 * 500.0 / lamps as f32)];
    builder.start_object("Hall");
    let (x, y, z) = (40.0, 4.0, 6.0);
    for corners in [
        [[0.0, 0.0, 0.0], [0.0, 0.0, z], [x, 0.0, z], [x, 0.0, 0.0]],
        [[0.0, y, 0.0], [x, y, 0.0], [x, y, z], [0.0, y, z]],
        [[0.0, 0.0, 0.0], [x, 0.0, 0.0], [x, y, 0.0], [0.0, y, 0.0]],
        [[0.0, 0.0, z], [0.0, y, z], [x, y, z], [x, 0.0, z]],
    ] {
        builder.add_part(&quad(corners, 0), &Mat4::IDENTITY);
    }
    for i in 0..lamps {
        builder.start_object(format!("Lamp {i}"));
        let at = (i as f32 + 0.5) / lamps as f32;
        let side = (i as f32 * 0.618_034).fract();
        let (cx, cz) = (x * at, 0.5 + 5.0 * side);
        let h = 0.02;
        let corners = [
            [cx - h, 3.2, cz - h],
            [cx + h, 3.2, cz - h],
            [cx + h, 3.2, cz + h],
            [cx - h, 3.2, cz + h],
        ];
        builder.add_part(&quad(corners, 1), &Mat4::IDENTITY);
    }
    builder.build(NO_SKY, "hall").unwrap()
}

#[test]
fn five_hundred_lamps_converge_about_as_fast_as_five() {
    let size = PanoramaSize::from_width(64).unwrap();
    let noise = |lamps| {
        let scene = hall(lamps);
        let light = Illumination::plain(&scene, NO_SKY);
        let eye = eye([20.0, 1.6, 3.0], 0.0);
        let r = Render::new(&scene, &light, &eye, size, Quality::Samples(32), 1);
        r.strip(0, 32, &Control::default())
            .unwrap()
            .noise
            .percent()
            .unwrap()
    };
    let (few, many) = (noise(5), noise(500));
    assert!(
        many < 1.5 * few,
        "5 lamps {few:.2} %, 500 lamps {many:.2} %"
    );
}

/// A small bright patch in a picture of the surroundings: the light on a level surface is the patch's
/// radiance times its solid angle times the cosine (Lambert), with little noise since it is sampled.
#[test]
fn surroundings_are_sampled_where_they_are_bright() {
    let (w, h) = (256u32, 128u32);
    let mut picture = Picture::black(w, h);
    let mut wanted = 0.0f64;
    for row in 20..24 {
        for column in 96..100 {
            let i = ((row * w + column) * 3) as usize;
            picture.samples[i..i + 3].copy_from_slice(&[1000.0; 3]);
            let theta = std::f64::consts::PI * (f64::from(row) + 0.5) / f64::from(h);
            let area = dome_optics::Projection::solid_angle(&Equirect, 0, row, w, h);
            wanted += 1000.0 * area * theta.cos();
        }
    }
    let s = scene(&[quad(GROUND, 0)], vec![matt(0.5)], NO_SKY);
    for turn in [0.0, 77.0] {
        let sky = Surroundings {
            sky: Sky::Picture { file: "x".into() },
            turn_deg: turn,
            ..Surroundings::default()
        };
        let light = Illumination::new(
            &s,
            &sky,
            Some(&picture),
            &LightSettings::new(),
            dome_trace::LightScale::default(),
        );
        let size = PanoramaSize::from_width(16).unwrap();
        let samples = render(&s, &light, &FromAbove { height: 1.0 }, size, 256, 1);
        let found = f64::from(samples.iter().sum::<f32>()) / samples.len() as f64;
        let wanted = 0.5 * wanted / std::f64::consts::PI;
        assert!(
            (found / wanted - 1.0).abs() < 0.02,
            "turned {turn}: {found} {wanted}"
        );
        // The patch's middle (column 98 of 256) is seen at longitude -42.2 degrees, turned clockwise.
        let lon = ((98.0f32 / 256.0 - 0.5) * 360.0 + turn).to_radians();
        let lat = ((0.5 - 22.0f32 / 128.0) * 180.0).to_radians();
        let d = Vec3::new(lat.cos() * lon.sin(), lat.sin(), -lat.cos() * lon.cos());
        assert!(light.environment.backdrop(d).x > 900.0);
    }
}

/// Illuminance of a clear day on level ground with the sun 60 degrees high, by Gillette, Pierpoint, Treado: "A General Illuminance
/// Model for Daylight Availability" (constants from memory): 127.5 klx e^(-0.21 / sin h) of what faces the sun, 0.8 + 15.5 sqrt(sin h) klx
/// from the sky. Air differs more than 15 % from day to day. The sun's disc is 0.53 degrees wide.
#[test]
fn sun_and_sky_are_as_bright_as_a_day() {
    let s = scene(&[quad(GROUND, 0)], vec![matt(0.5)], NO_SKY);
    let size = PanoramaSize::from_width(16).unwrap();
    let lux = |disc| {
        let sky = Sky::Sun(SunSky {
            elevation_deg: 60.0,
            disc,
            ..SunSky::default()
        });
        let light = Illumination::plain(&s, sky);
        let samples = render(&s, &light, &FromAbove { height: 1.0 }, size, 256, 1);
        let radiance: f32 =
            samples.chunks(3).map(luminance).sum::<f32>() / (samples.len() / 3) as f32;
        radiance / 0.5 * std::f32::consts::PI * dome_trace::photometry::DAYLIGHT_WHITE_CD_M2
    };
    let (whole, sky) = (lux(true), lux(false));
    let high = 60f32.to_radians().sin();
    let from_sky = 1000.0 * (0.8 + 15.5 * high.sqrt());
    let from_sun = 127_500.0 * (-0.21 / high).exp() * high;
    println!(
        "{whole} of {}, {sky} of {from_sky} lux",
        from_sun + from_sky
    );
    assert!((whole / (from_sun + from_sky) - 1.0).abs() < 0.1, "{whole}");
    assert!((sky / from_sky - 1.0).abs() < 0.35, "{sky}");
    let light = Illumination::plain(&s, Sky::Sun(SunSky::default()));
    let towards = |off: f32| {
        let (h, e) = (135f32.to_radians(), (35.0 + off).to_radians());
        let d = Vec3::new(e.cos() * h.sin(), e.sin(), -e.cos() * h.cos());
        light.environment.backdrop(d).y
    };
    assert!(towards(0.0) > 1000.0 && towards(0.26) > 1000.0 && towards(0.28) < 10.0);
    // A low sun is redder than a high one.
    let colour = |elevation_deg| {
        dome_trace::light::sun_sky::sun_irradiance(&SunSky {
            elevation_deg,
            ..SunSky::default()
        })
    };
    let (low, high) = (colour(5.0), colour(60.0));
    assert!(low.x / low.z > 2.0 * high.x / high.z && low.y < high.y);
}

#[test]
fn clay_is_grey_but_for_glass() {
    let glass = Material {
        base_colour: [1.0; 3],
        transmission: 1.0,
        roughness: 0.0,
        ..Material::default()
    };
    let red = Material {
        base_colour: [0.9, 0.1, 0.1],
        ..matt(0.0)
    };
    let pane = GROUND.map(|[x, _, z]| [x, 0.5, z]);
    let s = scene(
        &[quad(GROUND, 0), quad(pane, 1)],
        vec![red, glass],
        WHITE_SKY,
    );
    let light = Illumination::plain(&s, WHITE_SKY);
    let size = PanoramaSize::from_width(16).unwrap();
    let passes = PassSet::new([Pass::Albedo]);
    let render = Render {
        passes,
        clay: true,
        ..Render::new(
            &s,
            &light,
            &FromAbove { height: 2.0 },
            size,
            Quality::Samples(64),
            1,
        )
    };
    let strip = render.strip(0, 8, &Control::default()).unwrap();
    let albedo: f32 = strip.layers[0].iter().sum::<f32>() / strip.layers[0].len() as f32;
    // Through the pane 96 percent of the grey is seen.
    assert!((albedo - 0.48).abs() < 0.03, "{albedo}");
}

#[test]
fn a_forecast_tells_shares_that_end_at_one() {
    let (scene, light) = observatory();
    let place = merlow::PLACES[3];
    let eye = eye(place.position, place.heading_deg);
    let size = PanoramaSize::from_width(128).unwrap();
    let quality = Quality::Noise {
        percent: 8.0,
        most: 256,
    };
    let render = Render::new(scene, light, &eye, size, quality, 1);
    let places: Vec<_> = Render::strip_places(64).collect();
    let survey = Survey::look(&render, &Control::default()).unwrap();
    let forecast = Forecast::of(&survey, 128, &places);
    assert_eq!(forecast.share(|_| false, None), 0.0);
    assert_eq!(forecast.share(|_| true, None), 1.0);
    let half = forecast.share(|top| top < 32, None);
    // The lower half has the noisy terrace, the upper the clean sky.
    assert!((0.02..0.75).contains(&half), "{half}");
    let more = forecast.share(|top| top < 32, Some((32, 10_000_000)));
    assert!(more > half && more < 1.0);
}

/// The samples that a picture takes are told before it is rendered: blocks go on with noisy neighbours, which the look does too.
#[test]
fn a_forecast_tells_how_many_samples_there_will_be() {
    let (scene, light) = observatory();
    let place = merlow::PLACES[3];
    let eye = eye(place.position, place.heading_deg);
    let size = PanoramaSize::from_width(256).unwrap();
    let quality = Quality::Noise {
        percent: 14.0,
        most: 1024,
    };
    let render = Render::new(scene, light, &eye, size, quality, 1);
    let places: Vec<_> = Render::strip_places(128).collect();
    let control = Control::default();
    let survey = Survey::look(&render, &control).unwrap();
    let told = Forecast::of(&survey, 256, &places).samples();
    assert!(
        (survey.samples() / told - 1.0).abs() < 0.15,
        "of all, and strip by strip"
    );
    assert_eq!(control.look_share(), None, "the look has ended");
    let taken: u64 = (places.iter())
        .map(|&(top, rows)| render.strip(top, rows, &control).unwrap().noise.samples)
        .sum();
    let ratio = told / taken as f64;
    println!("{told} samples told, {taken} taken: {ratio}");
    assert!((0.7..1.4).contains(&ratio), "{ratio}");
    let two = Forecast::of(&survey, 256, &places).for_eyes(2);
    assert!((two.samples() / told - 2.0).abs() < 1e-9);
}

/// A picture that is asked to have a noise has it, as a whole and as it is told: neither more, nor so much less that half of its samples
/// were in vain; and no block is left at more than twice that. Indoors, and outdoors before a calm sky; of widths that are no multiple of
/// anything.
#[test]
fn the_whole_picture_has_the_noise_that_was_asked_for() {
    let (scene, light) = observatory();
    for (place, width, percent) in [(0, 128, 16.0f32), (3, 158, 5.0), (1, 96, 20.0)] {
        let place = merlow::PLACES[place];
        let eye = eye(place.position, place.heading_deg);
        let size = PanoramaSize::from_width(width).unwrap();
        let quality = |percent| Quality::Noise {
            percent,
            most: 4096,
        };
        let render = Render::new(scene, light, &eye, size, quality(percent), 1);
        let control = Control::default();
        let limit = Survey::look(&render, &control)
            .unwrap()
            .limit(percent)
            .unwrap();
        assert!((1.0..=2.0).contains(&(limit / percent)), "{limit}");
        let render = Render::new(scene, light, &eye, size, quality(limit), 1);
        let strip = render.strip(0, width / 2, &control).unwrap();
        let told = strip.noise.percent().unwrap() as f32;
        println!(
            "{}, {width} px: {percent} % asked, blocks to {limit:.2} %, {told:.2} % told",
            place.name
        );
        assert!(
            (0.86..1.06).contains(&(told / percent)),
            "{}: {told}",
            place.name
        );
    }
}

/// The albedo pass shows the mix of the corners' colours.
#[test]
fn corner_colours_tint_the_base() {
    let mut part: MeshPart = quad(GROUND, 0);
    part.colours = vec![[1.0, 0.0, 0.0, 1.0]; 4];
    let white = Material {
        base_colour: [0.8; 3],
        ..matt(0.0)
    };
    let s = scene(&[part], vec![white], WHITE_SKY);
    let light = Illumination::plain(&s, WHITE_SKY);
    let size = PanoramaSize::from_width(16).unwrap();
    let render = Render {
        passes: PassSet::new([Pass::Albedo]),
        ..Render::new(
            &s,
            &light,
            &FromAbove { height: 2.0 },
            size,
            Quality::Samples(8),
            1,
        )
    };
    let strip = render.strip(0, 8, &Control::default()).unwrap();
    let at = &strip.layers[0][3 * 60..][..3];
    assert!((at[0] - 0.8).abs() < 1e-5 && at[1] == 0.0, "{at:?}");
}
