//! Two eyes in files by command: packed, taken apart, laid again, checked; sizes and pixels as exiftool and ffmpeg see them.

use crate::support;

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use support::{Bench, Server, exiftool, outside, pixels, run, run_fails, run_ok, scene_in, text};

/// Every packing has its size and each eye in its place, as outside readers see them; words say how they lie.
#[test]
fn packed_files_hold_each_eye_in_its_place() {
    let b = Bench::new();
    let common = "--at 0.4,1.5,0.8 --samples 4 --stereo panoramic";
    b.render(
        "eye.png",
        &format!("{common} --width 128 --packing two-files"),
    );
    let left = pixels(&b.at("eye-left.png"));
    let right = pixels(&b.at("eye-right.png"));
    assert_eq!((left.0, left.1), (128, 64));
    assert_ne!(left.2, right.2);
    let line = 128 * 3;
    for (packing, width, first, second) in [
        ("top-bottom", 128, &left, &right),
        ("top-bottom:right-first", 128, &right, &left),
        ("side-by-side", 256, &left, &right),
        ("side-by-side:right-first", 256, &right, &left),
    ] {
        let out = b.render(
            "packed.png",
            &format!("{common} --width {width} --packing {packing}"),
        );
        let (w, h, found) = pixels(&out);
        if packing.starts_with("top") {
            assert_eq!((w, h), (128, 128), "{packing}");
            assert!(found == [&first.2[..], &second.2[..]].concat(), "{packing}");
        } else {
            assert_eq!((w, h), (256, 64), "{packing}");
            for (y, row) in found.chunks(2 * line).enumerate() {
                assert!(
                    row[..line] == first.2[y * line..][..line],
                    "{packing} row {y}"
                );
                assert!(
                    row[line..] == second.2[y * line..][..line],
                    "{packing} row {y}"
                );
            }
        }
        let told = exiftool(&out);
        assert!(
            told["ProjectionType"].is_null(),
            "no sphere of one eye: {told}"
        );
        let words = told["Description"].as_str().unwrap();
        assert!(
            words.contains(packing) && words.contains("equirect"),
            "{words}"
        );
    }
    for (packing, size) in [
        ("top-bottom:squeezed", (128, 64)),
        ("side-by-side:squeezed", (128, 64)),
    ] {
        let out = b.render(
            "squeezed.jpg",
            &format!("{common} --width 128 --packing {packing}"),
        );
        let told = exiftool(&out);
        assert_eq!(
            (told["ImageWidth"].as_u64(), told["ImageHeight"].as_u64()),
            (Some(size.0), Some(size.1))
        );
        assert!(told["Description"].as_str().unwrap().contains("squeezed"));
    }
    // 180 degrees: two squares side by side are 2:1.
    let front = b.render(
        "front.jpg",
        &format!("{common} --shape equirect:180x180 --width 256 --packing side-by-side"),
    );
    let told = exiftool(&front);
    assert_eq!(
        (told["ImageWidth"].as_u64(), told["ImageHeight"].as_u64()),
        (Some(256), Some(128))
    );
}

/// The check before a render names a file whose sides do not fit its packing, with those that would.
#[test]
fn sides_that_do_not_fit_are_found_before_a_render() {
    let b = Bench::new();
    let scene = scene_in(b.at("").as_path());
    let found = |sides: &[&str]| {
        let mut args = vec!["check", text(&scene), "--at", "0.4,1.5,0.8", "--json"];
        args.extend(["--stereo", "panoramic", "--packing", "top-bottom"]);
        args.extend(sides);
        let out = run(&args);
        let told: Value = serde_json::from_slice(&out.stdout).unwrap();
        let all = told.as_array().unwrap().clone();
        all.into_iter().find(|f| f["rule"] == "packing-ratio")
    };
    let wrong = found(&["--width", "2048", "--height", "1024"]).expect("a finding");
    assert_eq!(wrong["level"], "stop");
    assert!(
        wrong["what"].as_str().unwrap().contains("2048 px high"),
        "{wrong}"
    );
    for right in [
        &["--width", "2048", "--height", "2048"][..],
        &["--width", "2048"],
    ] {
        assert!(found(right).is_none(), "{right:?}");
    }
}

