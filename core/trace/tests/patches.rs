//! What a render tells of itself before and beside the picture: patches of it, and its two halves.

use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::patch::{Patch, PatchSums};
use dome_trace::{
    Control, Illumination, ImportOptions, Pass, PassSet, Quality, Render, Scene, load,
};
use glam::DVec3;

/// The terrace of the observatory, in the light that it begins with.
fn terrace() -> (Scene, Illumination, MonoEye<Equirect>) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("merlow.glb");
    std::fs::write(&path, merlow::build()).unwrap();
    let read = load(&path, &ImportOptions::default()).unwrap();
    let light = read.report.light.illumination(&read.scene);
    let place = merlow::PLACES[3];
    let turned = Orientation::heading(place.heading_deg);
    let eye = MonoEye::new(DVec3::from(place.position), turned, Equirect);
    (read.scene, light, eye)
}

fn shown(v: f32) -> f32 {
    dome_imaging::transfer::srgb_from_linear(v.clamp(0.0, 1.0))
}

/// Patches are pieces of the whole picture to the bit, lie within it, and are spread over the sphere: as many above the horizon
/// as below, and none at the poles where there is little of it.
#[test]
fn patches_are_pieces_of_the_whole() {
    let (scene, light, eye) = terrace();
    let size = PanoramaSize::from_width(256).unwrap();
    let quality = Quality::Samples(2);
    let render = Render::new(&scene, &light, &eye, size, Quality::Samples(64), 3);
    let patches = render.patches(6, 32);
    assert_eq!(patches.len(), 6);
    let above = patches.iter().filter(|p| p.top + p.rows / 2 < 64).count();
    assert_eq!(above, 3);
    let whole = Render::new(&scene, &light, &eye, size, quality, 3);
    for patch in patches {
        assert_eq!((patch.width, patch.rows, patch.left % 32), (32, 32, 0));
        assert!((4..92).contains(&patch.top), "{patch:?}");
        let piece = render.patch(patch, quality, &Control::default()).unwrap();
        let strip = (whole.strip(patch.top, patch.rows, &Control::default())).unwrap();
        assert_eq!((piece.beauty.top, piece.beauty.width), (0, 32));
        for row in 0..patch.rows {
            let from = patch.left as usize * 3;
            assert_eq!(
                piece.beauty.row(row),
                &strip.beauty.row(row)[from..from + 96]
            );
        }
    }
}

/// In a row a noisy block takes those beside it along. A patch of one column of blocks has nothing beside it: its rows do the same for
/// each other, and it is calmer than the same rows one by one.
#[test]
fn rows_of_a_patch_take_each_other_along() {
    let (scene, light, eye) = terrace();
    let size = PanoramaSize::from_width(256).unwrap();
    let quality = Quality::Noise {
        percent: 8.0,
        most: 512,
    };
    let render = Render {
        passes: PassSet::new([Pass::Noise]),
        ..Render::new(&scene, &light, &eye, size, quality, 3)
    };
    let square = |patch: Patch| -> f64 {
        let piece = render.patch(patch, quality, &Control::default()).unwrap();
        let squares = piece.layers[0].iter().map(|n| f64::from(*n).powi(2));
        squares.sum()
    };
    let (mut together, mut alone) = (0.0, 0.0);
    for patch in render.patches(6, 17) {
        together += square(patch);
        let rows = patch.top..patch.top + patch.rows;
        alone += (rows.map(|top| {
            square(Patch {
                top,
                rows: 1,
                ..patch
            })
        }))
        .sum::<f64>();
    }
    let share = (together / alone).sqrt();
    println!("{share} of the noise of rows by themselves");
    assert!((0.5..0.97).contains(&share), "{share}");
}

