//! What goes over HTTP. The web's types are generated from these.

use dome_trace::Sky;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How [`Sky`], which lives in the core, looks in JSON; only its TypeScript is made from this.
#[derive(TS)]
#[ts(export, rename = "Sky", tag = "kind", rename_all = "kebab-case")]
#[allow(dead_code)]
enum SkyShape {
    Plain { colour: [f32; 3] },
    TwoColour { zenith: [f32; 3], horizon: [f32; 3] },
}

/// Where a viewpoint stands and looks.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Pose {
    /// Eye position, metres.
    pub position: [f64; 3],
    /// Degrees clockwise from -Z.
    pub heading_deg: f64,
    /// Degrees upwards; 0 unless unlocked.
    pub pitch_deg: f64,
    /// Degrees clockwise; 0 unless unlocked.
    pub roll_deg: f64,
}

/// A place to stand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Viewpoint {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Whether pitch and roll may differ from 0.
    pub unlocked: bool,
}

/// A viewpoint as it is sent to be made or changed.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct ViewpointDraft {
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Whether pitch and roll may differ from 0.
    pub unlocked: bool,
}

/// One object of a scene.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct ObjectInfo {
    /// Name.
    pub name: String,
    /// Number of triangles.
    pub triangles: u32,
    /// Name of its (first) material.
    pub material: String,
    /// Size along x, y and z, metres.
    pub size: [f64; 3],
    /// Whether it gives light.
    pub light: bool,
}

/// Something an import left out, and why.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct LeftOutInfo {
    /// What, with its number.
    pub what: String,
    /// Why.
    pub why: String,
}

/// What came in with a scene.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct SceneSummary {
    /// Name of the file that was brought.
    pub file: String,
    /// Format.
    pub format: String,
    /// Number of triangles.
    pub triangles: u64,
    /// Number of materials in use or not.
    pub materials: u32,
    /// Number of textures' pictures.
    pub textures: u32,
    /// The objects.
    pub objects: Vec<ObjectInfo>,
    /// Lowest corner, metres.
    pub min: [f64; 3],
    /// Highest corner, metres.
    pub max: [f64; 3],
    /// What was left out.
    pub left_out: Vec<LeftOutInfo>,
    /// Odd things.
    pub notices: Vec<String>,
}

/// A project on its card.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ProjectCard {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// When it was made, Unix seconds.
    pub created: i64,
    /// Number of viewpoints.
    pub viewpoints: u32,
    /// Number of finished pictures.
    pub masters: u32,
    /// Whether the card's picture is there yet.
    pub has_picture: bool,
}

/// A whole project.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Project {
    /// Number.
    pub id: i64,
    /// Name.
    pub name: String,
    /// What came in.
    pub scene: SceneSummary,
    /// What surrounds it.
    #[ts(as = "SkyShape")]
    pub sky: Sky,
    /// The places to stand.
    pub viewpoints: Vec<Viewpoint>,
    /// What was ordered, newest first.
    pub orders: Vec<Order>,
    /// What was handed over, newest first.
    pub packages: Vec<Package>,
}

/// A change of a project; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct ProjectChange {
    /// New name.
    pub name: Option<String>,
    /// New surroundings.
    #[ts(as = "Option<SkyShape>")]
    pub sky: Option<Sky>,
}

/// Where an order is on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "lowercase")]
pub enum OrderState {
    /// Waiting for its turn.
    Queued,
    /// Being rendered.
    Running,
    /// Stopped by hand; finished strips are kept.
    Stopped,
    /// The master is there.
    Done,
    /// It could not be finished; the order says why.
    Failed,
}

/// What to render.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct OrderSpec {
    /// Name of the viewpoint when it was ordered.
    pub viewpoint: String,
    /// Where it stood then.
    pub pose: Pose,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels: half the width.
    pub height: u32,
    /// Samples per pixel.
    pub samples: u32,
    /// Seed of the noise.
    pub seed: u32,
    /// The surroundings when it was ordered.
    #[ts(as = "SkyShape")]
    pub sky: Sky,
}

