//! Pictures on surfaces: which, how wrapped, how placed, and their value at a point.

use crate::pyramid::{self, Pyramid};
use dome_files::decode::{Raster, Texels};
use dome_imaging::transfer::linear_from_srgb8;
use glam::{Vec2, Vec4};
use std::sync::LazyLock;

/// How a texture goes on beyond its edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default)]
pub enum Wrap {
    /// Starts again.
    #[default]
    Repeat,
    /// Turns back.
    Mirror,
    /// Keeps its last colour.
    Clamp,
}

impl Wrap {
    fn index(self, i: i64, size: i64) -> usize {
        let wrapped = match self {
            Self::Repeat => i.rem_euclid(size),
            Self::Clamp => i.clamp(0, size - 1),
            Self::Mirror => {
                let j = i.rem_euclid(2 * size);
                j.min(2 * size - 1 - j)
            }
        };
        wrapped as usize
    }
}

/// What the numbers of a picture mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Meaning {
    /// Colour with the sRGB curve.
    Colour,
    /// Plain numbers: roughness, normals and the like.
    Data,
}

/// A use of a picture by a material: which, how wrapped, how placed.
#[derive(Clone, Copy, Debug)]
pub struct Texture {
    /// Index into the scene's pictures.
    pub picture: u32,
    /// Going on to the right and downwards.
    pub wrap: (Wrap, Wrap),
    /// Whether texels keep hard edges when seen large.
    pub hard: bool,
    /// Which set of texture coordinates: 0 or 1.
    pub set: u8,
    /// Texture coordinates are multiplied by this matrix's linear part ...
    pub scale_turn: [f32; 4],
    /// ... and moved by this.
    pub offset: [f32; 2],
}

static LINEAR: LazyLock<[f32; 256]> =
    LazyLock::new(|| std::array::from_fn(|i| linear_from_srgb8(i as u8)));

impl Texture {
    /// A picture laid as its coordinates say, repeating.
    pub fn plain(picture: u32) -> Self {
        Self {
            picture,
            wrap: (Wrap::Repeat, Wrap::Repeat),
            hard: false,
            set: 0,
            scale_turn: [1.0, 0.0, 0.0, 1.0],
            offset: [0.0, 0.0],
        }
    }

    /// Where texture coordinates of the texture's own set lie on its picture, and how they are stretched by that.
    pub(crate) fn placed(&self, uv: Vec2) -> Vec2 {
        let [a, b, c, d] = self.scale_turn;
        Vec2::new(a * uv.x + b * uv.y, c * uv.x + d * uv.y) + Vec2::from(self.offset)
    }

    /// How many times larger than in its coordinates an area is on the picture.
    pub(crate) fn stretch(&self) -> f32 {
        let [a, b, c, d] = self.scale_turn;
        (a * d - b * c).abs()
    }

    /// Value at texture coordinates of the texture's own set: bilinear in the picture while its texels are larger than what is
    /// looked at, else between the two levels whose texels are about as large; `level` is the logarithm to base 2 of that size
    /// in texels.
    pub(crate) fn sample(
        &self,
        pictures: &[Pyramid],
        uv: Vec2,
        level: f32,
        meaning: Meaning,
    ) -> Vec4 {
        let levels = &pictures[self.picture as usize].levels;
        let uv = self.placed(uv);
        let last = levels.len() - 1;
        // Not a number is no size.
        if level.is_nan() || level <= 0.0 || last == 0 {
            return self.in_level(&levels[0], uv, self.hard, meaning);
        }
        let lower = (level as usize).min(last);
        let near = self.in_level(&levels[lower], uv, false, meaning);
        if lower == last {
            return near;
        }
        near.lerp(
            self.in_level(&levels[lower + 1], uv, false, meaning),
            level - lower as f32,
        )
    }

    fn in_level(&self, picture: &Raster, uv: Vec2, hard: bool, meaning: Meaning) -> Vec4 {
        let (w, h) = (i64::from(picture.width), i64::from(picture.height));
        let texel = |x: i64, y: i64| {
            let column = self.wrap.0.index(x, w);
            let row = self.wrap.1.index(y, h);
            let at = row * w as usize + column;
            let Texels::Byte(bytes) = &picture.texels else {
                return pyramid::texel(picture, at, meaning == Meaning::Colour);
            };
            let p = &bytes[at * 4..at * 4 + 4];
            let value = |v: u8| match meaning {
                Meaning::Colour => LINEAR[v as usize],
                Meaning::Data => f32::from(v) / 255.0,
            };
            Vec4::new(
                value(p[0]),
                value(p[1]),
                value(p[2]),
                f32::from(p[3]) / 255.0,
            )
        };
        if hard {
            return texel(
                (uv.x * w as f32).floor() as i64,
                (uv.y * h as f32).floor() as i64,
            );
        }
        let x = uv.x * w as f32 - 0.5;
        let y = uv.y * h as f32 - 0.5;
        let (fx, fy) = (x - x.floor(), y - y.floor());
        let (x, y) = (x.floor() as i64, y.floor() as i64);
        let top = texel(x, y).lerp(texel(x + 1, y), fx);
        let bottom = texel(x, y + 1).lerp(texel(x + 1, y + 1), fx);
        top.lerp(bottom, fy)
    }
}
