//! Pictures in memory and in strips: colour, tone and scaling.
//!
//! Samples are scene-linear `f32` RGB with the primaries of sRGB (Rec. 709), row by row from the top.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod anaglyph;
pub mod arrange;
pub mod balls;
pub mod convert;
pub mod denoise;
pub mod diagnosis;
pub mod disparity;
pub mod layers;
pub mod light_maps;
pub mod pages;
pub mod pair;
pub mod pair_check;
pub mod scale;
pub mod seams;
pub mod strip;
pub mod surroundings;
pub mod title;
pub mod tone;
pub mod transfer;

pub use layers::{LayerSpec, LayeredStrip, NoiseSum};
pub use strip::{Picture, Strip, StripError};
pub use tone::{Curve, Tone};
