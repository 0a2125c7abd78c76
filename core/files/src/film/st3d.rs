//! `st3d`: how two eyes lie in the picture (Spherical Video V2, in the sample entry).

use super::FilmStereo;
use super::boxes::Node;

pub(super) const KIND: &[u8; 4] = b"st3d";

pub(super) fn write(stereo: FilmStereo) -> Node {
    let mode = match stereo {
        FilmStereo::Mono => 0,
        FilmStereo::TopBottom => 1,
        FilmStereo::SideBySide => 2,
    };
    // Version 0 and no flags, then the mode.
    Node::new(*KIND, vec![0, 0, 0, 0, mode])
}

/// What it says; a number that is not described is told.
pub(super) fn read(node: &Node) -> Result<FilmStereo, String> {
    match node.body.as_slice() {
        [0, _, _, _, 0, ..] => Ok(FilmStereo::Mono),
        [0, _, _, _, 1, ..] => Ok(FilmStereo::TopBottom),
        [0, _, _, _, 2, ..] => Ok(FilmStereo::SideBySide),
        [0, _, _, _, mode, ..] => Err(format!(
            "Its st3d box tells stereo mode {mode}, which players of 360-degree films do not know."
        )),
        _ => Err("Its st3d box is too short or of an unknown version.".into()),
    }
}
