//! What frames show while the eye and the scene move: a lamp in the right pixel from paths and cameras, and drawn out by an open shutter.

use crate::{stage, support};

use dome_files::exr_picture::ExrStrips;
use dome_files::inspect::inspect;
use dome_optics::{MonoEye, Orientation, Shape};
use glam::{DMat4, DQuat, DVec3};
use serde_json::json;
use stage::Stage;
use std::path::Path;
use support::moving::{LAMP_GOES, MOVES_S, WALK, WALK_TURNS};
use support::scene::LAMP;
use support::{run, text};

fn along(from: [f64; 3], to: [f64; 3], share: f64) -> [f64; 3] {
    DVec3::from(from).lerp(to.into(), share).to_array()
}

/// Middle of what is brighter than anything but the lamp, pixels from the top left corner.
fn lamp_in(path: &Path) -> (f64, f64) {
    let strips = ExrStrips::open(path).unwrap();
    let width = strips.header.width;
    let samples: Vec<f32> = strips.flat_map(|s| s.unwrap().samples).collect();
    let brightest = samples.iter().copied().fold(0.0, f32::max);
    let (mut x, mut y, mut n) = (0.0, 0.0, 0.0);
    for (i, p) in samples.chunks(3).enumerate() {
        if p[0] > 0.4 * brightest {
            let share = f64::from(p[0]);
            x += (f64::from(i as u32 % width) + 0.5) * share;
            y += (f64::from(i as u32 / width) + 0.5) * share;
            n += share;
        }
    }
    (x / n, y / n)
}

fn lamp_is_right(file: &Path, at: DVec3, turned: Orientation, lamp: DVec3, what: &str) {
    let (width, height) = (528, 264);
    let eye = MonoEye::new(at, turned, Shape::Equirect);
    let told = eye.locate(lamp).unwrap();
    let (x, y) = told.to_pixels(width, height);
    let found = lamp_in(file);
    assert!(
        (found.0 - x).abs() < 0.6 && (found.1 - y).abs() < 0.6,
        "{what}: {found:?} is not {x}, {y}"
    );
}

/// A lamp that moves is in the right pixel of each frame, seen from an eye on a path; also in scenes that are moved far away, turned and
/// scaled.
#[test]
fn a_lamp_seen_from_a_moving_eye_is_where_it_belongs() {
    let far = DMat4::from_scale_rotation_translation(
        DVec3::splat(2.5),
        DQuat::from_rotation_y(0.7),
        DVec3::new(40_000.0, -120.0, 25_000.0),
    );
    for root in [DMat4::IDENTITY, far] {
        let stage = Stage::new(root);
        let keys = [
            (0.0, [-1.2, 1.2, 2.0]),
            (0.5, [-0.6, 1.6, 1.2]),
            (1.2, [0.4, 1.4, 1.7]),
            (2.0, [1.4, 1.3, 1.9]),
        ];
        let (file, path) = stage.path("walk.json", &keys);
        let made = stage.render(
            "out/{frame:02}.exr",
            &format!(
                "--path {} --frames 0-20/4 --rate 10 --heading 15 --width 528 --samples 2",
                text(&file)
            ),
        );
        assert_eq!(made.len(), 6);
        let mut places = Vec::new();
        for (file, frame) in made.iter().zip((0..=20).step_by(4)) {
            let time = f64::from(frame) / 10.0;
            let lamp = stage.point(along(LAMP, LAMP_GOES, time / MOVES_S));
            let at = path.at(time).position;
            lamp_is_right(
                file,
                at,
                Orientation::heading(15.0),
                lamp,
                &format!("frame {frame}"),
            );
            places.push(lamp_in(file).0);
        }
        // It does move: a picture that stands still would pass otherwise.
        assert!((places[0] - places[5]).abs() > 60.0, "{places:?}");
    }
}

/// The way of a camera of the scene: with its turning or without, and beside it.
#[test]
fn a_camera_of_the_scene_leads_the_eye() {
    let turned =
        DMat4::from_rotation_translation(DQuat::from_rotation_y(-1.1), DVec3::new(3.0, 0.5, -2.0));
    let stage = Stage::new(turned);
    // The root turns all headings to the right by as much.
    let root_turn = 1.1f64.to_degrees();
    let offset = DVec3::new(0.3, 0.2, -0.4);
    for (extra, turns, offset) in [
        ("--heading 40", None, DVec3::ZERO),
        ("--turn-along", Some(WALK_TURNS), DVec3::ZERO),
        (
            "--turn-along --offset 0.3,0.2,-0.4",
            Some(WALK_TURNS),
            offset,
        ),
    ] {
        let made = stage.render(
            &format!("{}/{{frame}}.exr", extra.replace(' ', "")),
            &format!("--path Walk --frames 0-4/2 --rate 2 {extra} --width 528 --samples 2"),
        );
        for (file, frame) in made.iter().zip([0, 2, 4]) {
            let share = f64::from(frame) / 4.0;
            // Quaternions between two turns about one axis turn evenly.
            let own = WALK_TURNS[0] + (WALK_TURNS[1] - WALK_TURNS[0]) * share;
            let camera = Orientation::heading(own + root_turn);
            let at = stage.point(along(WALK[0], WALK[1], share)) + camera.matrix() * offset;
            let looks = match turns {
                Some(_) => camera,
                None => Orientation::heading(40.0),
            };
            let lamp = stage.point(along(LAMP, LAMP_GOES, share));
            lamp_is_right(file, at, looks, lamp, &format!("{extra}, frame {frame}"));
        }
    }
    let why = stage.refused("a{frame}.exr", "--path Wlak --frames 0-1");
    assert!(
        why.contains("Wlak is neither a path file nor a camera") && why.contains("Walk"),
        "{why}"
    );
}

