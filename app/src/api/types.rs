//! What goes over HTTP. The web's types are generated from these.

pub use super::scene_types::{LightInfo, MeasureInfo, SunPosition};
pub use crate::model::orders::OrderSpec;
pub use crate::model::packages::{CheckInfo, Package, PackageRequest};
pub use crate::model::paths::ViewpointPath;
pub use crate::model::places::{NewViewpoint, Opening, Pose, Ride, Viewpoint};
pub use crate::model::rigs::Rig;
pub use crate::model::scenes::{ProjectCard, SceneSummary};
pub use crate::model::settings::SceneSettings;
pub use crate::work::asked::{OrderRequest, PreviewRequest};
pub use crate::work::told::jobs::Order;
pub use crate::work::told::light::ExposureInfo;
pub use crate::work::told::{Estimate, Event, FramesEstimate, MaskEntry, SurroundingsFile};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A viewpoint as it is sent to be made or changed.
#[derive(Clone, Debug, Default, Deserialize, TS)]
#[ts(export)]
pub struct ViewpointDraft {
    /// Name.
    pub name: String,
    /// Where it stands and looks.
    pub pose: Pose,
    /// Whether pitch and roll may differ from 0.
    pub unlocked: bool,
    /// What is seen first, if it is not straight ahead.
    #[serde(default)]
    pub opening: Option<Opening>,
    /// What it rides on.
    #[serde(default)]
    pub ride: Option<Ride>,
    /// The way that it takes while time goes by; then it rides on nothing.
    #[serde(default)]
    pub path: Option<ViewpointPath>,
    /// How its eyes stand; as it was, or one eye, if absent.
    #[serde(default)]
    #[ts(optional)]
    pub rig: Option<Rig>,
    /// The version that was changed: if it is another one by now, the change is refused.
    #[serde(default)]
    #[ts(optional)]
    pub version: Option<i64>,
}

impl ViewpointDraft {
    /// What is kept of it.
    pub fn viewpoint(&self) -> NewViewpoint {
        NewViewpoint {
            name: self.name.clone(),
            pose: self.pose,
            unlocked: self.unlocked,
            opening: self.opening,
            ride: self.ride.clone(),
            path: self.path.clone(),
            rig: self.rig.clone().unwrap_or_default(),
        }
    }
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
    /// Surroundings, lights, unit and moment.
    pub settings: SceneSettings,
    /// What the exposure of the settings means.
    pub exposure: ExposureInfo,
    /// Version of the settings: another one after every change of theirs.
    pub version: i64,
    /// The places to stand.
    pub viewpoints: Vec<Viewpoint>,
    /// What was ordered, newest first.
    pub orders: Vec<Order>,
    /// What was handed over, newest first.
    pub packages: Vec<Package>,
    /// The change that can be undone.
    pub undo: Option<String>,
    /// The change that can be done again.
    pub redo: Option<String>,
}

/// A change of a project; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct ProjectChange {
    /// New name.
    pub name: Option<String>,
    /// New surroundings, lights, unit and moment, all together.
    pub settings: Option<SceneSettings>,
    /// The version of the settings that was changed: if it is another one by now, the change is refused.
    pub version: Option<i64>,
}

/// What an order would take.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct OrderEstimate {
    /// Size, disk and memory.
    pub estimate: Estimate,
    /// Width that is rendered, pixels: parallel cameras record more than the final width.
    pub width: u32,
    /// Which eyes of a pair are there already, and what that saves, in a sentence.
    pub there: Option<String>,
    /// Of a sequence, what its frames are.
    pub frames: Option<FramesEstimate>,
    /// Of one picture, where it goes within the folder for outputs.
    pub out_file: Option<String>,
    /// Whether there is a farm that could make it.
    pub farm: bool,
}

/// How wide a sphere must be for its use.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct WidthPlan {
    /// Width that keeps full detail in the middle of the frame, pixels.
    pub middle: u32,
    /// And at its edges.
    pub edges: u32,
    /// Width that uses a headset to the full, pixels.
    pub headset: u32,
    /// How sharp a sphere of the asked width is behind the frame: degrees from its middle, and pixels of the
    /// sphere for each pixel of the frame (below 1 it looks soft).
    pub sharpness: Vec<(f64, f64)>,
}

/// What a light setup is to be called.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct SetupRequest {
    /// Name; no other one of the project may have it.
    pub name: String,
}

/// What goes wrong, as one shape.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct ApiError {
    /// One sentence: what, where, what to do.
    pub error: String,
    /// What to choose from, where the request must say which.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub choices: Option<Vec<String>>,
}
