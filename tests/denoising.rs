//! Denoised renders: in every shape that can be, in parts, in pairs, to a noise that is left, and what is told of it.

use crate::support;

use dome_files::exr_picture::ExrStrips;
use dome_imaging::transfer::{luminance, srgb_from_linear};
use serde_json::json;
use std::path::Path;
use support::{Bench, Server, run, run_ok, samples, text, with_room};

const RGB: [&str; 3] = ["R", "G", "B"];
const TAKEN: [&str; 3] = ["taken-out.R", "taken-out.G", "taken-out.B"];
/// A place half a metre from the lamp: from further away it would be a pixel or less of these small pictures.
const AT: &str = "--at 1.1,1.4,-0.7";

/// How far a picture is from the truth, in percent of the displayed value: root of the mean square, as noise is told.
fn percent_off(picture: &[f32], truth: &[f32]) -> f64 {
    let shown = |p: &[f32]| {
        f64::from(srgb_from_linear(
            luminance([p[0], p[1], p[2]]).clamp(0.0, 1.0),
        ))
    };
    let (mut squares, mut pixels) = (0.0, 0.0);
    for (a, b) in picture.chunks_exact(3).zip(truth.chunks_exact(3)) {
        // Outside an outline there is nothing.
        if b != [0.0; 3] {
            squares += ((shown(a) - shown(b)) / shown(b).max(0.05)).powi(2);
            pixels += 1.0;
        }
    }
    100.0 * f64::sqrt(squares / pixels)
}

/// What a render says of its noise: as it was rendered, and after denoising.
fn told(bench: &Bench, name: &str, options: &str) -> (f64, f64) {
    let said = bench.said(name, options);
    let line = (said.lines())
        .find(|l| l.starts_with("Noise "))
        .unwrap_or_else(|| panic!("no noise in: {said}"));
    let number = |word: &str| -> f64 { word.parse().unwrap() };
    let words: Vec<&str> = line.split_whitespace().collect();
    let after = words.iter().position(|w| *w == "left").unwrap();
    (number(words[1]), number(words[after - 2]))
}

/// Denoising brings every shape that has no edges inside nearer to the truth; the others are refused in a sentence. What it took is
/// the difference, and what is left is told: never less than is truly wrong, but for what a few pixels do not tell.
#[test]
fn every_shape_without_edges_inside_is_denoised() {
    let bench = Bench::new();
    for shape in [
        "equirect --width 128",
        "equirect:360x60 --width 128",
        "equirect:180x90 --width 128",
        "fisheye:180 --width 96",
        "perspective:80x60 --width 96",
    ] {
        let usual = format!("{AT} --shape {shape}");
        let noisy = bench.render("noisy.exr", &format!("{usual} --samples 16"));
        let options = format!("{usual} --samples 16 --denoise --passes taken-out");
        let (raw, left) = told(&bench, "calm.exr", &options);
        let truth = bench.render("true.exr", &format!("{usual} --samples 192 --seed 9"));
        let [truth, noisy] = [truth, noisy].map(|path| samples(&path, RGB));
        let calm = samples(&bench.at("calm.exr"), RGB);
        let taken = samples(&bench.at("calm.exr"), TAKEN);
        let (before, after) = (percent_off(&noisy, &truth), percent_off(&calm, &truth));
        println!("{shape}: {before:.1} % became {after:.1} %; told {raw} % and {left} %");
        assert!(after < 0.75 * before, "{shape}: {before} became {after}");
        assert!(left < 0.8 * raw, "{shape}: {raw} % and {left} %");
        assert!(
            left + 1.0 > 0.6 * after,
            "{shape}: {left} % told, {after} % wrong"
        );
        for ((taken, before), after) in taken.iter().zip(&noisy).zip(&calm) {
            // Half floats: 11 bits each.
            let rounding = 1e-3 * before.abs().max(after.abs()) + 1e-6;
            assert!(
                (before - after - taken).abs() < 2.0 * rounding,
                "{before} {after} {taken}"
            );
        }
    }
    for (shape, said) in [
        ("cube-1x6", "edges of cube-1x6 meet inside"),
        ("octahedral", "edges of octahedral meet inside"),
    ] {
        let sentence = bench.refused("no.exr", &format!("--shape {shape} --width 64 --denoise"));
        assert!(sentence.contains(said), "{sentence}");
    }
    let sentence = bench.refused("no.exr", "--width 64 --passes taken-out");
    assert!(sentence.contains("give --denoise too"), "{sentence}");
}

