//! Seams: steps between pixels that are neighbours on the sphere but not in the picture, against what the
//! picture's own gradients there explain.
//!
//! Values are compared as they are displayed (sRGB signal of the luminance, cut off at white), in percent, so
//! that a strength of 1 is about the smallest step that is seen.

use crate::convert::{Pixel, Source};
use crate::transfer::{luminance, srgb_from_linear};
use dome_optics::projection::Face;
use dome_optics::{LonLat, Shape};

/// Most parts of an edge that are looked at one by one, and least pixels of one: fewer say nothing in grain.
const MOST_PARTS: usize = 16;
const LEAST_PIXELS: i64 = 32;
/// A part is a seam if its step is larger than the gradients beside it by this factor ...
const FACTOR: f64 = 1.6;
/// ... and by so many percent of white.
const FLOOR: f64 = 0.6;

/// One edge of the picture, or one pole.
#[derive(Clone, Debug, PartialEq)]
pub struct Seam {
    /// What it is, for example `left-right edge`, `front/up` or `zenith`.
    pub edge: String,
    /// Mean step across it, percent of white as displayed.
    pub step: f64,
    /// Mean step that the gradients beside it explain.
    pub explained: f64,
    /// Largest excess of any part over what is explained, percent; 0 if nothing stands out.
    pub strength: f64,
    /// Heading and pitch of the worst part, degrees, relative to the middle of the picture.
    pub heading_deg: f64,
    /// See `heading_deg`.
    pub pitch_deg: f64,
    /// Whether it is a seam that will be seen.
    pub visible: bool,
}

fn shown(p: Pixel) -> f64 {
    let light = luminance([p.x, p.y, p.z]);
    f64::from(srgb_from_linear(light.clamp(0.0, 1.0))) * 100.0
}

/// Steps and gradients of a part of an edge.
#[derive(Clone, Copy, Default)]
struct Sum {
    step: f64,
    /// On this side and beyond. What lies beyond a face edge is interpolated and calmer than it is.
    inner: f64,
    outer: f64,
    count: f64,
}

impl Sum {
    fn add(&mut self, step: f64, inner: f64, outer: f64) {
        self.step += step;
        self.inner += inner;
        self.outer += outer;
        self.count += 1.0;
    }

    fn means(self) -> (f64, f64) {
        let n = self.count.max(1.0);
        (self.step / n, self.inner.max(self.outer) / n)
    }

    fn excess(self) -> f64 {
        let (step, explained) = self.means();
        step - explained
    }

    fn stands_out(self) -> bool {
        let (step, explained) = self.means();
        step > FACTOR * explained && step > explained + FLOOR
    }
}

/// All edges and poles of a picture, worst first.
pub fn measure(source: &Source) -> Vec<Seam> {
    let mut found: Vec<Seam> = edges(source.shape())
        .into_iter()
        .map(|(name, piece, side)| edge(source, name, piece, side))
        .collect();
    if source.shape() == Shape::Equirect {
        found.push(pole(source, true));
        found.push(pole(source, false));
    }
    found.sort_by(|a, b| b.strength.total_cmp(&a.strength));
    found
}

/// A side of a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Side {
    Left,
    Right,
    Top,
    Bottom,
}

const SIDES: [Side; 4] = [Side::Left, Side::Right, Side::Top, Side::Bottom];

impl Side {
    /// A point on the side, `along` it and `beyond` it by shares of the piece.
    fn point(self, along: f64, beyond: f64) -> (f64, f64) {
        match self {
            Self::Left => (-beyond, along),
            Self::Right => (1.0 + beyond, along),
            Self::Top => (along, -beyond),
            Self::Bottom => (along, 1.0 + beyond),
        }
    }

    /// The pixel `depth` pixels inside (negative: beyond), `i` pixels along.
    fn pixel(self, i: i64, depth: i64, width: i64, height: i64) -> (i64, i64) {
        match self {
            Self::Left => (depth, i),
            Self::Right => (width - 1 - depth, i),
            Self::Top => (i, depth),
            Self::Bottom => (i, height - 1 - depth),
        }
    }
}

