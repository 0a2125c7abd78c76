//! Titles: cards that stand at a place of the world and are drawn over each eye's picture by that eye's own rays, so that
//! their parallax, their size and their place in any shape follow from where they stand.

use crate::layers::LayeredStrip;
use crate::strip::CHANNELS;
use crate::tone::Tone;
use crate::transfer::linear_from_srgb;
use ab_glyph::{Font, FontRef, GlyphId, PxScale, ScaleFont, point};
use dome_optics::direction::direction;
use dome_optics::{Eye, PicturePoint};
use glam::{DMat3, DVec3};
use rayon::prelude::*;
use std::sync::Arc;

/// The letters' shapes (Public Sans, SIL Open Font License).
const LETTERS: &[u8] = include_bytes!("../assets/PublicSans-SemiBold.ttf");
/// Finest and coarsest that a line of letters is drawn, texels high.
const LINE: [f32; 2] = [48.0, 1024.0];
/// Longest side of a card, texels.
const WIDEST: f32 = 8192.0;
/// Points a pixel each way: edges of letters are where aliasing is seen first.
const POINTS: u32 = 4;
/// Pixels of a tile each way; a tile that no card comes near is passed over at once.
const TILE: u32 = 16;

/// How far a line's letters reach, texels.
fn advance(font: &FontRef, line: &str, scale: PxScale) -> f32 {
    let font = font.as_scaled(scale);
    let mut before: Option<GlyphId> = None;
    (line.chars()).fold(0.0, |x, c| {
        let glyph = font.glyph_id(c);
        let kern = before.map_or(0.0, |b| font.kern(b, glyph));
        before = Some(glyph);
        x + kern + font.h_advance(glyph)
    })
}

/// The longest of some lines, texels.
fn widest(font: &FontRef, text: &str, scale: f32) -> f32 {
    (text.lines())
        .map(|l| advance(font, l, PxScale::from(scale)))
        .fold(1.0, f32::max)
}

/// Width of lines of letters divided by their height.
pub fn letters_ratio(text: &str) -> f64 {
    const FINE: f32 = 256.0;
    FontRef::try_from_slice(LETTERS).map_or(1.0, |font| {
        let lines = text.lines().count().max(1) as f64;
        f64::from(widest(&font, text, FINE)) / (f64::from(FINE) * lines)
    })
}

/// What a title shows: light over a linear scale with its coverage, each level half as fine as the one before.
pub struct Card {
    levels: Vec<Level>,
}

struct Level {
    width: usize,
    height: usize,
    /// Red, green, blue times coverage, and coverage.
    texels: Vec<[f32; 4]>,
}

impl Level {
    fn at(&self, x: isize, y: isize) -> [f32; 4] {
        // Nothing lies beyond the edges.
        if x < 0 || y < 0 || x as usize >= self.width || y as usize >= self.height {
            return [0.0; 4];
        }
        self.texels[y as usize * self.width + x as usize]
    }

    /// Between four texels; `u` and `v` are 0 to 1 to the right and down.
    fn mixed(&self, u: f64, v: f64) -> [f32; 4] {
        let (x, y) = (u * self.width as f64 - 0.5, v * self.height as f64 - 0.5);
        let (i, j) = (x.floor(), y.floor());
        let (fx, fy) = ((x - i) as f32, (y - j) as f32);
        let (i, j) = (i as isize, j as isize);
        let four = [
            (self.at(i, j), (1.0 - fx) * (1.0 - fy)),
            (self.at(i + 1, j), fx * (1.0 - fy)),
            (self.at(i, j + 1), (1.0 - fx) * fy),
            (self.at(i + 1, j + 1), fx * fy),
        ];
        let mut sum = [0.0; 4];
        for (texel, weight) in four {
            (sum.iter_mut().zip(texel)).for_each(|(s, t)| *s += t * weight);
        }
        sum
    }

    fn halved(&self) -> Self {
        let (width, height) = (self.width.div_ceil(2), self.height.div_ceil(2));
        let texel = |i: usize| {
            let (x, y) = ((i % width * 2) as isize, (i / width * 2) as isize);
            let mut sum = [0.0; 4];
            for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                (sum.iter_mut().zip(self.at(x + dx, y + dy))).for_each(|(s, t)| *s += t / 4.0);
            }
            sum
        };
        Self {
            width,
            height,
            texels: (0..width * height).map(texel).collect(),
        }
    }
}

