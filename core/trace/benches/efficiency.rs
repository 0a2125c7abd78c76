//! How much noise is left for the time it takes: noise squared times seconds over five scenes, the observatory at three places, a
//! sun-lit room with one window, and an open field of blocks under the sun. Lower is better. Built from an older commit too, its
//! figures stand beside those of now (`script/bench` says how). What is rendered are rows of a picture of 2048 px: in the pixels of
//! a small one edges make noise of their own, whatever is known of the light.
#![allow(missing_docs, clippy::unwrap_used)]

mod blocks;
mod lit;

use dome_imaging::transfer::{luminance, srgb_from_linear};
use dome_optics::{Equirect, MonoEye, Orientation, PanoramaSize};
use dome_trace::sky::SunSky;
use dome_trace::{Control, Illumination, ImportOptions, Quality, Render, Scene, Sky, load};
use glam::DVec3;
use std::time::Instant;

/// Runs of each scene with other seeds; of their times the shortest counts, since other work can only add to it.
const ROUNDS: usize = 5;
const SAMPLES: u32 = 16;
const WIDTH: u32 = 2048;
/// Rows spread over the sphere.
const ROWS: u32 = 16;

/// One of the rows.
fn row(i: u32) -> u32 {
    (2 * i + 1) * (WIDTH / 2) / (2 * ROWS)
}

fn luminances(samples: &[f32]) -> Vec<f32> {
    (samples.as_chunks::<3>().0.iter())
        .map(|&rgb| luminance(rgb))
        .collect()
}

/// Luminance as a screen shows it.
fn shown(luminance: f32) -> f64 {
    f64::from(srgb_from_linear(luminance.clamp(0.0, 1.0)))
}

/// How far pictures of several seeds lie apart, percent of what is shown, over the sphere: of all pixels, and without the noisiest
/// hundredth. Measured, so that it does not matter what an engine tells of its own noise.
fn noise(runs: &[Vec<f32>]) -> (f64, f64) {
    let n = runs.len() as f64;
    let pixels = runs[0].len();
    let mut all: Vec<(f64, f64)> = (0..pixels)
        .map(|i| {
            let values = runs.iter().map(|r| shown(r[i]));
            let mean = values.clone().sum::<f64>() / n;
            let variance = values.map(|v| (v - mean).powi(2)).sum::<f64>() / (n - 1.0);
            let colatitude = (f64::from(row(i as u32 / WIDTH)) + 0.5) / f64::from(WIDTH / 2);
            let relative = variance / mean.max(0.05).powi(2);
            (relative, (colatitude * std::f64::consts::PI).sin())
        })
        .collect();
    let of = |all: &[(f64, f64)]| {
        let weight: f64 = all.iter().map(|p| p.1).sum();
        (all.iter().map(|p| p.0 * p.1).sum::<f64>() / weight).sqrt() * 100.0
    };
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    (of(&all), of(&all[..pixels - pixels / 100]))
}

/// Fireflies among a million pixels: single pixels that have three times the light that the other runs have there on average, and
/// are shown brighter than that by more than a tenth of white.
fn fireflies(runs: &[Vec<f32>]) -> f64 {
    let pixels = runs[0].len();
    let found = (0..pixels)
        .map(|i| {
            let sum: f32 = runs.iter().map(|r| r[i]).sum();
            (runs.iter())
                .filter(|r| {
                    let others = (sum - r[i]) / (runs.len() - 1) as f32;
                    r[i] > 3.0 * others && shown(r[i]) > shown(others) + 0.1
                })
                .count()
        })
        .sum::<usize>();
    found as f64 / (pixels * runs.len()) as f64 * 1e6
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("merlow.glb");
    std::fs::write(&file, merlow::build()).unwrap();
    let read = load(&file, &ImportOptions::default()).unwrap();
    let sun = |elevation_deg: f32| {
        Sky::Sun(SunSky {
            elevation_deg,
            heading_deg: 165.0,
            ..SunSky::default()
        })
    };
    let (room, field) = (blocks::room(), blocks::field());
    let mut all: Vec<(&str, &Scene, Illumination, DVec3, f64)> = vec![
        (
            "Sun-lit room",
            &room,
            lit::under(&room, sun(35.0)),
            DVec3::new(0.5, 1.5, -0.5),
            150.0,
        ),
        (
            "Open field",
            &field,
            lit::under(&field, sun(40.0)),
            DVec3::new(0.0, 1.7, 0.0),
            0.0,
        ),
    ];
    for (i, name) in [(0, "Under the dome"), (1, "At the desk"), (3, "Terrace")] {
        let place = merlow::PLACES[i];
        let at = DVec3::from(place.position.map(f64::from));
        all.push((name, &read.scene, lit::begun(&read), at, place.heading_deg));
    }
    println!(
        "| scene | noise, % | of the calmest 99 % | seconds | noise² x seconds | of the calmest 99 % | learning before it, seconds | fireflies in a million pixels | fireflies x seconds |"
    );
    println!("|---|---|---|---|---|---|---|---|---|");
    // A part of a scene's name measures that scene alone.
    let only = std::env::var("ONLY").unwrap_or_default();
    for (name, scene, light, at, heading) in all.into_iter().filter(|s| s.0.contains(&only)) {
        let eye = MonoEye::new(at, Orientation::heading(heading), Equirect);
        let size = PanoramaSize::from_width(WIDTH).unwrap();
        let quality = Quality::Samples(SAMPLES);
        let begun = Instant::now();
        let learned = lit::learn(&Render::new(scene, &light, &eye, size, quality, 0));
        let look = begun.elapsed().as_secs_f64();
        let (runs, mut seconds): (Vec<Vec<f32>>, Vec<f64>) = (0..ROUNDS as u32)
            .map(|seed| {
                let render = Render::new(scene, &light, &eye, size, quality, seed);
                let render = lit::with(render, &learned);
                let start = Instant::now();
                let samples: Vec<f32> = (0..ROWS)
                    .flat_map(|i| {
                        let strip = render.strip(row(i), 1, &Control::default()).unwrap();
                        strip.beauty.samples
                    })
                    .collect();
                (luminances(&samples), start.elapsed().as_secs_f64())
            })
            .unzip();
        seconds.sort_by(f64::total_cmp);
        let seconds = seconds[0];
        let (noise, trimmed) = noise(&runs);
        let fireflies = fireflies(&runs);
        println!(
            "| {name} | {noise:.2} | {trimmed:.2} | {seconds:.2} | {:.1} | {:.1} | {look:.2} | {fireflies:.0} | {:.0} |",
            noise * noise * seconds,
            trimmed * trimmed * seconds,
            fireflies * seconds
        );
    }
}
