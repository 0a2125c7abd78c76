//! Two eyes in files by command: packed, taken apart, laid again, checked; sizes and pixels as exiftool and ffmpeg see them.

mod support;

use std::path::Path;
use support::{Bench, exiftool, outside, pixels, run_fails, run_ok, text};

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

/// A pair that was spoiled is diagnosed by command, mended, and good then: a random-dot stereogram (Julesz 1971), in which only
/// the match of both eyes tells depth, made darker by half a stop in one eye by another program.
#[test]
fn spoiled_pairs_are_diagnosed_and_mended() {
    let b = Bench::new();
    let dot = |x: i64, y: i64| {
        let cell = (x.rem_euclid(512) / 3 * 73_856_093) ^ (y / 3 * 19_349_663);
        40 + (cell.wrapping_mul(2_654_435_761) >> 9 & 0x7f) as u8
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
