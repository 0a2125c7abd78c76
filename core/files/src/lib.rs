//! Picture and metadata formats, in and out. All distrust of outside bytes lives here: whatever a
//! file holds, the answer is its content or one clear sentence.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod archive;
pub mod atomic;
pub mod beside;
pub mod budget;
pub mod colour;
pub mod contain;
pub mod decode;
pub mod error;
pub mod exif;
pub mod exr_picture;
pub mod eyes_in;
pub mod face_frames;
pub mod faces;
pub mod film;
pub mod fingerprint;
pub mod format;
pub mod frame;
pub mod inspect;
pub mod join;
pub mod jpeg;
pub mod ktx2;
pub mod limits;
pub mod linear_picture;
pub mod lm63;
pub mod pano;
pub mod picture_file;
pub mod png;
pub mod radiance;
pub mod rows;
pub mod scratch;
pub mod strip_file;
pub mod tag;
pub mod views;
pub mod words;
pub mod xmp;

pub use error::FileError;
pub use fingerprint::{Description, Fingerprint, Mark};
pub use format::PictureFormat;
pub use pano::PanoProperties;

/// The name that written files give as their software.
pub const SOFTWARE: &str = concat!("Owl Dome ", env!("CARGO_PKG_VERSION"));
