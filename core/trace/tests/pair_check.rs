//! The check of pairs on scenes that nobody here made and on the demo's: what is wrong is found, and nothing in good pairs; what
//! is estimated from the pictures is what the rays say.

use dome_imaging::Picture;
use dome_imaging::disparity::matches;
use dome_imaging::pair_check::{PairFault, PairReport, check, mended};
use dome_optics::rig::{Anchor, PanoramicEye, PanoramicPair, Side};
use dome_optics::{Equirect, Eye, Orientation, PanoramaSize, PicturePoint};
use dome_trace::stand::sight;
use dome_trace::{Illumination, ImportOptions, Scene, load, quick};
use glam::DVec3;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;

const WIDTH: u32 = 768;

fn here(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(path)
}

/// A place in a scene, and what two eyes see there without noise.
struct Case {
    name: &'static str,
    scene: Scene,
    at: DVec3,
    rig: PanoramicPair,
    eyes: [Picture; 2],
}

/// Made once for all tests: reading the scenes takes longest.
static CASES: LazyLock<Vec<Case>> = LazyLock::new(|| {
    let open = |path: &Path| load(path, &ImportOptions::default()).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let demo = folder.path().join("merlow.glb");
    std::fs::write(&demo, merlow::build()).unwrap();
    let courtyard = here("../../.fetched/scenes/courtyard/samurai_monastry.obj");
    assert!(courtyard.exists(), "run script/fetch-scenes first");
    [
        ("courtyard", courtyard, DVec3::new(-25.05, 4.45, 2.84), 0.03),
        ("dome", demo.clone(), DVec3::new(1.55, 1.6, 1.75), 0.05),
        ("terrace", demo, DVec3::new(8.6, 1.45, -0.6), 0.063),
    ]
    .into_iter()
    .map(|(name, path, at, separation)| {
        let read = open(&path);
        let light = read.report.light.illumination(&read.scene);
        let scene = read.scene;
        let (eyes, rig) = pair(&scene, &light, at, separation);
        Case {
            name,
            scene,
            at,
            rig,
            eyes,
        }
    })
    .collect()
});

/// Both eyes' pictures without noise.
fn pair(
    scene: &Scene,
    light: &Illumination,
    at: DVec3,
    separation: f64,
) -> ([Picture; 2], PanoramicPair) {
    let rig = PanoramicPair {
        separation,
        anchor: Anchor::Middle,
        converge: None,
        close: Some([1.0, 1.4]),
    };
    let size = PanoramaSize::from_width(WIDTH).unwrap();
    let eyes = Side::BOTH.map(|side| {
        let eye = PanoramicEye::new(at, Orientation::default(), Equirect, rig, side);
        quick::picture(scene, light, &eye, size, 3)
    });
    (eyes, rig)
}

fn names(report: &PairReport) -> Vec<&'static str> {
    report.findings.iter().map(|f| f.fault.name()).collect()
}

fn darker(picture: &Picture, by: [f32; 3]) -> Picture {
    let mut other = picture.clone();
    for p in other.samples.chunks_exact_mut(3) {
        (0..3).for_each(|c| p[c] *= by[c]);
    }
    other
}

fn lower(picture: &Picture, rows: usize) -> Picture {
    let line = picture.width as usize * 3;
    let mut other = picture.clone();
    other.samples[rows * line..]
        .copy_from_slice(&picture.samples[..picture.samples.len() - rows * line]);
    other
}

#[test]
fn what_spoils_a_pair_is_found_and_good_ones_are_left_alone() {
    for Case { name, eyes, .. } in CASES.iter() {
        let [left, right] = eyes;
        let good = check(left, right, true);
        assert_eq!(names(&good), [""; 0], "{name}: {good:?}");
        assert!(good.matched > 300, "{name}: {}", good.matched);

        let same = check(left, left, true);
        assert_eq!(names(&same), ["same-twice"], "{name}");

        let swapped = check(right, left, true);
        assert_eq!(names(&swapped), ["swapped"], "{name}: {swapped:?}");
        assert!(swapped.findings[0].confidence > 0.5, "{name}: {swapped:?}");

        let shifted = check(left, &lower(right, 3), true);
        assert_eq!(names(&shifted), ["shifted"], "{name}: {shifted:?}");
        let PairFault::Shifted(down) = shifted.findings[0].fault else {
            unreachable!()
        };
        assert!((down + 3.0).abs() < 0.3, "{name}: {down}");

        // Half as bright is a stop.
        let dark = check(left, &darker(right, [0.5; 3]), true);
        assert_eq!(names(&dark), ["brightness"], "{name}: {dark:?}");
        assert!(
            matches!(dark.findings[0].fault, PairFault::Brightness(s) if (s - 1.0).abs() < 0.05)
        );

        let warm = check(left, &darker(right, [1.0, 0.8, 0.6]), true);
        assert_eq!(names(&warm), ["finish"], "{name}: {warm:?}");

        // All at once, mended: what is left is good.
        let spoiled = lower(&darker(right, [0.7; 3]), 2);
        let found = check(&spoiled, left, true);
        let [a, b] = mended(&spoiled, left, &found.findings);
        let again = check(&a, &b, true);
        assert_eq!(names(&again), [""; 0], "{name}: {found:?} became {again:?}");
    }
}

/// What is estimated is where the scene is: most places within a pixel of what rays and the eyes' geometry say.
#[test]
fn disparities_are_those_of_the_scene() {
    for case in CASES.iter() {
        let Case {
            name,
            scene,
            at,
            rig,
            ..
        } = case;
        let eyes = Side::BOTH
            .map(|side| PanoramicEye::new(*at, Orientation::default(), Equirect, *rig, side));
        let [left, right] = &case.eyes;
        let found = matches(left, right, true);
        let (mut fine, mut seen) = (0, 0);
        for m in &found {
            let point = PicturePoint {
                u: f64::from(m.u),
                v: f64::from(m.v),
            };
            let ray = eyes[0].ray(point).unwrap();
            let Some(hit) = sight::look(scene, ray.origin, ray.direction) else {
                continue;
            };
            let there = eyes[1]
                .locate(ray.origin + ray.direction * hit.distance)
                .unwrap();
            let told = ((point.u - there.u + 0.5).rem_euclid(1.0) - 0.5) * f64::from(WIDTH);
            seen += 1;
            fine += usize::from((told - f64::from(m.across)).abs() < 1.0);
        }
        assert!(
            seen > 300 && fine * 100 > seen * 80,
            "{name}: {fine} of {seen}"
        );
    }
}
