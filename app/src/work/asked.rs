//! What work is asked to do, where that takes more than a number or a name.

use crate::model::orders::{FrameRequest, Lens, PassShape};
use crate::model::paths::ViewpointPath;
use crate::model::places::{Pose, Ride};
use crate::model::rigs::Rig;
use dome_trace::Pass;
use serde::Deserialize;
use ts_rs::TS;

/// A change of a job's turn; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct JobChange {
    /// Whether it is on hold.
    pub held: Option<bool>,
    /// The job that it comes right before; 0 is the end of the queue.
    pub before: Option<i64>,
    /// When it may begin, Unix seconds; 0 is at once.
    pub not_before: Option<i64>,
    /// Of an order that is neither running nor done: whether it is made on this machine, and not by the farm.
    pub here: Option<bool>,
}

/// A change of all orders that wait or are on hold.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct JobsChange {
    /// Whether they are put on hold, or let go.
    pub held: bool,
    /// Only those of a project.
    pub project: Option<i64>,
    /// When they may begin, Unix seconds; 0 is at once; as it was if absent.
    pub not_before: Option<i64>,
}

/// What is asked of the renderer.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct OrderRequest {
    /// Number of the viewpoint.
    pub viewpoint: i64,
    /// Shape by its name on the command line; the full sphere if absent.
    pub shape: Option<String>,
    /// Width in pixels.
    pub width: u32,
    /// Samples per pixel; with a noise target the most a pixel may take.
    pub samples: u32,
    /// Noise at which a pixel is finished, percent of the displayed value.
    pub noise_percent: Option<f32>,
    /// Seed; 0 if absent.
    pub seed: Option<u32>,
    /// Number of the light setup; the one in use if absent.
    pub setup: Option<u32>,
    /// Whether it is a draft.
    pub draft: Option<bool>,
    /// One eye alone, though the viewpoint has two.
    pub mono: Option<bool>,
    /// What is made beside the picture.
    #[ts(as = "Option<Vec<PassShape>>")]
    pub passes: Option<Vec<Pass>>,
    /// One grey over everything but glass.
    pub clay: Option<bool>,
    /// A lens that is not sharp everywhere.
    pub lens: Option<Lens>,
    /// Whether noise is taken out of the finished picture.
    pub denoise: Option<bool>,
    /// Brightest light that one sample may add.
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres; 1 if absent.
    pub occlusion_m: Option<f32>,
    /// The frames of a sequence; one picture if absent.
    pub frames: Option<FrameRequest>,
    /// Of one picture: its name in the folder for outputs by pattern and without ending, if it goes there too.
    pub out: Option<String>,
    /// It is put aside until it is let go.
    pub held: Option<bool>,
    /// It is made on this machine, though there is a farm.
    pub here: Option<bool>,
    /// The order that goes once this one is placed: its names may be taken.
    pub instead_of: Option<i64>,
}

/// Orders of several viewpoints, shapes and light setups in one go: each with each.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct OrdersRequest {
    /// What they have in common. Its own viewpoint and setup do not count; other shapes get the width that shows as much as its own
    /// shape in its own width.
    pub order: OrderRequest,
    /// Numbers of the viewpoints.
    pub viewpoints: Vec<i64>,
    /// Shapes by their names on the command line.
    pub shapes: Vec<String>,
    /// Numbers of the light setups.
    pub setups: Vec<u32>,
}

/// What a live picture shows.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct PreviewRequest {
    /// Where the eye is.
    pub pose: Pose,
    /// Width in pixels.
    pub width: u32,
    /// One grey over everything but glass.
    pub clay: Option<bool>,
    /// Without the scene's light, many times a second: for while the viewpoint moves.
    pub quick: Option<bool>,
    /// Number of the light setup; the one in use if absent.
    pub setup: Option<u32>,
    /// The moment of the scene's motion, seconds; the project's if absent.
    pub moment_s: Option<f64>,
    /// The pair of eyes; one eye if absent. A flat pair is seen through its frame.
    pub rig: Option<Rig>,
    /// What is shown of the pair; the left eye if absent.
    pub show: Option<PairShown>,
}