/// The edges that meet another part of the picture, each once.
fn edges(shape: Shape) -> Vec<(String, usize, Side)> {
    if let Some(layout) = shape.cube() {
        let cells: Vec<_> = layout.places().map(|(cell, ..)| cell).collect();
        let mut found: Vec<(String, usize, Side)> = Vec::new();
        for (piece, cell) in cells.iter().enumerate() {
            for side in SIDES {
                let (x, y) = side.point(0.5, 1e-3);
                let (neighbour, ..) = Face::met(layout.beyond(*cell, x, y));
                let name = format!("{}/{}", cell.face.name(), neighbour.name());
                let other = format!("{}/{}", neighbour.name(), cell.face.name());
                if !found.iter().any(|f| f.0 == other) {
                    found.push((name, piece, side));
                }
            }
        }
        return found;
    }
    match shape {
        Shape::Octahedral => SIDES
            .map(|side| (format!("{side:?} fold").to_lowercase(), 0, side))
            .to_vec(),
        _ if shape.wraps() => vec![("left-right edge".into(), 0, Side::Left)],
        _ => Vec::new(),
    }
}

fn edge(source: &Source, name: String, piece: usize, side: Side) -> Seam {
    let (width, height) = source.piece_size(piece);
    let (w, h) = (i64::from(width), i64::from(height));
    let length = match side {
        Side::Left | Side::Right => h,
        Side::Top | Side::Bottom => w,
    };
    let count = ((length / LEAST_PIXELS) as usize).clamp(1, MOST_PARTS);
    let mut parts = vec![Sum::default(); count];
    for i in 0..length {
        let value = |depth: i64| {
            let (x, y) = side.pixel(i, depth, w, h);
            source.pixel(piece, x, y)
        };
        let [a2, a1, a0, b0, b1, b2] = [2, 1, 0, -1, -2, -3].map(value);
        // What no one painted is no seam.
        if [a0, b0].iter().any(|p| p.w < 0.5) {
            continue;
        }
        let [a2, a1, a0, b0, b1, b2] = [a2, a1, a0, b0, b1, b2].map(shown);
        let mean = |x: f64, y: f64, z: f64| ((x - y).abs() + (y - z).abs()) / 2.0;
        let part = (i * count as i64 / length) as usize;
        parts[part].add((a0 - b0).abs(), mean(a2, a1, a0), mean(b0, b1, b2));
    }
    let place = |part: usize| {
        let (x, y) = side.point((part as f64 + 0.5) / count as f64, 0.0);
        source.shape().beyond(piece, x, y)
    };
    seam(name, &parts, |part| {
        place(part).map_or((0.0, 0.0), |d| {
            let at = LonLat::from_vector(d);
            (at.lon.to_degrees(), at.lat.to_degrees())
        })
    })
}

/// The row at a pole is one small circle: its spread against the step to the row beside it.
fn pole(source: &Source, up: bool) -> Seam {
    let (width, height) = source.piece_size(0);
    let (w, h) = (i64::from(width), i64::from(height));
    let row = |k: i64| if up { k } else { h - 1 - k };
    let line = |k: i64| -> Vec<f64> { (0..w).map(|x| shown(source.pixel(0, x, row(k)))).collect() };
    let (first, second) = (line(0), line(1));
    let mean = first.iter().sum::<f64>() / w as f64;
    let mut sum = Sum::default();
    for (a, b) in first.iter().zip(&second) {
        // A gentle slope spreads half as far as it steps; noise seven tenths.
        sum.add((a - mean).abs(), (a - b).abs(), 0.0);
    }
    let name = if up { "zenith" } else { "nadir" };
    seam(name.into(), &[sum], |_| {
        (0.0, if up { 90.0 } else { -90.0 })
    })
}

fn seam(edge: String, parts: &[Sum], place: impl Fn(usize) -> (f64, f64)) -> Seam {
    let mut whole = Sum::default();
    for p in parts {
        whole.step += p.step;
        whole.inner += p.inner;
        whole.outer += p.outer;
        whole.count += p.count;
    }
    let (step, explained) = whole.means();
    let worst = (0..parts.len())
        .max_by(|&a, &b| parts[a].excess().total_cmp(&parts[b].excess()))
        .unwrap_or(0);
    let visible = whole.stands_out() || parts.get(worst).is_some_and(|p| p.stands_out());
    let (heading_deg, pitch_deg) = place(worst);
    Seam {
        edge,
        step,
        explained,
        strength: if visible { parts[worst].excess() } else { 0.0 },
        heading_deg,
        pitch_deg,
        visible,
    }
}
