//! Pictures made by code: wood, plaster, stone, a star chart, a rug, land.

use image::RgbImage;
use rayon::prelude::*;

/// Repeatable noise of 0 to 1 that tiles with `period` cells.
pub fn noise(x: f32, y: f32, period: i32, seed: u32) -> f32 {
    let (ix, iy) = (x.floor(), y.floor());
    let (fx, fy) = (x - ix, y - iy);
    let smooth = |t: f32| t * t * (3.0 - 2.0 * t);
    let next = |i: i32| if i + 1 == period { 0 } else { i + 1 };
    let (cx, cy) = (
        (ix as i32).rem_euclid(period),
        (iy as i32).rem_euclid(period),
    );
    let salt = seed.wrapping_mul(15_485_863);
    let value = |x: i32, y: i32| {
        chance((x as u32).wrapping_mul(7919) ^ (y as u32).wrapping_mul(104_729) ^ salt)
    };
    let (nx, ny) = (next(cx), next(cy));
    let (sx, sy) = (smooth(fx), smooth(fy));
    let (left, low_left) = (value(cx, cy), value(cx, ny));
    let top = left + (value(nx, cy) - left) * sx;
    let bottom = low_left + (value(nx, ny) - low_left) * sx;
    top + (bottom - top) * sy
}

/// A number of 0 to 1 for a number.
pub fn chance(n: u32) -> f32 {
    let mut x = n.wrapping_mul(0x9e37_79b9) ^ 0x85eb_ca6b;
    x ^= x >> 15;
    x = x.wrapping_mul(0x2c1b_3c6d);
    x ^= x >> 12;
    x = x.wrapping_mul(0x297a_2d39);
    x ^= x >> 15;
    (x >> 8) as f32 / 16_777_216.0
}

/// Several octaves of noise over a picture of `cells` cells.
fn cloud(u: f32, v: f32, cells: i32, octaves: u32, seed: u32) -> f32 {
    let (mut sum, mut weight, mut scale) = (0.0, 0.5, 1);
    for o in 0..octaves {
        let p = cells * scale;
        sum += weight * noise(u * p as f32, v * p as f32, p, seed + o);
        weight *= 0.5;
        scale *= 2;
    }
    sum
}

fn paint(width: u32, height: u32, colour: impl Fn(f32, f32) -> [f32; 3] + Sync) -> RgbImage {
    let mut picture = RgbImage::new(width, height);
    picture
        .par_chunks_exact_mut(width as usize * 3)
        .enumerate()
        .for_each(|(y, row)| {
            for (x, pixel) in row.chunks_exact_mut(3).enumerate() {
                let c = colour(
                    (x as f32 + 0.5) / width as f32,
                    (y as f32 + 0.5) / height as f32,
                );
                pixel.copy_from_slice(&c.map(|v| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8));
            }
        });
    picture
}

fn mix(a: [f32; 3], b: [f32; 3], t: f32) -> [f32; 3] {
    std::array::from_fn(|i| a[i] + (b[i] - a[i]) * t.clamp(0.0, 1.0))
}

