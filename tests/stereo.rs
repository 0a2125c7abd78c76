//! Two eyes by command and by order: where lamps stand, what is the same in both, how files are packed; checked with
//! exrheader, exrmultiview, exiftool and ffmpeg.

use crate::support;

use dome_files::exr_picture::ExrStrips;
use dome_optics::rig::{Anchor, FlatPair, Frame, Method, PanoramicEye, PanoramicPair, Side};
use dome_optics::{MonoEye, Orientation, PicturePoint, Shape};
use glam::DVec3;
use std::path::Path;
use support::scene::LAMP;
use support::{Bench, outside, run_fails, run_ok, text};

const LEFT: [&str; 3] = ["R", "G", "B"];
const RIGHT: [&str; 3] = ["right.R", "right.G", "right.B"];

/// Width, height and all samples of three channels.
fn samples(path: &Path, channels: [&str; 3]) -> (u32, u32, Vec<f32>) {
    let strips = ExrStrips::open_channels(path, channels).unwrap();
    let size = (strips.header.width, strips.header.height);
    let all = strips.flat_map(|s| s.unwrap().samples).collect();
    (size.0, size.1, all)
}

/// Middle of what is brighter than anything but the lamp, pixels from the top left corner.
fn lamp((width, height, values): &(u32, u32, Vec<f32>)) -> (f64, f64) {
    assert_eq!(values.len(), (width * height * 3) as usize);
    let (mut x, mut y, mut n) = (0.0, 0.0, 0.0);
    for (i, p) in values.chunks(3).enumerate() {
        if p[0] > 20.0 {
            // Edges count by how much of the lamp is in them.
            let share = f64::from(p[0].min(40.0));
            x += (f64::from(i as u32 % width) + 0.5) * share;
            y += (f64::from(i as u32 / width) + 0.5) * share;
            n += share;
        }
    }
    assert!(n > 0.0, "there is no lamp");
    (x / n, y / n)
}

/// With the left eye on the viewpoint its view is the picture of one eye alone, in all passes, to the last bit; the right
/// one is another picture with other noise.
#[test]
fn the_left_eye_on_the_viewpoint_is_the_mono_picture() {
    let b = Bench::new();
    let common = "--at 0.4,1.5,0.8 --heading 30 --width 128 --noise 25 --samples 96 --passes depth,normal,alpha";
    let mono = b.render("mono.exr", common);
    let pair = b.render(
        "pair.exr",
        &format!("{common} --stereo panoramic --anchor left --converge 2m --close 50,80"),
    );
    assert_eq!(samples(&mono, LEFT), samples(&pair, LEFT));
    assert_eq!(
        samples(&mono, ["depth.Z"; 3]),
        samples(&pair, ["depth.left.Z"; 3])
    );
    let normals = ["normal.X", "normal.Y", "normal.Z"];
    let of = |side: &str| normals.map(|c| c.replace("normal", &format!("normal.{side}")));
    let [x, y, z] = of("left");
    assert_eq!(samples(&mono, normals), samples(&pair, [&x, &y, &z]));
    assert_eq!(samples(&mono, ["A"; 3]), samples(&pair, ["A"; 3]));
    assert_ne!(samples(&pair, LEFT), samples(&pair, RIGHT));
    // One eye by itself is the eye of the pair.
    for (side, channels) in [("left", LEFT), ("right", RIGHT)] {
        let one = b.render(
            &format!("{side}.exr"),
            &format!(
                "{common} --stereo panoramic --anchor left --converge 2m --close 50,80 --eye {side}"
            ),
        );
        assert_eq!(samples(&one, LEFT), samples(&pair, channels), "{side}");
    }
    // The outside reader finds both views.
    let header = outside("exrheader", &[text(&pair)]);
    assert!(header.contains("multiView (type stringvector)"), "{header}");
    for channel in [
        "right.R,",
        "depth.left.Z",
        "depth.right.Z",
        "right.A",
        "normal.right.X",
    ] {
        assert!(header.contains(channel), "{channel}: {header}");
    }
}

