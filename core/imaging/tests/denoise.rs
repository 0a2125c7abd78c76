//! Taking noise out: less of it, no seam, no blur over edges, any cutting into strips; and what it did is told.

use dome_imaging::denoise::library::{DenoiseLibrary, LibraryFilter, most_rows};
use dome_imaging::denoise::plain::PlainFilter;
use dome_imaging::denoise::told::Remaining;
use dome_imaging::denoise::{Band, DenoiseFailed, Filter, Filtered, Guides, denoise};
use dome_imaging::transfer::{luminance, srgb_from_linear};
use dome_imaging::{LayeredStrip, NoiseSum, Strip};
use dome_optics::neighbourhood::Edges;
use std::sync::Arc;

const GUIDES: Guides = Guides {
    albedo: 0,
    normal: 1,
    halves: Some(2),
};

/// Numbers of -0.5 to 0.5 that are the same in every run.
fn random(n: u32) -> f32 {
    let mut x = n.wrapping_mul(0x9e37_79b9) ^ 0x68bc_21eb;
    x ^= x >> 15;
    x = x.wrapping_mul(0x2c1b_3c6d);
    x ^= x >> 12;
    x = x.wrapping_mul(0x297a_2d39);
    x ^= x >> 15;
    (x >> 8) as f32 / 16_777_216.0 - 0.5
}

/// What may go wrong on the way.
#[derive(Debug, PartialEq)]
enum Torn {
    Strip,
    Library,
}

impl From<DenoiseFailed> for Torn {
    fn from(_: DenoiseFailed) -> Self {
        Self::Library
    }
}

/// A picture of two surfaces, the darker one in columns 20 to 44, the seed of its noise, and how strong the noise is.
#[derive(Clone, Copy)]
struct Scene {
    width: u32,
    height: u32,
    seed: u32,
    noise: f32,
    /// How far the light on the surfaces waves, which no guide knows of.
    waves: f32,
    /// Share of the pixels of a half that a rare bright path meets; without them they are the darker for it.
    rare: f32,
    /// Columns by which the picture has turned.
    turned: u32,
}

const USUAL: Scene = Scene {
    width: 64,
    height: 32,
    seed: 0,
    noise: 0.5,
    waves: 0.0,
    rare: 0.0,
    turned: 0,
};

/// What a rare path adds to the light of a half.
const BRIGHT: f32 = 0.4;

impl Scene {
    fn surface(&self, column: u32) -> f32 {
        let column = (column + self.turned) % self.width;
        if (20..44).contains(&column) { 0.2 } else { 0.6 }
    }

    fn truth(&self, column: u32, row: u32) -> f32 {
        let x = (column + self.turned) % self.width;
        let wave = (x as f32 * 1.9).sin() * (row as f32 * 1.3).sin();
        self.surface(column) * (1.0 + self.waves * wave)
    }

    fn strips(&self, rows: u32) -> Vec<Result<LayeredStrip, Torn>> {
        let Self { width, height, .. } = *self;
        (0..height)
            .step_by(rows as usize)
            .map(|top| {
                let n = rows.min(height - top);
                let each = |value: &dyn Fn(u32, u32, u32) -> f32| {
                    (0..n * width * 3)
                        .map(|i| value(i / 3 % width, top + i / 3 / width, i % 3))
                        .collect::<Vec<f32>>()
                };
                // Each half has twice the variance of the whole, and noise of its own.
                let half = |which: u32, x: u32, y: u32, c: u32| {
                    let number = ((y * width + x) * 3 + c) * 2 + which;
                    let noise = random(number ^ self.seed.wrapping_mul(0x85eb_ca6b));
                    let chance =
                        random((number - c * 2) ^ self.seed.wrapping_mul(0xc2b2_ae35)) + 0.5;
                    let met = f32::from(u8::from(chance < self.rare));
                    self.truth(x, y) * (1.0 + noise * self.noise * 2f32.sqrt())
                        + (met - self.rare) * BRIGHT
                };
                Ok(LayeredStrip {
                    beauty: Strip {
                        top,
                        width,
                        samples: each(&|x, y, c| (half(0, x, y, c) + half(1, x, y, c)) / 2.0),
                    },
                    layers: vec![
                        each(&|x, _, _| self.surface(x)),
                        each(&|_, _, c| (c == 1) as u8 as f32),
                        each(&|x, y, c| (half(0, x, y, c) - half(1, x, y, c)) / 2.0),
                    ],
                    noise: NoiseSum::default(),
                    counts: Vec::new(),
                })
            })
            .collect()
    }

