//! Scenes, import, materials, lights, acceleration and path tracing.
//!
//! The renderer takes rays from an [`dome_optics::Eye`] and gives strips; it knows nothing of
//! panoramas. A pixel's light depends on its own coordinates and the seed alone, so any cutting into
//! strips, any number of threads and any resumed work give the same bits.

pub mod accel;
pub mod bsdf;
mod directional_albedo;
pub mod error;
pub mod import;
mod integrator;
pub mod lights;
pub mod plan;
pub mod preview;
pub mod render;
pub mod sampler;
pub mod scene;
pub mod sky;
pub mod stand;

pub use error::TraceError;
pub use import::{ImportReport, Imported, load};
pub use integrator::MAX_BOUNCES;
pub use render::{Control, Render, Stopped};
pub use scene::{Material, Object, Scene, SceneBuilder, Texture, Wrap};
pub use sky::Sky;
