//! Where the parts of a Matroska film lie, and writing it with other tracks: parts move, and what points at them follows.

use super::ebml::{self, Element, Holds, VOID, head, id_bytes, written_size};
use super::{
    ATTACHMENTS, CHAPTERS, CLUSTER, CLUSTER_POSITION, CUE_CLUSTER_POSITION, CUE_CODEC_STATE, CUES,
    DOC_TYPE_VERSION, EBML, INFO, SEEK_HEAD, SEEK_POSITION, SEGMENT, TAGS, TRACKS, VIDEO, follow,
    main_track, mark, size_of, sound_of, unsaid,
};
use crate::atomic;
use crate::budget::Claim;
use crate::error::{FileError, Result, display_name};
use crate::film::read::wrong_ratio;
use crate::film::tag::other_media;
use crate::film::{FilmRequest, Tagged};
use crate::fingerprint::{Fingerprint, Summing};
use std::collections::HashMap;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

/// Largest part that is read into memory, bytes: the cues of days have a few megabytes.
const LARGEST: u64 = 512 << 20;
/// Most parts of a segment: a cluster a second for two weeks.
const MOST_PARTS: usize = 1_000_000;
/// Longest head of an element, bytes.
const HEAD: u64 = 12;
/// Version of the document from which on there are projections.
const WITH_PROJECTION: u64 = 4;
/// Bytes that are copied at a time.
const BLOCK: usize = 256 << 10;

/// A part of the segment.
#[derive(Clone, Copy, Debug)]
struct Part {
    id: u32,
    /// Where it begins in the file.
    start: u64,
    /// Its bytes with its head.
    size: u64,
    /// Bytes of its head.
    head: u64,
    /// A cluster's own word about where it is: where its number begins, and its bytes.
    position: Option<(u64, usize)>,
    /// Where the number of a cluster's check sum is, if it has one.
    sum: Option<u64>,
}

/// Where everything lies.
pub(super) struct Map {
    /// Bytes of what comes before the segment.
    before: u64,
    /// Bytes of the segment's head, and whether it tells its size.
    head: u64,
    sized: bool,
    /// Where the segment ends.
    end: u64,
    parts: Vec<Part>,
}

/// Whether an element lies in the segment itself: such a one ends a cluster that does not tell its size.
fn at_top(id: u32) -> bool {
    [
        CLUSTER,
        CUES,
        TAGS,
        CHAPTERS,
        ATTACHMENTS,
        SEEK_HEAD,
        INFO,
        TRACKS,
        SEGMENT,
        EBML,
    ]
    .contains(&id)
}

fn head_at(file: &mut File, at: u64, path: &Path) -> Result<Option<ebml::Head>> {
    let io = || FileError::io("Reading", path);
    file.seek(SeekFrom::Start(at)).map_err(io())?;
    let mut bytes = Vec::with_capacity(HEAD as usize);
    (&mut *file)
        .take(HEAD)
        .read_to_end(&mut bytes)
        .map_err(io())?;
    Ok(head(&bytes))
}

impl Map {
    /// Looks through a film from head to head.
    pub(super) fn of(file: &mut File, path: &Path) -> Result<Self> {
        let bad = |detail: &str| FileError::damaged(display_name(path), detail);
        let length = file
            .seek(SeekFrom::End(0))
            .map_err(FileError::io("Reading", path))?;
        let first = head_at(file, 0, path)?.filter(|h| h.id == EBML);
        let first = first.ok_or_else(|| bad("it does not begin as Matroska does"))?;
        let known = first
            .size
            .ok_or_else(|| bad("its first element has no size"))?;
        let before = known
            .checked_add(first.length as u64)
            .filter(|b| *b < length)
            .ok_or_else(|| bad("it ends within its first element"))?;
        let segment = head_at(file, before, path)?.filter(|h| h.id == SEGMENT);
        let segment = segment.ok_or_else(|| bad("it has no segment behind its first element"))?;
        let start = before + segment.length as u64;
        // One that was cut short goes on as far as it is there.
        let end = (segment.size)
            .and_then(|s| start.checked_add(s))
            .map_or(length, |end| end.min(length));
        let mut parts = Vec::new();
        let mut at = start;
        while at < end {
            if parts.len() == MOST_PARTS {
                return Err(bad("it has more parts than any film"));
            }
            let Some(head) = head_at(file, at, path)? else {
                return Err(bad("one of its parts ends within its own head"));
            };
            let mut part = Part {
                id: head.id,
                start: at,
                size: 0,
                head: head.length as u64,
                position: None,
                sum: None,
            };
            let told = head.size.and_then(|s| s.checked_add(part.head));
            // A last cluster that was cut short ends with the file.
            part.size = match told {
                Some(size) if size <= end - at => size,
                Some(_) if head.id == CLUSTER => end - at,
                None if head.id == CLUSTER && head.size.is_none() => {
                    unsized_cluster(file, &part, end, path)?
                }
                _ => return Err(bad("one of its parts tells more bytes than are left")),
            };
            if head.id == CLUSTER {
                (part.position, part.sum) = words_in(file, &part, path)?;
            }
            at += part.size;
            parts.push(part);
        }
        Ok(Self {
            before,
            head: segment.length as u64,
            sized: segment.size.is_some(),
            end,
            parts,
        })
    }