    fn noisy(&self) -> Vec<f32> {
        (self.strips(16).into_iter())
            .flat_map(|s| s.unwrap().beauty.samples)
            .collect()
    }

    fn run(&self, filter: impl Filter, rows: u32, edges: Edges) -> Vec<Filtered> {
        denoise(
            filter,
            self.strips(rows).into_iter(),
            self.height,
            edges,
            GUIDES,
        )
        .map(|s| s.unwrap())
        .collect()
    }

    /// Root mean square of the error as a share of the truth, in some columns and rows.
    fn error(&self, samples: &[f32], there: impl Fn(u32, u32) -> bool) -> f32 {
        let (mut sum, mut n) = (0.0, 0.0);
        for (i, v) in samples.iter().enumerate() {
            let (x, y) = (i as u32 / 3 % self.width, i as u32 / 3 / self.width);
            if there(x, y) {
                let truth = self.truth(x, y);
                sum += ((v - truth) / truth).powi(2);
                n += 1.0;
            }
        }
        (sum / n).sqrt()
    }
}

fn samples(filtered: Vec<Filtered>) -> Vec<f32> {
    (filtered.into_iter())
        .flat_map(|f| f.strip.beauty.samples)
        .collect()
}

/// The open denoising library, where `script/test` could fetch it; it is an optional part.
fn library() -> Option<Arc<DenoiseLibrary>> {
    let folder =
        std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.fetched/denoiser/lib");
    let found = DenoiseLibrary::find(&folder);
    assert!(
        found.is_some() || !folder.join("libOpenImageDenoise.so").exists(),
        "the library is in {} and does not work",
        folder.display()
    );
    if found.is_none() {
        eprintln!("The denoising library is not here; its test is left out.");
    }
    found.map(Arc::new)
}

fn by_library(library: &Arc<DenoiseLibrary>) -> impl Filter + use<> {
    LibraryFilter {
        library: Arc::clone(library),
        go_on: || true,
    }
}

#[test]
fn noise_falls_and_edges_and_the_seam_stay() {
    let all = |_: u32, _: u32| true;
    for edges in [Edges::Sphere, Edges::Turn, Edges::Ends] {
        let after = samples(USUAL.run(PlainFilter, 16, edges));
        let noisy = USUAL.error(&USUAL.noisy(), all);
        let clean = USUAL.error(&after, all);
        assert!(clean < 0.35 * noisy, "{edges:?}: {noisy} became {clean}");
        // At the border of the surfaces nothing flows over, and at the picture's edges all is as elsewhere.
        let border = |x: u32, _: u32| [19, 20, 43, 44].contains(&x);
        let edge = |x: u32, _: u32| x == 0 || x == USUAL.width - 1;
        let inner = |x: u32, _: u32| (4..16).contains(&x);
        assert!(USUAL.error(&after, border) < 0.5 * noisy, "{edges:?}");
        let (edge, inner) = (USUAL.error(&after, edge), USUAL.error(&after, inner));
        assert!(
            edge < 1.6 * inner,
            "{edges:?}: {edge} at the edge, {inner} within"
        );
        // The same rows at the poles as elsewhere.
        let pole = |_: u32, y: u32| y == 0 || y == USUAL.height - 1;
        assert!(USUAL.error(&after, pole) < 0.6 * noisy, "{edges:?}");
    }
    // What ends takes nothing from the other end: surfaces there may be quite another thing.
    let turned = Scene {
        turned: 20,
        ..USUAL
    };
    let ends = samples(turned.run(PlainFilter, 16, Edges::Ends));
    assert!(turned.error(&ends, |x, _| x == 0) < 0.5 * turned.error(&turned.noisy(), all));
}

