//! Pictures made elsewhere, over HTTP. The web's types are generated from these.

use crate::model::pictures::BroughtPicture;
pub use crate::work::told::pictures::{AssemblyGuess, DiagnosisInfo, PairCheckInfo, SeamInfo};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Another shape for a picture.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct PictureShape {
    /// The shape by its name.
    pub shape: String,
}

/// How two eyes lie in a picture.
#[derive(Clone, Debug, Deserialize, TS)]
#[ts(export)]
pub struct PictureEyes {
    /// The packing's name, `views`, or `mono` for one eye.
    pub packing: String,
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