impl Card {
    /// A picture with coverage in 8-bit sRGB, row by row from the top; once it is delivered with `tone` it looks as it is.
    pub fn picture(width: u32, height: u32, rgba: &[u8], tone: &Tone) -> Self {
        let light: Vec<f32> = (0..=255u8)
            .map(|v| tone.scene(linear_from_srgb(f32::from(v) / 255.0)))
            .collect();
        let texels = (rgba.chunks_exact(4))
            .map(|p| {
                let a = f32::from(p[3]) / 255.0;
                let of = |c: usize| light[usize::from(p[c])] * a;
                [of(0), of(1), of(2), a]
            })
            .collect();
        Self::of(width as usize, height as usize, texels)
    }

    /// Lines of letters, white or black, each `line` texels high (as far as that is of use); they lie in the middle of each
    /// other. Text without any visible letter is an empty card.
    pub fn letters(text: &str, dark: bool, line: f32, tone: &Tone) -> Self {
        let Ok(font) = FontRef::try_from_slice(LETTERS) else {
            return Self::of(1, 1, vec![[0.0; 4]]);
        };
        let lines: Vec<&str> = text.lines().collect();
        let mut line = line.clamp(LINE[0], LINE[1]);
        let most = widest(&font, text, line).max(line * lines.len() as f32);
        if most > WIDEST {
            line *= WIDEST / most;
        }
        let scale = PxScale::from(line);
        let width = widest(&font, text, line).ceil() as usize;
        let height = ((line * lines.len() as f32).ceil() as usize).max(1);
        let mut cover = vec![0.0f32; width * height];
        let scaled = font.as_scaled(scale);
        for (i, text) in lines.iter().enumerate() {
            let mut x = (width as f32 - advance(&font, text, scale)) / 2.0;
            let y = line * i as f32 + scaled.ascent();
            let mut before: Option<GlyphId> = None;
            for c in text.chars() {
                let id = scaled.glyph_id(c);
                x += before.map_or(0.0, |b| scaled.kern(b, id));
                before = Some(id);
                let glyph = id.with_scale_and_position(scale, point(x, y));
                x += scaled.h_advance(id);
                let Some(outline) = font.outline_glyph(glyph) else {
                    continue;
                };
                let corner = outline.px_bounds().min;
                outline.draw(|gx, gy, share| {
                    let (px, py) = (corner.x + gx as f32, corner.y + gy as f32);
                    if px >= 0.0 && py >= 0.0 && (px as usize) < width && (py as usize) < height {
                        let at = &mut cover[py as usize * width + px as usize];
                        *at = (*at + share).min(1.0);
                    }
                });
            }
        }
        let light = tone.scene(if dark { 0.0 } else { 1.0 });
        let texels = (cover.into_iter())
            .map(|a| [light * a, light * a, light * a, a])
            .collect();
        Self::of(width, height, texels)
    }

    fn of(width: usize, height: usize, texels: Vec<[f32; 4]>) -> Self {
        let mut levels = vec![Level {
            width,
            height,
            texels,
        }];
        while let Some(last) = levels.last()
            && last.width.max(last.height) > 1
        {
            let next = last.halved();
            levels.push(next);
        }
        Self { levels }
    }

    /// Width divided by height.
    pub fn ratio(&self) -> f64 {
        self.levels[0].width as f64 / self.levels[0].height.max(1) as f64
    }

    /// What is seen at a place (0 to 1 to the right and down) where points lie `apart` of the card's height from each other.
    fn at(&self, u: f64, v: f64, apart: f64) -> [f32; 4] {
        let texels = apart * self.levels[0].height as f64;
        let level = (texels.max(1.0).log2() as usize).min(self.levels.len() - 1);
        self.levels[level].mixed(u, v)
    }
}

/// Where a card stands: its middle and from there to its right and upper edge, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stand {
    /// Its middle.
    pub middle: DVec3,
    /// To its right edge.
    pub right: DVec3,
    /// To its upper edge.
    pub up: DVec3,
}

