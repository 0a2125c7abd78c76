//! Light against facts: energy, view factors, Fresnel, and that noise falls as it must.

mod common;

use common::*;
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PicturePoint, Ray};
use dome_trace::{Illumination, Material};
use glam::DVec3;

/// Howell, A Catalog of Radiation Heat Transfer Configuration Factors: facing unit squares at distance
/// 1: 0.1998; unit squares that share an edge at 90 degrees: 0.2000.
#[test]
fn view_factors_of_unit_squares() {
    let above = GROUND.map(|[x, _, z]| [x, 1.0, z]);
    let wall = [
        [0.0, 0.0, 0.0],
        [1.0, 0.0, 0.0],
        [1.0, 1.0, 0.0],
        [0.0, 1.0, 0.0],
    ];
    for (emitter, wanted) in [(above, 0.1998), (wall, 0.2000)] {
        let s = scene(
            &[quad(GROUND, 0), quad(emitter, 1)],
            vec![matt(0.5), lamp(1.0)],
            NO_SKY,
        );
        // A matt square of albedo 0.5 under radiance 1 shows 0.5 times the share of the lamp it sees.
        let found = mean(&s, &FromAbove { height: 0.5 }, 64, 256, 1) / 0.5;
        assert!(
            (found / wanted - 1.0).abs() < 0.01,
            "{found} instead of {wanted}"
        );
    }
}

/// White furnace: a white ball of any gloss under uniform light cannot be told from the light (energy
/// is neither lost nor made).
#[test]
fn a_white_ball_vanishes_in_the_furnace() {
    let eye = FromAbove { height: 5.0 };
    for (metallic, roughness, specular) in [
        (0.0, 1.0, 0.0),
        (0.0, 1.0, 1.0),
        (0.0, 0.3, 1.0),
        (1.0, 0.0, 1.0),
        (1.0, 0.3, 1.0),
        (1.0, 0.6, 1.0),
        (1.0, 1.0, 1.0),
    ] {
        let white = Material {
            base_colour: [1.0; 3],
            metallic,
            roughness,
            specular,
            ..Material::default()
        };
        let s = scene(&[ball(0)], vec![white], WHITE_SKY);
        let found = mean(&s, &eye, 32, 128, 1);
        assert!(
            (found - 1.0).abs() < 0.01,
            "metallic {metallic}, roughness {roughness}, specular {specular}: {found}"
        );
    }
}

/// White furnace, closed: in a room of albedo a whose walls glow with 1 - a everything shows 1.
#[test]
fn a_glowing_room_shows_no_contrast() {
    let albedo = 0.6;
    let wall = Material {
        emission: [1.0 - albedo; 3],
        ..matt(albedo)
    };
    let corner = |x, y, z| [x as f32 * 4.0 - 2.0, y as f32 * 3.0, z as f32 * 5.0 - 2.5];
    let walls = [
        [
            corner(0, 0, 0),
            corner(1, 0, 0),
            corner(1, 0, 1),
            corner(0, 0, 1),
        ],
        [
            corner(0, 1, 0),
            corner(1, 1, 0),
            corner(1, 1, 1),
            corner(0, 1, 1),
        ],
        [
            corner(0, 0, 0),
            corner(1, 0, 0),
            corner(1, 1, 0),
            corner(0, 1, 0),
        ],
        [
            corner(0, 0, 1),
            corner(1, 0, 1),
            corner(1, 1, 1),
            corner(0, 1, 1),
        ],
        [
            corner(0, 0, 0),
            corner(0, 0, 1),
            corner(0, 1, 1),
            corner(0, 1, 0),
        ],
        [
            corner(1, 0, 0),
            corner(1, 0, 1),
            corner(1, 1, 1),
            corner(1, 1, 0),
        ],
    ];
    let parts: Vec<_> = walls.into_iter().map(|w| quad(w, 0)).collect();
    let s = scene(&parts, vec![wall], NO_SKY);
    let eye = MonoEye::new(DVec3::new(0.3, 1.6, 0.4), Orientation::default(), Equirect);
    let size = PanoramaSize::from_width(64).unwrap();
    let light = Illumination::plain(&s, s.sky.clone());
    let samples = render(&s, &light, &eye, size, 512, 3);
    let average = samples.iter().sum::<f32>() / samples.len() as f32;
    assert!((average - 1.0).abs() < 0.01, "{average}");
    // No pixel stands out beyond its noise, corners included.
    for p in &samples {
        assert!((p - 1.0).abs() < 0.15, "{p}");
    }
}

/// Fresnel: index 1.5 reflects 0.04 at normal incidence (((n-1)/(n+1))^2, Hecht, Optics).
#[test]
fn a_polished_dielectric_reflects_four_percent() {
    let black = Material {
        base_colour: [0.0; 3],
        roughness: 0.0,
        ..Material::default()
    };
    let s = scene(&[quad(GROUND, 0)], vec![black], WHITE_SKY);
    let found = mean(&s, &FromAbove { height: 1.0 }, 16, 64, 1);
    assert!((found / 0.04 - 1.0).abs() < 0.02, "{found}");
}

