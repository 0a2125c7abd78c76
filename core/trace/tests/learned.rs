//! What is learned of the light makes pictures calmer, never brighter or darker, and the same however the work is spread.

mod common;

use common::{EyeAt, block, lamp, matt, places, quad, scene_at};
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::scene::MeshPart;
use dome_trace::{
    Control, Illumination, Learned, LightFinding, Material, Quality, Render, Scene, Sky, SunSky,
};
use glam::{DMat4, DVec3, Vec3};

/// Where the eye stands in the room.
const EYE: DVec3 = DVec3::new(0.5, 1.5, -0.5);

/// A room of 6 x 3 x 5 m with a window, a lamp behind a screen, many small lamps in a box that is closed, a metal and a glass block.
fn room(place: DMat4) -> Scene {
    let mut parts: Vec<MeshPart> = [
        ([-3.2, -0.2, -2.7], [3.2, 0.0, 2.7]),
        ([-3.2, 3.0, -2.7], [3.2, 3.2, 2.7]),
        ([-3.2, 0.0, -2.7], [3.2, 3.0, -2.5]),
        ([-3.2, 0.0, -2.5], [-3.0, 3.0, 2.5]),
        ([3.0, 0.0, -2.5], [3.2, 3.0, 2.5]),
        ([-3.2, 0.0, 2.5], [-0.8, 3.0, 2.7]),
        ([0.8, 0.0, 2.5], [3.2, 3.0, 2.7]),
        ([-0.8, 0.0, 2.5], [0.8, 0.9, 2.7]),
        ([-0.8, 2.3, 2.5], [0.8, 3.0, 2.7]),
        // The screen before the lamp, and the box.
        ([1.0, 0.0, -1.5], [1.1, 2.0, 0.5]),
        ([-2.8, 0.0, -2.3], [-2.0, 0.8, -1.5]),
    ]
    .map(|(low, high)| block(low, high, 0))
    .into();
    parts.push(block([2.0, 0.5, -1.0], [2.2, 0.7, -0.8], 1));
    for i in 0..12 {
        let x = -2.7 + 0.05 * i as f32;
        parts.push(block([x, 0.3, -2.0], [x + 0.02, 0.32, -1.98], 1));
    }
    parts.push(block([-1.5, 0.0, 0.5], [-1.0, 0.6, 1.0], 2));
    parts.push(block([-0.5, 0.0, -2.0], [0.0, 0.8, -1.5], 3));
    // A sheet that glows over the door.
    parts.push(quad(
        [
            [-2.9, 2.0, -1.0],
            [-2.9, 2.0, 0.0],
            [-2.9, 2.4, 0.0],
            [-2.9, 2.4, -1.0],
        ],
        4,
    ));
    let metal = Material {
        base_colour: [0.9, 0.7, 0.5],
        metallic: 1.0,
        roughness: 0.3,
        ..Material::default()
    };
    let glass = Material {
        transmission: 1.0,
        roughness: 0.2,
        ..matt(1.0)
    };
    let sun = Sky::Sun(SunSky {
        elevation_deg: 35.0,
        heading_deg: 165.0,
        ..SunSky::default()
    });
    let all = vec![matt(0.6), lamp(20.0), metal, glass, lamp(1.5)];
    scene_at(&parts, all, sun, place)
}

fn eye() -> MonoEye<Equirect> {
    MonoEye::new(EYE, Orientation::heading(150.0), Equirect)
}

/// The mean of all pixels and the noise of a render.
fn mean(render: &Render) -> (f64, f64) {
    mean_from(render, 0)
}

/// The same of the rows from one on.
fn mean_from(render: &Render, top: u32) -> (f64, f64) {
    let height = render.size.height() - top;
    let strip = render.strip(top, height, &Control::default()).unwrap();
    let samples = &strip.beauty.samples;
    // As the screen shows it: single lucky paths to the lamps do not decide.
    let shown: f64 = samples.iter().map(|v| f64::from(v.min(4.0))).sum();
    (shown / samples.len() as f64, strip.noise.percent().unwrap())
}

