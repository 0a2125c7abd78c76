//! Renders by command: passes, parts, skies, noise, motion, units, and what they must not change.

use crate::support;

use serde_json::Value;
use std::path::{Path, PathBuf};
use support::{outside, run, run_ok, samples, scene_in, text};

/// A sample scene that nobody here made.
fn sample(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../core/trace/tests/samples")
        .join(name)
}

/// Renders and gives what was said on stderr.
fn render(scene: &Path, out: &Path, extra: &[&str]) -> String {
    let args = [&["render", text(scene), "-o", text(out)][..], extra].concat();
    let done = run(&args);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{args:?}: {said}");
    said
}

const RGB: [&str; 3] = ["R", "G", "B"];

/// Root of the mean squared difference.
fn apart(a: &[f32], b: &[f32]) -> f32 {
    let squares: f32 = a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum();
    (squares / a.len() as f32).sqrt()
}

#[test]
fn parts_of_a_render_join_to_the_bytes_of_the_whole() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let at = |name: &str| folder.path().join(name);
    let render = |name: &str, extra: &[&str]| {
        let out = at(name);
        let args = [
            &[
                "render",
                text(&scene),
                "-o",
                text(&out),
                "--width",
                "96",
                "--noise",
                "20",
            ],
            &["--samples", "64", "--passes", "depth,object-mask,direct"][..],
            extra,
        ]
        .concat();
        run_ok(&args);
        out
    };
    let whole = render("whole.exr", &[]);
    let parts = [
        render("b.exr", &["--rows", "11-30", "--threads", "1"]),
        render("a.exr", &["--rows", "0-10"]),
        render("c.exr", &["--rows", "31-47"]),
    ];
    let joined = at("joined.exr");
    run_ok(&[
        "join",
        text(&parts[0]),
        text(&parts[1]),
        text(&parts[2]),
        "-o",
        text(&joined),
    ]);
    assert_eq!(
        std::fs::read(&joined).unwrap(),
        std::fs::read(&whole).unwrap()
    );
    let header = outside("exrheader", &[text(&parts[0])]);
    assert!(
        header.contains("dataWindow (type box2i): (0 11) - (95 30)"),
        "{header}"
    );
    assert!(
        header.contains("displayWindow (type box2i): (0 0) - (95 47)"),
        "{header}"
    );
    let header = outside("exrheader", &[text(&whole)]);
    for channel in [
        "depth.Z, 32-bit floating-point",
        "object-mask.R, 16-bit",
        "direct.B, 16-bit",
    ] {
        assert!(header.contains(channel), "{header}");
    }
    assert!(
        header.contains(" Lamp"),
        "the mask's names are missing: {header}"
    );
    // A part that is missing, and rows that are not there.
    let missing = run(&[
        "join",
        text(&parts[0]),
        text(&parts[1]),
        "-o",
        text(&at("no.exr")),
    ]);
    let sentence = String::from_utf8(missing.stderr).unwrap();
    assert!(sentence.contains("Rows 31 to 47 are missing"), "{sentence}");
    for wrong in [&["--rows", "40-48"][..], &["--rows", "0-3", "--separate"]] {
        let out = at("wrong.exr");
        let args = [
            &["render", text(&scene), "-o", text(&out), "--width", "96"],
            wrong,
        ]
        .concat();
        let done = run(&args);
        assert_eq!(done.status.code(), Some(1), "{wrong:?}");
        assert!(!out.exists());
    }
}