/// A path that is asked about.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct PathRequest {
    /// The path.
    pub path: ViewpointPath,
    /// The viewpoint's pose: its heading counts where no key says one.
    pub pose: Pose,
    /// Its eyes; one if absent. Their distance counts where no key says one.
    #[serde(default)]
    #[ts(optional)]
    pub rig: Option<Rig>,
}

/// The way of something that moves in the scene.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct NodePathRequest {
    /// Number of its node.
    pub node: u32,
    /// From it to the eye in its own frame, metres: to its right, upwards, backwards.
    pub offset: [f64; 3],
    /// Whether its turning is taken too.
    pub turn_along: bool,
}

/// How deep it is over time.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct DepthFramesRequest {
    /// Where the viewpoint is where nothing moves it.
    pub pose: Pose,
    /// Its pair of eyes; what keys of the path say goes before.
    pub rig: Rig,
    /// Its way, if it has one.
    #[serde(default)]
    pub path: Option<ViewpointPath>,
    /// What it rides on, if it does.
    #[serde(default)]
    pub ride: Option<Ride>,
    /// The first frame.
    pub first: u32,
    /// The last one.
    pub last: u32,
    /// Every so many of them.
    pub step: u32,
    /// Frames a second: 30, 23.976, 30000/1001 ...
    pub rate: String,
}

/// What was seen in a frame.
#[derive(Clone, Copy, Debug, Deserialize, TS)]
#[ts(export)]
pub struct SeenSpan {
    /// Its moment, seconds.
    pub time_s: f64,
    /// The nearest that counts, metres; nothing where nothing is.
    pub nearest_m: Option<f64>,
    /// The farthest that counts, metres; nothing where it is open.
    pub farthest_m: Option<f64>,
}

/// Eyes that fit everything that is seen on a way.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct FitOverTimeRequest {
    /// The way.
    pub path: ViewpointPath,
    /// The pair of eyes.
    pub rig: Rig,
    /// What was seen, at rising moments.
    pub seen: Vec<SeenSpan>,
}

/// How deep it is somewhere.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct DepthRequest {
    /// Where the viewpoint is.
    pub pose: Pose,
    /// Its pair of eyes.
    pub rig: Rig,
    /// Of a flat pair: distances that shall just fill the budget, nearest and farthest, metres; the answer tells the pair.
    #[serde(default)]
    #[ts(optional)]
    pub planes_m: Option<[f64; 2]>,
    /// A place of the picture whose depth is asked for, 0 to 1 to the right and down.
    #[serde(default)]
    #[ts(optional)]
    pub pick: Option<[f64; 2]>,
    /// Of a flat pair: a focal length whose field of view is asked for, millimetres.
    #[serde(default)]
    #[ts(optional)]
    pub focal_mm: Option<f64>,
}

/// What is shown of two eyes on one screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "kebab-case")]
pub enum PairShown {
    /// The left eye.
    Left,
    /// The right eye.
    Right,
    /// An anaglyph in grey.
    Grey,
    /// An anaglyph with the right eye's colours.
    HalfColour,
    /// An anaglyph with both eyes' colours.
    FullColour,
    /// The anaglyph with the nearest colours.
    LeastSquares,
    /// Where the eyes differ.
    Difference,
}

/// A surface to be square to.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct SquareRequest {
    /// Where the eye is.
    pub pose: Pose,
    /// Heading at which the surface was picked, degrees.
    pub heading_deg: f64,
    /// Pitch of it, degrees.
    pub pitch_deg: f64,
    /// Whether the whole object counts, by its best-fitting front, not the picked triangle alone.
    pub whole: bool,
    /// Distance to move to along the normal, metres; absent to turn only.
    pub distance_m: Option<f64>,
}

/// Objects to be moved somewhere.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct MoveRequest {
    /// Where the eye is.
    pub pose: Pose,
    /// Numbers of the objects.
    pub objects: Vec<u32>,
    /// Heading of their middle, degrees.
    pub heading_deg: f64,
    /// Pitch of it, degrees; absent to stand on the floor.
    pub pitch_deg: Option<f64>,
    /// Distance, metres: over the ground on the floor, else along the look.
    pub distance_m: f64,
    /// Whether the side that faces the eye now still will.
    pub face: bool,
}