#[test]
fn what_is_learned_changes_no_mean() {
    let mut noise = (0.0, 0.0);
    for (name, place) in places() {
        let s = room(place);
        let light = Illumination::plain(&s, s.sky.clone());
        let eye = eye();
        let eye = EyeAt(&eye, place);
        let size = PanoramaSize::from_width(64).unwrap();
        let plain = Render::new(&s, &light, &eye, size, Quality::Samples(64), 1);
        let learned = Learned::look_by(&plain, 1 << 16, &Control::default()).unwrap();
        assert!(learned.cells() > 100, "{name}: {} cells", learned.cells());
        let with = Render {
            learned: Some(&learned),
            seed: 2,
            ..Render::new(&s, &light, &eye, size, Quality::Samples(64), 2)
        };
        let ((a, noise_a), (b, noise_b)) = (mean(&plain), mean(&with));
        println!(
            "{name}: {a} {b}, noise {noise_a} {noise_b} %, {} cells",
            learned.cells()
        );
        assert!((a / b - 1.0).abs() < 0.01, "{name}: {a} {b}");
        noise = (noise.0 + noise_a, noise.1 + noise_b);
    }
    // The same number of paths, many of them shorter, tell more.
    assert!(noise.1 < 0.95 * noise.0, "{noise:?}");
}

/// A lane between dark walls under a bright sky, with a lamp on a post: what differs from path to path is mostly what is met by going on,
/// and that way is short. There paths part at what the eye sees, which changes no mean and makes the same number of samples calmer.
#[test]
fn paths_that_part_in_the_open_change_no_mean() {
    let parts = [
        block([-20.0, -0.5, -20.0], [20.0, 0.0, 20.0], 0),
        block([-4.0, 0.0, -20.0], [-2.0, 6.0, 20.0], 0),
        block([3.0, 0.0, -20.0], [5.0, 6.0, 20.0], 0),
        block([1.4, 2.5, -4.1], [1.6, 2.7, -3.9], 1),
    ];
    let sky = Sky::TwoColour {
        zenith: [0.9, 1.0, 1.2],
        horizon: [0.8, 0.8, 0.8],
    };
    let mut noise = (0.0, 0.0);
    for (name, place) in places() {
        let s = scene_at(&parts, vec![matt(0.15), lamp(2.0)], sky.clone(), place);
        let light = Illumination::plain(&s, s.sky.clone());
        let eye = eye();
        let eye = EyeAt(&eye, place);
        let size = PanoramaSize::from_width(128).unwrap();
        let plain = Render::new(&s, &light, &eye, size, Quality::Samples(16), 1);
        let learned = Learned::look_by(&plain, 1 << 16, &Control::default()).unwrap();
        assert!(learned.pays(), "{name}");
        let with = Render {
            learned: Some(&learned),
            ..Render::new(&s, &light, &eye, size, Quality::Samples(16), 2)
        };
        // The ground alone: edges make noise of their own, whatever is known of the light.
        let ((a, noise_a), (b, noise_b)) = (mean_from(&plain, 50), mean_from(&with, 50));
        println!("{name}: {a} {b}, noise {noise_a} {noise_b} %");
        // Noise of 20 % as it is shown is some 40 % of the light; over some 1,800 pixels that is 1 %.
        assert!((a / b - 1.0).abs() < 0.02, "{name}: {a} {b}");
        noise = (noise.0 + noise_a, noise.1 + noise_b);
    }
    assert!(noise.1 < 0.8 * noise.0, "{noise:?}");
}

/// Light is weighed by the densities with which it is found. Where these did not agree, finding it at lights alone or at surfaces alone
/// would not be what both together find.
#[test]
fn both_ways_find_the_same_light() {
    let s = room(DMat4::IDENTITY);
    let light = Illumination::plain(&s, Sky::Plain { colour: [0.3; 3] });
    let eye = eye();
    let size = PanoramaSize::from_width(32).unwrap();
    let render = |finding, samples| Render {
        finding,
        ..Render::new(&s, &light, &eye, size, Quality::Samples(samples), 3)
    };
    let learned = Learned::look_by(
        &render(LightFinding::Both, 64),
        1 << 16,
        &Control::default(),
    )
    .unwrap();
    let found = |finding, samples| {
        let with = Render {
            learned: Some(&learned),
            ..render(finding, samples)
        };
        mean(&with).0
    };
    let both = found(LightFinding::Both, 512);
    let lights = found(LightFinding::Lights, 1024);
    let surfaces = found(LightFinding::Surfaces, 4096);
    println!("{both} {lights} {surfaces}");
    assert!((lights / both - 1.0).abs() < 0.01, "{lights} {both}");
    assert!((surfaces / both - 1.0).abs() < 0.02, "{surfaces} {both}");
}