/// Passes beside formats that hold none are files of their own; a PNG without backdrop is transparent.
#[test]
fn passes_skies_and_clay_by_command() {
    let folder = tempfile::tempdir().unwrap();
    let floor = folder.path().join("floor.obj");
    std::fs::write(
        &floor,
        "v -9 0 -9\nv 9 0 -9\nv 9 0 9\nv -9 0 9\nf 4 3 2 1\n",
    )
    .unwrap();
    let render = |name: &str, extra: &[&str]| {
        let out = folder.path().join(name);
        let args = [
            &[
                "render",
                text(&floor),
                "-o",
                text(&out),
                "--width",
                "64",
                "--samples",
                "16",
            ],
            &["--at", "0,1.6,0"][..],
            extra,
        ]
        .concat();
        run_ok(&args);
        out
    };
    let png = render("a.png", &["--transparent", "--passes", "depth"]);
    let picture = image::open(&png).unwrap().to_rgba8();
    assert_eq!(picture.get_pixel(30, 3).0[3], 0);
    assert_eq!(picture.get_pixel(30, 30).0[3], 255);
    assert!(folder.path().join("a.depth.exr").exists());
    let red = render("red.png", &["--sky", "plain:1,0,0"]);
    assert_eq!(
        image::open(&red).unwrap().to_rgb8().get_pixel(9, 3).0,
        [255, 0, 0]
    );
    // The sun at heading 90 stands a quarter to the right of the middle, column 48 of 64, at 45 degrees in
    // row 8; above 22 degrees the sky round it is the brightest.
    let sun = render("sun.exr", &["--sky", "sun:45,90"]);
    let sun = green(&sun);
    let brightest = (0..64 * 12)
        .max_by(|a, b| sun[*a].total_cmp(&sun[*b]))
        .unwrap();
    let (column, row) = (brightest % 64, brightest / 64);
    assert!(
        (47..=48).contains(&column) && (7..=8).contains(&row),
        "{column},{row}"
    );
    let turned = green(&render(
        "turned.exr",
        &["--sky", "sun:45,90", "--sky-turn", "-90"],
    ));
    let brightest = (0..64 * 12)
        .max_by(|a, b| turned[*a].total_cmp(&turned[*b]))
        .unwrap();
    assert!((31..=32).contains(&(brightest % 64)), "{}", brightest % 64);
    // In feet the floor is nearer together: 18 ft across.
    let told: Value = serde_json::from_str(&run_ok(&["scene", text(&floor), "--json"])).unwrap();
    assert_eq!(
        (&told["triangles"], &told["size_m"][0]),
        (&2.into(), &18.0.into())
    );
    assert!(
        told["left_out"]
            .as_array()
            .unwrap()
            .iter()
            .any(|l| l["what"].as_str().unwrap().contains("normals"))
    );
    for wrong in ["sun:95,0", "plain:1,2", "sun:"] {
        let out = folder.path().join("no.png");
        let done = run(&["render", text(&floor), "-o", text(&out), "--sky", wrong]);
        assert_eq!(done.status.code(), Some(2), "{wrong}");
    }
    let out = folder.path().join("no.jpg");
    let done = run(&["render", text(&floor), "-o", text(&out), "--transparent"]);
    assert!(
        String::from_utf8(done.stderr)
            .unwrap()
            .contains("transparency")
    );
}

/// The green channel of an EXR, row by row.
fn green(path: &Path) -> Vec<f32> {
    samples(path, ["G"; 3]).into_iter().step_by(3).collect()
}

/// The told noise is under what was asked for or the cap is reached; fewer samples are taken for a draft.
#[test]
fn a_noise_target_is_told_and_kept() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let out = folder.path().join("a.exr");
    let told = |percent: &str| -> (f64, f64) {
        let said = render(&scene, &out, &["--width", "64", "--noise", percent]);
        assert!(said.contains("100 %"), "{said}");
        let line = said.lines().find(|l| l.starts_with("Noise")).unwrap();
        let numbers: Vec<f64> = line
            .split_whitespace()
            .filter_map(|w| w.parse().ok())
            .collect();
        (numbers[0], numbers[1])
    };
    let (draft, few) = told("12");
    let (clean, many) = told("4");
    assert!(draft < 12.0 * 1.1 && clean < 4.0 * 1.1, "{draft} {clean}");
    assert!(many > 1.5 * few, "{few} and {many} samples");
    for wrong in ["0", "101", "x"] {
        let done = run(&["render", text(&scene), "-o", text(&out), "--noise", wrong]);
        assert!(!done.status.success(), "{wrong}");
    }
}

