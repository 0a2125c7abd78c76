//! What goes over HTTP about standing. The web's types are generated from these.

pub use crate::work::asked::{MoveRequest, SquareRequest};
pub use crate::work::told::standing::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The scene cut open: a plan (x and z) or a section (along the line, and height), metres.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Plan {
    /// Solids: each is some closed outlines, of two numbers a point, holes running the other way round.
    pub solids: Vec<Vec<Vec<f32>>>,
    /// Lines that close round no solid.
    pub lines: Vec<PlanLine>,
}

/// A line of a plan.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct PlanLine {
    /// Two numbers a point, metres.
    pub points: Vec<f32>,
    /// Whether it leads back to its first point.
    pub closed: bool,
}

/// Viewpoints in a new order.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct ViewpointOrder {
    /// All numbers, first to last.
    pub ids: Vec<i64>,
    /// Their order as it was seen before: if it is another one by now, the change is refused.
    #[serde(default)]
    #[ts(optional)]
    pub seen: Option<Vec<i64>>,
}
