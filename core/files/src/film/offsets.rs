//! What points into the file by its distance from the beginning, and has to move when the index before it grows.

use super::boxes::Node;
use crate::error::{FileError, Result};

/// Where an index was, and by how much what lies after it moves.
#[derive(Clone, Copy, Debug)]
pub(super) struct Shift {
    /// First byte after the old index.
    pub(super) after: u64,
    /// How far everything from there on moves, bytes; below 0 towards the beginning.
    pub(super) by: i64,
}

impl Shift {
    fn moved(self, offset: u64) -> u64 {
        match offset >= self.after {
            true => offset.saturating_add_signed(self.by),
            false => offset,
        }
    }
}

/// How many entries a table has; refused where it tells more than it holds.
fn entries(node: &Node, at: usize, each: usize, what: &str) -> Result<usize> {
    let count = node.u32_at(at).unwrap_or(0) as usize;
    let there = node.body.len().saturating_sub(at + 4) / each;
    if count > there {
        return Err(FileError::damaged(
            what,
            format!("a table of its index tells {count} entries and holds {there}"),
        ));
    }
    Ok(count)
}

/// A number of some bytes, the highest first.
fn number_in(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0, |v, b| (v << 8) | u64::from(*b))
}

/// Moves an offset of 4 or 8 bytes where it stands; refused where it would need more bytes than it has.
fn shift_entry(bytes: &mut [u8], shift: Shift, what: &str) -> Result<()> {
    let moved = shift.moved(number_in(bytes)).to_be_bytes();
    let (above, kept) = moved.split_at(8 - bytes.len());
    if above.iter().any(|b| *b != 0) {
        return Err(FileError::unsupported(
            what,
            "one of its tables has 32 bits and would point beyond 4 GiB; move its index to the end first (ffmpeg -c copy)",
        ));
    }
    bytes.copy_from_slice(kept);
    Ok(())
}

/// Whether any chunk would lie beyond what 32 bits reach.
fn needs_wide(node: &Node, count: usize, shift: Shift) -> bool {
    let last = (0..count).filter_map(|i| node.u32_at(8 + 4 * i)).max();
    last.is_some_and(|o| shift.moved(u64::from(o)) > u64::from(u32::MAX))
}

/// By how many bytes tables of chunks grow because 32 bits do not reach any more after a shift.
pub(super) fn widened(index: &mut Node, shift: Shift, what: &str) -> Result<u64> {
    let mut more = 0;
    index.each(b"stco", &mut |stco| {
        let count = entries(stco, 4, 4, what)?;
        if needs_wide(stco, count, shift) {
            more += 4 * count as u64;
        }
        Ok(())
    })?;
    Ok(more)
}

/// Moves all that an index points at: chunks of samples, notes beside them.
pub(super) fn shift_index(index: &mut Node, shift: Shift, what: &str) -> Result<()> {
    index.each(b"stco", &mut |stco| {
        let count = entries(stco, 4, 4, what)?;
        let wide = needs_wide(stco, count, shift);
        let mut body = stco.body[..8].to_vec();
        for i in 0..count {
            let moved = shift.moved(u64::from(stco.u32_at(8 + 4 * i).unwrap_or(0)));
            match wide {
                true => body.extend(moved.to_be_bytes()),
                false => body.extend((moved as u32).to_be_bytes()),
            }
        }
        if !wide {
            body.extend(&stco.body[8 + 4 * count..]);
        } else {
            stco.kind = *b"co64";
        }
        stco.body = body;
        Ok(())
    })
}

/// Moves the entries of tables of 64 bits: before those of 32, some of which become such.
pub(super) fn shift_wide(index: &mut Node, shift: Shift, what: &str) -> Result<()> {
    index.each(b"co64", &mut |co64| {
        let count = entries(co64, 4, 8, what)?;
        for i in 0..count {
            let at = 8 + 8 * i;
            shift_entry(&mut co64.body[at..at + 8], shift, what)?;
        }
        Ok(())
    })?;
    index.each(b"saio", &mut |saio| shift_saio(saio, shift, what))
}

/// Offsets of notes beside samples (ISO/IEC 14496-12, 8.7.9).
fn shift_saio(saio: &mut Node, shift: Shift, what: &str) -> Result<()> {
    let Some(&[version, _, _, flags]) = saio.body.get(..4) else {
        return Ok(());
    };
    let at = if flags & 1 == 1 { 12 } else { 4 };
    let each = if version == 0 { 4 } else { 8 };
    let count = entries(saio, at, each, what)?;
    for i in 0..count {
        let place = at + 4 + each * i;
        shift_entry(&mut saio.body[place..place + each], shift, what)?;
    }
    Ok(())
}

/// Moves where still items that lie beside the film are found (`iloc` in `meta`, ISO/IEC 14496-12, 8.11.3): pieces that are told by their
/// distance from the file's beginning, an item's own and each piece's from there.
pub(super) fn shift_items(meta: &mut Node, shift: Shift, what: &str) -> Result<()> {
    let short = || FileError::damaged(what, "its list of items is cut short");
    // QuickTime's has no version before its boxes.
    let mut at = match meta.body.get(4..8) {
        Some(b"hdlr") => 0,
        _ => 4,
    };
    while at + 8 <= meta.body.len() {
        let rest = &meta.body[at..];
        let (size, kind, head, _) = super::boxes::header(rest, rest.len() as u64, what)?;
        let end = at + size as usize;
        if kind == *b"iloc" {
            shift_locations(&mut meta.body[at + head..end], shift, what).ok_or_else(short)??;
        }
        at = end;
    }
    Ok(())
}

