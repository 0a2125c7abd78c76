//! Conversion between shapes of pictures, strip by strip.
//!
//! Every pixel of the result asks where its direction lies in the source. Where the source is magnified a
//! kernel interpolates; where it is made smaller the mean over the footprint of the pixel is taken, from as
//! many points as it covers pixels. Colour is linear light, multiplied by alpha.

mod band;
mod cap_pixels;
mod caps;
mod directions;
mod frame;
mod kernel;
mod piece;
mod place;
mod sample;
mod source;
mod sphere;
mod texel;
mod window;

use band::Band;
use directions::Flat;
use dome_optics::{Orientation, Shape};
use glam::DMat3;
pub use kernel::Kernel;
use piece::Place;
use place::Mapping;
use rayon::prelude::*;
use sample::sample;
pub use source::{Source, SourceBuilder};
pub use texel::Row;
use texel::with_texels;
pub use window::{Block, Window};

/// Red, green, blue in linear light, multiplied by alpha; alpha.
pub type Pixel = glam::Vec4;

/// Pixels of the result that share one decision about their footprint.
pub const TILE: usize = 128;
/// Rows of a tile.
pub const TILE_ROWS: u32 = 16;

/// What lies where: the geometry of a conversion.
#[derive(Clone, Debug)]
pub struct Layout {
    from: Shape,
    from_size: (u32, u32),
    to: Shape,
    size: (u32, u32),
    turn: DMat3,
    flat: Option<Flat>,
}

impl Layout {
    /// From a picture to another of the given shape and size, which looks in the source's sphere where `turn`
    /// says.
    pub fn new(
        from: Shape,
        from_size: (u32, u32),
        to: Shape,
        size: (u32, u32),
        turn: Orientation,
    ) -> Self {
        let (to, turn) = (to.fitted(size.0, size.1), turn.matrix());
        Self {
            from: from.fitted(from_size.0, from_size.1),
            from_size,
            to,
            size,
            turn,
            flat: Flat::of(to, size, turn),
        }
    }
}

/// A conversion of one picture into another.
pub struct Conversion<'a> {
    source: &'a Source,
    layout: Layout,
    kernel: Kernel,
}

impl<'a> Conversion<'a> {
    /// To a picture of the given shape and size, which looks in the source's sphere where `turn` says.
    pub fn new(
        source: &'a Source,
        shape: Shape,
        size: (u32, u32),
        turn: Orientation,
        kernel: Kernel,
    ) -> Self {
        let layout = Layout::new(source.shape(), source.size(), shape, size, turn);
        Self::of(source, layout, kernel)
    }

    /// The same by a layout that was made for the source's shape and size.
    pub fn of(source: &'a Source, layout: Layout, kernel: Kernel) -> Self {
        Self {
            source,
            layout,
            kernel,
        }
    }

    /// Rows `top .. top + rows` of the result, row by row; transparent where the source or the shape of the
    /// result shows nothing.
    pub fn rows(&self, top: u32, rows: u32) -> Vec<Pixel> {
        self.block(Block {
            left: 0,
            top,
            width: self.layout.size.0,
            height: rows,
        })
    }

    /// A block of the result, row by row. Its values are those of the whole if it begins at a multiple of
    /// [`TILE`] columns and [`TILE_ROWS`] rows.
    pub fn block(&self, block: Block) -> Vec<Pixel> {
        let width = block.width as usize;
        let mut out = vec![Pixel::ZERO; width * block.height as usize];
        let processor = pulp::Arch::new();
        out.par_chunks_mut((width * TILE_ROWS as usize).max(1))
            .enumerate()
            .for_each(|(i, rows)| {
                let top = block.top + i as u32 * TILE_ROWS;
                let frame = &self.source.frame;
                with_texels!(&self.source.texels, pieces => {
                    let band = Band {
                        frame,
                        pieces,
                        layout: &self.layout,
                        kernel: self.kernel,
                    };
                    processor.dispatch(Rows { band, out: rows, width, left: block.left, top });
                });
            });
        out
    }

    /// The same rows without the help of curves and tiles, each point asked exactly and `points` x `points`
    /// of them averaged: slow, the measure for the fast way.
    pub fn reference_rows(&self, top: u32, rows: u32, points: u32) -> Vec<Pixel> {
        let mapping = Mapping {
            frame: &self.source.frame,
            layout: &self.layout,
        };
        let width = self.layout.size.0;
        (0..rows * width)
            .into_par_iter()
            .map(|i| {
                let (x, y) = (i % width, top + i / width);
                let mut sum = Pixel::ZERO;
                for k in 0..points * points {
                    let share = |v: u32| (f64::from(v) + 0.5) / f64::from(points);
                    let place = mapping.at(
                        f64::from(x) + share(k % points),
                        f64::from(y) + share(k / points),
                    );
                    sum += self.source.at(place, self.kernel);
                }
                sum / (points * points) as f32
            })
            .collect()
    }
}

/// Some rows of a block; compiled for the vector instructions of newer processors too, which are taken where there
/// are any.
struct Rows<'a, S: texel::Sample> {
    band: Band<'a, S>,
    out: &'a mut [Pixel],
    width: usize,
    left: u32,
    top: u32,
}

impl<S: texel::Sample> pulp::WithSimd for Rows<'_, S> {
    type Output = ();

    #[inline(always)]
    fn with_simd<V: pulp::Simd>(self, _: V) {
        self.band.make(self.out, self.width, self.left, self.top);
    }
}

impl Source {
    /// The value in a direction by straight lines; nothing where the picture shows nothing.
    pub fn look(&self, direction: glam::DVec3) -> Pixel {
        let place = self.frame.place(direction).unwrap_or(Place::NOWHERE);
        self.at(place, Kernel::Bilinear)
    }

    fn at(&self, place: Place, kernel: Kernel) -> Pixel {
        with_texels!(&self.texels, pieces => sample(&self.frame, pieces, place, kernel))
    }
}