/// Strong noise in one place is no reason to blur another: each place is filtered by its own.
#[test]
fn calm_places_keep_what_no_guide_knows_of() {
    let calm = Scene {
        noise: 0.02,
        waves: 0.3,
        ..USUAL
    };
    let after = samples(calm.run(PlainFilter, 16, Edges::Sphere));
    let error = calm.error(&after, |_, _| true);
    assert!(error < 0.02, "{error}");
}

#[test]
fn strips_of_any_height_give_the_same_and_errors_pass_through() {
    let tall = Scene {
        height: 150,
        ..USUAL
    };
    let whole = samples(tall.run(PlainFilter, 150, Edges::Turn));
    for rows in [1, 3, 7, 16] {
        let cut = samples(tall.run(PlainFilter, rows, Edges::Turn));
        assert!(cut == whole, "strips of {rows} rows");
    }
    let mut torn = USUAL.strips(8);
    torn[2] = Err(Torn::Strip);
    let found: Vec<_> = denoise(
        PlainFilter,
        torn.into_iter(),
        USUAL.height,
        Edges::Sphere,
        GUIDES,
    )
    .collect();
    assert!(found.last().unwrap().is_err() && found.len() <= 3);
}

/// What is told to be left in a picture, and what is wrong with it, percent. What was taken and what is left make up what was there.
fn told_and_wrong(scene: &Scene, filtered: &[Filtered]) -> (f64, f64) {
    let (mut told, mut wrong, mut pixels) = (Remaining::default(), 0.0, 0.0);
    for part in filtered {
        let beauty = &part.strip.beauty;
        told.add(part.remaining(&part.strip.layers[2], |_, _| 0.25).unwrap());
        for (i, pixel) in beauty.samples.chunks_exact(3).enumerate() {
            let (x, y) = (i as u32 % scene.width, beauty.top + i as u32 / scene.width);
            let value = luminance([pixel[0], pixel[1], pixel[2]]);
            let [is, should] = [value, scene.truth(x, y)].map(srgb_from_linear);
            wrong += f64::from((is - should) / is).powi(2);
            pixels += 1.0;
        }
        for ((taken, before), after) in (part.taken().iter().zip(&part.before)).zip(&beauty.samples)
        {
            assert!((taken + after - before).abs() < 1e-6);
        }
    }
    assert_eq!(told.weight, 0.25 * pixels);
    (told.percent().unwrap(), 100.0 * (wrong / pixels).sqrt())
}

/// Lets nothing through that is more than half brighter than the surface: bright paths leave it as dull spots.
struct Dull;

impl Filter for Dull {
    fn band(&self, _width: u32) -> u32 {
        64
    }
    fn margin(&self, _width: u32) -> u32 {
        0
    }
    fn filter(&self, band: &Band, image: &[f32], _times: f32) -> Result<Vec<f32>, DenoiseFailed> {
        let values = image.iter().zip(&band.albedo);
        Ok(values.map(|(v, albedo)| v.min(1.5 * albedo)).collect())
    }
}

/// What a filter makes of rare bright paths is told too, though it does not let them through as it lets other noise: a little more or less of
/// such a path changes nothing behind it.
#[test]
fn what_rare_bright_paths_leave_is_told() {
    for (rare, noise) in [(0.02, 0.05), (0.05, 0.05), (0.1, 0.05), (0.1, 0.1)] {
        let scene = Scene {
            width: 48,
            height: 8192,
            seed: 5,
            noise,
            rare,
            ..USUAL
        };
        let (told, wrong) = told_and_wrong(&scene, &scene.run(Dull, 64, Edges::Sphere));
        println!("rare {rare}, noise {noise}: told {told:.2} %, truly {wrong:.2} %");
        let share = told / wrong;
        assert!((0.75..1.15).contains(&share), "rare {rare}: {share}");
    }
}

