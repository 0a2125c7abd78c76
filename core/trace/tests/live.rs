//! Live pictures: drawn from the light of few pixels first, the same in the end as those that were not.

mod common;

use common::*;
use dome_imaging::Tone;
use dome_optics::{Equirect, Eye, MonoEye, Orientation, PanoramaSize, PictureSize, Shape};
use dome_trace::kept::KeptLight;
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

/// A view that begins in the dark.
fn live<'a>(scene: &'a Scene, light: &'a Illumination, eye: &'a dyn Eye) -> LiveView<'a> {
    LiveView {
        scene,
        light,
        eye,
        clay: false,
        glass: GlassLight::Straight,
        kept: None,
    }
}

/// From the light of one pixel in 64 the picture is nearer to the finished one than one with two samples for every pixel, which takes
/// 128 times the light; it gets better by turns; and in the end its samples are those of a picture that was never drawn.
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
        let view = live(&scene, &light, &eye);
        let finished = render(&scene, &light, &eye, size, 24, 7);
        let mut sketch = Preview::sketched(size);
        assert!(sketch.drawn().is_none() && sketch.lit_share() == 0.0);
        sketch.refine(&view, Duration::ZERO);
        let first = apart(&sketch.drawn().unwrap().samples, &finished);
        assert_eq!((sketch.lit_share(), sketch.samples()), (1.0 / 64.0, 0));
        for _ in 1..64 {
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

/// What pictures find is kept in the world: from another place the first picture is nearer to the finished one than one that begins in
/// the dark, wherever the scene lies and however large it is; where little is known of what is seen, it is hardly
/// worse; and once all pixels have light of their own, it is the same.
#[test]
fn light_found_at_one_place_begins_another() {
    let heading = Orientation::heading;
    let eye = MonoEye::new(DVec3::new(0.2, 1.6, 1.5), heading(10.0), Equirect);
    let other = MonoEye::new(DVec3::new(1.4, 1.3, 0.6), heading(-30.0), Equirect);
    let frame = Shape::Perspective {
        hfov_deg: 40.0,
        vfov_deg: Some(40.0),
        shift: [0.0; 2],
    };
    let narrow = MonoEye::new(DVec3::new(1.4, 1.3, 0.6), heading(-30.0), frame);
    let size = PanoramaSize::from_width(128).unwrap();
    for (name, place) in places().into_iter().step_by(5) {
        let scene = room(place);
        let light = Illumination::plain(&scene, scene.sky.clone());
        let eye = EyeAt(&eye, place);
        let all = live(&scene, &light, &eye);
        let finished = render(&scene, &light, &eye, size, 96, 7);
        let first = |kept: Option<&KeptLight>| {
            let mut sketch = Preview::sketched(size);
            sketch.refine(&LiveView { kept, ..all }, Duration::ZERO);
            assert_eq!((sketch.lit_share(), sketch.samples()), (1.0 / 64.0, 0));
            let first = apart(&sketch.drawn().unwrap().samples, &finished);
            while sketch.samples() < 2 {
                sketch.refine(&LiveView { kept, ..all }, Duration::ZERO);
            }
            let drawn = apart(&sketch.drawn().unwrap().samples, &finished);
            (first, drawn, sketch.picture())
        };
        let dark = first(None);
        let learned = |eye: &dyn Eye, size: PictureSize| {
            let kept = KeptLight::default();
            let mut teacher = Preview::sketched(size);
            let view = LiveView {
                eye,
                kept: Some(&kept),
                ..all
            };
            while teacher.samples() < 8 {
                teacher.refine(&view, Duration::ZERO);
            }
            kept
        };
        let there = EyeAt(&other, place);
        let known = first(Some(&learned(&there, size.into())));
        let (a, b) = (dark.0, known.0);
        println!(
            "{name}: {a:.3} in the dark, {b:.3} with light that was kept; later {:.3} and {:.3}",
            dark.1, known.1
        );
        assert!(b < 0.95 * a && known.1 == dark.1, "{name}: {a}, {b}");
        // Samples are a picture's own: what was kept is in none of them.
        assert!(known.2 == dark.2, "{name}");
        let part = EyeAt(&narrow, place);
        let few = PictureSize::new(frame, Some(64), Some(64)).unwrap();
        let partly = first(Some(&learned(&part, few)));
        println!("{name}: {:.3} with light that was kept of a part", partly.0);
        assert!(partly.0 < 1.15 * a, "{name}: {} and {a}", partly.0);
    }
}
