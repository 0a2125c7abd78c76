//! Which way is up and in which unit: guessed from the triangles of scenes whose answer is known, as they are and laid
//! on their side.

use dome_trace::import::{Imported, UpReading};
use dome_trace::{ImportOptions, Unit, Up, load};
use std::fmt::Write;
use std::path::{Path, PathBuf};

fn sample(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("tests/samples")
        .join(path)
}

fn read(path: &Path, up: Option<Up>) -> Imported {
    let options = ImportOptions {
        up,
        ..ImportOptions::default()
    };
    load(path, &options).unwrap()
}

/// The same scene as an OBJ with Z up, which is how many programs write it.
fn with_z_up(path: &Path, folder: &Path) -> PathBuf {
    let scene = read(path, Some(Up::Y)).scene;
    let triangles = scene.all_corners();
    let mut text = String::new();
    for p in triangles.iter().flatten() {
        writeln!(text, "v {} {} {}", p.x, -p.z, p.y).unwrap();
    }
    for t in 0..triangles.len() {
        writeln!(text, "f {} {} {}", 3 * t + 1, 3 * t + 2, 3 * t + 3).unwrap();
    }
    let to = folder.join("z-up.obj");
    std::fs::write(&to, text).unwrap();
    to
}

/// A surveyed hillside: a grid of heights with houses on it, 141 x 97 m and 23 m high, Z up, as surveys are kept.
fn survey(folder: &Path) -> PathBuf {
    let mut text = String::new();
    let height = |x: f64, y: f64| {
        11.0 + 7.0 * (x * 0.045).sin() * (y * 0.06).cos() + 1.5 * (x * 0.31 + y * 0.23).sin()
    };
    let (columns, rows) = (142, 98);
    for r in 0..rows {
        for c in 0..columns {
            let (x, y) = (f64::from(c), f64::from(r));
            writeln!(text, "v {x} {y} {:.3}", height(x, y)).unwrap();
        }
    }
    for r in 0..rows - 1 {
        for c in 0..columns - 1 {
            let at = r * columns + c + 1;
            writeln!(
                text,
                "f {at} {} {} {}",
                at + 1,
                at + columns + 1,
                at + columns
            )
            .unwrap();
        }
    }
    let path = folder.join("survey.obj");
    std::fs::write(&path, text).unwrap();
    path
}

#[test]
fn up_is_found_in_scenes_that_stand_and_in_scenes_that_lie() {
    let folder = tempfile::tempdir().unwrap();
    let observatory = folder.path().join("merlow.glb");
    std::fs::write(&observatory, merlow::build()).unwrap();
    let fetched = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.fetched/scenes");
    let courtyard = fetched.join("courtyard/samurai_monastry.obj");
    for (path, plain) in [
        (observatory, true),
        (courtyard, true),
        (sample("cornell/cornell_box.obj"), false),
        (sample("milktruck/CesiumMilkTruck.gltf"), false),
    ] {
        let UpReading { used, guess, .. } = read(&path, None).report.up;
        assert_eq!(
            (used, guess.up),
            (Up::Y, Up::Y),
            "{}: {guess:?}",
            path.display()
        );
        assert!(guess.sure || !plain, "{}: {guess:?}", path.display());
        let lying = with_z_up(&path, folder.path());
        let turned = read(&lying, None);
        let UpReading { used, told, guess } = &turned.report.up;
        if !plain && *used == Up::Y {
            // A lone thing says little: what is wrong is at least told as rough.
            assert!(!guess.sure, "{}: {guess:?}", path.display());
            continue;
        }
        assert_eq!(
            (*used, guess.up, *told),
            (Up::Z, Up::Z, false),
            "{}: {guess:?}",
            path.display()
        );
        // Turned, it is the scene that it was, to the last bit.
        assert_eq!(
            turned.scene.bounds(),
            read(&path, Some(Up::Y)).scene.bounds()
        );
    }
}

