//! What is wrong with a picture that is said to be a sphere unrolled, told from the picture itself, and mended.

use crate::convert::{Pixel, Source};
use crate::seams;
use crate::transfer::srgb_from_linear;
use dome_optics::Shape;

/// A finding, with how sure it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Finding {
    /// What it is.
    pub fault: Fault,
    /// How sure, 0 to 1.
    pub confidence: f64,
}

/// What can be wrong.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Fault {
    /// Nothing stands out.
    None,
    /// A whole sphere, but not twice as wide as high: squeezed into another frame, 16:9 mostly.
    Squeezed,
    /// Each row as wide as its circle of latitude, the corners empty: sinusoidal.
    Sinusoidal,
    /// Turned by so many quarters to the right against the reference, and mirrored or not.
    Turned {
        /// Quarter turns, 0 to 3.
        quarters: u8,
        /// Left and right swapped.
        mirrored: bool,
    },
    /// Its edges do not meet or its poles are no points: not a whole sphere.
    NotASphere,
}

/// A picture in memory: linear light with alpha, row by row.
pub struct Flat {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Its pixels.
    pub pixels: Vec<Pixel>,
}

impl Flat {
    fn at(&self, x: u32, y: u32) -> Pixel {
        self.pixels[y as usize * self.width as usize + x as usize]
    }

    fn source(&self) -> Source {
        let rows = self.pixels.chunks(self.width as usize);
        Source::from_rows(Shape::Equirect, self.width, self.height, rows)
    }
}

/// Looks at a picture alone.
pub fn look(picture: &Flat) -> Finding {
    let empty = empty_corners(picture);
    if empty > 0.9 {
        return Finding {
            fault: Fault::Sinusoidal,
            confidence: empty,
        };
    }
    let closed = closedness(picture);
    let fault = if closed < 0.5 {
        Fault::NotASphere
    } else if picture.width == 2 * picture.height {
        Fault::None
    } else {
        Fault::Squeezed
    };
    let confidence = if closed < 0.5 { 1.0 - closed } else { closed };
    Finding { fault, confidence }
}

/// Share of the area outside the sinusoidal outline that has the colour of the corners, 0 if the inside has
/// it too or touches the picture's edges with other things.
fn empty_corners(p: &Flat) -> f64 {
    let corner = p.at(0, 0);
    let same = |q: Pixel| (q - corner).abs().max_element() < 0.01;
    let (mut outside, mut empty, mut inside, mut plain) = (0u64, 0u64, 0u64, 0u64);
    for y in 0..p.height {
        let lat = std::f64::consts::PI * (0.5 - (f64::from(y) + 0.5) / f64::from(p.height));
        for x in 0..p.width {
            let across = (2.0 * (f64::from(x) + 0.5) / f64::from(p.width) - 1.0).abs();
            // A little room on both sides of the outline.
            if across > lat.cos() + 0.03 {
                outside += 1;
                empty += u64::from(same(p.at(x, y)));
            } else if across < lat.cos() - 0.03 {
                inside += 1;
                plain += u64::from(same(p.at(x, y)));
            }
        }
    }
    if inside == 0 || plain * 2 > inside {
        return 0.0;
    }
    empty as f64 / outside.max(1) as f64
}

/// How well the left edge meets the right one and the rows at the poles are points, 0 to 1.
fn closedness(p: &Flat) -> f64 {
    let found = seams::measure(&p.source());
    // A step of twice what the picture explains is half a doubt; grain alone is none.
    let fits = |s: &seams::Seam| {
        let ratio = (s.step + 0.3) / (s.explained + 0.3);
        (1.0 / (1.0 + (ratio / 2.5).powi(4))).clamp(0.0, 1.0)
    };
    let named = |name: &str| found.iter().find(|s| s.edge == name).map_or(0.0, fits);
    let poles = named("zenith").min(named("nadir"));
    (named("left-right edge") * poles).sqrt()
}