/// In the open, where several paths go on from what the eye sees and later ones seldom look for the sky, all of them count as often
/// as they are sent: with and without a look, and however light is found.
#[test]
fn in_the_open_both_ways_find_the_same_light() {
    let parts = [
        block([-20.0, -0.5, -20.0], [20.0, 0.0, 20.0], 0),
        block([1.5, 0.0, -4.0], [3.0, 3.0, 2.0], 0),
        block([-3.0, 0.0, -2.0], [-1.5, 1.2, 3.0], 1),
    ];
    let satin = Material {
        roughness: 0.3,
        ..matt(0.5)
    };
    // Only lights find the disc.
    let sky = Sky::Sun(SunSky {
        elevation_deg: 25.0,
        disc: false,
        ..SunSky::default()
    });
    for (name, place) in places() {
        let s = scene_at(&parts, vec![matt(0.6), satin.clone()], sky.clone(), place);
        let light = Illumination::plain(&s, s.sky.clone());
        let eye = eye();
        let eye = EyeAt(&eye, place);
        let size = PanoramaSize::from_width(24).unwrap();
        let render = |finding, seed| Render {
            finding,
            ..Render::new(&s, &light, &eye, size, Quality::Samples(256), seed)
        };
        let look = render(LightFinding::Both, 1);
        let learned = Learned::look_by(&look, 1 << 14, &Control::default()).unwrap();
        let both = mean(&look).0;
        for finding in [
            LightFinding::Both,
            LightFinding::Lights,
            LightFinding::Surfaces,
        ] {
            for learned in [None, Some(&learned)] {
                let with = Render {
                    learned,
                    ..render(finding, 2)
                };
                let one = mean(&with).0;
                let known = learned.is_some();
                println!("{name}, {finding:?}, {known}: {one} {both}");
                assert!(
                    (one / both - 1.0).abs() < 0.02,
                    "{name}, {finding:?}, learned {known}: {one}, not {both}"
                );
            }
        }
    }
}

/// The same bytes with one thread or several, whole or in parts.
#[test]
fn learning_is_the_same_however_it_is_spread() {
    let s = room(DMat4::IDENTITY);
    let light = Illumination::plain(&s, s.sky.clone());
    let eye = eye();
    let size = PanoramaSize::from_width(64).unwrap();
    let made = |threads: usize, parts: u32| {
        let pool = rayon::ThreadPoolBuilder::new()
            .num_threads(threads)
            .build()
            .unwrap();
        pool.install(|| {
            let render = Render::new(&s, &light, &eye, size, Quality::Samples(8), 5);
            let learned = Learned::look_by(&render, 1 << 15, &Control::default()).unwrap();
            let render = Render {
                learned: Some(&learned),
                ..render
            };
            let rows = 32 / parts;
            (0..parts)
                .flat_map(|i| {
                    let strip = render.strip(i * rows, rows, &Control::default());
                    strip.unwrap().beauty.samples
                })
                .map(f32::to_bits)
                .collect::<Vec<_>>()
        })
    };
    let one = made(1, 1);
    assert_eq!(one, made(4, 1));
    assert_eq!(one, made(3, 8));
}

