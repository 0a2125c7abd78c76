//! Picture sizes: of full spheres, whose width is exactly twice the height, and of any shape.

use crate::projection::{Shape, ShapeError};
use thiserror::Error;

/// Widest panorama an order accepts, in pixels.
pub const MAX_WIDTH: u32 = 65_536;
/// Narrowest panorama an order accepts, in pixels.
pub const MIN_WIDTH: u32 = 16;

/// Why a size was refused.
#[derive(Debug, Error, PartialEq)]
pub enum SizeError {
    /// The width cannot be halved.
    #[error(
        "A full sphere is twice as wide as high, so its width must be even: {width} px is odd; take {lower} or {upper} px."
    )]
    Odd {
        /// What was asked.
        width: u32,
        /// The even width below.
        lower: u32,
        /// The even width above.
        upper: u32,
    },
    /// Outside the limits.
    #[error("The width {width} px is outside {MIN_WIDTH} to {MAX_WIDTH} px; choose one inside.")]
    OutOfRange {
        /// What was asked.
        width: u32,
    },
}

/// The pixel size of a full equirectangular sphere; it cannot hold a wrong ratio.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PanoramaSize {
    width: u32,
}

impl PanoramaSize {
    /// The size for a width in pixels; the height follows.
    pub fn from_width(width: u32) -> Result<Self, SizeError> {
        if !(MIN_WIDTH..=MAX_WIDTH).contains(&width) {
            return Err(SizeError::OutOfRange { width });
        }
        if !width.is_multiple_of(2) {
            return Err(SizeError::Odd {
                width,
                lower: width - 1,
                upper: width + 1,
            });
        }
        Ok(Self { width })
    }

    /// Width in pixels.
    pub fn width(self) -> u32 {
        self.width
    }

    /// Height in pixels: half the width.
    pub fn height(self) -> u32 {
        self.width / 2
    }

    /// Number of pixels.
    pub fn pixels(self) -> u64 {
        u64::from(self.width()) * u64::from(self.height())
    }
}

/// The pixel size of a picture of any shape.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PictureSize {
    /// The shape, its ratio fitted to the size if it has a free one.
    pub shape: Shape,
    width: u32,
    height: u32,
}

impl PictureSize {
    /// The size for a width, a height or both; see [`Shape::size`].
    pub fn new(shape: Shape, width: Option<u32>, height: Option<u32>) -> Result<Self, ShapeError> {
        let (width, height) = shape.size(width, height)?;
        Ok(Self {
            shape: shape.fitted(width, height),
            width,
            height,
        })
    }

    /// Width in pixels.
    pub fn width(&self) -> u32 {
        self.width
    }

    /// Height in pixels; of `cube-faces` that of all six stacked.
    pub fn height(&self) -> u32 {
        self.height
    }
}

impl From<PanoramaSize> for PictureSize {
    fn from(size: PanoramaSize) -> Self {
        Self {
            shape: Shape::Equirect,
            width: size.width(),
            height: size.height(),
        }
    }
}