/// The noise asked for is what is left: the render itself stops sooner. Parts stop where the whole does, keep what denoising needs,
/// and are the whole's bytes when joined.
#[test]
fn parts_are_denoised_when_they_are_joined() {
    let bench = Bench::new();
    let options = format!(
        "{AT} --width 128 --noise 3 --samples 1024 --denoise --passes depth,object-mask,taken-out"
    );
    let (raw, left) = told(&bench, "whole.exr", &options);
    println!("asked for 3 %: {raw} % rendered, {left} % left");
    assert!(
        raw > 1.3 * left && (1.8..4.2).contains(&left),
        "{raw} % {left} %"
    );
    // One looks for itself, one keeps what it looked at, and one takes it from there: all are parts of the same.
    let kept = bench.at("look");
    let look = format!("--look {}", text(&kept));
    let part = |name: &str, rows: &str, look: &str| {
        let said = bench.said(name, &format!("{options} --rows {rows} {look}"));
        assert_eq!(said.contains("is taken from"), name == "c.exr", "{said}");
        bench.at(name)
    };
    let parts = [
        part("b.exr", "20-41", ""),
        part("a.exr", "0-19", &look),
        part("c.exr", "42-63", &look),
    ];
    let header = |path: &Path| ExrStrips::open(path).unwrap().header;
    let comments = header(&parts[0]).comments.unwrap();
    assert!(
        comments.starts_with("Its noise is still in it"),
        "{comments}"
    );
    let joined = bench.at("joined.exr");
    let all: Vec<&str> = parts.iter().map(|p| text(p)).collect();
    run_ok(&[&["join"][..], &all, &["-o", text(&joined)]].concat());
    let whole = bench.at("whole.exr");
    assert_eq!(header(&joined).comments, header(&whole).comments);
    assert!(std::fs::read(&joined).unwrap() == std::fs::read(&whole).unwrap());
    // A part that was made for another noise does not fit, and it is said.
    let other = options
        .replace("--noise 3", "--samples 8")
        .replace("--samples 1024", "");
    let other = bench.render("other.exr", &format!("{other} --rows 42-63"));
    let done = run(&["join", all[0], all[1], text(&other), "-o", text(&joined)]);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(said.contains("not made for denoising alike"), "{said}");
    // Of another picture it is looked at anew, and no other file is written over.
    let other = format!("{options} --rows 0-7 --seed 9 {look}");
    let said = bench.said("seed.exr", &other);
    assert!(!said.contains("is taken from"), "{said}");
    let said = bench.said("seed.exr", &other);
    assert!(said.contains("is taken from"), "{said}");
    std::fs::write(&kept, "my notes").unwrap();
    let why = bench.refused("no.exr", &format!("{options} --rows 0-7 {look}"));
    assert!(why.contains("is no file of --look"), "{why}");
    assert_eq!(std::fs::read(&kept).unwrap(), b"my notes");
    let why = bench.refused("{frame}.exr", &format!("--width 64 --frames 0-1 {look}"));
    assert!(why.contains("leave --look out"), "{why}");
}

