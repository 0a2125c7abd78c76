//! Projections: picture point to direction and back. One projection, one file; [`Shape`] is the list of all.

mod cube;
mod cylinder;
mod equirect;
mod octahedral;
mod perspective;
mod radial;
mod shape;
mod shape_name;

pub use cube::{Cell, CubeLayout, Face, OrderError};
pub use cylinder::Cylinder;
pub use equirect::{Equirect, EquirectPart};
use glam::DVec3;
pub use octahedral::Octahedral;
pub use perspective::Perspective;
pub use radial::{Disc, FisheyeKind, MirrorBall};
pub use shape::{Chart, FlatCells, Shape, ShapeError};
pub use shape_name::{SHAPES, ShapeHelp};

/// A point of the picture: `u` to the right and `v` downwards, both 0 to 1 over its edges.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PicturePoint {
    /// 0 at the left edge, 1 at the right edge.
    pub u: f64,
    /// 0 at the top edge, 1 at the bottom edge.
    pub v: f64,
}

impl PicturePoint {
    /// The centre of pixel (`column`, `row`) in a picture of `width` x `height` pixels.
    pub fn pixel_centre(column: u32, row: u32, width: u32, height: u32) -> Self {
        Self::in_pixel(column, row, (0.5, 0.5), width, height)
    }

    /// The point at `offset` (0 to 1 over both sides) within a pixel.
    pub fn in_pixel(column: u32, row: u32, offset: (f64, f64), width: u32, height: u32) -> Self {
        Self {
            u: (f64::from(column) + offset.0) / f64::from(width),
            v: (f64::from(row) + offset.1) / f64::from(height),
        }
    }

    /// Where the point lies in pixels, (0, 0) being the picture's top left corner.
    pub fn to_pixels(self, width: u32, height: u32) -> (f64, f64) {
        (self.u * f64::from(width), self.v * f64::from(height))
    }

    /// Whether the point lies on the picture, its edges included.
    pub fn is_inside(self) -> bool {
        (0.0..=1.0).contains(&self.u) && (0.0..=1.0).contains(&self.v)
    }
}

/// A way to lay directions into a picture. Renderer, converter, files and preview all ask this and nothing
/// else.
pub trait Projection: Send + Sync {
    /// The unit direction seen at a picture point, relative to the viewer, or `None` outside the
    /// picture's outline.
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3>;

    /// Where a direction (of any length) lies, or `None` if it is out of view.
    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint>;

    /// Width divided by height.
    fn ratio(&self) -> f64;

    /// The solid angle in steradians that one pixel covers; of a pixel that the outline cuts, the part
    /// inside.
    ///
    /// Unless a projection knows better it is that of the spherical quadrilateral between the directions of
    /// the pixel's corners, which is exact where straight lines of the picture are great circles.
    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64 {
        let corner =
            |x, y| self.to_direction(PicturePoint::in_pixel(column, row, (x, y), width, height));
        let corners = (
            corner(0.0, 0.0),
            corner(1.0, 0.0),
            corner(1.0, 1.0),
            corner(0.0, 1.0),
        );
        match corners {
            (Some(a), Some(b), Some(c), Some(d)) => {
                triangle_solid_angle(a, b, c) + triangle_solid_angle(a, c, d)
            }
            _ => 0.0,
        }
    }
}

/// Solid angle of the spherical triangle between three unit directions, steradians (Van Oosterom,
/// Strackee, IEEE Trans. Biomed. Eng. 30(2), 1983).
pub fn triangle_solid_angle(a: DVec3, b: DVec3, c: DVec3) -> f64 {
    // The determinant from differences: that of nearly equal directions would lose its digits.
    let volume = a.dot((b - a).cross(c - a)).abs();
    2.0 * volume.atan2(1.0 + a.dot(b) + b.dot(c) + c.dot(a))
}