    /// The first part of a name, in memory.
    pub(super) fn load(&self, file: &mut File, id: u32, path: &Path) -> Result<(Element, Claim)> {
        let part = self.parts.iter().find(|p| p.id == id);
        let part = part.ok_or_else(|| {
            FileError::damaged(
                display_name(path),
                "it has no tracks: it was cut short while it was written, or is no film",
            )
        })?;
        load(file, part.start, part.size, path)
    }

    /// The place of a byte of the file in the segment.
    fn within(&self, at: u64) -> u64 {
        at - self.before - self.head
    }
}

/// Where a cluster ends that does not say it: before the next part of the segment.
fn unsized_cluster(file: &mut File, part: &Part, end: u64, path: &Path) -> Result<u64> {
    let mut at = part.start + part.head;
    while at < end {
        let Some(head) = head_at(file, at, path)?.filter(|h| !at_top(h.id)) else {
            break;
        };
        let Some(next) = head
            .size
            .and_then(|s| at.checked_add(head.length as u64 + s))
        else {
            break;
        };
        at = next.min(end);
    }
    Ok(at - part.start)
}

/// Where a cluster says where it is, and its check sum: among the first of what it holds.
type Words = (Option<(u64, usize)>, Option<u64>);

fn words_in(file: &mut File, part: &Part, path: &Path) -> Result<Words> {
    let end = part.start + part.size;
    let (mut at, mut sum) = (part.start + part.head, None);
    for _ in 0..4 {
        let head = head_at(file, at, path)?;
        let Some((head, size)) = head.and_then(|h| Some((h, h.size.filter(|s| *s <= 16)?))) else {
            break;
        };
        let data = at + head.length as u64;
        if data + size > end {
            break;
        }
        match head.id {
            ebml::CRC if size == 4 => sum = Some(data),
            CLUSTER_POSITION if (1..=8).contains(&size) => {
                return Ok((Some((data, size as usize)), sum));
            }
            _ => {}
        }
        at = data + size;
    }
    Ok((None, sum))
}

fn load(file: &mut File, start: u64, size: u64, path: &Path) -> Result<(Element, Claim)> {
    let name = display_name(path);
    if size > LARGEST {
        return Err(FileError::TooLarge {
            what: name,
            detail: format!("one of its parts has {size} bytes"),
        });
    }
    let mut memory = Claim::default();
    // The bytes, and the tree of them.
    memory.grow(size * 4, &name)?;
    let io = || FileError::io("Reading", path);
    file.seek(SeekFrom::Start(start)).map_err(io())?;
    let mut bytes = Vec::new();
    (&mut *file)
        .take(size)
        .read_to_end(&mut bytes)
        .map_err(io())?;
    Ok((Element::read(&bytes, &follow, &name)?, memory))
}

/// Where parts begin now, by where they began in the segment: both rise.
type Moved = Vec<(u64, u64)>;

/// Where a place of the segment is now.
fn now_at(moved: &Moved, place: u64) -> u64 {
    let i = moved.partition_point(|(then, _)| *then <= place);
    match i.checked_sub(1).map(|i| moved[i]) {
        Some((then, now)) => now.saturating_add(place - then),
        None => place,
    }
}

/// Lets everything within an element that points at a part point at where it is now.
fn follow_moves(element: &mut Element, moved: &Moved) {
    let points = [SEEK_POSITION, CUE_CLUSTER_POSITION, CUE_CODEC_STATE].contains(&element.id);
    if points && let Some(place) = element.as_number() {
        let now = now_at(moved, place);
        let least = element.data().len();
        let mut bytes = now.to_be_bytes().to_vec();
        let needed = 8 - (now.leading_zeros() as usize / 8).min(7);
        bytes.drain(..8 - needed.max(least).min(8));
        element.holds = Holds::Bytes(bytes);
    }
    for e in element.elements_mut().into_iter().flatten() {
        follow_moves(e, moved);
    }
}