/// Where denoising would save no samples or do harm it is left out, which is said: nothing was taken out, the picture is as noisy as it was
/// rendered, and parts are the whole's bytes.
#[test]
fn denoising_is_left_out_where_it_gains_nothing() {
    let bench = Bench::new();
    let denoised = format!("{AT} --width 32 --noise 1 --samples 1024 --denoise --passes taken-out");
    let said = bench.said("left.exr", &denoised);
    assert!(said.contains("Denoising was left out"), "{said}");
    let left = bench.at("left.exr");
    assert!(samples(&left, TAKEN).iter().all(|v| *v == 0.0));
    let parts: Vec<_> = [("a.exr", "0-7"), ("b.exr", "8-15")]
        .map(|(name, rows)| bench.render(name, &format!("{denoised} --rows {rows}")))
        .into();
    let joined = bench.at("joined.exr");
    let all: Vec<&str> = parts.iter().map(|p| text(p)).collect();
    run_ok(&[&["join"][..], &all, &["-o", text(&joined)]].concat());
    assert!(std::fs::read(&joined).unwrap() == std::fs::read(&left).unwrap());
    // An order decides the same, says it, and knows it when it is gone on with.
    let (_folder, server, id) = with_room();
    let wish = json!({"width": 32, "noise_percent": 1, "samples": 1024, "denoise": true});
    let order = server.order(id, wish);
    let told = server.wait_for_order(order, "done");
    let why = told["problem"].as_str().unwrap_or_default();
    assert!(why.contains("Denoising was left out"), "{told}");
    assert_eq!(told["noise_left_percent"], json!(null), "{told}");
}

/// Both eyes of a pair are denoised alike, each as it would be alone.
#[test]
fn both_eyes_are_denoised_as_each_alone() {
    let bench = Bench::new();
    let pair = format!("{AT} --width 128 --samples 8 --denoise --stereo panoramic");
    let both = bench.render("both.exr", &pair);
    let left = bench.render("left.exr", &format!("{pair} --eye left"));
    let right = bench.render("right.exr", &format!("{pair} --eye right"));
    assert!(samples(&both, RGB) == samples(&left, RGB));
    assert!(samples(&both, ["right.R", "right.G", "right.B"]) == samples(&right, RGB));
    let sentence = bench.refused("no.exr", &format!("{pair} --rows 0-15"));
    assert!(sentence.contains("--eye left"), "{sentence}");
}

/// Ten frames of a slow pan through a scene, a pixel each and each with noise of its own: seen from the scene, what is denoised changes
/// less from frame to frame than what is not, and hardly anywhere more than the little that was there.
#[test]
fn a_denoised_pan_flickers_less_than_its_noise() {
    const WIDTH: usize = 96;
    const HEIGHT: usize = 48;
    let bench = Bench::new();
    let frame = |i: usize, denoise: &str| {
        let heading = i as f64 * 360.0 / WIDTH as f64;
        let options =
            format!("{AT} --heading {heading} --width {WIDTH} --samples 8 --seed {i} {denoise}");
        let name = format!("{i}{denoise}.exr");
        samples(&bench.render(&name, &options), RGB)
    };
    // The variance of each place of the scene over the frames, of what is shown.
    let flicker = |frames: &[Vec<f32>]| -> Vec<f64> {
        (0..WIDTH * HEIGHT)
            .map(|pixel| {
                let (x, y) = (pixel % WIDTH, pixel / WIDTH);
                let values: Vec<f64> = (frames.iter().enumerate())
                    .map(|(i, f)| {
                        let p = &f[(y * WIDTH + (x + WIDTH - i) % WIDTH) * 3..][..3];
                        let light = luminance([p[0], p[1], p[2]]);
                        f64::from(srgb_from_linear(light.clamp(0.0, 1.0)))
                    })
                    .collect();
                let n = values.len() as f64;
                let mean = values.iter().sum::<f64>() / n;
                values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (n - 1.0)
            })
            .collect()
    };
    let of = |denoise| flicker(&(0..10).map(|i| frame(i, denoise)).collect::<Vec<_>>());
    let (before, after) = (of(""), of("--denoise"));
    let mean = |v: &[f64]| (v.iter().sum::<f64>() / v.len() as f64).sqrt();
    // A step of 8 bits is not seen.
    let step = (1.0f64 / 255.0).powi(2);
    let worse = (after.iter().zip(&before)).filter(|(a, b)| **a > **b + step);
    let share = worse.count() as f64 / after.len() as f64;
    let (before, after) = (mean(&before), mean(&after));
    println!("flicker of {before:.4} became {after:.4}; worse in {share:.4} of the pixels");
    // The library leaves 0.44 of it, the built-in filter 0.64.
    assert!(after < 0.75 * before, "{before} became {after}");
    assert!(share < 0.02, "{share}");
}