/// What a path sets beside the place: heading, opening view, how the eyes stand, and the floor under it.
#[test]
fn a_path_turns_opens_and_sets_the_eyes() {
    let stage = Stage::new(DMat4::IDENTITY);
    let file = stage.at("walk.json");
    let keys = json!({"above_floor_m": 1.25, "keys": [
        {"time_s": 0, "position": [0, 2.0, 1], "heading_deg": 350, "separation_m": 0.02, "converge_m": 2,
         "opening": {"heading_deg": 90, "pitch_deg": -5, "hfov_deg": 80}, "on": "straight"},
        {"time_s": 1, "position": [1, 1.5, 1], "heading_deg": 10, "separation_m": 0.06, "converge_m": 4},
    ]});
    std::fs::write(&file, keys.to_string()).unwrap();
    let line = |file: &Path, name: &str| {
        let told = inspect(file).unwrap().description.unwrap();
        let found = told.lines().iter().find(|(n, _)| n == name).cloned();
        found.unwrap_or_else(|| panic!("{name}: {told}")).1
    };
    let made = stage.render(
        "out/{frame}.exr",
        &format!(
            "--path {} --frames 0-2 --rate 2 --width 64 --samples 1 --stereo panoramic",
            text(&file)
        ),
    );
    let eye = line(&made[1], "eye");
    let eye: Vec<f64> = (eye.trim_end_matches(" m").split(", "))
        .map(|v| v.parse().unwrap())
        .collect();
    let apart = DVec3::from_slice(&eye).distance(DVec3::new(0.5, 1.25, 1.0));
    assert!(apart < 1e-6, "{eye:?}");
    assert!(line(&made[0], "turned").starts_with("heading 350,"));
    assert!(
        line(&made[1], "turned").starts_with("heading 0,"),
        "the short way round"
    );
    for (file, separation, meets) in [
        (&made[0], 0.02, 2.0),
        (&made[1], 0.04, 3.0),
        (&made[2], 0.06, 4.0),
    ] {
        let pair = line(file, "pair");
        let numbers: Vec<f64> = pair.split(' ').filter_map(|w| w.parse().ok()).collect();
        let right = (numbers[0] - separation).abs() < 1e-6 && (numbers[1] - meets).abs() < 1e-6;
        assert!(right, "{pair}");
    }
    let made = stage.render(
        "out/{frame}.jpg",
        &format!(
            "--path {} --frames 1 --rate 2 --width 64 --samples 1",
            text(&file)
        ),
    );
    let told = support::exiftool(&made[0]);
    assert_eq!(told["InitialViewHeadingDegrees"], 90.0, "{told}");
    assert_eq!(told["InitialHorizontalFOVDegrees"], 80.0, "{told}");
    for (wrong, said) in [
        ("{\"keys\": []}", "at least one key"),
        (
            "{\"keys\": [{\"time_s\": 0}]}",
            "missing field `position` at line 1",
        ),
        (
            "{\"keys\": [{\"time_s\": 0, \"positon\": [0,0,0]}]}",
            "unknown field `positon`",
        ),
        (
            "{\"keys\": [{\"time_s\": 1, \"position\": [0,0,0]}, {\"time_s\": 1, \"position\": [0,0,0]}]}",
            "Key 2",
        ),
        (
            "{\"keys\": [{\"time_s\": 0, \"position\": [0,0,0]}], \"above_floor_m\": -3}",
            "above the floor",
        ),
        ("[1, 2", "is no path"),
    ] {
        std::fs::write(&file, wrong).unwrap();
        let why = stage.refused(
            "x{frame}.exr",
            &format!("--path {} --frames 0-1", text(&file)),
        );
        assert!(why.contains(said), "{why}");
    }
}

/// Bright pixels of a row of the picture through the lamp's middle: the first and the last, and how they are lit.
fn streak(file: &Path, row: u32) -> Vec<f32> {
    let strips = ExrStrips::open(file).unwrap();
    let width = strips.header.width as usize;
    let samples: Vec<f32> = strips.flat_map(|s| s.unwrap().samples).collect();
    let from = row as usize * width * 3;
    samples[from..from + width * 3]
        .iter()
        .step_by(3)
        .copied()
        .collect()
}

