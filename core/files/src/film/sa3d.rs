//! `SA3D`: that the four channels of a sound are a sphere of it (spatial audio for spherical films, in the audio sample entry; from memory).

use super::boxes::Node;

pub(super) const KIND: &[u8; 4] = b"SA3D";

/// Channels of first-order ambisonics.
pub(super) const CHANNELS: u16 = 4;

/// W, Y, Z and X each where its number says.
pub(super) const PLAIN_MAP: [u8; 4] = [0, 1, 2, 3];

/// Version 0, full-sphere, first order, channels by their number (ACN: W, Y, Z, X), Schmidt semi-normalised (SN3D), each channel where it
/// belongs.
pub(super) fn write() -> Node {
    let mut body = vec![0, 0];
    body.extend(1u32.to_be_bytes());
    body.extend([0, 0]);
    body.extend(u32::from(CHANNELS).to_be_bytes());
    for channel in PLAIN_MAP {
        body.extend(u32::from(channel).to_be_bytes());
    }
    Node::new(*KIND, body)
}

/// Where W, Y, Z and X of full-sphere ambisonics of the first order (ACN, SN3D) are among the four channels of a sound that says so;
/// nothing of others.
pub(super) fn channel_map(node: &Node) -> Option<[u8; 4]> {
    let same = node.body.get(..12) == write().body.get(..12);
    let mut map = [0; 4];
    for (channel, to) in map.iter_mut().enumerate() {
        *to = u8::try_from(node.u32_at(12 + 4 * channel)?).ok()?;
    }
    let all = (0..4).all(|channel| map.contains(&channel));
    (same && all && node.body.len() == 28).then_some(map)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A track with W, X, Y, Z says 0, 2, 3, 1 (the example of the spatial audio specification, from memory); what is no order of four is
    /// not taken for one.
    #[test]
    fn another_order_of_channels_is_read_as_such() {
        let with = |map: [u32; 4]| {
            let mut node = write();
            node.body.truncate(12);
            map.iter().for_each(|c| node.body.extend(c.to_be_bytes()));
            node
        };
        assert_eq!(channel_map(&write()), Some(PLAIN_MAP));
        assert_eq!(channel_map(&with([0, 2, 3, 1])), Some([0, 2, 3, 1]));
        for wrong in [[0, 1, 2, 2], [1, 2, 3, 4], [0, 1, 2, 1 << 24]] {
            assert_eq!(channel_map(&with(wrong)), None, "{wrong:?}");
        }
        let mut second = write();
        second.body[5] = 2;
        assert_eq!(channel_map(&second), None, "of the second order");
    }
}
