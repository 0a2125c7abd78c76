//! Elements of EBML (RFC 8794): numbers, sizes, and the tree of those that are followed.

use crate::error::{FileError, Result};

/// The check sum of a master element: the first within it, CRC-32 of all that follows (RFC 8794, 11.3.1).
pub(in crate::film) const CRC: u32 = 0xbf;
/// An element that holds nothing.
pub(in crate::film) const VOID: u32 = 0xec;

/// Deepest nesting that is followed.
const DEEPEST: usize = 8;
/// Most elements within one at the top: the cues of days.
const MOST: usize = 4_000_000;

/// An element's name, its size (nothing where it is not known beforehand) and the bytes of both.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Head {
    pub(super) id: u32,
    pub(super) size: Option<u64>,
    pub(super) length: usize,
}

/// The head that begins here; nothing where it is none or is cut off.
pub(super) fn head(bytes: &[u8]) -> Option<Head> {
    let width = bytes.first()?.leading_zeros() as usize + 1;
    let id = (width <= 4).then(|| bytes.get(..width)).flatten()?;
    let id = id.iter().fold(0, |v, b| v << 8 | u32::from(*b));
    let (size, more) = size(bytes.get(width..)?)?;
    Some(Head {
        id,
        size,
        length: width + more,
    })
}

/// A size and its bytes: the first bit that is set tells how many there are, and only ones mean that it is not known.
fn size(bytes: &[u8]) -> Option<(Option<u64>, usize)> {
    let first = *bytes.first()?;
    let width = first.leading_zeros() as usize + 1;
    let all = (width <= 8).then(|| bytes.get(..width)).flatten()?;
    let value = all[1..]
        .iter()
        .fold(u64::from(first) & (0xff >> width), |v, b| {
            v << 8 | u64::from(*b)
        });
    let unknown = value == (1 << (7 * width)) - 1;
    Some(((!unknown).then_some(value), width))
}

/// A size in as few bytes as it needs, at least `least`.
pub(super) fn written_size(value: u64, least: usize) -> Vec<u8> {
    let fits = |width: usize| value < (1 << (7 * width)) - 1;
    let width = (least..8).find(|w| fits(*w)).unwrap_or(8);
    let bytes = (value | 1 << (7 * width)).to_be_bytes();
    bytes[8 - width..].to_vec()
}

/// A size of no known length, in so many bytes.
pub(super) fn unknown_size(width: usize) -> Vec<u8> {
    let mut bytes = vec![0xff; width];
    bytes[0] = 0xff >> (width - 1);
    bytes
}

/// An element in memory. Those that are not followed keep their bytes.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Element {
    pub(super) id: u32,
    /// Bytes of its size as it was written: it keeps them where they are enough.
    width: usize,
    pub(super) holds: Holds,
}

/// What an element holds.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Holds {
    /// Bytes.
    Bytes(Vec<u8>),
    /// Others.
    Elements(Vec<Element>),
}

impl Element {
    pub(super) fn bytes(id: u32, bytes: Vec<u8>) -> Self {
        Self {
            id,
            width: 1,
            holds: Holds::Bytes(bytes),
        }
    }

    pub(super) fn with(id: u32, elements: Vec<Element>) -> Self {
        Self {
            id,
            width: 1,
            holds: Holds::Elements(elements),
        }
    }

    /// A whole number in as few bytes as it needs.
    pub(super) fn number(id: u32, value: u64) -> Self {
        let skip = (value.leading_zeros() as usize / 8).min(7);
        Self::bytes(id, value.to_be_bytes()[skip..].to_vec())
    }

    /// Reads an element whose bytes are all there; `follow` tells which hold others.
    pub(super) fn read(bytes: &[u8], follow: &dyn Fn(u32) -> bool, what: &str) -> Result<Self> {
        let mut count = 0;
        let (element, used) = Self::within(bytes, follow, what, 0, &mut count)?;
        match used == bytes.len() {
            true => Ok(element),
            false => Err(FileError::damaged(what, "an element has a wrong size")),
        }
    }