/// Denoised, a picture of few samples is nearer to one of many; denoising passes leave other passes alone.
#[test]
fn denoising_brings_a_picture_nearer_to_the_truth() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let scene = at("merlow.glb");
    run_ok(&["demo-scene", "-o", text(&scene)]);
    render(
        &scene,
        &at("true.exr"),
        &[
            "--width",
            "64",
            "--samples",
            "256",
            "--at",
            "1.55,1.6,1.75",
            "--seed",
            "9",
        ],
    );
    let few = [
        "--width",
        "64",
        "--samples",
        "4",
        "--passes",
        "depth",
        "--at",
        "1.55,1.6,1.75",
    ];
    render(&scene, &at("few.exr"), &few);
    render(
        &scene,
        &at("calm.exr"),
        &[&few[..], &["--denoise"]].concat(),
    );
    let [truth, noisy, calm] = ["true.exr", "few.exr", "calm.exr"].map(|n| samples(&at(n), RGB));
    // As on a screen: what is brighter than white is white, and dark tones count as they are seen (sRGB's mean gamma).
    let shown = |v: &[f32]| -> Vec<f32> {
        v.iter()
            .map(|x| x.clamp(0.0, 1.0).powf(1.0 / 2.2))
            .collect()
    };
    let (before, after) = (
        apart(&shown(&noisy), &shown(&truth)),
        apart(&shown(&calm), &shown(&truth)),
    );
    println!("denoising: {before} became {after}");
    // Measured at these few pixels: 0.55 with the denoising library, 0.79 with the built-in filter.
    assert!(after < 0.85 * before, "{before} became {after}");
    assert_eq!(
        samples(&at("few.exr"), ["depth.Z"; 3]),
        samples(&at("calm.exr"), ["depth.Z"; 3])
    );
    // What denoising looked at is not in the file unless asked for.
    let header = outside("exrheader", &[text(&at("calm.exr"))]);
    assert!(
        !header.contains("albedo") && header.contains("depth.Z"),
        "{header}"
    );
}

/// A moment of the animation: the sample's step lies at 10 m from 0.458 to 0.833 s, at 6 m afterwards.
#[test]
fn the_moment_and_the_unit_are_options() {
    let folder = tempfile::tempdir().unwrap();
    let scene = sample("interpolation/InterpolationTest.gltf");
    let depth = |name: &str, extra: &[&str]| {
        let out = folder.path().join(name);
        let usual = [
            "--width",
            "128",
            "--samples",
            "1",
            "--passes",
            "depth",
            "--at",
            "0,8,20",
        ];
        render(&scene, &out, &[&usual[..], extra].concat());
        samples(&out, ["depth.Z"; 3])
    };
    let rest = depth("rest.exr", &[]);
    let later = depth("later.exr", &["--time", "0.6"]);
    let end = depth("end.exr", &["--time", "50"]);
    assert!(apart(&rest, &later) > 1.0 && apart(&later, &end) > 1.0);
    assert_eq!(end, depth("ended.exr", &["--time", "60"]));
    // In feet everything is 0.3048 times as far away.
    let feet = folder.path().join("feet.exr");
    let place = format!("0,{},{}", 8.0 * 0.3048, 20.0 * 0.3048);
    render(
        &scene,
        &feet,
        &[
            "--width",
            "128",
            "--samples",
            "1",
            "--passes",
            "depth",
            "--at",
            &place,
            "--unit",
            "ft",
        ],
    );
    let feet = samples(&feet, ["depth.Z"; 3]);
    let (mut compared, mut met) = (0, 0);
    for (a, b) in rest
        .iter()
        .zip(&feet)
        .filter(|(a, b)| **a < 1e9 && **b < 1e9)
    {
        met += 1;
        if (b / a - 0.3048).abs() < 1e-3 {
            compared += 1;
        }
    }
    assert!(met > 100 && compared * 10 > met * 9, "{compared} of {met}");
    for wrong in [["--unit", "mile"], ["--time", "x"]] {
        let out = folder.path().join("no.exr");
        let done = run(&["render", text(&scene), "-o", text(&out), wrong[0], wrong[1]]);
        assert_eq!(done.status.code(), Some(2), "{wrong:?}");
    }
}

