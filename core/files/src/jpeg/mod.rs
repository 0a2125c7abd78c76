//! JPEG: writing pixels, and reading and writing metadata without touching them.

mod encode;
mod parts;

pub use encode::{Encoder, MAX_SIDE, encode_small};
pub use parts::{JpegParts, metadata_segments};