/// An order and how far it is.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Order {
    /// Number.
    pub id: i64,
    /// Project it belongs to.
    pub project: i64,
    /// What to render.
    pub spec: OrderSpec,
    /// Where it is.
    pub state: OrderState,
    /// Share of the work that is done, 0 to 1; 1 only when the master is there.
    pub progress: f64,
    /// Rows that are finished strips, as (first row, number of rows).
    pub strips: Vec<(u32, u32)>,
    /// Remaining time, seconds, once it can be told.
    pub remaining_s: Option<f64>,
    /// Time spent on rendering, seconds.
    pub spent_s: f64,
    /// Size of the master on disk, bytes.
    pub master_bytes: Option<u64>,
    /// Why it failed.
    pub problem: Option<String>,
}

/// What is asked of the renderer.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct OrderRequest {
    /// Number of the viewpoint.
    pub viewpoint: i64,
    /// Width in pixels.
    pub width: u32,
    /// Samples per pixel.
    pub samples: u32,
    /// Seed; 0 if absent.
    pub seed: Option<u32>,
}

/// What an order will take.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Estimate {
    /// Height in pixels.
    pub height: u32,
    /// Largest size the master can have, bytes.
    pub master_bytes: u64,
    /// Space needed while rendering, bytes, the master included.
    pub working_bytes: u64,
    /// Free space, bytes.
    pub free_bytes: Option<u64>,
    /// Pixels per degree along the horizon.
    pub pixels_per_degree: f64,
}

/// What a package is made from.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct PackageRequest {
    /// Heading of the opening view, degrees.
    pub opening_heading_deg: f64,
    /// Pitch of the opening view, degrees.
    pub opening_pitch_deg: f64,
    /// Horizontal field of view at opening, degrees.
    pub opening_hfov_deg: f64,
    /// Exposure, stops.
    pub exposure_stops: f32,
    /// Whether bright light rolls off softly instead of being cut off.
    pub soft: bool,
    /// JPEG quality, 1 to 100.
    pub quality: u8,
}

/// A property asked for and found in the file.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct CheckInfo {
    /// Which property.
    pub what: String,
    /// What was asked.
    pub asked: String,
    /// What the file says.
    pub found: String,
    /// Whether they agree.
    pub fine: bool,
}

/// A file that was handed over.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Package {
    /// Number.
    pub id: i64,
    /// The order whose master it was made from.
    pub order: i64,
    /// Name of the file.
    pub file: String,
    /// Its size, bytes.
    pub bytes: u64,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Heading of the picture's middle, degrees.
    pub pose_heading_deg: f64,
    /// What was asked.
    pub request: PackageRequest,
    /// What the file says, read back from disk.
    pub checks: Vec<CheckInfo>,
    /// Why a viewer will take it as a sphere, or not.
    pub reason: String,
}

/// The plan of a scene.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Plan {
    /// Height of the cut, metres.
    pub y: f64,
    /// Lines of the cut: x and z of both ends, metres, four numbers a line.
    pub lines: Vec<f32>,
}

/// The floor beneath a point.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct FloorInfo {
    /// Height of the floor, metres, or null over the void.
    pub floor_y: Option<f64>,
    /// Name of the object that is the floor.
    pub object: Option<String>,
}

/// What a live picture shows.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct PreviewRequest {
    /// Where the eye is.
    pub pose: Pose,
    /// Width in pixels.
    pub width: u32,
}

/// Something changed on the server.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Event {
    /// An order moved on.
    Order {
        /// The order.
        order: Box<Order>,
    },
    /// A project changed otherwise, e.g. its card got a picture.
    Project {
        /// Its number.
        project: i64,
    },
}

/// What goes wrong, as one shape.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ApiError {
    /// One sentence: what, where, what to do.
    pub error: String,
}
