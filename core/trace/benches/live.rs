//! The live picture while nothing moves: how long its first states take and how far they are from the finished one, beside a
//! smaller picture that is enlarged; and the quick picture for while something moves. Side by side in one run, on all threads.

use dome_files::jpeg;
use dome_imaging::{Picture, Tone};
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::kept::KeptLight;
use dome_trace::preview::{LiveView, Preview};
use dome_trace::{Control, GlassLight, ImportOptions, Quality, Render, load, quick};
use glam::DVec3;
use std::time::{Duration, Instant};

const WIDTH: u32 = 512;
/// Times that the first picture is made.
const FIRSTS: usize = 9;

fn size(width: u32) -> PanoramaSize {
    PanoramaSize::from_width(width).expect("a size")
}

fn shown(picture: &Picture) -> Vec<u8> {
    Tone::default().to_srgb8(&picture.samples)
}

/// Root mean square of the difference as it is shown, 0 to 1; a smaller picture is enlarged without smoothing.
fn apart(picture: &Picture, finished: &Picture) -> f64 {
    let (a, b) = (shown(picture), shown(finished));
    let at = |i: u32| i * picture.width / finished.width;
    let mut sum = 0.0;
    for y in 0..finished.height {
        for x in 0..finished.width {
            let i = (at(y) * picture.width + at(x)) as usize * 3;
            let j = (y * finished.width + x) as usize * 3;
            for c in 0..3 {
                sum += ((f64::from(a[i + c]) - f64::from(b[j + c])) / 255.0).powi(2);
            }
        }
    }
    (sum / b.len() as f64).sqrt()
}

fn main() {
    let samples = std::env::var("REFERENCE").map_or(48, |s| s.parse().expect("a number"));
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("merlow.glb");
    std::fs::write(&file, merlow::build()).expect("the demo scene");
    let read = load(&file, &ImportOptions::default()).expect("a scene");
    let scene = read.scene;
    let light = read.report.light.illumination(&scene);
    println!(
        "{} threads, {WIDTH} x {}; the finished picture has {samples} samples a pixel",
        rayon::current_num_threads(),
        WIDTH / 2
    );
    println!("| place | picture | ready after, s | difference from the finished one |");
    println!("|---|---|---|---|");
    let only = std::env::var("ONLY").unwrap_or_default();
    for place in merlow::PLACES {
        if !place.name.contains(&only) {
            continue;
        }
        let at = DVec3::from(place.position.map(f64::from));
        let eye = MonoEye::new(at, Orientation::heading(place.heading_deg), Equirect);
        let view = LiveView {
            scene: &scene,
            light: &light,
            eye: &eye,
            clay: false,
            glass: GlassLight::Straight,
            kept: None,
        };
        let full = Render::new(
            &scene,
            &light,
            &eye,
            size(WIDTH),
            Quality::Samples(samples),
            9,
        );
        let strip = full
            .strip(0, WIDTH / 2, &Control::default())
            .expect("a picture");
        let finished = Picture {
            width: WIDTH,
            height: WIDTH / 2,
            samples: strip.beauty.samples,
        };
        let save = |name: &str, picture: &Picture| {
            if let Ok(folder) = std::env::var("PICTURES") {
                let path = format!("{folder}/{}-{name}.jpg", place.name.replace(' ', "-"));
                let bytes = jpeg::encode_small(picture.width, picture.height, &shown(picture), 92);
                std::fs::write(path, bytes.expect("a JPEG")).expect("a file");
            }
        };
        save("finished", &finished);
        // What a browser waits for: the picture as JPEG.
        let told = |name: &str, since: Instant, picture: &Picture| {
            let bytes = jpeg::encode_small(picture.width, picture.height, &shown(picture), 90);
            std::hint::black_box(bytes.expect("a JPEG"));
            let took = since.elapsed().as_secs_f64();
            println!(
                "| {} | {name} | {took:.3} | {:.3} |",
                place.name,
                apart(picture, &finished)
            );
        };
        for width in [192, WIDTH] {
            let since = Instant::now();
            let picture = quick::picture(&scene, &light, &eye, size(width), 1);
            told(&format!("quick, {width} wide"), since, &picture);
        }
        for width in [128, 256] {
            let since = Instant::now();
            let mut preview = Preview::new(size(width));
            preview.refine(&view, Duration::ZERO);
            told(
                &format!("{width} wide, enlarged"),
                since,
                &preview.picture(),
            );
        }
        // What comes first, several times: a machine that is shared takes some of the time for others.
        let mut firsts: Vec<f64> = (0..FIRSTS)
            .map(|_| {
                let since = Instant::now();
                let mut preview = Preview::sketched(size(WIDTH));
                preview.refine(&view, Duration::ZERO);
                let picture = preview.drawn().expect("a sketch");
                let bytes = jpeg::encode_small(WIDTH, WIDTH / 2, &shown(&picture), 90);
                std::hint::black_box(bytes.expect("a JPEG"));
                since.elapsed().as_secs_f64()
            })
            .collect();
        firsts.sort_by(f64::total_cmp);
        println!(
            "| {} | sketch, 1 of 64 lit: fastest and middle of {FIRSTS} | {:.3} and {:.3} | |",
            place.name,
            firsts[0],
            firsts[FIRSTS / 2]
        );
        let since = Instant::now();
        let mut preview = Preview::sketched(size(WIDTH));
        while preview.samples() < 2 {
            preview.refine(&view, Duration::ZERO);
            let share = preview.lit_share() * 64.0;
            if preview.samples() > 0 || [1.0, 2.0, 4.0, 8.0, 16.0, 32.0].contains(&share) {
                let picture = preview.drawn().expect("a sketch");
                told(
                    &format!("sketch, {share} of 64 lit, {} samples", preview.samples()),
                    since,
                    &picture,
                );
                save(&format!("sketch-{share}-{}", preview.samples()), &picture);
            }
        }
        // The same place again once another one, a metre away, has left light in the world.
        for enough in [1, 16] {
            let kept = KeptLight::default();
            let beside = at + DVec3::new(0.8, 0.0, -0.6);
            let other = MonoEye::new(beside, Orientation::heading(0.0), Equirect);
            let learning = LiveView {
                eye: &other,
                kept: Some(&kept),
                ..view
            };
            let mut teacher = Preview::sketched(size(WIDTH));
            let since = Instant::now();
            while teacher.samples() < enough {
                teacher.refine(&learning, Duration::from_millis(300));
            }
            println!("light is kept after {:.2} s", since.elapsed().as_secs_f64());
            let begun = LiveView {
                kept: Some(&kept),
                ..view
            };
            let mut preview = Preview::sketched(size(WIDTH));
            let since = Instant::now();
            for step in ["first", "second"] {
                preview.refine(&begun, Duration::ZERO);
                let picture = preview.drawn().expect("a sketch");
                let name = format!("kept of {enough} samples, {step}");
                told(&name, since, &picture);
                save(&name.replace([' ', ','], "-"), &picture);
            }
        }
        save("plain", &preview.picture());
        println!(
            "| {} | plain, {} samples | | {:.3} |",
            place.name,
            preview.samples(),
            apart(&preview.picture(), &finished)
        );
    }
}