/// Names of channels are those that the format's own utility gives two pictures, and what it joined is read as a pair.
#[test]
fn views_are_named_as_openexr_names_them() {
    let b = Bench::new();
    let common = "--width 64 --samples 2 --passes depth";
    let pair = b.render("pair.exr", &format!("{common} --stereo panoramic"));
    for side in ["left", "right"] {
        b.render(
            &format!("{side}.exr"),
            &format!("{common} --stereo panoramic --eye {side}"),
        );
    }
    let joined = b.at("joined.exr");
    outside(
        "exrmultiview",
        &[
            "left",
            text(&b.at("left.exr")),
            "right",
            text(&b.at("right.exr")),
            text(&joined),
        ],
    );
    let channels = |path: &Path| ExrStrips::open(path).unwrap().header.channels;
    assert_eq!(channels(&joined), channels(&pair));
    assert_eq!(samples(&joined, RIGHT), samples(&pair, RIGHT));
    let (l, r) = (b.at("l.exr"), b.at("r.exr"));
    run_ok(&["split", text(&joined), "-o", text(&l), text(&r)]);
    assert_eq!(samples(&l, LEFT), samples(&pair, LEFT));
    assert_eq!(samples(&r, LEFT), samples(&pair, RIGHT));
}

/// The lamp stands in each eye where the geometry of its pair demands, for panoramic pairs in several shapes, tilted,
/// converged and near the closing latitudes.
#[test]
fn lamps_stand_where_panoramic_geometry_demands() {
    let b = Bench::new();
    let at = DVec3::new(0.2, 1.3, -0.4);
    let cases = [
        ("equirect", "", 0.0, 0.0, 0.0, None, None),
        (
            "equirect",
            "--converge 1.2m",
            60.0,
            0.0,
            0.0,
            Some(1.2),
            None,
        ),
        (
            "equirect",
            "--converge 1.2m --close 5,70",
            20.0,
            -35.0,
            25.0,
            Some(1.2),
            Some([5.0, 70.0]),
        ),
        ("cube-3x2", "", 115.0, 12.0, 0.0, None, None),
        (
            "equirect:180x180",
            "--close 40,80",
            70.0,
            0.0,
            10.0,
            None,
            Some([40.0, 80.0]),
        ),
    ];
    for (shape, extra, heading, pitch, roll, converge, close) in cases {
        // A wide pair near the lamp: the eyes are many pixels apart.
        let options = format!(
            "--at {},{},{} --heading {heading} --pitch {pitch} --roll {roll} --shape {shape} --width 528 --samples 2 --stereo panoramic --separation 200mm {extra}",
            at.x, at.y, at.z
        );
        let pair = b.render("pair.exr", &options);
        let rig = PanoramicPair {
            separation: 0.2,
            anchor: Anchor::Middle,
            converge,
            close: close.map(|c: [f64; 2]| c.map(f64::to_radians)),
        };
        let turned = Orientation {
            heading_deg: heading,
            pitch_deg: pitch,
            roll_deg: roll,
        };
        let shape: Shape = shape.parse().unwrap();
        let mut seen = Vec::new();
        for (side, channels) in [(Side::Left, LEFT), (Side::Right, RIGHT)] {
            let eye = PanoramicEye::new(at, turned, shape, rig, side);
            let picture = samples(&pair, channels);
            let told = eye.locate(DVec3::from(LAMP)).unwrap();
            let (x, y) = told.to_pixels(picture.0, picture.1);
            let found = lamp(&picture);
            // The lamp is a box of 10 cm: its middle is told to a part of its size, and 8192 px are 10.7 times as many.
            assert!(
                (found.0 - x).abs() < 0.6 && (found.1 - y).abs() < 0.6,
                "{options} {side:?}: {found:?} is not {x}, {y}"
            );
            seen.push(found.0);
        }
        let apart = (seen[0] - seen[1]).abs();
        assert!(
            converge.is_some() || apart > 3.0,
            "the eyes are apart: {seen:?}"
        );
    }
}

/// The same for flat pairs: parallax by the formula, no vertical parallax off-axis and parallel, and what is told converged.
#[test]
fn lamps_stand_where_flat_geometry_demands() {
    let b = Bench::new();
    let at = DVec3::new(-0.6, 1.6, 1.9);
    let towards = DVec3::from(LAMP) - at;
    let (heading, _) = dome_optics::direction::heading_pitch(towards);
    let turned = Orientation::heading(heading);
    let ahead = (turned.matrix().transpose() * towards).z.abs();
    for (converge, method) in [
        ("2m", "off-axis"),
        ("2m", "converged"),
        ("parallel", "off-axis"),
    ] {
        let options = format!(
            "--at {},{},{} --heading {heading} --shape perspective:60 --width 480 --height 270 --samples 4 --stereo flat --separation 150mm --converge {converge} --method {method}",
            at.x, at.y, at.z
        );
        let pair = b.render("flat.exr", &options);
        let (l, r) = (samples(&pair, LEFT), samples(&pair, RIGHT));
        let ((lx, ly), (rx, ry)) = (lamp(&l), lamp(&r));
        let k = 480.0 / (2.0 * 30f64.to_radians().tan());
        // Parallel cameras meet nowhere: zero parallax at infinity.
        let inverse = if converge == "parallel" { 0.0 } else { 0.5 };
        let told = k * 0.15 * (inverse - 1.0 / ahead);
        assert!(
            (rx - lx - told).abs() < 0.5,
            "{converge} {method}: {} is not {told}",
            rx - lx
        );
        if method == "off-axis" {
            assert!((ry - ly).abs() < 0.2, "vertical parallax of {}", ry - ly);
        } else {
            let rig = FlatPair {
                separation: 0.15,
                anchor: Anchor::Middle,
                converge: 2.0,
                method: Method::Converged,
                keep_anchor: false,
                unlinked: None,
            };
            let frame = Frame {
                hfov: 60f64.to_radians(),
                ratio: 16.0 / 9.0,
                shift: [0.0; 2],
            };
            let y = |side| {
                let eye: MonoEye<_> = rig.eye(side, at, turned, frame);
                eye.project(DVec3::from(LAMP)).unwrap().v * 270.0
            };
            let told = y(Side::Right) - y(Side::Left);
            assert!((ry - ly - told).abs() < 0.3, "{} is not {told}", ry - ly);
        }
    }
}

