//! How many channels a sound has.
//!
//! The sample entry has a field for it, which is 2 in many files whatever is true (ISO/IEC 14496-12, 12.2.3: a template): what the
//! encoding says of itself goes before.

use super::boxes::{Node, entries};

/// Channels by the number of their arrangement in AAC (ISO/IEC 14496-3, Table 1.19).
const AAC_CHANNELS: [u16; 8] = [0, 1, 2, 3, 4, 5, 6, 8];

/// Channels of a sound's track, as its first sample entry says.
pub(super) fn channels(trak: &Node) -> Option<u16> {
    let entry = entries(trak).first()?;
    let coded = match &entry.kind {
        b"mp4a" => entry.child(b"esds").and_then(|n| of_aac(&n.body)),
        // Version, channels, ... (Opus in ISOBMFF, 4.3.2).
        b"Opus" => entry
            .child(b"dOps")
            .and_then(|n| n.body.get(1).map(|c| u16::from(*c))),
        _ => None,
    };
    coded.or_else(|| {
        // 6 + 2 bytes of any entry, 8 of its version and maker.
        let two = entry.body.get(16..18)?;
        Some(u16::from_be_bytes(two.try_into().ok()?))
    })
}

/// What the description of an AAC stream says (ISO/IEC 14496-1, 7.2.6): it lies in descriptors within each other.
fn of_aac(esds: &[u8]) -> Option<u16> {
    // Version and flags first.
    let mut rest = esds.get(4..)?;
    loop {
        let (tag, body) = descriptor(rest)?;
        rest = match tag {
            // A stream: number, flags, and by them three more fields.
            3 => {
                let flags = *body.get(2)?;
                let mut skip = 3;
                skip += if flags & 0x80 != 0 { 2 } else { 0 };
                skip += if flags & 0x40 != 0 {
                    1 + usize::from(*body.get(skip)?)
                } else {
                    0
                };
                skip += if flags & 0x20 != 0 { 2 } else { 0 };
                body.get(skip..)?
            }
            // How it is decoded: 13 bytes, then what the decoder needs.
            4 => body.get(13..)?,
            5 => {
                let bits = u16::from_be_bytes([*body.first()?, *body.get(1)?]);
                // 5 bits of the kind, 4 of the rate, 4 of the channels; 31 and 15 have longer fields, which no such film has.
                let (kind, rate, channels) = (bits >> 11, bits >> 7 & 15, bits >> 3 & 15);
                if kind == 31 || rate == 15 {
                    return None;
                }
                return AAC_CHANNELS
                    .get(usize::from(channels))
                    .copied()
                    .filter(|c| *c > 0);
            }
            _ => return None,
        };
    }
}

/// A descriptor's tag and what it holds; its size has seven bits a byte.
fn descriptor(bytes: &[u8]) -> Option<(u8, &[u8])> {
    let tag = *bytes.first()?;
    let mut size = 0;
    for i in 1..=4 {
        let byte = *bytes.get(i)?;
        size = size << 7 | usize::from(byte & 0x7f);
        if byte & 0x80 == 0 {
            return Some((tag, bytes.get(i + 1..(i + 1).checked_add(size)?)?));
        }
    }
    None
}
