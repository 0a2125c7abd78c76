//! Pictures of textures in ever smaller sizes, so that what lies far away shows its mean and does not flicker.

use crate::material::Material;
use dome_files::decode::{Raster, Texels};
use dome_imaging::transfer::{linear_from_srgb, srgb_from_linear};
use glam::Vec4;
use rayon::prelude::*;

/// A texture's picture: itself, then each level half as wide and high, down to one pixel. Where memory does not reach for the
/// smaller ones, there is the picture alone.
#[derive(Clone, Debug)]
pub struct Pyramid {
    /// The levels, the largest first; there is one at least.
    pub levels: Vec<Raster>,
}

impl Pyramid {
    /// The levels of a picture; `colour` says whether its 8 and 16 bits are sRGB.
    pub(crate) fn new(picture: Raster, colour: bool) -> Self {
        let mut levels = vec![picture];
        loop {
            let last = &levels[levels.len() - 1];
            if last.width.max(last.height) <= 1 {
                break;
            }
            let Ok(next) = halved(last, colour) else {
                levels.truncate(1);
                break;
            };
            levels.push(next);
        }
        Self { levels }
    }

    /// The picture itself.
    pub fn picture(&self) -> &Raster {
        &self.levels[0]
    }
}

/// A texel in linear light or as data.
pub(crate) fn texel(picture: &Raster, at: usize, colour: bool) -> Vec4 {
    let curve = |v: f32| if colour { linear_from_srgb(v) } else { v };
    match &picture.texels {
        Texels::Byte(v) => {
            let p = &v[at * 4..at * 4 + 4];
            let part = |v: u8| f32::from(v) / 255.0;
            Vec4::new(
                curve(part(p[0])),
                curve(part(p[1])),
                curve(part(p[2])),
                part(p[3]),
            )
        }
        Texels::Word(v) => {
            let p = &v[at * 4..at * 4 + 4];
            let part = |v: u16| f32::from(v) / 65535.0;
            Vec4::new(
                curve(part(p[0])),
                curve(part(p[1])),
                curve(part(p[2])),
                part(p[3]),
            )
        }
        Texels::Float(v) => Vec4::from_slice(&v[at * 4..at * 4 + 4]),
    }
}

/// A level of half the width and height: each texel the mean of those that it covers, in linear light. What a veil does not show
/// has no say in its colour.
fn halved(from: &Raster, colour: bool) -> dome_files::error::Result<Raster> {
    let (w, h) = (from.width as usize, from.height as usize);
    let (width, height) = (w.div_ceil(2), h.div_ceil(2));
    let row = |y: usize| {
        (0..width).map(move |x| {
            let (mut shown, mut all, mut alpha, mut n) = (Vec4::ZERO, Vec4::ZERO, 0.0f32, 0.0f32);
            for (column, line) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                let (column, line) = (2 * x + column, 2 * y + line);
                if column < w && line < h {
                    let p = texel(from, line * w + column, colour);
                    shown += p * p.w;
                    all += p;
                    alpha += p.w;
                    n += 1.0;
                }
            }
            let mean = if alpha > 0.0 { shown / alpha } else { all / n };
            Vec4::new(mean.x, mean.y, mean.z, alpha / n)
        })
    };
    let values: Vec<Vec4> = (0..height).into_par_iter().flat_map_iter(row).collect();
    let curve = |v: f32| if colour { srgb_from_linear(v) } else { v };
    let encoded = || {
        values
            .iter()
            .flat_map(|v| [curve(v.x), curve(v.y), curve(v.z), v.w])
    };
    let texels = match &from.texels {
        Texels::Byte(_) => Texels::Byte(encoded().map(|v| (v * 255.0 + 0.5) as u8).collect()),
        Texels::Word(_) => Texels::Word(encoded().map(|v| (v * 65535.0 + 0.5) as u16).collect()),
        Texels::Float(_) => Texels::Float(values.iter().flat_map(|v| v.to_array()).collect()),
    };
    Raster::new(
        width as u32,
        height as u32,
        texels,
        "the smaller sizes of a texture",
    )
}

/// The pictures in all their sizes. One that any material uses as a colour is halved as one.
pub(crate) fn pyramids(pictures: Vec<Raster>, materials: &[Material]) -> Vec<Pyramid> {
    let mut colour = vec![false; pictures.len()];
    for m in materials {
        let sheen = m.sheen.as_ref().and_then(|s| s.colour_texture);
        for t in [
            m.base_texture,
            m.emission_texture,
            m.specular_colour_texture,
            sheen,
        ] {
            if let Some(use_of) = t.and_then(|t| colour.get_mut(t.picture as usize)) {
                *use_of = true;
            }
        }
    }
    (pictures.into_par_iter().zip(colour))
        .map(|(picture, colour)| Pyramid::new(picture, colour))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn raster(width: u32, height: u32, texels: Texels) -> Raster {
        Raster::new(width, height, texels, "test").unwrap()
    }

    /// Black and white make half the light, 188 in sRGB (IEC 61966-2-1), as colour, and half the number as data; 16 bits and
    /// floats keep what 8 bits would lose.
    #[test]
    fn levels_are_means_of_light() {
        let board: Vec<u8> = (0..64)
            .flat_map(|i| [[0, 0, 0, 255], [255; 4]][(i + i / 8) % 2])
            .collect();
        let levels =
            |colour| Pyramid::new(raster(8, 8, Texels::Byte(board.clone())), colour).levels;
        assert_eq!(levels(true).len(), 4);
        assert_eq!(
            levels(true)[3].texels,
            Texels::Byte(vec![188, 188, 188, 255])
        );
        assert_eq!(
            levels(false)[1].texels,
            Texels::Byte([128, 128, 128, 255].repeat(16))
        );
        let fine: Vec<u16> = (0..4).flat_map(|i| [1000 + i, 0, 0, 65535]).collect();
        let fine = Pyramid::new(raster(2, 2, Texels::Word(fine)), false);
        assert_eq!(fine.levels[1].texels, Texels::Word(vec![1002, 0, 0, 65535]));
        let bright = Pyramid::new(
            raster(
                3,
                1,
                Texels::Float(vec![
                    9.0, 0.0, 0.0, 1.0, 3.0, 0.0, 0.0, 1.0, 8.0, 0.0, 0.0, 1.0,
                ]),
            ),
            true,
        );
        let sizes: Vec<_> = bright.levels.iter().map(|l| (l.width, l.height)).collect();
        assert_eq!(sizes, [(3, 1), (2, 1), (1, 1)]);
        assert_eq!(texel(&bright.levels[1], 0, true).x, 6.0);
        assert_eq!(texel(&bright.levels[1], 1, true).x, 8.0);
    }

    /// What is not shown does not bleed into the colour of a veil's edge.
    #[test]
    fn holes_have_no_colour() {
        let texels = Texels::Byte(vec![0, 255, 0, 0, 200, 10, 10, 255]);
        let small = Pyramid::new(raster(2, 1, texels), false);
        assert_eq!(small.levels[1].texels, Texels::Byte(vec![200, 10, 10, 128]));
    }
}