/// What is told to be left is what is wrong: checked against the truth, with noise alone and with waves of light that the
/// filter takes for noise.
#[test]
fn what_is_left_and_what_was_taken_is_told() {
    let library = library();
    for (noise, waves) in [(0.6, 0.0), (0.3, 0.0), (0.6, 0.15), (0.4, 0.3)] {
        let scene = Scene {
            width: 256,
            height: 128,
            seed: 7,
            noise,
            waves,
            rare: 0.0,
            turned: 0,
        };
        let mut runs = vec![("built in", scene.run(PlainFilter, 16, Edges::Sphere))];
        if let Some(library) = &library {
            runs.push(("library", scene.run(by_library(library), 16, Edges::Sphere)));
        }
        for (name, filtered) in runs {
            let (told, wrong) = told_and_wrong(&scene, &filtered);
            println!("{name}, noise {noise}, waves {waves}: told {told:.2} %, truly {wrong:.2} %");
            // A hundredth or so is not found among so few pixels.
            let fits = match wrong < 2.0 {
                true => told < wrong + 0.8,
                false => (0.85..1.15).contains(&(told / wrong)),
            };
            assert!(fits, "{name}: {told} % told, {wrong} % wrong");
        }
    }
}

/// A slow pan of one pixel a frame, each frame with noise of its own: as seen from the scene, what changes from frame to frame is
/// far less than without denoising, everywhere.
#[test]
fn sequences_flicker_less_than_their_noise() {
    let frames: Vec<Scene> = (0..10)
        .map(|i| Scene {
            seed: 100 + i,
            turned: i,
            waves: 0.2,
            ..USUAL
        })
        .collect();
    let library = library();
    let flicker = |pictures: &[Vec<f32>]| -> Vec<f32> {
        let width = USUAL.width as usize;
        (0..width * USUAL.height as usize)
            .map(|pixel| {
                let (x, y) = (pixel % width, pixel / width);
                let values: Vec<f32> = (pictures.iter().enumerate())
                    .map(|(turned, p)| p[(y * width + (x + width - turned) % width) * 3])
                    .collect();
                let mean = values.iter().sum::<f32>() / 10.0;
                values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / 9.0
            })
            .collect()
    };
    let before = flicker(&frames.iter().map(Scene::noisy).collect::<Vec<_>>());
    let mut ways: Vec<(&str, Vec<Vec<f32>>)> = vec![(
        "built in",
        (frames.iter())
            .map(|f| samples(f.run(PlainFilter, 16, Edges::Sphere)))
            .collect(),
    )];
    if let Some(library) = &library {
        let run = |f: &Scene| samples(f.run(by_library(library), 16, Edges::Sphere));
        ways.push(("library", frames.iter().map(run).collect()));
    }
    for (name, pictures) in ways {
        let after = flicker(&pictures);
        let mean = |v: &[f32]| (v.iter().sum::<f32>() / v.len() as f32).sqrt();
        let worse = (after.iter().zip(&before)).filter(|(a, b)| a > b).count();
        let share = worse as f32 / after.len() as f32;
        println!(
            "{name}: {} became {}, worse {share}",
            mean(&before),
            mean(&after)
        );
        assert!(mean(&after) < 0.5 * mean(&before), "{name}");
        assert!(
            share < 0.02,
            "{name}: {share} of the pixels flicker more than before"
        );
    }
}

