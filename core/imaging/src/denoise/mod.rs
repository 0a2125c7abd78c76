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