fn step(edge: f32, width: f32, x: f32) -> f32 {
    let t = ((x - edge) / width + 0.5).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// Floor boards along u: eight boards across, each with its own shade and grain.
pub fn planks(dark: [f32; 3], light: [f32; 3]) -> RgbImage {
    paint(512, 512, |u, v| {
        let board = (v * 8.0).floor();
        let within = v * 8.0 - board;
        // Each board is cut at its own place.
        let cut = chance(board as u32 + 31);
        let along = (u + cut).fract();
        let half = if along < 0.5 { 0 } else { 1 };
        let shade = chance(board as u32 * 2 + half + 77);
        let grain = cloud((u + cut).fract(), v, 4, 2, 5) * 0.3
            + noise(u * 6.0, v * 220.0, 220, board as u32) * 0.35
            + noise(u * 3.0, v * 70.0, 70, 9) * 0.35;
        let joint =
            step(0.03, 0.02, within.min(1.0 - within)) * step(0.002, 0.003, (along - 0.5).abs());
        let c = mix(dark, light, 0.25 + 0.55 * shade * 0.6 + 0.45 * grain);
        mix([0.06, 0.04, 0.03], c, 0.35 + 0.65 * joint)
    })
}

/// Wood of one piece, the grain along u.
pub fn wood(dark: [f32; 3], light: [f32; 3], seed: u32) -> RgbImage {
    paint(512, 256, |u, v| {
        let wave = cloud(u, v, 3, 3, seed) * 0.5;
        let rings = ((v + wave * 0.16) * 60.0).sin() * 0.5 + 0.5;
        let fibre = noise(u * 8.0, v * 200.0, 200, seed);
        mix(
            dark,
            light,
            0.25 + 0.4 * rings * cloud(u, v, 4, 2, seed + 1) * 1.6 + 0.3 * fibre,
        )
    })
}

/// Lime plaster with faint clouds.
pub fn plaster() -> RgbImage {
    paint(512, 512, |u, v| {
        let c = cloud(u, v, 4, 5, 3);
        let fine = noise(u * 128.0, v * 128.0, 128, 8);
        mix(
            [0.78, 0.72, 0.62],
            [0.93, 0.89, 0.81],
            0.2 + 0.65 * c + 0.15 * fine,
        )
    })
}

/// Squared stones with joints, four courses.
pub fn stones() -> RgbImage {
    paint(512, 512, |u, v| {
        let course = (v * 4.0).floor();
        let shift = if course as i32 % 2 == 0 { 0.0 } else { 0.25 };
        let x = (u + shift).fract() * 4.0;
        let (column, fx, fy) = (x.floor(), x.fract(), (v * 4.0).fract());
        let tone = chance(course as u32 * 17 + column as u32 + 3);
        let grain = cloud(u, v, 8, 4, 12);
        let joint = step(0.03, 0.03, fx.min(1.0 - fx)) * step(0.03, 0.03, fy.min(1.0 - fy));
        let c = mix(
            [0.40, 0.37, 0.33],
            [0.66, 0.61, 0.53],
            0.5 * tone + 0.6 * grain,
        );
        mix([0.27, 0.25, 0.22], c, joint)
    })
}

/// A star chart: rings of declination, hours, stars and figures in ink on old paper.
pub fn star_chart(seed: u32) -> RgbImage {
    let stars: Vec<(f32, f32, f32)> = (0..220)
        .map(|i| {
            let r = chance(seed * 1000 + i * 3).sqrt() * 0.44;
            let a = chance(seed * 1000 + i * 3 + 1) * std::f32::consts::TAU;
            let size = 0.0015 + 0.006 * chance(seed * 1000 + i * 3 + 2).powi(4);
            (0.5 + r * a.cos(), 0.5 + r * a.sin(), size)
        })
        .collect();
    let bright: Vec<_> = stars.iter().filter(|s| s.2 > 0.0028).collect();
    paint(512, 512, |u, v| {
        let paper = mix(
            [0.78, 0.68, 0.48],
            [0.94, 0.88, 0.72],
            cloud(u, v, 3, 4, seed),
        );
        let (x, y) = (u - 0.5, v - 0.5);
        let (r, a) = (x.hypot(y), y.atan2(x));
        let mut ink = 0.0f32;
        for k in 1..=4 {
            ink = ink.max(0.45 * (1.0 - step(0.0012, 0.0015, (r - 0.115 * k as f32).abs())));
        }
        ink = ink.max(0.9 * (1.0 - step(0.002, 0.0015, (r - 0.475).abs())));
        if r < 0.46 {
            let hour = (a / std::f32::consts::TAU * 12.0).rem_euclid(1.0);
            let off = hour.min(1.0 - hour) * std::f32::consts::TAU / 12.0 * r;
            ink = ink.max(0.35 * (1.0 - step(0.001, 0.0015, off)));
        }
        for (sx, sy, size) in &stars {
            // Most are far: not even their distance is asked.
            if (u - sx).abs() < 0.01 && (v - sy).abs() < 0.01 {
                let d = (u - sx).hypot(v - sy);
                ink = ink.max(1.0 - step(*size, 0.002, d));
            }
        }
        for pair in bright.windows(2) {
            let (p, q) = (pair[0], pair[1]);
            let (dx, dy) = (q.0 - p.0, q.1 - p.1);
            let length = dx.hypot(dy);
            let near = |at: f32, a: f32, b: f32| at > a.min(b) - 0.01 && at < a.max(b) + 0.01;
            if length < 0.17 && near(u, p.0, q.0) && near(v, p.1, q.1) {
                let t = (((u - p.0) * dx + (v - p.1) * dy) / (length * length)).clamp(0.0, 1.0);
                let d = (u - p.0 - t * dx).hypot(v - p.1 - t * dy);
                ink = ink.max(0.55 * (1.0 - step(0.0012, 0.0015, d)));
            }
        }
        mix(paper, [0.10, 0.12, 0.22], ink)
    })
}

/// A round rug: a compass rose in rings of dusk blue, madder and cream.
pub fn rug() -> RgbImage {
    let (blue, red, cream) = ([0.13, 0.20, 0.33], [0.48, 0.16, 0.12], [0.80, 0.70, 0.52]);
    paint(512, 512, |u, v| {
        let (x, y) = (2.0 * u - 1.0, 2.0 * v - 1.0);
        let (r, a) = (x.hypot(y), y.atan2(x));
        let ray = |n: f32, sharp: f32| ((a * n).cos() * 0.5 + 0.5).powf(sharp);
        let mut c = blue;
        if r > 0.93 {
            c = red;
        } else if r > 0.88 {
            c = cream;
        } else if r > 0.70 {
            c = mix(blue, red, step(0.5, 0.1, ray(24.0, 1.0)));
        } else if r > 0.66 {
            c = cream;
        } else {
            c = mix(c, cream, step(r / 0.64, 0.04, ray(4.0, 3.0)));
            c = mix(
                c,
                red,
                step(r / 0.42, 0.05, ray(8.0, 2.0)) * step(0.1, 0.02, r),
            );
        }
        let weave = 0.88 + 0.12 * noise(u * 256.0, v * 256.0, 256, 4);
        c.map(|k| k * weave)
    })
}

/// Grass and heath seen from afar.
pub fn land() -> RgbImage {
    paint(512, 512, |u, v| {
        let c = cloud(u, v, 4, 6, 21);
        let d = cloud(u, v, 12, 4, 22);
        let grass = mix([0.16, 0.22, 0.10], [0.42, 0.43, 0.21], c);
        mix(grass, [0.48, 0.38, 0.26], (d - 0.45) * 2.4)
    })
}

/// Spines of books side by side.
pub fn spines() -> RgbImage {
    let cloth = [
        [0.36, 0.12, 0.10],
        [0.14, 0.22, 0.30],
        [0.20, 0.28, 0.18],
        [0.44, 0.32, 0.16],
        [0.25, 0.18, 0.14],
        [0.50, 0.43, 0.32],
        [0.16, 0.16, 0.20],
        [0.40, 0.20, 0.12],
    ];
    paint(512, 128, |u, v| {
        let book = (u * 16.0).floor();
        let within = u * 16.0 - book;
        let c = cloth[(chance(book as u32 + 5) * 8.0) as usize % 8];
        let band = (v - 0.2).abs() < 0.015 || (v - 0.26).abs() < 0.008 || (v - 0.82).abs() < 0.015;
        let gap = step(0.05, 0.04, within.min(1.0 - within));
        let round = 0.7 + 0.3 * (1.0 - (2.0 * within - 1.0).powi(2));
        let c = if band { [0.74, 0.58, 0.26] } else { c };
        mix([0.03, 0.025, 0.02], c.map(|k| k * round), gap)
    })
}
