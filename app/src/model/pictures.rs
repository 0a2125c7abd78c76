//! Pictures made elsewhere and what is made from them, as they are kept.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A picture that was brought in, or made from one.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct BroughtPicture {
    /// Its number.
    pub id: i64,
    /// Its file's name.
    pub file: String,
    /// Width in pixels; of six faces that of one.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Size of the file, bytes.
    pub bytes: u64,
    /// How finely its values are told.
    pub depth: String,
    /// Whether it has alpha.
    pub alpha: bool,
    /// What it is taken for; nothing if its size suggests no shape.
    pub shape: Option<String>,
    /// Whether the file told the shape or an artist did, not its size alone.
    pub shape_told: bool,
    /// Compass heading of its middle, degrees.
    pub heading_deg: f64,
    /// What it was made from, for people; empty if it was brought.
    pub made_from: String,
    /// How two eyes lie in it, by the packing's name, or `views` of one OpenEXR; nothing of one eye.
    #[serde(default)]
    pub packing: Option<String>,
    /// Whether the file or an artist told that, not its ratio and its halves.
    #[serde(default)]
    pub packing_told: bool,
}

/// Two eyes to be laid into one picture.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export, optional_fields)]
pub struct PairRequest {
    /// The right eye's picture, where this one is the left eye's alone.
    #[serde(default)]
    pub other: Option<i64>,
    /// Whether the eyes change their places.
    pub swap: bool,
    /// How they lie: a packing's name, or `views` of one OpenEXR.
    pub packing: String,
    /// `exr`, `png`, `jpg` or `hdr`.
    pub format: String,
}

/// One picture of two eyes: one of them, or both through coloured glasses.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct OfEyesRequest {
    /// `left`, `right`, or the name of an anaglyph.
    pub show: String,
    /// `exr`, `png`, `jpg` or `hdr`.
    pub format: String,
}

/// A conversion to order.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct ConvertRequest {
    /// The shape to make, by its name.
    pub shape: String,
    /// Width in pixels; 0 keeps the detail of the source.
    pub width: u32,
    /// Where the result looks in the source's sphere: heading, pitch, roll, degrees.
    pub turn: [f64; 3],
    /// `bilinear`, `bicubic` or `lanczos`.
    pub kernel: String,
    /// `exr`, `png`, `jpg` or `hdr`.
    pub format: String,
}

/// A face of an assembly.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct FaceChoice {
    /// The picture, or none for a face that was never made.
    pub picture: Option<i64>,
    /// Quarter turns clockwise that the picture stands turned by.
    pub turns: u8,
}

/// Six faces to become a sphere, in our order: left, front, right, back, up, down.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[ts(export)]
pub struct AssemblyRequest {
    /// The faces.
    pub faces: [FaceChoice; 6],
    /// Width of the sphere in pixels; 0 keeps the detail of the faces.
    pub width: u32,
    /// `exr`, `png`, `jpg` or `hdr`.
    pub format: String,
}