#[test]
fn a_survey_stands_up_and_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let path = survey(folder.path());
    let found = read(&path, None);
    let (low, high) = found.scene.bounds();
    let size = high - low;
    assert!(size.y < 24.0 && size.x > 140.0 && size.z > 96.0, "{size}");
    let reading = &found.report.up;
    assert!(reading.guess.sure && !reading.told, "{reading:?}");
    assert!(
        reading.guess.why.contains("faces along z"),
        "{}",
        reading.guess.why
    );
    assert!(
        found
            .report
            .understood
            .iter()
            .any(|u| u.starts_with("Z is up"))
    );
    // The artist has the last word.
    let lying = read(&path, Some(Up::Y));
    assert_eq!(lying.report.up.used, Up::Y);
    let size = lying.scene.bounds().1 - lying.scene.bounds().0;
    assert!(size.z < 24.0, "{size}");
    assert!(
        lying
            .report
            .notices
            .iter()
            .any(|n| n.contains("looks as if Z were up")),
        "{:?}",
        lying.report.notices
    );
}

/// A lone cube says nothing: the guess is told as rough.
#[test]
fn a_guess_without_signs_is_told_as_rough() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("cube.obj");
    let mut text = String::new();
    for i in 0..8 {
        writeln!(text, "v {} {} {}", i & 1, i >> 1 & 1, i >> 2).unwrap();
    }
    for f in [
        "1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6",
    ] {
        writeln!(text, "f {f}").unwrap();
    }
    std::fs::write(&path, text).unwrap();
    let report = read(&path, None).report;
    assert_eq!((report.up.used, report.up.guess.sure), (Up::Y, false));
    assert!(
        report.notices.iter().any(|n| n.contains("rough guess")),
        "{:?}",
        report.notices
    );
}

/// What is turned with the scene: normals, lamps, cameras and the ways of what moves. Everything is seen from the
/// same side as before.
#[test]
fn all_of_a_scene_turns_together() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("merlow.glb");
    std::fs::write(&path, merlow::build()).unwrap();
    let (stands, lies) = (read(&path, None).scene, read(&path, Some(Up::Z)).scene);
    let turn = |p: [f64; 3]| [p[0], p[2], -p[1]];
    for (a, b) in stands.cameras().iter().zip(lies.cameras()) {
        assert_eq!(turn(a.position), b.position);
        let ahead = |m: glam::DMat3| (m * glam::DVec3::NEG_Z).to_array();
        let (wanted, found) = (
            turn(ahead(a.orientation.matrix())),
            ahead(b.orientation.matrix()),
        );
        for i in 0..3 {
            assert!((wanted[i] - found[i]).abs() < 1e-9, "{wanted:?} {found:?}");
        }
    }
    for (a, b) in stands.movers().iter().zip(lies.movers()) {
        assert_eq!(turn(a.now), b.now);
        assert_eq!(
            a.points.iter().map(|p| turn(*p)).collect::<Vec<_>>(),
            b.points
        );
    }
    for (a, b) in stands.lamps().iter().zip(lies.lamps()) {
        let v = |p: glam::Vec3| [p.x, p.z, -p.y];
        assert_eq!(
            (v(a.position), v(a.direction)),
            (b.position.to_array(), b.direction.to_array())
        );
    }
    assert!(!stands.cameras().is_empty() && !stands.movers().is_empty());
}

/// Sizes of things people know, in the units that programs write: the unit is found, or told as rough.
#[test]
fn the_unit_is_guessed_from_the_size() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("room.obj");
    // A room of 5 x 4 m and 2.6 m high.
    for (unit, per_metre) in [
        (Unit::Metre, 1.0),
        (Unit::Centimetre, 100.0),
        (Unit::Millimetre, 1000.0),
    ] {
        let mut text = String::new();
        for i in 0..8 {
            let at = |bit: i32, size: f64| f64::from(i >> bit & 1) * size * per_metre;
            writeln!(text, "v {} {} {}", at(0, 5.0), at(1, 2.6), at(2, 4.0)).unwrap();
        }
        for f in [
            "1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6",
        ] {
            writeln!(text, "f {f}").unwrap();
        }
        std::fs::write(&path, text).unwrap();
        let report = read(&path, None).report;
        let guess = report.unit.unwrap();
        assert_eq!(guess.unit, unit, "{guess:?}");
        assert!(guess.why.contains("2.6 m high"), "{}", guess.why);
        let wrong = report.notices.iter().any(|n| n.contains("Check the unit"));
        // 500 m is a village; 5 km is told.
        assert_eq!(wrong, unit == Unit::Millimetre, "{:?}", report.notices);
    }
}
