//! Surroundings in the shapes that artists bring them in, made into equirectangular pictures.
//!
//! The middle of the result is straight ahead of the shape: the middle of a latitude-longitude picture or
//! of an angular map, the front face of a cube.

use crate::convert::{Conversion, Kernel, Pixel, SourceBuilder};
use crate::strip::{CHANNELS, Picture};
use dome_optics::projection::CubeLayout;
use dome_optics::{Orientation, Shape};

/// Widest picture that is made of another shape, pixels.
const WIDEST: u32 = 16_384;

/// The shape of surroundings that a picture's size tells. Strips of faces have the order that programs use
/// between themselves, +X -X +Y -Y +Z -Z (OpenGL 4.6, table 8.19), not ours.
pub fn shape_of_size(width: u32, height: u32) -> Option<Shape> {
    match Shape::of_size(width, height)? {
        Shape::Cube(c) if c.columns == 6 || c.rows == 6 => {
            Some(Shape::Cube(CubeLayout::opengl(c.columns, c.rows)))
        }
        // No program exchanges surroundings as a grid of 3 x 2.
        Shape::Cube(c) if (c.columns, c.rows) == (3, 2) => None,
        other => Some(other),
    }
}

/// What artists call such a shape.
pub fn name(shape: Shape) -> &'static str {
    match shape {
        Shape::Equirect => "latitude-longitude",
        Shape::AngularMap => "angular map",
        Shape::Cube(c) if c == CubeLayout::openexr() => "OpenEXR cube",
        Shape::Cube(c) if c.columns == 6 || c.rows == 6 => "cube strip",
        _ => "cube cross",
    }
}

/// The surroundings as an equirectangular picture. One that is already is given back as it is.
pub fn to_equirect(picture: Picture, shape: Shape) -> Picture {
    if shape == Shape::Equirect {
        return picture;
    }
    let mut builder = SourceBuilder::new(shape, picture.width, picture.height);
    let mut line = vec![Pixel::ONE; picture.width as usize];
    for row in picture
        .samples
        .chunks_exact(picture.width as usize * CHANNELS)
    {
        for (pixel, rgb) in line.iter_mut().zip(row.chunks_exact(CHANNELS)) {
            *pixel = Pixel::new(rgb[0], rgb[1], rgb[2], 1.0);
        }
        builder.row(&line);
    }
    let width = Shape::Equirect
        .width_for(shape.sphere_width(picture.width))
        .min(WIDEST)
        & !1;
    drop(picture);
    let source = builder.finish();
    let size = (width, width / 2);
    let level = Orientation::default();
    // Straight lines never overshoot: a sun beside the sky must not make its neighbours black.
    let rows =
        Conversion::new(&source, Shape::Equirect, size, level, Kernel::Bilinear).rows(0, size.1);
    Picture {
        width: size.0,
        height: size.1,
        samples: rows.iter().flat_map(|p| [p.x, p.y, p.z]).collect(),
    }
}