impl Stand {
    /// A card of a ratio in a direction (degrees), as high as `height_deg` at its distance (metres), facing the viewpoint.
    pub fn facing(
        viewpoint: DVec3,
        [heading_deg, pitch_deg]: [f64; 2],
        height_deg: f64,
        distance: f64,
        ratio: f64,
    ) -> Self {
        let towards = direction(heading_deg, pitch_deg);
        // Looking straight up or down, right is where the heading has it.
        let right = DVec3::new(
            heading_deg.to_radians().cos(),
            0.0,
            heading_deg.to_radians().sin(),
        );
        let up = right.cross(towards);
        let half = distance * (height_deg.to_radians() / 2.0).tan();
        Self {
            middle: viewpoint + towards * distance,
            right: right * half * ratio,
            up: up * half,
        }
    }

    /// The same upright in the plane of a frame whose axes are to the right, up and backwards: `distance` is along the direction
    /// of view, so that its parallax is the same all over. Nothing of what lies beside or behind the frame's view.
    pub fn in_frame(
        viewpoint: DVec3,
        axes: DMat3,
        [heading_deg, pitch_deg]: [f64; 2],
        height_deg: f64,
        distance: f64,
        ratio: f64,
    ) -> Option<Self> {
        let towards = direction(heading_deg, pitch_deg);
        let ahead = towards.dot(-axes.z_axis);
        if ahead < 1e-3 {
            return None;
        }
        let far = distance / ahead;
        let half = far * (height_deg.to_radians() / 2.0).tan();
        Some(Self {
            middle: viewpoint + towards * far,
            right: axes.x_axis * half * ratio,
            up: axes.y_axis * half,
        })
    }

    /// A point of it, -1 to 1 to the right and up, metres.
    pub fn point(&self, x: f64, y: f64) -> DVec3 {
        self.middle + self.right * x + self.up * y
    }

    /// Where a ray meets its plane, -1 to 1 to the right and up within it; nothing behind the ray's start.
    pub fn met(&self, ray: &dome_optics::Ray) -> Option<[f64; 2]> {
        let normal = self.right.cross(self.up);
        let slope = ray.direction.dot(normal);
        let far = (self.middle - ray.origin).dot(normal) / slope;
        if slope == 0.0 || far.is_nan() || far <= 0.0 {
            return None;
        }
        let from = ray.origin + ray.direction * far - self.middle;
        Some([
            from.dot(self.right) / self.right.length_squared(),
            from.dot(self.up) / self.up.length_squared(),
        ])
    }
}

/// A card where it stands.
#[derive(Clone)]
pub struct Title {
    /// What it shows.
    pub card: Arc<Card>,
    /// Where.
    pub stand: Stand,
}

impl Title {
    /// How far from a direction it reaches at most as it is seen from a place: the angle to its middle and its own, radians.
    fn reach(&self, from: DVec3) -> (DVec3, f64) {
        let middle = (self.stand.middle - from).normalize_or_zero();
        let corners = [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)];
        let widest = corners
            .map(|(x, y)| (self.stand.point(x, y) - from).normalize_or_zero())
            .map(|corner| middle.angle_between(corner))
            .into_iter()
            .fold(0.0, f64::max);
        (middle, widest)
    }

    fn seen(&self, ray: &dome_optics::Ray, apart: f64) -> [f32; 4] {
        match self.stand.met(ray) {
            Some([x, y]) if x.abs() <= 1.2 && y.abs() <= 1.2 => {
                self.card.at((x + 1.0) / 2.0, (1.0 - y) / 2.0, apart)
            }
            _ => [0.0; 4],
        }
    }
}

