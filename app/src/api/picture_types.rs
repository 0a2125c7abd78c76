//! Pictures made elsewhere, over HTTP. The web's types are generated from these.

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
}

/// Another shape for a picture.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct PictureShape {
    /// The shape by its name.
    pub shape: String,
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

/// Which picture is taken for which face.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct AssemblyGuess {
    /// In our order: left, front, right, back, up, down.
    pub faces: [Option<i64>; 6],
    /// Whether the names say it, or only their order does.
    pub certain: bool,
    /// What it was read from: `words`, `short words`, `letters`, `axes`, `edges` or `numbers`.
    pub by: String,
    /// Quarter turns clockwise that each picture is turned by, in the order of the faces.
    pub turns: [u8; 6],
    /// Where the edges told it: how sure they are, 0 to 1.
    pub confidence: Option<f64>,
    /// Where the edges told it: mean step across them, and of the next best way, percent of white.
    pub steps_percent: Option<[f64; 2]>,
}

/// A seam, or an edge that is fine.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct SeamInfo {
    /// What it is, for example `left-right edge` or `front/up`.
    pub edge: String,
    /// Whether it will be seen.
    pub visible: bool,
    /// Largest step beyond what the picture explains, percent of white.
    pub strength_percent: f64,
    /// Longitude of the worst place, relative to the middle, degrees.
    pub lon_deg: f64,
    /// Its latitude, degrees.
    pub lat_deg: f64,
}

/// What is wrong with a sphere, if anything.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct DiagnosisInfo {
    /// A name for programs.
    pub fault: String,
    /// How sure, 0 to 1.
    pub confidence: f64,
    /// One sentence for people.
    pub what: String,
    /// Whether it can be mended.
    pub can_mend: bool,
}

/// All pictures, newest first.
#[derive(Clone, Debug, Serialize, TS)]
#[ts(export)]
pub struct Pictures {
    /// Finished ones.
    pub pictures: Vec<BroughtPicture>,
    /// Numbers of those whose record cannot be read; they can only be removed.
    pub unreadable: Vec<i64>,
}
