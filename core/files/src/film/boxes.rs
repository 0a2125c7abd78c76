//! Boxes: sizes, kinds, and the tree of those that lead to what films say.

use crate::error::{FileError, Result};

/// Deepest nesting that is followed.
const DEEPEST: usize = 16;
/// Most boxes of an index.
const MOST_BOXES: usize = 200_000;
/// Bytes of a visual sample entry before its boxes (ISO/IEC 14496-12, 12.1.3).
pub(super) const VISUAL_ENTRY: usize = 78;
/// Bytes of an audio sample entry before its boxes (12.2.3), and of the first later version of it (QuickTime File Format).
const SOUND_ENTRY: [usize; 2] = [28, 44];

/// A box's four letters.
pub(super) type Kind = [u8; 4];

/// A box in memory. Those that are not followed keep their bytes.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Node {
    pub(super) kind: Kind,
    /// The length was written with 64 bits.
    wide: bool,
    /// Bytes before the boxes within it, or all that it holds.
    pub(super) body: Vec<u8>,
    /// The boxes within it.
    pub(super) children: Vec<Node>,
    /// What follows them: some programs end a list with zeros.
    pub(super) tail: Vec<u8>,
}

/// What is followed: bytes before the boxes within.
fn before_children(kind: Kind, parent: Kind, handler: Option<Kind>, body: &[u8]) -> Option<usize> {
    match &kind {
        b"moov" | b"trak" | b"mdia" | b"minf" | b"stbl" | b"edts" | b"mvex" | b"moof" | b"traf"
        | b"mfra" | b"proj" | b"sv3d" => Some(0),
        b"stsd" => Some(8),
        _ if parent == *b"stsd" && handler == Some(*b"vide") => Some(VISUAL_ENTRY),
        _ if parent == *b"stsd" && handler == Some(*b"soun") => {
            let version = u16::from_be_bytes(body.get(8..10)?.try_into().ok()?);
            SOUND_ENTRY.get(usize::from(version)).copied()
        }
        _ => None,
    }
}

/// The size, kind and header length of a box that begins here; `left` bytes are there for it. A size of 0 goes to the end.
pub(super) fn header(bytes: &[u8], left: u64, what: &str) -> Result<(u64, Kind, usize, bool)> {
    let short = || FileError::damaged(what, "a box ends within its own header");
    let word = |at: usize| -> Option<u32> {
        Some(u32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?))
    };
    let size = word(0).ok_or_else(short)?;
    let kind: Kind = bytes
        .get(4..8)
        .and_then(|k| k.try_into().ok())
        .ok_or_else(short)?;
    let (size, head, wide) = match size {
        1 => {
            let (high, low) = (word(8).ok_or_else(short)?, word(12).ok_or_else(short)?);
            ((u64::from(high) << 32) | u64::from(low), 16, true)
        }
        0 => (left, 8, false),
        n => (u64::from(n), 8, false),
    };
    if size < head as u64 || size > left {
        return Err(FileError::damaged(
            what,
            format!(
                "its box {} tells {size} bytes where {left} are left",
                shown(kind)
            ),
        ));
    }
    Ok((size, kind, head, wide))
}

/// A kind for people.
pub(super) fn shown(kind: Kind) -> String {
    let letters = kind.iter().map(|b| match b {
        0x20..=0x7e => char::from(*b),
        _ => '?',
    });
    format!("\"{}\"", letters.collect::<String>())
}

struct Parsing<'a> {
    what: &'a str,
    count: usize,
}

/// The box that these bytes are.
pub(super) fn parse(bytes: &[u8], what: &str) -> Result<Node> {
    let mut parsing = Parsing { what, count: 0 };
    let (node, _) = parsing.node(bytes, *b"file", None, 0)?;
    Ok(node)
}

impl Parsing<'_> {
    fn node(
        &mut self,
        bytes: &[u8],
        parent: Kind,
        handler: Option<Kind>,
        depth: usize,
    ) -> Result<(Node, usize)> {
        let bad = |detail: &str| FileError::damaged(self.what, detail);
        if depth > DEEPEST {
            return Err(bad("its boxes are nested too deep"));
        }
        self.count += 1;
        if self.count > MOST_BOXES {
            return Err(bad("its index has more boxes than any film needs"));
        }
        let (size, kind, head, wide) = header(bytes, bytes.len() as u64, self.what)?;
        let size = size as usize;
        let body = &bytes[head..size];
        let mut node = Node {
            kind,
            wide,
            body: Vec::new(),
            children: Vec::new(),
            tail: Vec::new(),
        };
        let Some(before) =
            before_children(kind, parent, handler, body).filter(|b| *b <= body.len())
        else {
            node.body = body.to_vec();
            return Ok((node, size));
        };
        node.body = body[..before].to_vec();
        let mut rest = &body[before..];
        // A track's handler says what its sample entries are, and comes before them or not: it is looked for first.
        let handler = match &kind {
            b"mdia" => handler_of(rest),
            _ => handler,
        };
        while rest.len() >= 8 {
            let entry = parent == *b"stsd";
            // Within a sample entry zeros end the list (QuickTime File Format).
            if entry && rest[..4] == [0; 4] {
                break;
            }
            let (child, used) = match self.node(rest, kind, handler, depth + 1) {
                Ok(found) => found,
                // What is no box there is kept as it is.
                Err(_) if entry => break,
                Err(e) => return Err(e),
            };
            node.children.push(child);
            rest = &rest[used..];
        }
        node.tail = rest.to_vec();
        Ok((node, size))
    }
}