    fn within(
        bytes: &[u8],
        follow: &dyn Fn(u32) -> bool,
        what: &str,
        depth: usize,
        count: &mut usize,
    ) -> Result<(Self, usize)> {
        let bad = |detail: &str| FileError::damaged(what, detail);
        *count += 1;
        if depth > DEEPEST || *count > MOST {
            return Err(bad("it has more elements within each other than any film"));
        }
        let head = head(bytes).ok_or_else(|| bad("an element ends within its own head"))?;
        let size = head.size.and_then(|s| usize::try_from(s).ok());
        let end = size.and_then(|s| head.length.checked_add(s));
        let body = end.and_then(|end| bytes.get(head.length..end));
        let body = body.ok_or_else(|| bad("an element tells more bytes than are left"))?;
        let holds = if follow(head.id) {
            let mut rest = body;
            let mut elements = Vec::new();
            while !rest.is_empty() {
                let (element, used) = Self::within(rest, follow, what, depth + 1, count)?;
                elements.push(element);
                rest = &rest[used..];
            }
            Holds::Elements(elements)
        } else {
            Holds::Bytes(body.to_vec())
        };
        let width = head.length - id_bytes(head.id).len();
        let id = head.id;
        Ok((Self { id, width, holds }, head.length + body.len()))
    }

    /// Its bytes; a check sum within it is made anew.
    pub(super) fn write(&self, out: &mut Vec<u8>) {
        let mut made;
        let body = match &self.holds {
            Holds::Bytes(bytes) => bytes,
            Holds::Elements(elements) => {
                made = Vec::new();
                let sum = elements.first().is_some_and(|e| e.id == CRC);
                let rest = &elements[usize::from(sum)..];
                rest.iter().for_each(|e| e.write(&mut made));
                if sum {
                    let mut whole = Vec::with_capacity(made.len() + 6);
                    let crc = crc32fast::hash(&made).to_le_bytes();
                    Element::bytes(CRC, crc.to_vec()).write(&mut whole);
                    whole.extend(made);
                    made = whole;
                }
                &made
            }
        };
        out.extend(id_bytes(self.id));
        out.extend(written_size(body.len() as u64, self.width));
        out.extend(body);
    }

    /// The elements within it.
    pub(super) fn elements(&self) -> &[Element] {
        match &self.holds {
            Holds::Elements(all) => all,
            Holds::Bytes(_) => &[],
        }
    }

    /// The elements within it, to be changed; nothing of one that is not followed.
    pub(super) fn elements_mut(&mut self) -> Option<&mut Vec<Element>> {
        match &mut self.holds {
            Holds::Elements(all) => Some(all),
            Holds::Bytes(_) => None,
        }
    }

    /// The first of a name within it.
    pub(super) fn child(&self, id: u32) -> Option<&Element> {
        self.elements().iter().find(|e| e.id == id)
    }

    /// What it holds, of one that is not followed.
    pub(super) fn data(&self) -> &[u8] {
        match &self.holds {
            Holds::Bytes(bytes) => bytes,
            Holds::Elements(_) => &[],
        }
    }

    /// A whole number of at most eight bytes.
    pub(super) fn as_number(&self) -> Option<u64> {
        let bytes = self.data();
        (bytes.len() <= 8).then(|| bytes.iter().fold(0, |v, b| v << 8 | u64::from(*b)))
    }

    /// A number with a fraction, of four or eight bytes.
    pub(super) fn as_float(&self) -> Option<f64> {
        let bytes = self.data();
        match bytes.len() {
            0 => Some(0.0),
            4 => Some(f32::from_be_bytes(bytes.try_into().ok()?).into()),
            8 => Some(f64::from_be_bytes(bytes.try_into().ok()?)),
            _ => None,
        }
    }
}

/// A name's bytes: as many as it has.
pub(super) fn id_bytes(id: u32) -> Vec<u8> {
    let skip = (id.leading_zeros() / 8) as usize;
    id.to_be_bytes()[skip.min(3)..].to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The examples of RFC 8794, 4.4: the same size in one, two and four bytes; and all ones, which is unknown.
    #[test]
    fn sizes_are_read_as_in_the_standard() {
        for bytes in [
            &[0x82][..],
            &[0x40, 0x02],
            &[0x20, 0x00, 0x02],
            &[0x10, 0x00, 0x00, 0x02],
        ] {
            assert_eq!(size(bytes), Some((Some(2), bytes.len())));
            assert_eq!(written_size(2, bytes.len()), bytes);
        }
        assert_eq!(size(&[0xff]), Some((None, 1)));
        assert_eq!(
            size(&[0x01, 255, 255, 255, 255, 255, 255, 255]),
            Some((None, 8))
        );
        assert_eq!(unknown_size(8), [0x01, 255, 255, 255, 255, 255, 255, 255]);
        // 127 in one byte would be that.
        assert_eq!(written_size(127, 1), [0x40, 0x7f]);
        assert_eq!(size(&[0x40]), None);
        assert_eq!(size(&[0]), None);
        let one = head(&[0x1a, 0x45, 0xdf, 0xa3, 0xa3]).unwrap();
        assert_eq!((one.id, one.size, one.length), (0x1a45_dfa3, Some(35), 5));
    }
}