/// Inverse square and cosine: a small lamp of radiance L and area A, straight above at distance d,
/// gives the irradiance L A / d^2 (common photometry).
#[test]
fn a_small_lamp_falls_off_with_the_square() {
    let (side, radiance) = (0.02, 500.0);
    for d in [1.0f32, 2.0] {
        let (c, h) = (0.5, side / 2.0);
        let emitter = [
            [c - h, d, c - h],
            [c + h, d, c - h],
            [c + h, d, c + h],
            [c - h, d, c + h],
        ];
        let s = scene(
            &[quad(GROUND, 0), quad(emitter, 1)],
            vec![matt(0.5), lamp(radiance)],
            NO_SKY,
        );
        struct Spot;
        impl Eye for Spot {
            fn ray(&self, _: PicturePoint) -> Option<Ray> {
                Some(Ray {
                    origin: DVec3::new(0.5, 0.5, 0.5),
                    direction: DVec3::NEG_Y,
                })
            }
        }
        let found = mean(&s, &Spot, 16, 64, 1);
        let irradiance = f64::from(radiance * side * side / (d * d));
        let wanted = 0.5 / std::f64::consts::PI * irradiance;
        assert!(
            (found / wanted - 1.0).abs() < 0.005,
            "at {d} m: {found} instead of {wanted}"
        );
    }
}

/// Monte Carlo: the error of independent samples falls with the square root of their number; stratified
/// ones may only do better. Four times the samples must at least halve the noise (within its own error).
#[test]
fn noise_halves_with_four_times_the_samples() {
    let emitter = [
        [0.2, 1.0, 0.2],
        [0.4, 1.0, 0.2],
        [0.4, 1.0, 0.4],
        [0.2, 1.0, 0.4],
    ];
    let s = scene(
        &[quad(GROUND, 0), quad(emitter, 1)],
        vec![matt(0.8), lamp(5.0)],
        WHITE_SKY,
    );
    let eye = FromAbove { height: 0.5 };
    let size = PanoramaSize::from_width(32).unwrap();
    let light = Illumination::plain(&s, s.sky.clone());
    let render = |samples, seed| render(&s, &light, &eye, size, samples, seed);
    let truth: Vec<f32> = {
        let n = 8;
        let runs: Vec<_> = (0..n).map(|i| render(2048, 100 + i)).collect();
        (0..runs[0].len())
            .map(|i| runs.iter().map(|r| r[i]).sum::<f32>() / n as f32)
            .collect()
    };
    let noise = |samples| {
        let mut sum = 0.0;
        for seed in 0..8 {
            let r = render(samples, seed);
            sum += r
                .iter()
                .zip(&truth)
                .map(|(a, b)| f64::from(a - b).powi(2))
                .sum::<f64>();
        }
        (sum / 8.0 / truth.len() as f64).sqrt()
    };
    let ratio = noise(16) / noise(64);
    assert!(ratio > 1.9, "noise fell by {ratio} only");
}

/// Sky and sun are switched and dimmed like lamps: their light changes, what is seen of them does not.
#[test]
fn sky_and_sun_are_lights_of_the_list() {
    use dome_trace::light::{SKY_KEY, SUN_KEY};
    use dome_trace::stand::lights as listing;
    use dome_trace::{LightSetting, LightSettings, Sky, SunSky, Surroundings};
    let sun = SunSky {
        elevation_deg: 60.0,
        heading_deg: 90.0,
        ..SunSky::default()
    };
    let surroundings = Surroundings {
        sky: Sky::Sun(sun),
        ..Surroundings::default()
    };
    let ground = [
        [-1.0, 0.0, 1.0],
        [1.0, 0.0, 1.0],
        [1.0, 0.0, -1.0],
        [-1.0, 0.0, -1.0],
    ];
    let scene = scene(
        &[quad(ground, 0)],
        vec![matt(0.5)],
        Sky::Sun(SunSky::default()),
    );
    let under = |settings: &LightSettings| {
        dome_trace::Illumination::new(
            &scene,
            &surroundings,
            None,
            settings,
            dome_trace::LightScale::default(),
        )
    };
    let plain = under(&LightSettings::new());
    let lights = listing::surroundings(&scene, &plain.environment, glam::DVec3::Y);
    assert_eq!(
        lights
            .iter()
            .map(|l| (l.key.as_str(), l.seen))
            .collect::<Vec<_>>(),
        [(SKY_KEY, true), (SUN_KEY, true)]
    );
    let set = |key: &str, on: bool, stops: f32| {
        let setting = LightSetting {
            on,
            stops,
            unseen: false,
            distribution: None,
        };
        under(&LightSettings::from([(key.to_owned(), setting)])).environment
    };
    let d = glam::Vec3::new(0.3, 0.8, -0.5).normalize();
    let (dark, dimmed) = (set(SKY_KEY, false, 0.0), set(SKY_KEY, true, -1.0));
    assert_eq!(dark.light(d), glam::Vec3::ZERO);
    assert!((dimmed.light(d) - plain.environment.light(d) * 0.5).length() < 1e-4);
    for environment in [&dark, &dimmed] {
        assert_eq!(environment.backdrop(d), plain.environment.backdrop(d));
    }
    // The sun alone: the sky's light stays.
    assert_eq!(
        set(SUN_KEY, false, 0.0).light(d),
        plain.environment.light(d)
    );
}
