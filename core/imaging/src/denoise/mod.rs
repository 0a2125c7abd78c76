//! Taking the noise out of a picture, guided by colour and normals of what is seen first.
//!
//! [`plain`] is always there. [`library`] is better and is used where the open denoising library is found at run time. Both
//! get bands of whole rows from [`stream`], with what lies beyond their edges, so that memory stays bounded and neither bands
//! nor the picture's own ends are seen. What a filter did can be told: [`told`].

pub mod library;
pub mod plain;
pub mod stream;
pub mod told;

pub use stream::{Denoised, denoise};

use crate::layers::LayeredStrip;
use thiserror::Error;

/// The denoising library stopped in the middle of a picture.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
#[error("The denoising library failed.")]
pub struct DenoiseFailed;

/// Where the guides are among the layers of the strips.
#[derive(Clone, Copy, Debug)]
pub struct Guides {
    /// Index of the albedo layer, three channels.
    pub albedo: usize,
    /// Index of the normal layer, three channels.
    pub normal: usize,
    /// Index of the layer with half the difference of two pictures of independent noise, three channels. With it the filter
    /// knows how noisy each place is, and what it left can be told.
    pub halves: Option<usize>,
}

/// A way to take noise out of a band.
pub trait Filter {
    /// Rows that are filtered at a time, for a picture of some width.
    fn band(&self, width: u32) -> u32;
    /// Rows and columns beyond the band that its result depends on.
    fn margin(&self, width: u32) -> u32;
    /// An image of the band's colours without its noise: the band's own, or that with some more; `times` tells how often its variance
    /// is that of the band's own.
    fn filter(&self, band: &Band, image: &[f32], times: f32) -> Result<Vec<f32>, DenoiseFailed>;
}

/// Rows with a margin all round, for a filter to look at; images are of three channels, side by side, row by row.
pub struct Band {
    /// Columns with the margins.
    pub width: usize,
    /// Rows with the margins.
    pub rows: usize,
    /// The picture.
    pub colour: Vec<f32>,
    /// Colour of what is seen first.
    pub albedo: Vec<f32>,
    /// Its normal.
    pub normal: Vec<f32>,
    /// Half the difference of the halves, where it is known.
    pub halves: Option<Vec<f32>>,
}

/// A strip whose noise was taken out.
pub struct Filtered {
    /// The strip as it is now.
    pub strip: LayeredStrip,
    /// Its picture as it was.
    pub before: Vec<f32>,
    /// The picture nearer to either half (how far: [`told`]), filtered alike; where the halves are known.
    pub nudged: Option<[Vec<f32>; 2]>,
}
