//! Sounds under films: which can be, and how they are handed to ffmpeg.

use super::{Result, WorkError};
use dome_files::FileError;
use std::io::Read;
use std::path::Path;
use std::process::Command;

/// Channels of first-order ambisonics (ACN order, SN3D): a sphere of sound.
pub const AMBISONIC: u16 = 4;

fn refuse<T>(sentence: String) -> Result<T> {
    Err(WorkError::Request(sentence))
}

/// The channels of a sound that can be under a film: one, two, or the four of first-order ambisonics.
pub fn channels(path: &Path) -> Result<u16> {
    let name = dome_files::error::display_name(path);
    // What it holds is told at its beginning.
    let mut head = Vec::new();
    std::fs::File::open(path)
        .and_then(|f| f.take(1 << 16).read_to_end(&mut head))
        .map_err(FileError::io("Reading", path))?;
    let wave = (head.starts_with(b"RIFF") || head.starts_with(b"RF64"))
        && head.get(8..12) == Some(b"WAVE");
    let format = head.windows(4).position(|w| w == b"fmt ");
    let channels = format
        .filter(|_| wave)
        .and_then(|at| head.get(at + 10..at + 12))
        .map(|b| u16::from_le_bytes([b[0], b[1]]));
    match channels {
        Some(n @ (1 | 2 | AMBISONIC)) => Ok(n),
        Some(n) => refuse(format!(
            "{name} has {n} channels; films take one, two, or the four of first-order ambisonics (W, Y, Z, X). Mix it down."
        )),
        None => refuse(format!(
            "{name} is no WAV; add a .wav of one or two channels, or of four of first-order ambisonics."
        )),
    }
}

/// Lays a sound under the pictures, as long as they are. The four channels of ambisonics stay apart: in MP4 their layout is the one of
/// four single loudspeakers that AAC keeps as it is, and nothing of the coder looks for what channels have in common; in Matroska it is
/// Opus that can say what they are (mapping family 2, RFC 8486).
pub(super) fn under(
    command: &mut Command,
    (sound, channels): (&Path, u16),
    matroska: bool,
    lasts_s: f64,
) {
    command.arg("-i").arg(sound);
    command.args(["-map", "0:v", "-map", "1:a"]);
    if channels == AMBISONIC {
        command.args(["-af", "pan=4.0|c0=c0|c1=c1|c2=c2|c3=c3", "-b:a", "512k"]);
        if matroska {
            command.args(["-c:a", "libopus", "-mapping_family", "2"]);
        } else {
            command.args(["-c:a", "aac", "-aac_is", "0", "-aac_pns", "0"]);
            command.args(["-aac_ms", "0", "-aac_coder", "fast"]);
        }
    } else {
        command.args(["-c:a", "aac", "-b:a", "256k"]);
    }
    command.args(["-t", &format!("{lasts_s:.6}")]);
}