/// A lamp that moves while the shutter is open is drawn out as far as it goes, evenly, and its light is spread and not more; also in a
/// scene that is turned and scaled.
#[test]
fn an_open_shutter_draws_out_what_moves() {
    for root in [
        DMat4::IDENTITY,
        DMat4::from_scale_rotation_translation(
            DVec3::splat(3.0),
            DQuat::from_rotation_y(0.4),
            DVec3::new(8.0, -2.0, 5.0),
        ),
    ] {
        let stage = Stage::new(root);
        // The eye goes past a lamp that goes its own way; the lamp is seen at the height of the eye all the time.
        let lamp = |time: f64| along(LAMP, LAMP_GOES, time / MOVES_S);
        let eye = |time: f64| {
            let [_, y, _] = lamp(time);
            [0.6 - 0.5 * time, y, 1.2]
        };
        let keys = [(0.0, eye(0.0)), (2.0, eye(2.0))];
        let (file, _) = stage.path("walk.json", &keys);
        let common = format!(
            "--path {} --heading 10 --width 528 --samples 8 --rate 2",
            text(&file)
        );
        let sharp = stage.render("sharp{frame}.exr", &format!("{common} --frames 1"));
        let open = stage.render(
            "open{frame}.exr",
            &format!("{common} --frames 1 --shutter 180 --moments 8"),
        );
        // Half of half a second from 0.5 s on.
        let seen = |time: f64| {
            let eye = MonoEye::new(
                stage.point(eye(time)),
                Orientation::heading(10.0),
                Shape::Equirect,
            );
            let point = eye.locate(stage.point(lamp(time))).unwrap();
            point.to_pixels(528, 264)
        };
        let (begin, end) = (seen(0.5), seen(0.75));
        let row = begin.1 as u32;
        assert!((begin.1 - end.1).abs() < 0.5, "it stays in its row");
        let way = (begin.0 - end.0).abs();
        assert!(way > 8.0, "{way} px");
        let (sharp, open) = (streak(&sharp[0], row), streak(&open[0], row));
        let brightest = sharp.iter().copied().fold(0.0, f32::max);
        let width_of = |row: &[f32], least: f32| row.iter().filter(|v| **v > least).count() as f64;
        let own = width_of(&sharp, 0.5 * brightest);
        // Where it passes it is seen for own / way of the time, half of that at both ends.
        let share = (own / way).min(1.0) as f32;
        let drawn = width_of(&open, 0.5 * share * brightest);
        assert!(
            (drawn - way).abs() < 2.5,
            "{drawn} px drawn out, {way} gone, {own} wide"
        );
        let middle = |row: &[f32], least: f32| {
            let lit = row.iter().enumerate().filter(|(_, v)| **v > least);
            let (sum, n) = lit.fold((0.0, 0.0), |(s, n), (i, v)| {
                (s + i as f64 * f64::from(*v), n + f64::from(*v))
            });
            sum / n + 0.5
        };
        let found = middle(&open, 0.3 * share * brightest);
        assert!(
            (found - (begin.0 + end.0) / 2.0).abs() < 1.0,
            "{found}: {begin:?} {end:?}"
        );
        let light = |row: &[f32]| {
            row.iter()
                .filter(|v| **v > 0.1 * share * brightest)
                .sum::<f32>()
        };
        assert!(
            (light(&open) / light(&sharp) - 1.0).abs() < 0.25,
            "{} {}",
            light(&open),
            light(&sharp)
        );
    }
}

/// A frame with an open shutter is known by all of its moments: how long it is open, and what is seen until it closes.
#[test]
fn an_open_shutter_is_known_by_its_moments() {
    let stage = Stage::new(DMat4::IDENTITY);
    // The eye stands until the frame's moment; where it goes from there on is not seen at that moment.
    let path = |x: f64| {
        let (a, b) = ([0.0, 1.5, 1.5], [x, 1.5, 1.5]);
        let keys = [(0.0, a), (0.5, a), (2.0, b)];
        text(&stage.path("walk.json", &keys).0).to_owned()
    };
    let said = |path: &str, more: &str| {
        let all = format!(
            "--path {path} --frames 1 --rate 2 --width 64 --samples 4 --moments 4 --continue {more}"
        );
        let args = stage.args("f{frame}.exr", &all);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        String::from_utf8(run(&args).stderr).unwrap()
    };
    let here = path(0.5);
    assert!(said(&here, "--shutter 180").contains("Frame 1 is missing"));
    assert!(said(&here, "--shutter 180").contains("All frames are there"));
    let longer = said(&here, "--shutter 270");
    assert!(longer.contains("of another order (shutter"), "{longer}");
    assert!(said(&here, "--shutter 270").contains("All frames are there"));
    let elsewhere = said(&path(0.6), "--shutter 270");
    assert!(
        elsewhere.contains("of another order (shutter"),
        "{elsewhere}"
    );
    let why = stage.refused("a{frame}.exr", "--frames 0-1 --shutter 400");
    assert!(why.contains("0 to 360"), "{why}");
}