/// What was learned goes through bytes to the same picture, to the bit; bytes of which a part is missing or changed are refused or read,
/// and never break anything.
#[test]
fn what_was_learned_can_be_kept() {
    let s = room(DMat4::IDENTITY);
    let light = Illumination::plain(&s, s.sky.clone());
    let eye = eye();
    let size = PanoramaSize::from_width(64).unwrap();
    let render = Render::new(&s, &light, &eye, size, Quality::Samples(8), 5);
    let learned = Learned::look_by(&render, 1 << 15, &Control::default()).unwrap();
    let made = |learned: Option<&Learned>| -> Vec<u32> {
        let render = Render {
            learned,
            ..Render::new(&s, &light, &eye, size, Quality::Samples(8), 5)
        };
        let strip = render.strip(8, 16, &Control::default()).unwrap();
        strip.beauty.samples.iter().map(|v| v.to_bits()).collect()
    };
    let bytes = learned.to_bytes();
    let again = Learned::from_bytes(&bytes, &light).unwrap();
    assert_eq!(again.cells(), learned.cells());
    assert!(again.cells() > 100);
    assert_eq!(made(Some(&again)), made(Some(&learned)));
    assert_ne!(made(None), made(Some(&learned)), "it is used");
    for end in (0..bytes.len()).step_by(bytes.len() / 40) {
        assert!(Learned::from_bytes(&bytes[..end], &light).is_none());
    }
    // Another light has no such lamps.
    let dark = scene_at(
        &[block([-50.0, -1.0, -50.0], [50.0, 0.0, 50.0], 0)],
        vec![matt(0.5)],
        s.sky.clone(),
        DMat4::IDENTITY,
    );
    let other = Illumination::plain(&dark, s.sky.clone());
    assert!(Learned::from_bytes(&bytes, &other).is_none());
    for at in (0..bytes.len()).step_by(bytes.len() / 12) {
        let mut changed = bytes.clone();
        changed[at] ^= 0x55;
        if let Some(read) = Learned::from_bytes(&changed, &light) {
            assert_eq!(made(Some(&read)).len(), made(None).len());
        }
    }
}

/// Small pictures are not kept waiting, stopped looks end, and dark scenes are looked at too.
#[test]
fn a_look_is_worth_its_time_or_not_taken() {
    let s = room(DMat4::IDENTITY);
    let light = Illumination::plain(&s, s.sky.clone());
    let eye = eye();
    let at = |width, samples| {
        let size = PanoramaSize::from_width(width).unwrap();
        Render::new(&s, &light, &eye, size, Quality::Samples(samples), 5)
    };
    let control = Control::default();
    assert!(
        Learned::look(&at(512, 16), false, &control)
            .unwrap()
            .is_none()
    );
    // A small picture that ends at a noise takes few samples where it is denoised.
    let noise = Quality::Noise {
        percent: 4.0,
        most: 1024,
    };
    let small = Render {
        quality: noise,
        ..at(256, 1)
    };
    assert!(Learned::look(&small, true, &control).unwrap().is_none());
    assert!(Learned::look(&small, false, &control).unwrap().is_some());
    // In a room it pays, on an open plain under the sky it does not.
    let learned = Learned::look_by(&at(64, 16), 1 << 14, &control).unwrap();
    assert!(learned.pays());
    let ground = block([-50.0, -1.0, -50.0], [50.0, 0.0, 50.0], 0);
    let plain = scene_at(&[ground], vec![matt(0.5)], s.sky.clone(), DMat4::IDENTITY);
    let open = Illumination::plain(&plain, s.sky.clone());
    let size = PanoramaSize::from_width(64).unwrap();
    let render = Render::new(&plain, &open, &eye, size, Quality::Samples(16), 5);
    let learned = Learned::look_by(&render, 1 << 14, &control).unwrap();
    assert!(learned.cells() > 10 && !learned.pays());
    control.stop();
    assert!(Learned::look(&at(4096, 64), false, &control).is_err());
    let dark = Illumination::plain(&s, Sky::Plain { colour: [0.0; 3] });
    let nothing = scene_at(
        &[block([-1.0; 3], [1.0; 3], 0)],
        vec![matt(0.5)],
        Sky::Plain { colour: [0.0; 3] },
        DMat4::from_translation(Vec3::splat(3.0).as_dvec3()),
    );
    let size = PanoramaSize::from_width(64).unwrap();
    let unlit = Illumination::plain(&nothing, Sky::Plain { colour: [0.0; 3] });
    for (scene, light) in [(&s, &dark), (&nothing, &unlit)] {
        let render = Render::new(scene, light, &eye, size, Quality::Samples(16), 5);
        let learned = Learned::look_by(&render, 1 << 14, &Control::default()).unwrap();
        let render = Render {
            learned: Some(&learned),
            ..render
        };
        let strip = render.strip(0, 32, &Control::default()).unwrap();
        assert!(strip.beauty.samples.iter().all(|v| v.is_finite()));
    }
}
