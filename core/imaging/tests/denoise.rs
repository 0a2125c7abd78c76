//! Taking noise out: less of it, no seam, no blur over edges, any cutting into strips.

use dome_imaging::denoise::library::{self, DenoiseLibrary};
use dome_imaging::denoise::{DenoiseFailed, Guides, denoise};
use dome_imaging::{LayeredStrip, NoiseSum, Strip};

const W: u32 = 64;
const H: u32 = 32;
const GUIDES: Guides = Guides {
    albedo: 0,
    normal: 1,
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

/// True value: two surfaces, the darker one in columns 20 to 44.
fn truth(column: u32) -> f32 {
    if (20..44).contains(&column) { 0.2 } else { 0.6 }
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

fn picture(rows: u32) -> Vec<Result<LayeredStrip, Torn>> {
    (0..H)
        .step_by(rows as usize)
        .map(|top| {
            let n = rows.min(H - top);
            let each = |value: &dyn Fn(u32, u32, u32) -> f32| {
                (0..n * W * 3)
                    .map(|i| value(i / 3 % W, top + i / 3 / W, i % 3))
                    .collect::<Vec<f32>>()
            };
            Ok(LayeredStrip {
                beauty: Strip {
                    top,
                    width: W,
                    samples: each(&|x, y, c| {
                        let noise = random((y * W + x) * 3 + c) * 0.5;
                        truth(x) * (1.0 + noise)
                    }),
                },
                layers: vec![
                    each(&|x, _, _| truth(x)),
                    each(&|_, _, c| (c == 1) as u8 as f32),
                ],
                noise: NoiseSum {
                    squares: 49.0,
                    weight: 1.0,
                    samples: 1,
                },
                counts: Vec::new(),
            })
        })
        .collect()
}

fn run(rows: u32) -> Vec<f32> {
    denoise(picture(rows).into_iter(), H, GUIDES)
        .flat_map(|s| s.unwrap().beauty.samples)
        .collect()
}

fn error(samples: &[f32], columns: impl Fn(u32) -> bool) -> f32 {
    let mut sum = 0.0;
    let mut n = 0.0;
    for (i, v) in samples.iter().enumerate() {
        let x = i as u32 / 3 % W;
        if columns(x) {
            sum += ((v - truth(x)) / truth(x)).powi(2);
            n += 1.0;
        }
    }
    (sum / n).sqrt()
}

#[test]
fn noise_falls_and_edges_and_the_seam_stay() {
    let before: Vec<f32> = picture(16)
        .into_iter()
        .flat_map(|s| s.unwrap().beauty.samples)
        .collect();
    let after = run(16);
    assert_eq!(after.len(), before.len());
    let all = |_: u32| true;
    let (noisy, clean) = (error(&before, all), error(&after, all));
    assert!(clean < 0.35 * noisy, "{noisy} became {clean}");
    // At the border of the surfaces nothing flows over, and at the picture's edge the window wraps.
    let border = |x: u32| [19, 20, 43, 44].contains(&x);
    let edge = |x: u32| x == 0 || x == W - 1;
    let inner = |x: u32| (4..16).contains(&x);
    assert!(error(&after, border) < 0.5 * noisy);
    assert!(error(&after, edge) < 1.4 * error(&after, inner));
    // The same rows at the poles as elsewhere.
    let row = |r: usize| error(&after[r * W as usize * 3..][..W as usize * 3], all);
    assert!(row(0) < 0.6 * noisy && row(H as usize - 1) < 0.6 * noisy);
}

#[test]
fn strips_of_any_height_give_the_same_and_errors_pass_through() {
    let whole = run(32);
    for rows in [1, 3, 7, 16] {
        assert_eq!(run(rows), whole, "strips of {rows} rows");
    }
    let mut torn = picture(8);
    torn[2] = Err(Torn::Strip);
    let found: Vec<_> = denoise(torn.into_iter(), H, GUIDES).collect();
    assert!(found.last().unwrap().is_err() && found.len() <= 3);
}

/// The open denoising library, where `script/test` could fetch it; it is an optional part.
#[test]
fn the_library_takes_noise_out_without_a_seam() {
    let folder =
        std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.fetched/denoiser/lib");
    let Some(found) = DenoiseLibrary::find(&folder) else {
        assert!(
            !folder.join("libOpenImageDenoise.so").exists(),
            "the library is in {} and does not work",
            folder.display()
        );
        eprintln!("The denoising library is not here; its test is left out.");
        return;
    };
    let found = std::sync::Arc::new(found);
    let run = |rows: u32| -> Vec<f32> {
        library::denoise(found.clone(), picture(rows).into_iter(), H, GUIDES, || true)
            .flat_map(|s| s.unwrap().beauty.samples)
            .collect()
    };
    let before: Vec<f32> = picture(16)
        .into_iter()
        .flat_map(|s| s.unwrap().beauty.samples)
        .collect();
    let after = run(16);
    assert_eq!(after.len(), before.len());
    let noisy = error(&before, |_| true);
    assert!(error(&after, |_| true) < 0.5 * noisy);
    let edge = error(&after, |x| x == 0 || x == W - 1);
    assert!(edge < 1.5 * error(&after, |x| (4..16).contains(&x)) + 0.01);
    assert_eq!(run(7), after, "strips of 7 rows");
    let mut torn = picture(8);
    torn[2] = Err(Torn::Strip);
    let torn = library::denoise(found.clone(), torn.into_iter(), H, GUIDES, || true);
    assert!(torn.into_iter().any(|s| s.is_err()));
    // A stop is heard in the middle of filtering: nothing comes out, and the next picture is as before.
    let asked = std::sync::atomic::AtomicU32::new(0);
    let stop = || asked.fetch_add(1, std::sync::atomic::Ordering::Relaxed) < 1;
    let stopped = library::denoise(found.clone(), picture(16).into_iter(), H, GUIDES, stop);
    let stopped: Vec<_> = stopped.collect();
    assert!(
        matches!(stopped[..], [Err(Torn::Library)]),
        "{} strips",
        stopped.len()
    );
    assert_eq!(run(16), after, "after a stop");
}
