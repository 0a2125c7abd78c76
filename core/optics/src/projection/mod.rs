//! Projections: picture point to direction and back. One projection, one file.

mod equirect;

pub use equirect::Equirect;
use glam::DVec3;

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
}

/// A way to lay directions into a picture. Renderer, files and preview all ask this and nothing else.
pub trait Projection: Send + Sync {
    /// The unit direction seen at a picture point, relative to the viewer, or `None` outside the
    /// picture's outline.
    fn to_direction(&self, point: PicturePoint) -> Option<DVec3>;

    /// Where a direction (of any length) lies, or `None` if it is out of view.
    fn to_picture(&self, direction: DVec3) -> Option<PicturePoint>;

    /// Width divided by height.
    fn ratio(&self) -> f64;

    /// The solid angle in steradians that one pixel covers.
    fn solid_angle(&self, column: u32, row: u32, width: u32, height: u32) -> f64;
}