#[test]
fn what_two_eyes_cannot_be_is_refused_in_a_sentence() {
    let b = Bench::new();
    for (name, options, words) in [
        (
            "x.jpg",
            "--width 512 --height 256 --stereo panoramic --packing top-bottom",
            "512 px wide it is 512 px high",
        ),
        (
            "x.jpg",
            "--width 512 --height 512 --stereo panoramic --packing side-by-side",
            "512 px wide it is 128 px high",
        ),
        (
            "x.jpg",
            "--width 513 --stereo panoramic --packing side-by-side",
            "take 512 or 514",
        ),
        (
            "x.jpg",
            "--width 512 --stereo panoramic --separation 63",
            "has no unit",
        ),
        (
            "x.jpg",
            "--width 512 --stereo panoramic --separation -63mm",
            "must be above 0 m",
        ),
        ("x.jpg", "--width 512 --stereo panoramic", "--packing"),
        (
            "x.exr",
            "--width 512 --stereo panoramic --shape mirror-ball",
            "not a shape for two eyes",
        ),
        ("x.exr", "--width 512 --stereo flat", "perspective"),
        (
            "x.exr",
            "--width 512 --stereo panoramic --close 80,60",
            "closes from a lower latitude",
        ),
        (
            "x.exr",
            "--width 512 --stereo panoramic --shape cube-faces",
            "cube-1x6",
        ),
        ("x.jpg", "--width 512 --separation 63mm", "--stereo"),
        (
            "x.exr",
            "--width 512 --stereo panoramic --packing stacked",
            "There is no packing",
        ),
    ] {
        let said = b.refused(name, options);
        assert!(said.contains(words), "{options}: {said}");
    }
}

/// Parts of a pair join to the bytes of the whole, and another pair's part is refused.
#[test]
fn parts_of_a_pair_join() {
    let b = Bench::new();
    let common = "--width 64 --noise 30 --samples 64 --stereo panoramic --passes depth";
    let whole = b.render("whole.exr", common);
    let top = b.render("top.exr", &format!("{common} --rows 0-15"));
    let bottom = b.render("bottom.exr", &format!("{common} --rows 16-31"));
    let joined = b.at("joined.exr");
    run_ok(&["join", text(&top), text(&bottom), "-o", text(&joined)]);
    assert!(std::fs::read(&joined).unwrap() == std::fs::read(&whole).unwrap());
    let other = b.render(
        "other.exr",
        &format!("{common} --rows 16-31 --separation 64mm"),
    );
    let said = run_fails(&["join", text(&top), text(&other), "-o", text(&joined)], 1);
    assert!(said.contains("pair"), "{said}");
}

/// A point of the picture is told in pixels of the whole picture.
#[test]
fn the_lamp_is_found_where_one_eye_sees_it() {
    let b = Bench::new();
    let mono = b.render("mono.exr", "--at 0,1.4,0 --width 512 --samples 4");
    let eye = MonoEye::new(
        DVec3::new(0.0, 1.4, 0.0),
        Orientation::default(),
        Shape::Equirect,
    );
    let told: PicturePoint = eye.locate(DVec3::from(LAMP)).unwrap();
    let (x, y) = told.to_pixels(512, 256);
    let found = lamp(&samples(&mono, LEFT));
    assert!(
        (found.0 - x).abs() < 0.3 && (found.1 - y).abs() < 0.3,
        "{found:?} is not {x}, {y}"
    );
}
