//! Saying that a film is a sphere: its index is written anew, all else is copied unchanged.

use super::boxes::{Node, entries, is_sound, size_of};
use super::offsets::{
    Shift, shift_fragment, shift_fragment_list, shift_index, shift_items, shift_wide, widened,
};
use super::read::{Top, check_ending, index_of, is_matroska, load, main_track, tops, wrong_ratio};
use super::{Sphere, matroska, sa3d, sound, st3d, sv3d, uuid};
use crate::atomic;
use crate::error::{FileError, Result, display_name};
use crate::fingerprint::{Fingerprint, Summing};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

/// Bytes that are copied at a time. The system's own copying from file to file is no faster here, wherever the copy begins within a page
/// (docs/benchmarks.md).
const BLOCK: usize = 256 << 10;

/// What a film is to say.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FilmRequest {
    /// Its sphere; nothing takes off what is said.
    pub sphere: Option<Sphere>,
    /// Whether its four channels of sound are first-order ambisonics (ACN, SN3D); what is said about that stays if not.
    pub ambisonic: bool,
    /// Whether the media bytes are read again before and after, and compared.
    pub verify: bool,
}

/// A film that was written.
#[derive(Clone, Debug, PartialEq)]
pub struct Tagged {
    /// How many bytes it grew; below 0 it shrank.
    pub growth: i64,
    /// The SHA-256 of its media bytes, if they were compared.
    pub media: Option<Fingerprint>,
    /// What is to be said, one sentence each.
    pub notes: Vec<String>,
}

/// Writes `output` as `input` with other words about its sphere. They may be the same file: until all is written the old one stays.
pub fn tag(input: &Path, output: &Path, request: &FilmRequest) -> Result<Tagged> {
    let matroska = is_matroska(input);
    check_ending(output, matroska)?;
    if matroska {
        return matroska::tag(input, output, request);
    }
    let name = display_name(input);
    let mut file = File::open(input).map_err(FileError::io("Reading", input))?;
    let tops = tops(&mut file, input)?;
    let top = index_of(&tops, input)?;
    let (mut index, _memory) = load(&mut file, &top, input)?;
    if index.child(b"cmov").is_some() {
        return Err(FileError::unsupported(
            name,
            "its index is compressed; copy it into an .mp4 with ffmpeg first",
        ));
    }
    let track =
        main_track(&index).ok_or_else(|| FileError::damaged(&name, "it has no moving picture"))?;
    let size = size_of(&index.children[track]).unwrap_or((0, 0));
    let mut notes = Vec::new();
    if let Some(sphere) = &request.sphere {
        notes.extend(wrong_ratio(size, sphere));
    }
    clear(&mut index);
    if request.sphere.is_none() || request.ambisonic {
        each_sound_entry(&mut index, |_, entry| {
            entry.children.retain(|c| c.kind != *sa3d::KIND);
        });
    }
    if request.ambisonic {
        let sounds = index.children.iter().filter(|c| is_sound(c));
        let channels: Vec<u16> = sounds.filter_map(sound::channels).collect();
        if !channels.contains(&sa3d::CHANNELS) {
            return Err(FileError::unsupported(
                name,
                format!(
                    "first-order ambisonics are four channels of sound, and it has {}; leave --ambisonic out, or lay such a sound under it",
                    channels.first().unwrap_or(&0)
                ),
            ));
        }
        each_sound_entry(&mut index, |channels, entry| {
            if channels == Some(sa3d::CHANNELS) {
                entry.children.push(sa3d::write());
            }
        });
    }
    if let Some(sphere) = &request.sphere {
        mark(&mut index.children[track], sphere, size);
    }
    let mut shift = Shift {
        after: top.end(),
        by: index.size() as i64 - top.size as i64,
    };
    // Tables that grow move everything once more.
    loop {
        let by = index.size() as i64 - top.size as i64 + widened(&mut index, shift, &name)? as i64;
        if by == shift.by {
            break;
        }
        shift.by = by;
    }
    shift_wide(&mut index, shift, &name)?;
    shift_index(&mut index, shift, &name)?;
    let mut bytes = Vec::new();
    index.write(&mut bytes);
    let before = request
        .verify
        .then(|| media(&mut file, &tops, input))
        .transpose()?;
    atomic::write(output, |out| {
        let failed = || FileError::io("Writing", output);
        let mut copy = Copying {
            file: &mut file,
            input,
            output,
            from: 0,
            to: 0,
        };
        for part in &tops {
            let changed = match &part.kind {
                b"moov" => Some(bytes.clone()),
                b"moof" | b"mfra" | b"sidx" | b"meta" if shift.by != 0 => {
                    copy.moved(part, shift)?
                }
                _ => None,
            };
            if let Some(changed) = changed {
                copy.flush(out)?;
                out.write_all(&changed).map_err(failed())?;
                copy.from = part.end();
            }
            copy.to = part.end();
        }
        copy.flush(out)?;
        let Some(before) = before else {
            return Ok(());
        };
        // What lies beside is read, before it takes the place of anything.
        out.flush().map_err(failed())?;
        let mut written = out.get_ref().try_clone().map_err(failed())?;
        let parts = super::read::tops(&mut written, output)?;
        match media(&mut written, &parts, output)? == before {
            true => Ok(()),
            false => Err(other_media(output)),
        }
    })?;
    Ok(Tagged {
        growth: shift.by,
        media: before,
        notes,
    })
}

