//! Taking the noise out of a panorama, guided by colour and normals of what is seen first.
//!
//! [`plain`] is always there. [`library`] is better and is used where the open denoising library is found
//! at run time. Both wrap at the left and right edge and go on over the poles.

pub mod library;
pub mod plain;

pub use plain::{Denoised, denoise};

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
}

/// The row of a picture of `height` rows that row `y` is, and whether it is turned by half a width: beyond
/// a pole the sphere goes on with the row on the other side.
fn over_the_pole(y: i64, height: u32) -> (u32, bool) {
    let height = i64::from(height);
    let (row, turned) = if y < 0 {
        (-1 - y, true)
    } else if y >= height {
        (2 * height - 1 - y, true)
    } else {
        (y, false)
    };
    (row.clamp(0, height - 1) as u32, turned)
}
