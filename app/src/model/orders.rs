//! What was ordered, as it is kept.

use super::paths::ViewpointPath;
use super::places::{Opening, Pose, Ride};
use super::rigs::Rig;
use super::settings::SceneSettings;
use dome_trace::Pass;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How [`Pass`] looks in JSON.
#[derive(TS)]
#[ts(export, rename = "Pass", rename_all = "kebab-case")]
#[allow(dead_code)]
pub(crate) enum PassShape {
    Alpha,
    Depth,
    Normal,
    Albedo,
    Direct,
    Indirect,
    RawLight,
    Emission,
    Specular,
    AmbientOcclusion,
    Roughness,
    ObjectMask,
    Noise,
    Halves,
    TakenOut,
}

/// What to render.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct OrderSpec {
    /// Name of the viewpoint when it was ordered.
    pub viewpoint: String,
    /// The viewpoint's number; of orders of before none where no viewpoint had that name any more.
    #[serde(default)]
    pub viewpoint_number: Option<i64>,
    /// Where it stood then.
    pub pose: Pose,
    /// What was to be seen first then, if it was not straight ahead.
    #[serde(default)]
    pub opening: Option<Opening>,
    /// The pair of eyes, if there are two.
    #[serde(default)]
    pub rig: Option<Rig>,
    /// Shape of the picture, by its name on the command line.
    #[serde(default = "full_sphere")]
    pub shape: String,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels; it follows from the shape.
    pub height: u32,
    /// Samples per pixel; with a noise target the most a pixel may take.
    pub samples: u32,
    /// Noise at which a pixel is finished, percent of the displayed value; without it every pixel takes
    /// all samples.
    #[serde(default)]
    pub noise_percent: Option<f32>,
    /// Seed of the noise.
    pub seed: u32,
    /// Surroundings, lights, unit and moment when it was ordered.
    #[serde(default)]
    pub settings: SceneSettings,
    /// Whether it is a draft: only drafts use the draft brightness.
    #[serde(default)]
    pub draft: bool,
    /// What is made beside the picture.
    #[serde(default)]
    #[ts(as = "Vec<PassShape>")]
    pub passes: Vec<Pass>,
    /// One grey over everything but glass.
    #[serde(default)]
    pub clay: bool,
    /// A lens that is not sharp everywhere.
    #[serde(default)]
    pub lens: Option<Lens>,
    /// Whether noise is taken out of the finished picture.
    #[serde(default)]
    pub denoise: bool,
    /// Brightest light that one sample may add.
    #[serde(default)]
    pub clamp: Option<f32>,
    /// Radius of the ambient occlusion, metres; 1 if absent.
    #[serde(default)]
    pub occlusion_m: Option<f32>,
    /// Luminance of the master's 1, cd/m². Orders of before have none: theirs is white by day, and their exposure is still to
    /// be given when they are handed over.
    #[serde(default)]
    pub white_cd_m2: Option<f32>,
    /// The frames of a sequence; without them it is one picture.
    #[serde(default)]
    pub frames: Option<FrameOrder>,
    /// Of one picture, where it goes beside its place in the data folder.
    #[serde(default)]
    pub out: Option<StillOut>,
    /// Whether it is made on this machine, though there is a farm.
    #[serde(default)]
    pub here: bool,
}

/// Where a finished picture goes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct StillOut {
    /// Name in the folder for outputs by pattern and without ending, e.g. `{project}/{viewpoint} {setup}`.
    pub name: String,
    /// Name of the project when it was ordered.
    pub project: String,
}

impl OrderSpec {
    /// Stands for one that cannot be read.
    pub fn unreadable() -> Self {
        Self {
            viewpoint: "Unreadable order".into(),
            viewpoint_number: None,
            pose: Pose::default(),
            opening: None,
            rig: None,
            shape: full_sphere(),
            width: 2,
            height: 1,
            samples: 1,
            noise_percent: None,
            seed: 0,
            settings: SceneSettings::default(),
            draft: false,
            passes: Vec::new(),
            clay: false,
            lens: None,
            denoise: false,
            clamp: None,
            occlusion_m: None,
            white_cd_m2: None,
            frames: None,
            out: None,
            here: false,
        }
    }
}

fn full_sphere() -> String {
    dome_optics::Shape::Equirect.to_string()
}

/// What a sequence's frames are written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export)]
#[serde(rename_all = "lowercase")]
pub enum FrameFormat {
    /// Linear OpenEXR.
    Exr,
    /// PNG of 16 bits a channel.
    Png16,
    /// PNG of 8 bits a channel.
    Png,
    /// JPEG.
    Jpeg,
}

/// Which frames are asked for. Frame N shows the moment N / rate of the scene's motion.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FrameRequest {
    /// The first frame.
    pub first: u32,
    /// The last one, which is made too.
    pub last: u32,
    /// Every so many of them.
    pub step: u32,
    /// Frames a second: 30, 23.976, 30000/1001 ...
    pub rate: String,
    /// How each is written.
    pub format: FrameFormat,
    /// Names in the folder for outputs by pattern and without ending, e.g. `{project}/{viewpoint}/{frame:05}`.
    pub name: String,
    /// Every so many frames come first, so that mistakes show early.
    #[serde(default = "one")]
    pub first_each: u32,
    /// The first frame is made and looked at; the order is held until it is let go.
    #[serde(default)]
    pub test_first: bool,
    /// How long the shutter is open, degrees: 360 is the whole of a frame's time; 0 is sharp.
    #[serde(default)]
    pub shutter_deg: f64,
    /// Moments of an open shutter that are blended.
    #[serde(default = "eight")]
    pub moments: u32,
    /// Of a pair in PNG or JPEG, how the eyes lie; one above the other if absent.
    #[serde(default)]
    #[ts(optional)]
    pub packing: Option<String>,
}

fn one() -> u32 {
    1
}

fn eight() -> u32 {
    8
}

/// The frames of an order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FrameOrder {
    /// What was asked.
    pub asked: FrameRequest,
    /// The way of the viewpoint then.
    #[serde(default)]
    pub path: Option<ViewpointPath>,
    /// What it rode on then.
    #[serde(default)]
    pub ride: Option<Ride>,
    /// Name of the project then: frames stay where they are when it gets another one.
    #[serde(default)]
    pub project: Option<String>,
}

/// A lens with an opening.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct Lens {
    /// The f-number of a lens of 50 mm.
    pub fstop: f64,
    /// Distance at which it is sharp, metres.
    pub focus_m: f64,
}
