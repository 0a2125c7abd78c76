//! PNG: writing pixels, and reading and writing metadata without touching them.

mod encode;
mod parts;

pub use encode::{Kind, RowSink, encode, encode_grey, encode_rgba};
pub use parts::PngParts;