/// The handler that a media box names: `vide`, `soun` ...
fn handler_of(mut boxes: &[u8]) -> Option<Kind> {
    while let Ok((size, kind, head, _)) = header(boxes, boxes.len() as u64, "") {
        if kind == *b"hdlr" {
            return boxes.get(head + 8..head + 12)?.try_into().ok();
        }
        boxes = boxes.get(size as usize..)?;
    }
    None
}

impl Node {
    /// A box that holds bytes.
    pub(super) fn new(kind: Kind, body: Vec<u8>) -> Self {
        Self {
            kind,
            wide: false,
            body,
            children: Vec::new(),
            tail: Vec::new(),
        }
    }

    /// A box that holds boxes.
    pub(super) fn with(kind: Kind, children: Vec<Node>) -> Self {
        Self {
            children,
            ..Self::new(kind, Vec::new())
        }
    }

    pub(super) fn size(&self) -> u64 {
        let inner: u64 = self.children.iter().map(Node::size).sum();
        let inner = inner + (self.body.len() + self.tail.len()) as u64;
        inner
            + if self.wide || inner + 8 > u64::from(u32::MAX) {
                16
            } else {
                8
            }
    }

    pub(super) fn write(&self, out: &mut Vec<u8>) {
        let size = self.size();
        if self.wide || size > u64::from(u32::MAX) {
            out.extend(1u32.to_be_bytes());
            out.extend(self.kind);
            out.extend(size.to_be_bytes());
        } else {
            out.extend((size as u32).to_be_bytes());
            out.extend(self.kind);
        }
        out.extend(&self.body);
        self.children.iter().for_each(|c| c.write(out));
        out.extend(&self.tail);
    }

    /// The first box of a kind within it.
    pub(super) fn child(&self, kind: &Kind) -> Option<&Node> {
        self.children.iter().find(|c| c.kind == *kind)
    }

    /// The box at the end of a way of kinds.
    pub(super) fn at(&self, way: &[&Kind]) -> Option<&Node> {
        way.iter().try_fold(self, |node, kind| node.child(kind))
    }

    /// The box at the end of a way of kinds, to be changed.
    pub(super) fn at_mut(&mut self, way: &[&Kind]) -> Option<&mut Node> {
        let Some((first, rest)) = way.split_first() else {
            return Some(self);
        };
        let child = self.children.iter_mut().find(|c| c.kind == **first)?;
        child.at_mut(rest)
    }

    /// Does something with every box of a kind, wherever it is.
    pub(super) fn each(
        &mut self,
        kind: &Kind,
        change: &mut impl FnMut(&mut Node) -> Result<()>,
    ) -> Result<()> {
        if self.kind == *kind {
            change(self)?;
        }
        (self.children.iter_mut()).try_for_each(|c| c.each(kind, change))
    }

    /// A number of 32 bits in what it holds.
    pub(super) fn u32_at(&self, at: usize) -> Option<u32> {
        Some(u32::from_be_bytes(
            self.body.get(at..at + 4)?.try_into().ok()?,
        ))
    }
}

/// Whether a track is a moving picture.
pub(super) fn is_video(trak: &Node) -> bool {
    handled_as(trak, b"vide")
}

/// Whether a track is a sound.
pub(super) fn is_sound(trak: &Node) -> bool {
    handled_as(trak, b"soun")
}

fn handled_as(trak: &Node, kind: &Kind) -> bool {
    let handler = trak.at(&[b"mdia", b"hdlr"]);
    handler.and_then(|h| h.body.get(8..12)) == Some(kind)
}

/// The sample entries of a track.
pub(super) fn entries(trak: &Node) -> &[Node] {
    trak.at(&[b"mdia", b"minf", b"stbl", b"stsd"])
        .map_or(&[], |stsd| &stsd.children)
}

/// Width and height of a track's picture, pixels, as its first sample entry says.
pub(super) fn size_of(trak: &Node) -> Option<(u32, u32)> {
    let entry = entries(trak).first()?;
    // 6 + 2 bytes of any entry, 16 that are reserved, then width and height.
    let side = |at: usize| {
        let two = entry.body.get(at..at + 2)?;
        Some(u32::from(u16::from_be_bytes(two.try_into().ok()?)))
    };
    Some((side(24)?, side(26)?))
}