/// What is written is not what was read.
pub(super) fn other_media(output: &Path) -> FileError {
    FileError::damaged(
        display_name(output),
        "its media bytes are not those of the film it was made of, so it was not kept; write it to another disk",
    )
}

/// Does something with every sample entry of its sounds, which is told how many channels its track has.
fn each_sound_entry(index: &mut Node, change: impl Fn(Option<u16>, &mut Node)) {
    for track in index.children.iter_mut().filter(|c| is_sound(c)) {
        let channels = sound::channels(track);
        if let Some(list) = track.at_mut(&[b"mdia", b"minf", b"stbl", b"stsd"]) {
            (list.children.iter_mut()).for_each(|entry| change(channels, entry));
        }
    }
}

/// Takes off both forms wherever they are.
fn clear(index: &mut Node) {
    for track in index.children.iter_mut().filter(|c| c.kind == *b"trak") {
        track.children.retain(|c| !uuid::is_ours(c));
        if let Some(list) = track.at_mut(&[b"mdia", b"minf", b"stbl", b"stsd"]) {
            for entry in &mut list.children {
                entry
                    .children
                    .retain(|c| c.kind != *st3d::KIND && c.kind != *sv3d::KIND);
            }
        }
    }
}

/// Puts both forms on a track.
fn mark(track: &mut Node, sphere: &Sphere, size: (u32, u32)) {
    debug_assert!(!entries(track).is_empty());
    if let Some(list) = track.at_mut(&[b"mdia", b"minf", b"stbl", b"stsd"]) {
        for entry in &mut list.children {
            entry.children.push(st3d::write(sphere.stereo));
            entry.children.push(sv3d::write(sphere));
        }
    }
    track.children.extend(uuid::write(sphere, size));
}

/// Ranges of a file that are copied as they are.
struct Copying<'a> {
    file: &'a mut File,
    input: &'a Path,
    output: &'a Path,
    from: u64,
    to: u64,
}

impl Copying<'_> {
    /// Copies what is waiting.
    fn flush(&mut self, out: &mut std::io::BufWriter<File>) -> Result<()> {
        if self.to > self.from {
            let failed = || FileError::io("Copying", self.output);
            out.flush().map_err(failed())?;
            self.file
                .seek(SeekFrom::Start(self.from))
                .map_err(FileError::io("Reading", self.input))?;
            let mut block = vec![0; BLOCK];
            while self.from < self.to {
                // Up to where whole pages are read.
                let block_end = BLOCK as u64 - self.from % BLOCK as u64;
                let want = block_end.min(self.to - self.from) as usize;
                self.file.read_exact(&mut block[..want]).map_err(|e| {
                    FileError::damaged(
                        display_name(self.input),
                        format!("it cannot be read to its end ({e})"),
                    )
                })?;
                out.get_mut().write_all(&block[..want]).map_err(failed())?;
                self.from += want as u64;
            }
        }
        Ok(())
    }

    /// A box that points into the file, with what it points at moved; nothing if it points at nothing that moved.
    fn moved(&mut self, part: &Top, shift: Shift) -> Result<Option<Vec<u8>>> {
        let name = display_name(self.input);
        let (mut node, _memory) = load(self.file, part, self.input)?;
        let before = node.clone();
        match &part.kind {
            b"moof" => shift_fragment(&mut node, shift, &name)?,
            b"mfra" => shift_fragment_list(&mut node, shift, &name)?,
            b"meta" => shift_items(&mut node, shift, &name)?,
            _ => super::offsets::shift_segments(&mut node, part.end(), shift),
        }
        if node == before {
            return Ok(None);
        }
        let mut bytes = Vec::new();
        node.write(&mut bytes);
        Ok(Some(bytes))
    }
}

/// The SHA-256 of what lies in a film's media boxes.
fn media(file: &mut File, tops: &[Top], path: &Path) -> Result<Fingerprint> {
    let failed = || FileError::io("Reading", path);
    let mut sum = Summing::default();
    let mut buffer = vec![0; 1 << 20];
    for part in tops.iter().filter(|t| t.kind == *b"mdat") {
        file.seek(SeekFrom::Start(part.start + part.head))
            .map_err(failed())?;
        let mut left = part.size - part.head;
        while left > 0 {
            let want = buffer.len().min(left as usize);
            file.read_exact(&mut buffer[..want]).map_err(failed())?;
            sum.add(&buffer[..want]);
            left -= want as u64;
        }
    }
    Ok(sum.finish())
}
