//! `SA3D`: that the four channels of a sound are a sphere of it (spatial audio for spherical films, in the audio sample entry; from memory).

use super::boxes::Node;

pub(super) const KIND: &[u8; 4] = b"SA3D";

/// Channels of first-order ambisonics.
pub(super) const CHANNELS: u16 = 4;

/// Version 0, full-sphere, first order, channels by their number (ACN: W, Y, Z, X), Schmidt semi-normalised (SN3D), each channel where it
/// belongs.
pub(super) fn write() -> Node {
    let mut body = vec![0, 0];
    body.extend(1u32.to_be_bytes());
    body.extend([0, 0]);
    body.extend(u32::from(CHANNELS).to_be_bytes());
    (0..u32::from(CHANNELS)).for_each(|c| body.extend(c.to_be_bytes()));
    Node::new(*KIND, body)
}

/// Whether it says what [`write()`] says: full-sphere ambisonics of the first order in the usual order and scale.
pub(super) fn is_first_order(node: &Node) -> bool {
    node.body == write().body
}
