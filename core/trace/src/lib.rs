//! Scenes, import, materials, lights, acceleration and path tracing.
//!
//! The renderer takes rays from an [`dome_optics::Eye`] and gives strips; it knows nothing of
//! panoramas. A pixel's light depends on its own coordinates and the seed alone, and its number of
//! samples on its own row, so any cutting into strips, any number of threads and any resumed work give
//! the same bits.

// Outside of tests nothing may be unwrapped blindly.
#![cfg_attr(not(test), deny(clippy::unwrap_used))]

pub mod accel;
pub mod bsdf;
mod departure;
mod directional_albedo;
pub mod error;
pub mod forecast;
pub mod import;
mod integrator;
pub mod kept;
mod knowing;
pub mod lamp;
pub mod learned;
pub mod light;
pub mod material;
mod media;
mod meeting;
pub mod meter;
mod microfacet;
pub mod moves;
pub mod passes;
pub mod patch;
mod path;
pub mod photometry;
mod pixel;
pub mod plan;
pub mod portrait;
pub mod preview;
mod pyramid;
pub mod quick;
pub mod render;
pub mod sampler;
pub mod scene;
mod shading;
mod sketch;
pub mod sky;
mod smoothing;
pub mod stand;
mod surface;
pub mod survey;
pub mod texture;

pub use error::TraceError;
pub use forecast::Forecast;
pub use import::{ImportOptions, ImportReport, Imported, Unit, Up, load};
pub use integrator::{LightFinding, MAX_BOUNCES};
pub use learned::Learned;
pub use light::{
    Illumination, IntensityTable, IntensityTables, LightDistribution, LightSetting, LightSettings,
};
pub use material::Material;
pub use meeting::GlassLight;
pub use moves::ObjectMove;
pub use passes::{Pass, PassSet};
pub use photometry::{LightScale, LightStart};
pub use render::{Control, Quality, Render, Stopped};
pub use scene::{Mover, Object, Scene, SceneBuilder};
pub use sky::{Sky, SunSky, Surroundings};
pub use survey::Survey;

/// The engine's version: pictures of two versions may differ, so nothing of theirs is mixed. It follows from the sources.
pub const ENGINE: &str = concat!(env!("CARGO_PKG_VERSION"), " ", env!("DOME_ENGINE"));
