//! The mathematics of the sphere: directions, orientation, projections, eyes and resolution.
//!
//! Pure functions in `f64`; no input or output. One convention everywhere:
//!
//! - right-handed, Y up, metres; -Z is heading 0 (the axes of glTF 2.0);
//! - heading clockwise seen from above (90 degrees = +X), pitch up positive, roll clockwise
//!   positive as the viewer sees it; an orientation is heading, then pitch, then roll;
//! - pixel centres: column `i` of `W` lies at `u = (i + 0.5) / W`, row `j` of `H` at
//!   `v = (j + 0.5) / H`, with `v` downwards;
//! - radians inside; names that end in `_deg` are degrees.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod angle;
pub mod direction;
pub mod eye;
pub mod length;
pub mod neighbourhood;
pub mod orientation;
pub mod path;
pub mod projection;
pub mod resolution;
pub mod rig;
pub mod size;
pub mod sun;

pub use direction::LonLat;
pub use eye::{Eye, LensEye, MonoEye, Ray};
pub use orientation::Orientation;
pub use projection::{Equirect, PicturePoint, Projection, Shape, ShapeError};
pub use size::{PanoramaSize, PictureSize, SizeError};