/// The same for the list itself; nothing where it ends too early.
fn shift_locations(iloc: &mut [u8], shift: Shift, what: &str) -> Option<Result<()>> {
    let version = *iloc.first()?;
    let sizes = (*iloc.get(4)?, *iloc.get(5)?);
    let [offset, length, base] = [sizes.0 >> 4, sizes.0 & 15, sizes.1 >> 4].map(usize::from);
    let index = usize::from(if version == 0 { 0 } else { sizes.1 & 15 });
    if [offset, length, base, index]
        .iter()
        .any(|n| ![0, 4, 8].contains(n))
    {
        return None;
    }
    let mut at = 6;
    let mut take = |iloc: &[u8], bytes: usize| -> Option<(usize, u64)> {
        let place = at;
        at += bytes;
        Some((place, number_in(iloc.get(place..at)?)))
    };
    let wide = if version < 2 { 2 } else { 4 };
    let (_, items) = take(iloc, wide)?;
    for _ in 0..items {
        take(iloc, wide)?;
        // 0: from the file's beginning; 1: within the list's own data; 2: within another item.
        let method = match version {
            0 => 0,
            _ => take(iloc, 2)?.1 & 15,
        };
        let (_, source) = take(iloc, 2)?;
        let (base_at, base_told) = take(iloc, base)?;
        let (_, pieces) = take(iloc, 2)?;
        let mut places = Vec::new();
        for _ in 0..pieces {
            take(iloc, index)?;
            places.push(take(iloc, offset)?);
            take(iloc, length)?;
        }
        if method != 0 || source != 0 {
            continue;
        }
        let moves = |told: u64| base_told.saturating_add(told) >= shift.after;
        let all = places.iter().all(|(_, told)| moves(*told));
        let mut put = |place: usize, bytes: usize, told: u64| {
            let by = Shift { after: 0, ..shift };
            iloc[place..place + bytes].copy_from_slice(&told.to_be_bytes()[8 - bytes..]);
            shift_entry(&mut iloc[place..place + bytes], by, what)
        };
        let done = if all && base > 0 && !places.is_empty() {
            put(base_at, base, base_told)
        } else {
            (places.iter().filter(|(_, told)| moves(*told))).try_for_each(|(place, told)| match offset {
                0 => Err(FileError::unsupported(
                    what,
                    "its list of items cannot be moved; move its index to the end first (ffmpeg -c copy)",
                )),
                _ => put(*place, offset, *told),
            })
        };
        if let Err(e) = done {
            return Some(Err(e));
        }
    }
    Some(Ok(()))
}

/// Moves what a fragment points at by its distance from the file's beginning (ISO/IEC 14496-12, 8.8.7).
pub(super) fn shift_fragment(moof: &mut Node, shift: Shift, what: &str) -> Result<()> {
    moof.each(b"tfhd", &mut |tfhd| {
        // The flag that a base is told.
        let told = tfhd.body.get(3).is_some_and(|flags| flags & 1 == 1);
        if told && tfhd.body.len() >= 16 {
            shift_entry(&mut tfhd.body[8..16], shift, what)?;
        }
        Ok(())
    })
}

/// Moves where a list of fragments finds them (ISO/IEC 14496-12, 8.8.10).
pub(super) fn shift_fragment_list(mfra: &mut Node, shift: Shift, what: &str) -> Result<()> {
    mfra.each(b"tfra", &mut |tfra| {
        let Some(version) = tfra.body.first().copied() else {
            return Ok(());
        };
        let lengths = tfra.u32_at(8).unwrap_or(0);
        let length = |bits: u32| ((lengths >> bits) & 3) as usize + 1;
        let numbers = length(4) + length(2) + length(0);
        let (time, offset) = if version == 1 { (8, 8) } else { (4, 4) };
        let each = time + offset + numbers;
        let count = entries(tfra, 12, each, what)?;
        for i in 0..count {
            let at = 16 + each * i + time;
            shift_entry(&mut tfra.body[at..at + offset], shift, what)?;
        }
        Ok(())
    })
}

/// Moves where a list of segments finds the first one: it counts from its own end (ISO/IEC 14496-12, 8.16.3).
pub(super) fn shift_segments(sidx: &mut Node, end: u64, shift: Shift) {
    let Some(version) = sidx.body.first().copied() else {
        return;
    };
    let (at, each) = if version == 0 { (16, 4) } else { (20, 8) };
    let Some(bytes) = sidx.body.get_mut(at..at + each) else {
        return;
    };
    let moved = shift.moved(end.saturating_add(number_in(bytes)));
    let new = moved.saturating_sub(shift.moved(end));
    bytes.copy_from_slice(&new.to_be_bytes()[8 - each..]);
}