#[test]
fn the_library_takes_noise_out_without_a_seam() {
    let Some(library) = library() else {
        return;
    };
    let run = |rows| samples(USUAL.run(by_library(&library), rows, Edges::Sphere));
    let after = run(16);
    let noisy = USUAL.error(&USUAL.noisy(), |_, _| true);
    assert!(USUAL.error(&after, |_, _| true) < 0.5 * noisy);
    let edge = USUAL.error(&after, |x, _| x == 0 || x == USUAL.width - 1);
    assert!(edge < 1.5 * USUAL.error(&after, |x, _| (4..16).contains(&x)) + 0.01);
    assert_eq!(run(7), after, "strips of 7 rows");
    let mut torn = USUAL.strips(8);
    torn[2] = Err(Torn::Strip);
    let height = USUAL.height;
    let go = by_library(&library);
    let mut torn = denoise(go, torn.into_iter(), height, Edges::Sphere, GUIDES);
    assert!(torn.any(|s| s.is_err()));
    // A stop is heard in the middle of filtering: nothing comes out, and the next picture is as before.
    let asked = std::sync::atomic::AtomicU32::new(0);
    let filter = LibraryFilter {
        library: Arc::clone(&library),
        go_on: || asked.fetch_add(1, std::sync::atomic::Ordering::Relaxed) < 1,
    };
    let strips = USUAL.strips(16).into_iter();
    let stopped: Vec<_> = denoise(filter, strips, height, Edges::Sphere, GUIDES).collect();
    assert!(
        matches!(stopped[..], [Err(Torn::Library)]),
        "{} strips",
        stopped.len()
    );
    assert_eq!(run(16), after, "after a stop");
}

/// Bands of another height.
struct Banded<F>(F, u32);

impl<F: Filter> Filter for Banded<F> {
    fn band(&self, _width: u32) -> u32 {
        self.1
    }

    fn margin(&self, width: u32) -> u32 {
        self.0.margin(width)
    }

    fn filter(&self, band: &Band, image: &[f32], times: f32) -> Result<Vec<f32>, DenoiseFailed> {
        self.0.filter(band, image, times)
    }
}

/// A tall picture goes through the library in bands. Where one ends and the next begins it is as if they were one: in bands as high
/// as pictures of 8192 px and less have them, and in the lower ones of wider pictures, whose margins are the same.
#[test]
fn bands_of_the_library_meet_without_a_seam() {
    let Some(library) = library() else {
        return;
    };
    let (usual, wide) = (most_rows(8192).0, most_rows(8193).0);
    assert!(wide < usual);
    let margin = |width| by_library(&library).margin(width);
    assert!(margin(800) == margin(8192) && margin(8192) == margin(32768));
    for (height, band) in [(640, usual), (384, wide)] {
        let tall = Scene {
            width: 800,
            height,
            waves: 0.1,
            ..USUAL
        };
        let most = seam(&library, &tall, band);
        println!("bands of {band} rows: at most {most} apart");
        // Less than one step of 8 bits.
        assert!(most < 1.0 / 255.0, "{most}");
    }
}

/// How far a picture filtered in bands is from one without an end of a band there, at most, in shares of what is shown.
fn seam(library: &Arc<DenoiseLibrary>, tall: &Scene, band: u32) -> f32 {
    assert!(band < tall.height);
    let whole = samples(tall.run(Banded(by_library(library), band), 16, Edges::Turn));
    // The same rows, taken from a picture that begins further down: the seam lies in the middle of a band there.
    let skipped = band / 2;
    let below: Vec<_> = (tall.strips(16).into_iter())
        .filter_map(|s| {
            let mut s = s.unwrap();
            s.beauty.top = s.beauty.top.checked_sub(skipped)?;
            Some(Ok::<_, Torn>(s))
        })
        .collect();
    let height = tall.height - skipped;
    let filter = Banded(by_library(library), band);
    let other: Vec<f32> = denoise(filter, below.into_iter(), height, Edges::Turn, GUIDES)
        .flat_map(|f| f.unwrap().strip.beauty.samples)
        .collect();
    let row = tall.width as usize * 3;
    let mut most = 0f32;
    for y in band as usize - 40..band as usize + 40 {
        let (a, b) = (
            &whole[y * row..][..row],
            &other[(y - skipped as usize) * row..][..row],
        );
        for (a, b) in a.iter().zip(b) {
            most = most.max((srgb_from_linear(*a) - srgb_from_linear(*b)).abs());
        }
    }
    most
}