fn bytes_of(element: &Element) -> Vec<u8> {
    let mut bytes = Vec::new();
    element.write(&mut bytes);
    bytes
}

/// Writes `output` as `input` with other words about its sphere.
pub(in crate::film) fn tag(input: &Path, output: &Path, request: &FilmRequest) -> Result<Tagged> {
    let name = display_name(input);
    let mut file = File::open(input).map_err(FileError::io("Reading", input))?;
    let map = Map::of(&mut file, input)?;
    let mut memory = Vec::new();
    // What is written anew: the tracks, and what points at parts.
    let mut anew: HashMap<u64, Element> = HashMap::new();
    let mut notes = Vec::new();
    let mut found = false;
    for part in &map.parts {
        if ![TRACKS, SEEK_HEAD, CUES].contains(&part.id) {
            continue;
        }
        let (mut element, claim) = load(&mut file, part.start, part.size, input)?;
        memory.push(claim);
        if part.id == TRACKS && !found {
            found = true;
            let main = main_track(&element)
                .ok_or_else(|| FileError::damaged(&name, "it has no moving picture"))?;
            notes.extend(unsaid(request, sound_of(&element)));
            if let Some(sphere) = &request.sphere {
                let size = size_of(&element.elements()[main]).unwrap_or((0, 0));
                notes.extend(wrong_ratio(size, sphere));
            }
            for (i, track) in element.elements_mut().into_iter().flatten().enumerate() {
                let video = track.elements_mut().into_iter().flatten();
                for v in video.filter(|e| e.id == VIDEO) {
                    if let Some(all) = v.elements_mut() {
                        mark(all, request.sphere.as_ref().filter(|_| i == main));
                    }
                }
            }
        }
        anew.insert(part.start, element);
    }
    if !found {
        return Err(FileError::damaged(
            &name,
            "it has no tracks: it was cut short while it was written, or is no film",
        ));
    }
    // Numbers that grow move everything once more.
    let mut moved = Moved::new();
    loop {
        let mut now = Moved::new();
        let mut at = 0;
        for part in &map.parts {
            now.push((map.within(part.start), at));
            let size = (anew.get(&part.start)).map_or(part.size, |e| bytes_of(e).len() as u64);
            at += size;
        }
        if now == moved {
            break;
        }
        // Each number points at where its part was: it is looked up from the file's own words every time.
        for part in map.parts.iter().filter(|p| p.id != TRACKS) {
            if let Some(element) = anew.get_mut(&part.start) {
                let widths = element.clone();
                *element = load(&mut file, part.start, part.size, input)?.0;
                keep_widths(element, &widths);
                follow_moves(element, &now);
            }
        }
        moved = now;
    }
    let (mut first, _claim) = load(&mut file, 0, map.before, input)?;
    if request.sphere.is_some() {
        for e in first.elements_mut().into_iter().flatten() {
            if e.id == DOC_TYPE_VERSION && e.as_number().is_some_and(|v| v < WITH_PROJECTION) {
                *e = Element::number(DOC_TYPE_VERSION, WITH_PROJECTION);
            }
        }
    }
    let first = bytes_of(&first);
    let size: u64 = map
        .parts
        .iter()
        .map(|p| (anew.get(&p.start)).map_or(p.size, |e| bytes_of(e).len() as u64))
        .sum();
    let width = map.head as usize - id_bytes(SEGMENT).len();
    let mut segment = id_bytes(SEGMENT);
    segment.extend(match map.sized {
        true => written_size(size, width),
        false => ebml::unknown_size(width),
    });
    let before = (request.verify)
        .then(|| media(&mut file, &map, input))
        .transpose()?;
    let length = file
        .seek(SeekFrom::End(0))
        .map_err(FileError::io("Reading", input))?;
    atomic::write(output, |out| {
        let failed = || FileError::io("Writing", output);
        out.write_all(&first).map_err(failed())?;
        out.write_all(&segment).map_err(failed())?;
        for part in &map.parts {
            match anew.get(&part.start) {
                Some(element) => out.write_all(&bytes_of(element)).map_err(failed())?,
                None => copy_part(&mut file, part, (&map, &moved), (input, output), out)?,
            }
        }
        // What follows the segment stays.
        copy(&mut file, map.end, length, (input, output), out)?;
        let Some(before) = before else {
            return Ok(());
        };
        // What lies beside is read, before it takes the place of anything.
        out.flush().map_err(failed())?;
        let mut written = out.get_ref().try_clone().map_err(failed())?;
        let map = Map::of(&mut written, output)?;
        match media(&mut written, &map, output)? == before {
            true => Ok(()),
            false => Err(other_media(output)),
        }
    })?;
    let grown = first.len() as i64 - map.before as i64 + segment.len() as i64 - map.head as i64;
    Ok(Tagged {
        growth: grown + size as i64 - (map.end - map.before - map.head) as i64,
        media: before,
        notes,
    })
}