/// A lens of 50 mm at f/1 spreads a far edge over more pixels than one at f/16; at its focus it stays sharp.
#[test]
fn a_lens_blurs_what_is_out_of_focus() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let picture = |name: &str, extra: &[&str]| {
        let out = folder.path().join(name);
        let usual = ["--width", "128", "--samples", "32", "--passes", "albedo"];
        render(&scene, &out, &[&usual[..], extra].concat());
        samples(&out, ["albedo.R", "albedo.G", "albedo.B"])
    };
    // The lamp hangs 1.81 m from the middle of the room at eye height 1.6 m.
    let sharp = picture("sharp.exr", &[]);
    let focused = picture("focused.exr", &["--fstop", "1", "--focus", "1.81"]);
    let near = picture("near.exr", &["--fstop", "1", "--focus", "0.2"]);
    assert!(apart(&sharp, &near) > 2.0 * apart(&sharp, &focused));
    let out = folder.path().join("no.exr");
    let done = run(&["render", text(&scene), "-o", text(&out), "--fstop", "2"]);
    assert_eq!(done.status.code(), Some(2), "--fstop without --focus");
}

/// Holding fireflies back only ever takes light away.
#[test]
fn clamping_is_a_choice_that_darkens() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let mean = |name: &str, extra: &[&str]| {
        let out = folder.path().join(name);
        render(
            &scene,
            &out,
            &[&["--width", "64", "--samples", "64"][..], extra].concat(),
        );
        let all = samples(&out, RGB);
        all.iter().sum::<f32>() / all.len() as f32
    };
    let free = mean("free.exr", &[]);
    let held = mean("held.exr", &["--clamp", "0.5"]);
    assert!(held < free, "{held} {free}");
}

/// A picture all round lights and is seen; what it holds that no light has is told.
#[test]
fn a_studio_lights_the_scene() {
    let folder = tempfile::tempdir().unwrap();
    let floor = folder.path().join("floor.obj");
    std::fs::write(
        &floor,
        "v -9 0 -9\nv 9 0 -9\nv 9 0 9\nv -9 0 9\nf 4 3 2 1\n",
    )
    .unwrap();
    let studio = sample("env/studio.exr");
    let out = folder.path().join("a.exr");
    let usual = [
        "--width",
        "128",
        "--samples",
        "32",
        "--at",
        "0,1.6,0",
        "--sky",
        text(&studio),
    ];
    let said = render(&floor, &out, &usual);
    assert!(
        said.contains("studio.exr holds") && said.contains("black"),
        "{said}"
    );
    let picture = samples(&out, RGB);
    // The brightest place of the sky, (118, 67) of 512 x 256, lies at (29, 16) of 128 x 64.
    let bright = |i: usize| picture[3 * i..3 * i + 3].iter().sum::<f32>();
    let brightest = (0..128 * 32)
        .max_by(|a, b| bright(*a).total_cmp(&bright(*b)))
        .unwrap();
    let (column, row) = (brightest % 128, brightest / 128);
    assert!(
        column.abs_diff(29) <= 2 && row.abs_diff(16) <= 2,
        "{column},{row}"
    );
    // The floor below is lit.
    assert!(bright(64 + 128 * 60) > 0.01);
    let missing = run(&[
        "render",
        text(&floor),
        "-o",
        text(&out),
        "--sky",
        "gone.exr",
    ]);
    assert!(String::from_utf8_lossy(&missing.stderr).contains("gone.exr"));
}

/// Facts of the sample, by command.
#[test]
fn scene_tells_lamps_cameras_and_motion() {
    let told = |name: &str| -> Value {
        serde_json::from_str(&run_ok(&["scene", text(&sample(name)), "--json"])).unwrap()
    };
    let lamps = told("lights/cube.glb");
    let kinds: Vec<&str> = (lamps["lamps"].as_array().unwrap().iter())
        .map(|l| l["kind"].as_str().unwrap())
        .collect();
    assert_eq!(kinds.len(), 3);
    for kind in ["point lamp", "spot lamp", "directional light"] {
        assert!(kinds.contains(&kind), "{kinds:?}");
    }
    assert_eq!(lamps["cameras"].as_array().unwrap().len(), 1);
    let motion = told("interpolation/InterpolationTest.gltf");
    assert_eq!(motion["animation_clips"], 9);
    let words = run_ok(&["scene", text(&sample("cornell/cornell_box.obj"))]);
    assert!(
        words.contains("36 triangles") && words.contains("without normals"),
        "{words}"
    );
    let wrong = run(&["scene", "gone.glb"]);
    assert_eq!(wrong.status.code(), Some(1));
}
