//! Live pictures: drawn from the light of few pixels first, the same in the end as those that were not.

mod common;

use common::*;
use dome_imaging::Tone;
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::preview::{LiveView, Preview};
use dome_trace::{GlassLight, Illumination, Material, Scene};
use glam::{DMat4, DVec3};
use std::time::Duration;

/// A room with a glowing panel under its ceiling, a ball and a block in it, and an open side to a grey sky.
fn room(place: DMat4) -> Scene {
    let mut walls = block([-3.0, 0.0, -3.0], [3.0, 3.0, 3.0], 0);
    // Open towards +Z.
    walls.triangles.truncate(10);
    let panel = quad(
        [
            [-0.8, 2.9, -0.8],
            [0.8, 2.9, -0.8],
            [0.8, 2.9, 0.8],
            [-0.8, 2.9, 0.8],
        ],
        1,
    );
    let mut globe = ball(2);
    for p in &mut globe.positions {
        *p = [p[0] * 0.5 - 1.2, p[1] * 0.5 + 0.5, p[2] * 0.5 - 1.5];
    }
    let low = block([0.8, 0.0, -2.0], [1.8, 0.9, -1.0], 3);
    let red = Material {
        base_colour: [0.6, 0.12, 0.08],
        ..matt(0.5)
    };
    let materials = vec![matt(0.6), lamp(4.0), matt(0.7), red];
    scene_at(&[walls, panel, globe, low], materials, NO_SKY, place)
}

fn shown(samples: &[f32]) -> Vec<f64> {
    let bytes = Tone::default().to_srgb8(samples);
    bytes.into_iter().map(|b| f64::from(b) / 255.0).collect()
}

/// Root mean square of the difference as it is shown.
fn apart(a: &[f32], b: &[f32]) -> f64 {
    let squares = shown(a)
        .iter()
        .zip(shown(b))
        .map(|(a, b)| (a - b).powi(2))
        .sum::<f64>();
    (squares / a.len() as f64).sqrt()
}

/// From the light of one pixel in 32 the picture is nearer to the finished one than one with two samples for every pixel, which takes
/// 64 times the light; it gets better by turns; and in the end its samples are those of a picture that was never drawn.
#[test]
fn the_first_light_draws_the_picture() {
    let eye = MonoEye::new(
        DVec3::new(0.2, 1.6, 1.5),
        Orientation::heading(10.0),
        Equirect,
    );
    let size = PanoramaSize::from_width(256).unwrap();
    for (name, place) in places().into_iter().step_by(3) {
        let scene = room(place);
        let light = Illumination::plain(&scene, scene.sky.clone());
        let eye = EyeAt(&eye, place);
        let view = LiveView {
            scene: &scene,
            light: &light,
            eye: &eye,
            clay: false,
            glass: GlassLight::Straight,
        };
        let finished = render(&scene, &light, &eye, size, 24, 7);
        let mut sketch = Preview::sketched(size);
        assert!(sketch.drawn().is_none() && sketch.lit_share() == 0.0);
        sketch.refine(&view, Duration::ZERO);
        let first = apart(&sketch.drawn().unwrap().samples, &finished);
        assert_eq!((sketch.lit_share(), sketch.samples()), (1.0 / 32.0, 0));
        for _ in 1..32 {
            sketch.refine(&view, Duration::ZERO);
        }
        let all = apart(&sketch.drawn().unwrap().samples, &finished);
        assert_eq!((sketch.lit_share(), sketch.samples()), (1.0, 1));
        sketch.refine(&view, Duration::ZERO);
        let mut plain = Preview::new(size);
        plain.refine(&view, Duration::ZERO);
        plain.refine(&view, Duration::ZERO);
        let noisy = apart(&plain.picture().samples, &finished);
        println!("{name}: {first:.3} at first, {all:.3} with a sample each, {noisy:.3} plain");
        assert!(
            first < noisy && all < first,
            "{name}: {first}, {all}, {noisy}"
        );
        assert!(
            plain.drawn().is_none() && plain.picture() == sketch.picture(),
            "{name}"
        );
    }
}