/// Numbers never get narrower again while their parts are being moved.
fn keep_widths(element: &mut Element, as_in: &Element) {
    if let (Holds::Bytes(now), Holds::Bytes(then)) = (&mut element.holds, &as_in.holds)
        && now.len() < then.len()
        && then.len() <= 8
    {
        let mut wide = vec![0; then.len() - now.len()];
        wide.append(now);
        *now = wide;
    }
    let pairs = element.elements_mut().into_iter().flatten();
    for (now, then) in pairs.zip(as_in.elements()) {
        keep_widths(now, then);
    }
}

/// Copies a part; a cluster that says where it is says it anew, and a check sum of the whole segment, which nothing but reading all of it
/// could make right, becomes an empty element.
fn copy_part(
    file: &mut File,
    part: &Part,
    (map, moved): (&Map, &Moved),
    paths: (&Path, &Path),
    out: &mut impl Write,
) -> Result<()> {
    let failed = || FileError::io("Writing", paths.1);
    if part.id == ebml::CRC && part.size >= 2 {
        let mut void = id_bytes(VOID);
        void.extend(written_size(part.size - 2, 1));
        void.resize(part.size as usize, 0);
        return out.write_all(&void).map_err(failed());
    }
    let end = part.start + part.size;
    let mut at = part.start;
    if let Some((place, width)) = part.position {
        let now = now_at(moved, map.within(part.start));
        let bytes = now.to_be_bytes();
        // Where it does not fit any more it is left at 0, which means that it is not known.
        let fits = bytes[..8 - width].iter().all(|b| *b == 0);
        let told = if fits {
            &bytes[8 - width..]
        } else {
            &[0; 8][..width]
        };
        if let Some(sum) = part.sum {
            let mut crc = Crc(crc32fast::Hasher::new());
            copy(file, sum + 4, place, paths, &mut crc)?;
            crc.0.update(told);
            copy(file, place + width as u64, end, paths, &mut crc)?;
            copy(file, at, sum, paths, out)?;
            let crc = crc.0.finalize().to_le_bytes();
            out.write_all(&crc).map_err(failed())?;
            at = sum + 4;
        }
        copy(file, at, place, paths, out)?;
        out.write_all(told).map_err(failed())?;
        at = place + width as u64;
    }
    copy(file, at, end, paths, out)
}

/// A check sum of what is written to it.
struct Crc(crc32fast::Hasher);

impl Write for Crc {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// Copies bytes of the input.
fn copy(
    file: &mut File,
    from: u64,
    to: u64,
    (input, output): (&Path, &Path),
    out: &mut impl Write,
) -> Result<()> {
    file.seek(SeekFrom::Start(from))
        .map_err(FileError::io("Reading", input))?;
    let mut block = vec![0; BLOCK.min(to.saturating_sub(from) as usize)];
    let mut left = to.saturating_sub(from);
    while left > 0 {
        let want = block.len().min(left as usize);
        file.read_exact(&mut block[..want]).map_err(|e| {
            FileError::damaged(
                display_name(input),
                format!("it cannot be read to its end ({e})"),
            )
        })?;
        out.write_all(&block[..want])
            .map_err(FileError::io("Copying", output))?;
        left -= want as u64;
    }
    Ok(())
}

/// The SHA-256 of what lies in a film's clusters, without where they say they are.
fn media(file: &mut File, map: &Map, path: &Path) -> Result<Fingerprint> {
    let mut sum = Summing::default();
    let mut buffer = vec![0; BLOCK];
    for part in map.parts.iter().filter(|p| p.id == CLUSTER) {
        let end = part.start + part.size;
        let mut ranges = vec![(part.start + part.head, end)];
        if let Some((at, width)) = part.position {
            // The check sum is over that too.
            let from = part.sum.map_or(part.start + part.head, |sum| sum + 4);
            ranges = vec![(from, at), (at + width as u64, end)];
        }
        for (from, to) in ranges {
            file.seek(SeekFrom::Start(from))
                .map_err(FileError::io("Reading", path))?;
            let mut left = to - from;
            while left > 0 {
                let want = buffer.len().min(left as usize);
                file.read_exact(&mut buffer[..want])
                    .map_err(FileError::io("Reading", path))?;
                sum.add(&buffer[..want]);
                left -= want as u64;
            }
        }
    }
    Ok(sum.finish())
}