/// Draws titles over rows of an eye's picture of `width` x `height` pixels, farther ones first. Where a picture has coverage,
/// `alpha` is its layer.
pub fn draw(
    titles: &[Title],
    strip: &mut LayeredStrip,
    eye: &dyn Eye,
    (width, height): (u32, u32),
    alpha: Option<usize>,
) {
    if titles.is_empty() {
        return;
    }
    let (top, wide) = (strip.beauty.top, strip.beauty.width);
    let rows = strip.beauty.rows();
    let ray = |x: f64, y: f64| {
        eye.ray(PicturePoint {
            u: x / f64::from(width),
            v: y / f64::from(height),
        })
    };
    // Tiles lie where they lie in the whole picture, however it is cut into strips.
    let tiles: Vec<(u32, u32)> = (top / TILE..(top + rows).div_ceil(TILE))
        .flat_map(|y| (0..wide.div_ceil(TILE)).map(move |x| (x * TILE, y * TILE)))
        .collect();
    let drawn: Vec<(usize, [f32; 4])> = tiles
        .into_par_iter()
        .flat_map_iter(|(x, y)| {
            let (right, low) = ((x + TILE).min(width), (y + TILE).min(height));
            let edges = [x, y, right, low].map(f64::from);
            let near = near_tile(titles, &ray, edges);
            let (y, low) = (y.max(top), low.min(top + rows));
            let right = right.min(wide);
            let mut out = Vec::new();
            if near.is_empty() {
                return out;
            }
            for (py, px) in (y..low).flat_map(|py| (x..right).map(move |px| (py, px))) {
                let over = pixel(&near, &ray, f64::from(px), f64::from(py));
                if over[3] > 0.0 {
                    out.push((((py - top) * wide + px) as usize, over));
                }
            }
            out
        })
        .collect();
    for (i, [r, g, b, a]) in drawn {
        let under = &mut strip.beauty.samples[i * CHANNELS..][..CHANNELS];
        for (v, over) in under.iter_mut().zip([r, g, b]) {
            *v = *v * (1.0 - a) + over;
        }
        if let Some(layer) = alpha.and_then(|l| strip.layers.get_mut(l)) {
            layer[i] = layer[i] * (1.0 - a) + a;
        }
    }
}

type Rays<'a> = dyn Fn(f64, f64) -> Option<dome_optics::Ray> + Sync + 'a;

/// The titles that may be seen in a tile (left, top, right, bottom in pixels), with how far apart points of neighbouring pixels
/// lie on them, in their heights.
fn near_tile<'t>(
    titles: &'t [Title],
    ray: &Rays,
    [left, top, right, bottom]: [f64; 4],
) -> Vec<(&'t Title, f64)> {
    let places = [
        ((left + right) / 2.0, (top + bottom) / 2.0),
        (left, top),
        (right, top),
        (left, bottom),
        (right, bottom),
    ];
    // Corners lie a little within, for beyond the picture there is no ray.
    let [middle, corners @ ..] = places.map(|(x, y)| {
        let in_x = x.clamp(left + 1e-6, right - 1e-6);
        ray(in_x, y.clamp(top + 1e-6, bottom - 1e-6))
    });
    let known: Vec<_> = corners.into_iter().flatten().collect();
    let Some(middle) = middle.or(known.first().copied()) else {
        return Vec::new();
    };
    let across = (right - left).hypot(bottom - top) / 2.0;
    let spread = (known.iter())
        .map(|r| r.direction.angle_between(middle.direction))
        .fold(0.0, f64::max);
    let mut near: Vec<(&Title, f64)> = titles
        .iter()
        .filter_map(|title| {
            let (towards, widest) = title.reach(middle.origin);
            let away = towards.angle_between(middle.direction);
            // Some more, for tiles are not round and rays of a pair start at several places.
            if away > 1.3 * (widest + spread) + 0.02 {
                return None;
            }
            let far = (title.stand.middle - middle.origin).length();
            let pixel = spread / across.max(0.5);
            Some((title, far * pixel / (2.0 * title.stand.up.length())))
        })
        .collect();
    near.sort_by(|a, b| {
        let far = |t: &Title| t.stand.middle.distance_squared(middle.origin);
        far(b.0).total_cmp(&far(a.0))
    });
    near
}

/// The mean of a pixel's points: light and coverage of all titles over each other.
fn pixel(near: &[(&Title, f64)], ray: &Rays, x: f64, y: f64) -> [f32; 4] {
    let mut sum = [0.0f32; 4];
    for i in 0..POINTS * POINTS {
        let at = |i: u32| (f64::from(i) + 0.5) / f64::from(POINTS);
        let Some(ray) = ray(x + at(i % POINTS), y + at(i / POINTS)) else {
            continue;
        };
        let mut over = [0.0f32; 4];
        for (title, apart) in near {
            let seen = title.seen(&ray, apart / f64::from(POINTS));
            (over.iter_mut().zip(seen)).for_each(|(o, s)| *o = *o * (1.0 - seen[3]) + s);
        }
        (sum.iter_mut().zip(over)).for_each(|(s, o)| *s += o);
    }
    sum.map(|s| s / (POINTS * POINTS) as f32)
}