/// Killed in the middle, an order that is to leave some noise goes on to the noise of the render that it had found, and to the bytes of
/// one that nothing disturbed.
#[test]
fn a_killed_denoised_order_goes_on_to_the_same_bytes() {
    let wish =
        json!({"width": 256, "samples": 64, "noise_percent": 4.0, "denoise": true, "passes": []});
    let picture = |server: &Server, order| {
        let path = server.files_of(order).join("master.exr");
        std::fs::read(path).unwrap()
    };
    let (_quiet_folder, quiet, id) = with_room();
    let undisturbed = quiet.order(id, wish.clone());
    let done = quiet.wait_for_order(undisturbed, "done");
    let bytes = picture(&quiet, undisturbed);
    drop(quiet);
    let (folder, server, id) = with_room();
    let order = server.order(id, wish);
    let strips = server.files_of(order).join("strips");
    support::wait_for("some strips", || {
        (support::strips_there(&strips) >= 2).then_some(())
    });
    server.kill();
    assert!(strips.join("000000.strip").exists(), "it was done already");
    let kept = std::fs::read(noise_file(&strips)).unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let again = server.wait_for_order(order, "done");
    assert_eq!(std::fs::read(noise_file(&strips)).unwrap(), kept);
    for told in ["noise_percent", "noise_left_percent"] {
        assert_eq!(again[told], done[told], "{told}");
    }
    assert!(picture(&server, order) == bytes, "other bytes after a kill");
}

/// Where the noise is kept that an order is rendered to.
fn noise_file(strips: &Path) -> std::path::PathBuf {
    strips.with_file_name("block-noise.txt")
}

/// On the server: the noise that is left is told, by another order of the same picture too; what was taken is a pass that is shown;
/// and the noise that it was rendered to is kept beside the picture.
#[test]
fn orders_tell_what_is_left_and_what_was_taken() {
    let (folder, server, id) = with_room();
    let wish = json!({"width": 128, "samples": 1024, "noise_percent": 3.0, "denoise": true,
        "passes": ["depth"]});
    let order = server.order(id, wish.clone());
    let done = server.wait_for_order(order, "done");
    let [raw, left] = ["noise_percent", "noise_left_percent"].map(|n| done[n].as_f64().unwrap());
    println!("asked for 3 %: {raw} % rendered, {left} % left");
    assert!(raw > left && (1.8..4.2).contains(&left), "{done}");
    assert_eq!(done["spec"]["passes"], json!(["depth", "taken-out"]));
    let pass = format!("/api/orders/{order}/passes/taken-out");
    let shown = image::load_from_memory(&server.get(&format!("{pass}/picture.jpg"))).unwrap();
    assert_eq!((shown.width(), shown.height()), (128, 64));
    // Mostly little was taken: the picture of it is about middle grey.
    let mean = shown
        .to_luma8()
        .pixels()
        .map(|p| f64::from(p.0[0]))
        .sum::<f64>()
        / (128.0 * 64.0);
    assert!((110.0..145.0).contains(&mean), "{mean}");
    // The noise it was rendered to was looked for once and is kept: strips of before and after a stop go together.
    let kept = server.files_of(order).join("block-noise.txt");
    let kept: f64 = std::fs::read_to_string(kept).unwrap().parse().unwrap();
    assert!(kept >= 2.0, "{kept}");
    let again = server.order(id, wish);
    let again = server.wait_for_order(again, "done");
    assert_eq!(again["noise_left_percent"], done["noise_left_percent"]);
    drop(folder);
}