/// Taken apart and laid together again, in any packing and format, nothing is lost but what squeezing takes.
#[test]
fn pairs_are_split_and_laid_again() {
    let b = Bench::new();
    b.render(
        "eye.png",
        "--at 0.4,1.5,0.8 --samples 4 --stereo panoramic --width 128 --packing two-files",
    );
    let (left, right) = (b.at("eye-left.png"), b.at("eye-right.png"));
    let [l, r] = [&left, &right].map(|p| pixels(p).2);
    for packing in ["top-bottom", "side-by-side:right-first", "views"] {
        let laid = b.at(if packing == "views" {
            "laid.exr"
        } else {
            "laid.png"
        });
        let mut args = vec!["pair", text(&left), text(&right), "-o", text(&laid)];
        if packing != "views" {
            args.extend(["--packing", packing]);
        }
        run_ok(&args);
        let (a, c) = (b.at("a.png"), b.at("c.png"));
        let mut args = vec!["split", text(&laid), "-o", text(&a), text(&c)];
        if packing != "views" {
            args.extend(["--packing", packing]);
        }
        run_ok(&args);
        // Views keep half floats; their 8 bits are the same within one step.
        let near = |x: &[u8], y: &[u8]| x.iter().zip(y).all(|(a, b)| a.abs_diff(*b) <= 1);
        assert!(
            near(&pixels(&a).2, &l) && near(&pixels(&c).2, &r),
            "{packing}"
        );
    }
    // A packing is guessed where its ratio and its halves say it.
    let laid = b.at("guess.png");
    run_ok(&[
        "pair",
        text(&left),
        text(&right),
        "-o",
        text(&laid),
        "--packing",
        "top-bottom",
    ]);
    run_ok(&[
        "split",
        text(&laid),
        "-o",
        text(&b.at("x.png")),
        text(&b.at("y.png")),
    ]);
    assert_eq!(pixels(&b.at("x.png")).2, l);
    // One eye alone is not taken for two.
    let told = run_fails(
        &[
            "split",
            text(&left),
            "-o",
            text(&b.at("u.png")),
            text(&b.at("v.png")),
        ],
        1,
    );
    assert!(told.contains("--packing"), "{told}");
    // An anaglyph in full colour is the left eye's red with the right eye's green and blue.
    let glasses = b.at("glasses.png");
    run_ok(&[
        "anaglyph",
        text(&laid),
        "-o",
        text(&glasses),
        "--kind",
        "full-colour",
    ]);
    for ((p, a), c) in pixels(&glasses)
        .2
        .chunks(3)
        .zip(l.chunks(3))
        .zip(r.chunks(3))
    {
        assert_eq!(p, [a[0], c[1], c[2]]);
    }
}

/// A random-dot stereogram (Julesz 1971), in which only the match of both eyes tells depth: the left eye's picture, the right
/// eye's, and that made darker by another program.
fn stereogram(b: &Bench) -> [PathBuf; 3] {
    let dot = |x: i64, y: i64| {
        let cell = (x.rem_euclid(512) / 3 * 73_856_093) ^ (y / 3 * 19_349_663);
        // Broad light and dark too, as in any picture.
        let turn = |of: i64, whole: f64| of as f64 / whole * std::f64::consts::TAU;
        let broad = 40.0 * (3.0 * turn(x, 512.0)).sin() * turn(y, 256.0).cos();
        let fine = (cell.wrapping_mul(2_654_435_761) >> 9 & 0x7f) as f64;
        (45.0 + broad + fine) as u8
    };
    // Low rows are nearer: four pixels apart, the others one.
    let eye = |side: i64| {
        image::RgbImage::from_fn(512, 256, |x, y| {
            let apart = if y > 150 { 4 } else { 1 };
            image::Rgb([dot(i64::from(x) + side * apart, i64::from(y)); 3])
        })
    };
    let (left, right, dark) = (b.at("left.png"), b.at("right.png"), b.at("dark.png"));
    eye(0).save(&left).unwrap();
    eye(1).save(&right).unwrap();
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-y",
            "-i",
            text(&right),
            "-vf",
            "lutrgb=r=val*0.8:g=val*0.8:b=val*0.8",
            text(&dark),
        ],
    );
    [left, right, dark]
}

