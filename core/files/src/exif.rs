//! The camera make and model in an EXIF block (a TIFF structure, CIPA DC-008).
//!
//! Nothing that was there moves: the first directory is written again at the block's end with the new
//! entries, and the header points to it. Offsets inside the block (thumbnails, maker notes) stay true.

use crate::error::{FileError, Result};

const MAKE: u16 = 0x010f;
const MODEL: u16 = 0x0110;
const ASCII: u16 = 2;
/// Longest EXIF block that fits a JPEG segment with its identifier.
const MAX_BLOCK: usize = 65_527;

fn damaged(detail: &str) -> FileError {
    FileError::damaged("The picture's EXIF block", detail)
}

#[derive(Clone, Copy)]
enum Order {
    Little,
    Big,
}

impl Order {
    fn u16(self, b: &[u8]) -> u16 {
        let b = [b[0], b[1]];
        match self {
            Self::Little => u16::from_le_bytes(b),
            Self::Big => u16::from_be_bytes(b),
        }
    }
    fn u32(self, b: &[u8]) -> u32 {
        let b = [b[0], b[1], b[2], b[3]];
        match self {
            Self::Little => u32::from_le_bytes(b),
            Self::Big => u32::from_be_bytes(b),
        }
    }
    fn put16(self, v: u16) -> [u8; 2] {
        match self {
            Self::Little => v.to_le_bytes(),
            Self::Big => v.to_be_bytes(),
        }
    }
    fn put32(self, v: u32) -> [u8; 4] {
        match self {
            Self::Little => v.to_le_bytes(),
            Self::Big => v.to_be_bytes(),
        }
    }
}

/// The block with make and model set; an empty `block` starts a new one.
pub fn set_make_model(block: &[u8], make: Option<&str>, model: Option<&str>) -> Result<Vec<u8>> {
    const EMPTY: &[u8] = b"II\x2a\0\x08\0\0\0\0\0\0\0\0\0";
    let mut block = if block.is_empty() { EMPTY } else { block }.to_vec();
    let order = match block.get(..4) {
        Some(b"II\x2a\0") => Order::Little,
        Some(b"MM\0\x2a") => Order::Big,
        _ => return Err(damaged("it does not start with a TIFF header")),
    };
    let start = block.get(4..8).map(|b| order.u32(b) as usize);
    let start = start.ok_or_else(|| damaged("its header is cut short"))?;
    let count = block
        .get(start..)
        .and_then(|b| b.get(..2))
        .map(|b| order.u16(b) as usize);
    let count = count.ok_or_else(|| damaged("its first directory lies outside"))?;
    let table = block
        .get(start + 2..start + 2 + count * 12 + 4)
        .ok_or_else(|| damaged("its first directory is cut short"))?;
    let (entries, next) = table.split_at(count * 12);
    let next = next.to_vec();
    let mut entries: Vec<Vec<u8>> = entries.chunks(12).map(<[u8]>::to_vec).collect();

    for (tag, name, text) in [(MAKE, "make", make), (MODEL, "model", model)] {
        let Some(text) = text else { continue };
        if text.is_empty() || text.len() > 200 || !text.bytes().all(|b| (0x20..0x7f).contains(&b)) {
            return Err(FileError::Request(format!(
                "The camera {name} must be 1 to 200 plain ASCII characters; correct it."
            )));
        }
        let mut value = text.as_bytes().to_vec();
        value.push(0);
        let mut entry = Vec::with_capacity(12);
        entry.extend(order.put16(tag));
        entry.extend(order.put16(ASCII));
        entry.extend(order.put32(value.len() as u32));
        if value.len() <= 4 {
            value.resize(4, 0);
            entry.extend(value);
        } else {
            if block.len() % 2 == 1 {
                block.push(0); // offsets are even
            }
            entry.extend(order.put32(block.len() as u32));
            block.extend(value);
        }
        entries.retain(|e| order.u16(e) != tag);
        entries.push(entry);
    }
    // Entries are sorted by tag.
    entries.sort_by_key(|e| order.u16(e));
    if block.len() % 2 == 1 {
        block.push(0);
    }
    let at = block.len() as u32;
    block[4..8].copy_from_slice(&order.put32(at));
    block.extend(order.put16(entries.len() as u16));
    block.extend(entries.concat());
    block.extend(next);
    if block.len() > MAX_BLOCK {
        return Err(FileError::TooLarge {
            what: "The picture's EXIF block".into(),
            detail: format!(
                "{} bytes where {MAX_BLOCK} fit; drop what was there with --clear",
                block.len()
            ),
        });
    }
    Ok(block)
}