/// A patch that goes on with the samples that it has is what it would have been at once; and the rows that are watched while a strip is
/// made are those of the strip.
#[test]
fn patches_go_on_and_rows_are_watched() {
    let (scene, light, eye) = terrace();
    let size = PanoramaSize::from_width(256).unwrap();
    let render = Render::new(&scene, &light, &eye, size, Quality::Samples(17), 3);
    let control = Control::default();
    let patch = render.patches(3, 32)[1];
    let mut sums = PatchSums::default();
    let mut on = |samples| {
        let quality = Quality::Samples(samples);
        (render.patch_on(patch, &mut sums, quality, &control)).unwrap()
    };
    let (first, then) = (on(3), on(17));
    let at_once = render.patch(patch, Quality::Samples(17), &control).unwrap();
    assert_eq!(then.beauty.samples, at_once.beauty.samples);
    assert_ne!(first.beauty.samples, then.beauty.samples);
    assert_eq!(control.count_rows(), 0, "nobody watches");
    // A finer noise is gone on to as well.
    let render = Render {
        passes: PassSet::new([Pass::Noise]),
        ..Render::new(&scene, &light, &eye, size, Quality::Samples(17), 3)
    };
    let mut sums = PatchSums::default();
    let [first, then] = [12.0, 4.0].map(|percent| {
        let quality = Quality::Noise { percent, most: 512 };
        let piece = (render.patch_on(patch, &mut sums, quality, &control)).unwrap();
        piece.layers[0].iter().sum::<f32>() / piece.layers[0].len() as f32
    });
    assert!(then < 0.9 * first, "{first} % then {then} %");

    control.watch_rows();
    let strip = render.strip(40, 3, &control).unwrap();
    let watched = control.watched_rows();
    assert_eq!(watched.keys().copied().collect::<Vec<_>>(), [40, 41, 42]);
    let seen: Vec<f32> = (watched.values().flatten())
        .flat_map(|p| p.to_array())
        .collect();
    assert_eq!(seen, strip.beauty.samples);
    control.watch_rows();
    assert_eq!(control.count_rows(), 0);
}

/// Looks that are told as one never fall back, whether each has as many steps as the next, is left out, or was not expected.
#[test]
fn looks_are_told_as_one() {
    let control = Control::default();
    assert_eq!(control.look_share(), None);
    control.expect_looks(2);
    let mut told = vec![control.look_share().unwrap()];
    for steps in [4, 100, 7] {
        control.look(steps);
        for _ in 0..steps {
            control.looked(1);
            told.push(control.look_share().unwrap());
        }
        control.look(0);
        told.extend(control.look_share());
    }
    assert!(told.windows(2).take(104).all(|w| w[0] <= w[1]), "{told:?}");
    assert_eq!(told[0], 0.0);
    assert_eq!(told[2], 0.25, "half of the first of two");
    assert_eq!(control.look_share(), None, "all have ended");
}

/// Every second sample and the others make up the picture, and their noise has nothing in common: squared, the halves lie twice as
/// far apart as two whole pictures of independent seeds, each being the mean of two halves (variances of independent numbers).
#[test]
fn the_halves_are_two_independent_pictures() {
    let (scene, light, eye) = terrace();
    let size = PanoramaSize::from_width(64).unwrap();
    let picture = |seed: u32| {
        let render = Render {
            passes: PassSet::new([Pass::Halves]),
            ..Render::new(&scene, &light, &eye, size, Quality::Samples(32), seed)
        };
        render.strip(0, 32, &Control::default()).unwrap()
    };
    // As far as they are displayed: without what one firefly would decide.
    let apart = |a: &[f32], b: &[f32]| -> f32 {
        let squares = a
            .iter()
            .zip(b)
            .map(|(a, b)| (shown(*a) - shown(*b)).powi(2));
        squares.sum()
    };
    let (mut halves, mut seeds) = (0.0, 0.0);
    for seed in 0..4 {
        let [one, other] = [2 * seed, 2 * seed + 1].map(picture);
        for whole in [&one, &other] {
            let half = |sign: f32| -> Vec<f32> {
                let samples = whole.beauty.samples.iter().zip(&whole.layers[0]);
                samples.map(|(v, d)| v + sign * d).collect()
            };
            halves += apart(&half(1.0), &half(-1.0)) / 2.0;
        }
        seeds += 2.0 * apart(&one.beauty.samples, &other.beauty.samples);
    }
    println!("halves {halves}, seeds {seeds}");
    // The curve takes more of the larger differences.
    assert!((0.75..1.1).contains(&(halves / seeds)), "{halves} {seeds}");
}