/// Compares a picture with one that is right: which quarter turn, mirrored or not, agrees best.
pub fn against(picture: &Flat, reference: &Flat) -> Finding {
    const WIDTH: u32 = 128;
    let small = |p: &Flat| -> Vec<f64> {
        let (w, h) = (WIDTH, WIDTH / 2);
        let source = p.source();
        let rows = crate::convert::Conversion::new(
            &source,
            Shape::Equirect,
            (w, h),
            dome_optics::Orientation::default(),
            crate::convert::Kernel::Bilinear,
        )
        .rows(0, h);
        let lights: Vec<f64> = (rows.iter())
            .map(|p| f64::from(srgb_from_linear((p.x + p.y + p.z).clamp(0.0, 3.0) / 3.0)))
            .collect();
        let mean = lights.iter().sum::<f64>() / lights.len() as f64;
        lights.iter().map(|v| v - mean).collect()
    };
    let (a, b) = (small(picture), small(reference));
    let size = |v: &[f64]| v.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-12);
    let scale = size(&a) * size(&b);
    let mut found: Vec<(f64, u8, bool)> = Vec::new();
    for mirrored in [false, true] {
        for quarters in 0..4u8 {
            let likeness: f64 = (0..a.len() as u32)
                .map(|i| {
                    let (x, y) = (i % WIDTH, i / WIDTH);
                    let turned = (x + WIDTH / 4 * u32::from(quarters)) % WIDTH;
                    let from = if mirrored { WIDTH - 1 - turned } else { turned };
                    a[i as usize] * b[(y * WIDTH + from) as usize]
                })
                .sum();
            found.push((likeness / scale, quarters, mirrored));
        }
    }
    found.sort_by(|x, y| y.0.total_cmp(&x.0));
    let (best, quarters, mirrored) = found[0];
    Finding {
        fault: if quarters == 0 && !mirrored {
            Fault::None
        } else {
            Fault::Turned { quarters, mirrored }
        },
        // As far as it is alike, and ahead of the next guess.
        confidence: (best.max(0.0) * (1.0 - (found[1].0 / best.max(1e-9)).clamp(0.0, 1.0)).sqrt())
            .clamp(0.0, 1.0),
    }
}

/// The picture as it should be; what cannot be mended comes back as it was.
pub fn mend(picture: &Flat, fault: Fault) -> Flat {
    let width = picture.width & !1;
    let (height, w) = (width / 2, f64::from(width));
    let sampled = |place: &dyn Fn(f64, f64) -> (f64, f64)| {
        let pixels = (0..width * height)
            .map(|i| {
                let (u, v) = (
                    (f64::from(i % width) + 0.5) / w,
                    (f64::from(i / width) + 0.5) / f64::from(height),
                );
                let (u, v) = place(u, v);
                bilinear(picture, u, v)
            })
            .collect();
        Flat {
            width,
            height,
            pixels,
        }
    };
    match fault {
        Fault::None | Fault::NotASphere => Flat {
            width: picture.width,
            height: picture.height,
            pixels: picture.pixels.clone(),
        },
        Fault::Squeezed => sampled(&|u, v| (u, v)),
        Fault::Sinusoidal => sampled(&|u, v| {
            let lat = std::f64::consts::PI * (0.5 - v);
            // Half a pixel inside the outline, so that nothing empty is mixed in.
            let edge = (lat.cos() - 1.0 / w).max(0.0);
            (0.5 + (u - 0.5) * edge, v)
        }),
        Fault::Turned { quarters, mirrored } => {
            let turn = width / 4 * u32::from(quarters);
            let pixels = (0..picture.height)
                .flat_map(|y| (0..picture.width).map(move |x| (x, y)))
                .map(|(x, y)| {
                    // The way back: first what was mirrored, then what was turned.
                    let x = if mirrored { picture.width - 1 - x } else { x };
                    let from = (x + picture.width - turn % picture.width) % picture.width;
                    picture.at(from, y)
                })
                .collect();
            Flat {
                width: picture.width,
                height: picture.height,
                pixels,
            }
        }
    }
}

fn bilinear(p: &Flat, u: f64, v: f64) -> Pixel {
    let limit = |v: f64, n: u32| (v * f64::from(n) - 0.5).clamp(0.0, f64::from(n) - 1.0);
    let (x, y) = (limit(u, p.width), limit(v, p.height));
    let (x0, y0) = (x as u32, y as u32);
    let (x1, y1) = ((x0 + 1).min(p.width - 1), (y0 + 1).min(p.height - 1));
    let upper = p.at(x0, y0).lerp(p.at(x1, y0), x.fract() as f32);
    let lower = p.at(x0, y1).lerp(p.at(x1, y1), x.fract() as f32);
    upper.lerp(lower, y.fract() as f32)
}