/// A pair that was spoiled is diagnosed by command, mended, and good then.
#[test]
fn spoiled_pairs_are_diagnosed_and_mended() {
    let b = Bench::new();
    let [left, right, dark] = stereogram(&b);
    let faults = |inputs: &[&Path], more: &[&str]| -> Vec<String> {
        let mut args = vec!["check-pair", "--json"];
        args.extend(inputs.iter().map(|p| text(p)));
        args.extend(more);
        let told: serde_json::Value = serde_json::from_str(&run_ok(&args)).unwrap();
        let found = told["findings"].as_array().unwrap().iter();
        found
            .map(|f| f["fault"].as_str().unwrap().to_owned())
            .collect()
    };
    assert_eq!(faults(&[&left, &right], &[]), [""; 0]);
    assert_eq!(faults(&[&left, &left], &[]), ["same-twice"]);
    assert_eq!(faults(&[&right, &left], &[]), ["swapped"]);
    let mended = b.at("mended.png");
    assert_eq!(
        faults(&[&left, &dark], &["-o", text(&mended)]),
        ["brightness"]
    );
    assert_eq!(faults(&[&mended], &["--packing", "top-bottom"]), [""; 0]);
}

/// The same on the server, with pictures that were brought: joined, guessed or told how they lie, laid otherwise, taken apart,
/// through glasses, checked with a chart, mended; what takes one eye alone refuses two.
#[test]
fn brought_pairs_are_joined_checked_and_taken_apart() {
    let b = Bench::new();
    let [left, right, dark] = stereogram(&b);
    let server = Server::start(&b.at("data"), false);
    let bring = |path: &Path, name: &str| {
        let bytes = std::fs::read(path).unwrap();
        let (status, picture) = server.bring(&format!("/api/pictures?file={name}"), &bytes);
        assert_eq!(status, 200, "{picture}");
        picture
    };
    let saved = |picture: &Value| {
        let path = b.at(picture["file"].as_str().unwrap());
        let bytes = server.get(&format!("/api/pictures/{}/download", picture["id"]));
        std::fs::write(&path, bytes).unwrap();
        path
    };
    let make = |picture: &Value, what: &str, body: Option<Value>| {
        server.make(&format!("/api/pictures/{}/{what}", picture["id"]), body)
    };
    let checked = |picture: &Value| {
        let path = format!("/api/pictures/{}/pair", picture["id"]);
        server.json("GET", &path, None).1
    };
    let faults = |found: &Value| -> Vec<String> {
        let all = found["findings"].as_array().unwrap().iter();
        all.map(|f| f["fault"].as_str().unwrap().to_owned())
            .collect()
    };
    // One eye's picture is not taken for two.
    let [l, r, d] = [
        (&left, "left.png"),
        (&right, "right.png"),
        (&dark, "dark.png"),
    ]
    .map(|(p, n)| bring(p, n));
    assert_eq!(
        (&l["packing"], &l["shape"]),
        (&json!(null), &json!("equirect"))
    );
    let lay = |other: Option<&Value>, swap: bool, packing: &str, format: &str| json!({"other": other.map(|o| &o["id"]), "swap": swap, "packing": packing, "format": format});
    let (status, packed) = make(&l, "pair", Some(lay(Some(&r), false, "top-bottom", "png")));
    assert_eq!(status, 200, "{packed}");
    assert_eq!(
        (&packed["packing"], &packed["shape"]),
        (&json!("top-bottom"), &json!("equirect"))
    );
    let both = saved(&packed);
    assert_eq!(
        pixels(&both).2,
        [pixels(&left).2, pixels(&right).2].concat()
    );
    // Brought again it tells how its eyes lie; with nothing told its ratio and its halves do.
    let again = bring(&both, "again.png");
    assert_eq!(
        (&again["packing"], &again["packing_told"]),
        (&json!("top-bottom"), &json!(true))
    );
    let (_, beside) = make(
        &packed,
        "pair",
        Some(lay(None, true, "side-by-side", "png")),
    );
    let bare = saved(&beside);
    outside(
        "exiftool",
        &["-q", "-overwrite_original", "-all=", text(&bare)],
    );
    let guessed = bring(&bare, "bare.png");
    assert_eq!(
        (&guessed["packing"], &guessed["packing_told"]),
        (&json!("side-by-side"), &json!(false))
    );
    // It was swapped on the way: found, and mended.
    let found = checked(&guessed);
    assert_eq!(faults(&found), ["swapped"]);
    let (status, mended) = make(&guessed, "mend-pair", None);
    assert_eq!(status, 200, "{mended}");
    let found = checked(&mended);
    assert_eq!(faults(&found), [""; 0]);
    // The chart: two planes, four pixels and one pixel in front.
    let shares: f64 = found["chart"]
        .as_array()
        .unwrap()
        .iter()
        .map(|v| v.as_f64().unwrap())
        .sum();
    assert!((shares - 1.0).abs() < 1e-9, "{shares}");
    let px = |i: usize| found["parallax_px"][i].as_f64().unwrap();
    assert!(
        (px(0) + 4.0).abs() < 0.2 && (px(1) + 1.0).abs() < 0.2,
        "{found}"
    );
    // Four of 512 pixels all round are 2.81 degrees: 0.063 / (2 sin 1.41) = 1.28 m.
    assert!(
        (found["nearest_m"].as_f64().unwrap() - 1.284).abs() < 0.07,
        "{found}"
    );
    // Taken apart, and through glasses.
    let of = |picture: &Value, show: &str| {
        make(
            picture,
            "of-eyes",
            Some(json!({"show": show, "format": "png"})),
        )
    };
    let (_, one) = of(&packed, "right");
    assert_eq!(one["packing"], json!(null));
    assert_eq!(pixels(&saved(&one)).2, pixels(&right).2);
    let (_, glasses) = of(&packed, "full-colour");
    let (a, c) = (pixels(&left).2, pixels(&right).2);
    for ((p, a), c) in pixels(&saved(&glasses))
        .2
        .chunks(3)
        .zip(a.chunks(3))
        .zip(c.chunks(3))
    {
        assert_eq!(p, [a[0], c[1], c[2]]);
    }
    // Views of one OpenEXR, which tell themselves; a darker eye is found in them too.
    let (_, views) = make(&l, "pair", Some(lay(Some(&d), false, "views", "exr")));
    let views = bring(&saved(&views), "views.exr");
    assert_eq!(
        (&views["packing"], &views["packing_told"]),
        (&json!("views"), &json!(true))
    );
    assert_eq!(faults(&checked(&views)), ["brightness"]);
    // What is shown of them.
    for show in ["left", "least-squares", "difference"] {
        let path = format!("/api/pictures/{}/shown.jpg?show={show}", packed["id"]);
        let shown = image::load_from_memory(&server.get(&path)).unwrap();
        assert_eq!((shown.width(), shown.height()), (512, 256), "{show}");
    }
    // One eye's picture has nothing to show of two, nor is there a way of showing that has no name.
    for (picture, show, word) in [(&l, "left", "one eye's"), (&packed, "sideways", "sideways")] {
        let path = format!("/api/pictures/{}/shown.jpg?show={show}", picture["id"]);
        let (status, told) = server.json("GET", &path, None);
        let why = told["error"].as_str().unwrap_or_default();
        assert!(
            (400..500).contains(&status) && why.contains(word),
            "{status} {told}"
        );
    }
    // Refused, each with a sentence.
    for (picture, what, body, word) in [
        (
            &packed,
            "convert",
            json!({"shape": "fisheye:180", "width": 64, "turn": [0.0, 0.0, 0.0], "kernel": "bicubic", "format": "png"}),
            "both eyes",
        ),
        (
            &l,
            "pair",
            lay(None, false, "top-bottom", "png"),
            "right eye",
        ),
        (
            &l,
            "pair",
            lay(Some(&packed), false, "top-bottom", "png"),
            "both eyes",
        ),
        (&packed, "pair", lay(None, false, "views", "png"), "OpenEXR"),
        (
            &packed,
            "of-eyes",
            json!({"show": "both", "format": "png"}),
            "neither",
        ),
        (&packed, "mend-pair", json!(null), ""),
    ] {
        let (status, told) = server.json(
            "POST",
            &format!("/api/pictures/{}/{what}", picture["id"]),
            Some(body),
        );
        if word.is_empty() {
            // It is good: the job says so.
            let job = server.wait_for_job(&told["id"]);
            assert_eq!(job["state"], "failed", "{job}");
            continue;
        }
        assert!(status == 409 || status == 422, "{status} {told}");
        assert!(told["error"].as_str().unwrap().contains(word), "{told}");
    }
    // An artist may say otherwise: one eye, a square.
    let (status, told) = server.json(
        "PUT",
        &format!("/api/pictures/{}/eyes", packed["id"]),
        Some(json!({"packing": "mono"})),
    );
    assert_eq!((status, &told["packing"]), (200, &json!(null)));
}
