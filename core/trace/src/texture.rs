//! Pictures on surfaces: which, how wrapped, how placed, and their value at a point.

use dome_files::decode::Rgba8;
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

    /// Bilinear value at texture coordinates of the texture's own set.
    pub(crate) fn sample(&self, pictures: &[Rgba8], uv: Vec2, meaning: Meaning) -> Vec4 {
        let picture = &pictures[self.picture as usize];
        let [a, b, c, d] = self.scale_turn;
        let uv = Vec2::new(a * uv.x + b * uv.y, c * uv.x + d * uv.y) + Vec2::from(self.offset);
        let (w, h) = (i64::from(picture.width), i64::from(picture.height));
        let texel = |x: i64, y: i64| {
            let column = self.wrap.0.index(x, w);
            let row = self.wrap.1.index(y, h);
            let at = (row * w as usize + column) * 4;
            let p = &picture.bytes[at..at + 4];
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
        if self.hard {
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
