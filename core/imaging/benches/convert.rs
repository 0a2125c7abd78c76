//! Megapixels per second of conversion on one thread and on two; `script/bench` runs it beside two references on
//! the same picture. Input and output of the 8-bit rows are bytes, curve and direction mathematics included.
#![allow(missing_docs, clippy::unwrap_used)]

use dome_imaging::convert::{Block, Conversion, Kernel, Layout, Pixel, Row, Source, SourceBuilder};
use dome_imaging::transfer::Srgb8;
use dome_optics::{Orientation, Shape};
use std::borrow::Cow;
use std::time::Instant;

const ROUNDS: usize = 11;

/// A picture of bytes with detail everywhere, the same in every run.
fn bytes(width: usize, height: usize) -> Vec<u8> {
    (0..width * height)
        .flat_map(|i| {
            let (x, y) = (i % width, i / width);
            [x ^ y, x * 3 + y, (x * y) >> 7].map(|v| v as u8)
        })
        .collect()
}

/// One-shot: from bytes to bytes.
fn eight_bit(
    shapes: (Shape, Shape),
    from: (u32, u32),
    to: (u32, u32),
    kernel: Kernel,
    input: &[u8],
    out: &mut Vec<u8>,
) {
    let turn = Orientation::default();
    let layout = Layout::new(shapes.0, from, shapes.1, to, turn);
    let window = layout.window(Block {
        left: 0,
        top: 0,
        width: to.0,
        height: to.1,
    });
    let mut builder = SourceBuilder::new(shapes.0, from.0, from.1)
        .compact()
        .within(&window);
    let rows: Vec<Row> = (input.chunks_exact(from.0 as usize * 3))
        .map(|row| Row::Bytes {
            samples: 3,
            bytes: Cow::Borrowed(row),
        })
        .collect();
    builder.rows(&rows);
    let source = builder.finish();
    out.clear();
    let conversion = Conversion::of(&source, layout, kernel);
    let curve = Srgb8::get();
    for top in (0..to.1).step_by(64) {
        for p in conversion.rows(top, 64.min(to.1 - top)) {
            out.extend([curve.encode(p.x), curve.encode(p.y), curve.encode(p.z)]);
        }
    }
}

fn main() {
    let shape = |name: &str| name.parse::<Shape>().unwrap();
    println!(
        "| conversion of 4096x2048 | kernel | 8 bit, Mpixel/s | float, Mpixel/s | float, two threads |"
    );
    println!("|---|---|---|---|---|");
    let one = rayon::ThreadPoolBuilder::new()
        .num_threads(1)
        .build()
        .unwrap();
    let two = rayon::ThreadPoolBuilder::new()
        .num_threads(2)
        .build()
        .unwrap();
    for (name, from, to, kernel) in [
        (
            "sphere to six faces",
            ("equirect", 4096),
            ("cube-1x6", 1024),
            Kernel::Bilinear,
        ),
        (
            "sphere to six faces",
            ("equirect", 4096),
            ("cube-1x6", 1024),
            Kernel::Bicubic,
        ),
        (
            "sphere to six faces",
            ("equirect", 4096),
            ("cube-1x6", 1024),
            Kernel::Lanczos,
        ),
        (
            "sphere to six faces",
            ("equirect", 4096),
            ("cube-1x6", 1024),
            Kernel::Lanczos4,
        ),
        (
            "faces to sphere",
            ("cube-1x6", 1024),
            ("equirect", 4096),
            Kernel::Bilinear,
        ),
        (
            "sphere to perspective",
            ("equirect", 4096),
            ("perspective:90", 1920),
            Kernel::Bilinear,
        ),
    ] {
        let (a, b) = (shape(from.0), shape(to.0));
        let size_a = a.size(Some(from.1), None).unwrap();
        let size_b = b.size(Some(to.1), None).unwrap();
        let input = bytes(size_a.0 as usize, size_a.1 as usize);
        let mut out = Vec::with_capacity((size_b.0 * size_b.1 * 3) as usize);
        let pixels: Vec<Pixel> = (input.chunks_exact(3))
            .map(|p| Pixel::new(p[0] as f32, p[1] as f32, p[2] as f32, 1.0))
            .collect();
        // Of one thread the processor's time, as the references are measured; of two the clock's.
        let least = |clock: &dyn Fn() -> f64, run: &mut dyn FnMut()| {
            (0..ROUNDS)
                .map(|_| {
                    let start = clock();
                    run();
                    clock() - start
                })
                .fold(f64::INFINITY, f64::min)
        };
        let processor = || {
            let t = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
            t.tv_sec as f64 + t.tv_nsec as f64 * 1e-9
        };
        let begin = Instant::now();
        let clock = || begin.elapsed().as_secs_f64();
        let mut float = || {
            let source = Source::from_rows(a, size_a.0, size_a.1, pixels.chunks(size_a.0 as usize));
            let conversion = Conversion::new(&source, b, size_b, Orientation::default(), kernel);
            for top in (0..size_b.1).step_by(64) {
                std::hint::black_box(conversion.rows(top, 64.min(size_b.1 - top)));
            }
        };
        let rate = |s: f64| f64::from(size_b.0) * f64::from(size_b.1) / s / 1e6;
        let eight = one.install(|| {
            least(&processor, &mut || {
                eight_bit((a, b), size_a, size_b, kernel, &input, &mut out)
            })
        });
        let single = one.install(|| least(&processor, &mut float));
        // The machine is faster at some moments than at others: one and two threads take turns.
        let mut pairs: Vec<(f64, f64)> = (0..ROUNDS)
            .map(|_| {
                let timed = |pool: &rayon::ThreadPool, run: &mut (dyn FnMut() + Send)| {
                    let start = clock();
                    pool.install(run);
                    clock() - start
                };
                (timed(&one, &mut float), timed(&two, &mut float))
            })
            .collect();
        pairs.sort_by(|a, b| (a.0 / a.1).total_cmp(&(b.0 / b.1)));
        let (alone, together) = pairs[ROUNDS / 2];
        println!(
            "| {name} | {kernel:?} | {:.1} | {:.1} | {:.1} ({:.2} x) |",
            rate(eight),
            rate(single),
            rate(together),
            alone / together
        );
    }
}
