//! Films from finished frames: found, checked, handed to ffmpeg, and marked as spheres.

use super::film_frames::{FilmFrames, write_frame};
use super::meanwhile::meanwhile;
use super::sound;
use super::{Result, WorkError};
use dome_files::beside::Beside;
use dome_files::film::{self, FilmRequest, Sphere};
use dome_files::{FileError, atomic};
use dome_optics::path::Rate;
use dome_rules::levels::Coding;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;

/// How a film is encoded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Codec {
    /// H.264, which everything plays.
    H264,
    /// H.265, for large pictures.
    H265,
    /// AV1, without fees, for the web.
    Av1,
    /// ProRes 422 HQ, for editors.
    ProRes,
}

impl Codec {
    /// All of them by name.
    pub const ALL: [(&'static str, Self); 4] = [
        ("h264", Self::H264),
        ("h265", Self::H265),
        ("av1", Self::Av1),
        ("prores", Self::ProRes),
    ];

    /// Quality if none is told: what the eye takes for the frames themselves (common practice, no source).
    pub fn usual_quality(self) -> Option<u8> {
        match self {
            Self::H264 => Some(18),
            Self::H265 => Some(20),
            Self::Av1 => Some(26),
            Self::ProRes => None,
        }
    }

    /// The encoding whose levels are known.
    pub fn coding(self) -> Option<Coding> {
        match self {
            Self::H264 => Some(Coding::H264),
            Self::H265 => Some(Coding::H265),
            _ => None,
        }
    }

    /// Whether pixels share colours by two both ways: then sides must be even.
    fn halves_colours(self) -> bool {
        self != Self::ProRes
    }
}

/// How a film is to be made.
#[derive(Clone, Debug)]
pub struct FilmMaking {
    /// Frames a second.
    pub rate: Rate,
    /// The encoding.
    pub codec: Codec,
    /// Quality: lower is better; the encoding's usual one if absent.
    pub quality: Option<u8>,
    /// Kilobits a second in place of a quality.
    pub kilobits: Option<u32>,
    /// A sound file.
    pub sound: Option<PathBuf>,
    /// One picture for so many seconds.
    pub hold_s: Option<f64>,
    /// Exposure of linear frames, stops.
    pub stops: f32,
    /// What it says about its sphere; nothing says nothing.
    pub sphere: Option<Sphere>,
}

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// How a film was made.
pub struct FilmMade {
    /// Frames in it.
    pub frames: u64,
    /// What is to be said, one sentence each.
    pub notes: Vec<String>,
}

/// Makes a film of frames. `told` hears how many of them are in it by now, and how many there are to be, and ends it by saying no.
pub fn make(
    frames: &FilmFrames,
    output: &Path,
    making: &FilmMaking,
    told: &(dyn Fn(u64, u64) -> bool + Sync),
) -> Result<FilmMade> {
    let (width, height) = frames.size;
    if making.codec.halves_colours() && (width % 2 == 1 || height % 2 == 1) {
        return refuse(format!(
            "The frames are {width} x {height} px, and films need even sides; render them with an even width and height."
        ));
    }
    if making.hold_s.is_some() && frames.frames.len() != 1 {
        return refuse(format!(
            "--hold shows one picture, and there are {}; name one of them, or leave --hold out.",
            frames.frames.len()
        ));
    }
    let folder = match output.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    let beside = Beside::new(folder)?;
    let ending = output.extension().unwrap_or_default();
    let raw = beside.join("film").with_extension(ending);
    // A still is encoded for a second, which is then repeated.
    let second = making.rate.per_second().round().max(1.0) as u64;
    let total = match making.hold_s {
        Some(_) => second,
        None => frames.frames.len() as u64,
    };
    let channels = making.sound.as_deref().map(sound::channels).transpose()?;
    let matroska = ending.eq_ignore_ascii_case("mkv");
    let heard = channels.filter(|_| making.hold_s.is_none());
    let mut command = encoder(frames, making, heard, matroska);
    command.arg(&raw);
    let encoded = run(command, total, told, |to, go_on| {
        for i in 0..total {
            if !go_on() {
                return refuse("The film was stopped.");
            }
            let files = frames.frames.get(i as usize).unwrap_or(&frames.frames[0]);
            write_frame(files, frames, making.stops, to)?;
        }
        Ok(())
    })?;
    if encoded != total {
        return refuse(format!(
            "ffmpeg made a film of {encoded} frames and not of {total}; one of them may be broken: render them again with --continue, or open each."
        ));
    }
    let mut count = encoded;
    let mut done = raw.clone();
    if let Some(hold) = making.hold_s {
        done = beside.join("held").with_extension(ending);
        count = (hold * making.rate.per_second()).round().max(1.0) as u64;
        let mut command = repeating(&raw, hold, making, (channels, matroska));
        command.arg(&done);
        run(command, 0, told, |_, _| Ok(()))?;
    }
    let mut notes = Vec::new();
    let request = FilmRequest {
        sphere: making.sphere,
        ambisonic: channels == Some(sound::AMBISONIC),
        verify: false,
    };
    // Under its own name, which errors tell; it comes to its place in one step, which a kill cannot leave half done.
    let tagged = beside
        .join("tagged")
        .join(output.file_name().unwrap_or_default());
    std::fs::create_dir(beside.join("tagged")).map_err(FileError::io("Writing", output))?;
    notes.extend(film::tag(&done, &tagged, &request)?.notes);
    atomic::keep(&tagged, output)?;
    if let Some(coding) = making.codec.coding() {
        let rate = making.rate.per_second();
        notes.extend(dome_rules::levels::warning(coding, frames.size, rate));
    }
    Ok(FilmMade {
        frames: count,
        notes,
    })
}

/// How often it is looked whether ffmpeg has ended.
const POLLED: Duration = Duration::from_millis(20);

fn ffmpeg() -> Command {
    let mut command = Command::new("ffmpeg");
    command.args([
        "-hide_banner",
        "-nostdin",
        "-v",
        "error",
        "-xerror",
        "-y",
        "-progress",
        "pipe:1",
    ]);
    command
}

/// Pixels of a frame from which on encoders look ahead and work side by side on fewer frames: each one that they hold has a hundred
/// megabytes, and all cores are busy within one.
const LARGE: u64 = 4096 * 4096;
/// Most threads that work on frames side by side then.
const MOST_THREADS: usize = 4;

fn is_large((width, height): (u32, u32)) -> bool {
    u64::from(width) * u64::from(height) > LARGE
}

fn threads() -> String {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    cores.min(MOST_THREADS).to_string()
}

/// The command that encodes frames from its input, with the sound beside them if its `channels` are told.
fn encoder(
    frames: &FilmFrames,
    making: &FilmMaking,
    channels: Option<u16>,
    matroska: bool,
) -> Command {
    let mut command = ffmpeg();
    let rate = making.rate.to_string();
    if frames.as_they_are() {
        command.args(["-f", "image2pipe", "-c:v", "mjpeg"]);
    } else {
        let size = format!("{}x{}", frames.size.0, frames.size.1);
        let pixels = if frames.deep { "rgb48le" } else { "rgb24" };
        command.args(["-f", "rawvideo", "-pixel_format", pixels]);
        command.args(["-video_size", &size]);
    }
    command.args(["-framerate", &rate, "-i", "pipe:0"]);
    if let Some((sound, channels)) = making.sound.as_deref().zip(channels) {
        let lasts_s = frames.frames.len() as f64 / making.rate.per_second();
        sound::under(&mut command, (sound, channels), matroska, lasts_s);
    }
    let format = match making.codec {
        Codec::ProRes => "yuv422p10le",
        _ => "yuv420p",
    };
    // Only the matrix and the range are changed: sRGB's and BT.709's primaries are the same, and players take one curve for the other.
    let filter = format!(
        "scale=out_color_matrix=bt709:out_range=tv:flags=bicubic+accurate_rnd+full_chroma_int,format={format},setparams=color_primaries=bt709:color_trc=bt709:colorspace=bt709:range=tv"
    );
    command.args([
        "-vf",
        &filter,
        "-color_primaries",
        "bt709",
        "-color_trc",
        "bt709",
    ]);
    command.args(["-colorspace", "bt709", "-color_range", "tv"]);
    let quality = making.quality.or(making.codec.usual_quality());
    let quality = quality.unwrap_or(0).to_string();
    let large = is_large(frames.size);
    match making.codec {
        Codec::H264 => {
            command.args(["-c:v", "libx264", "-preset", "medium"]);
            match large {
                true => command.args(["-rc-lookahead", "10", "-threads", &threads()]),
                false => &mut command,
            }
        }
        Codec::H265 => {
            command.args(["-c:v", "libx265", "-preset", "medium"]);
            command.args([
                "-x265-params",
                match large {
                    true => "log-level=error:rc-lookahead=10:frame-threads=1",
                    false => "log-level=error",
                },
            ]);
            // Some players know the encoding in MP4 by this name alone.
            match matroska {
                true => &mut command,
                false => command.args(["-tag:v", "hvc1"]),
            }
        }
        Codec::Av1 => command.args(["-c:v", "libsvtav1", "-preset", "8"]),
        Codec::ProRes => command.args(["-c:v", "prores_ks", "-profile:v", "3", "-vendor", "apl0"]),
    };
    match making.kilobits {
        Some(kilobits) => command.args(["-b:v", &format!("{kilobits}k")]),
        None if making.codec != Codec::ProRes => command.args(["-crf", &quality]),
        None => &mut command,
    };
    if making.hold_s.is_some() {
        // The second begins with a whole picture and looks at none beyond its end.
        let second = making.rate.per_second().round().max(1.0).to_string();
        command.args(["-g", &second, "-bf", "0"]);
    }
    index_first(&mut command, matroska);
    command
}

/// Puts what players look things up in before the media.
fn index_first(command: &mut Command, matroska: bool) {
    command.args(match matroska {
        true => ["-cues_to_front", "1"],
        false => ["-movflags", "+faststart"],
    });
}

/// The command that repeats an encoded second.
fn repeating(
    second: &Path,
    hold_s: f64,
    making: &FilmMaking,
    (channels, matroska): (Option<u16>, bool),
) -> Command {
    let mut command = ffmpeg();
    let times = (hold_s.ceil() as u64).saturating_sub(1).to_string();
    command.args(["-stream_loop", &times, "-i"]).arg(second);
    match making.sound.as_deref().zip(channels) {
        Some((sound, channels)) => {
            sound::under(&mut command, (sound, channels), matroska, hold_s);
            command.args(["-c:v", "copy"]);
        }
        None => {
            command.args(["-c", "copy", "-t", &format!("{hold_s:.6}")]);
        }
    }
    index_first(&mut command, matroska);
    command
}

/// Runs ffmpeg with what `feed` writes, tells how far it is, and gives the frames that it made.
fn run(
    mut command: Command,
    total: u64,
    told: &(dyn Fn(u64, u64) -> bool + Sync),
    feed: impl FnOnce(&mut dyn Write, &dyn Fn() -> bool) -> Result<()>,
) -> Result<u64> {
    let mut child = command
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(|e| {
            WorkError::Request(match e.kind() {
                std::io::ErrorKind::NotFound => {
                    "ffmpeg is not installed, and films are made by it; install it (Debian: apt-get install ffmpeg).".into()
                }
                _ => format!("ffmpeg could not be started ({e}); check its installation."),
            })
        })?;
    let (stdin, stdout, stderr) = (child.stdin.take(), child.stdout.take(), child.stderr.take());
    let frames = AtomicU64::new(0);
    let stopped = AtomicBool::new(false);
    let (fed, said) = std::thread::scope(|scope| {
        scope.spawn(|| {
            let lines = stdout.map(|s| BufReader::new(s).lines());
            for line in lines.into_iter().flatten().map_while(std::io::Result::ok) {
                if let Some(n) = line
                    .strip_prefix("frame=")
                    .and_then(|n| n.trim().parse().ok())
                {
                    frames.store(n, Ordering::Relaxed);
                }
            }
        });
        let errors = scope.spawn(|| {
            let mut text = String::new();
            if let Some(stderr) = stderr {
                // What is not a word is left out; a program that talks without end is not listened to for ever.
                let mut bytes = Vec::new();
                let _ = stderr.take(1 << 20).read_to_end(&mut bytes);
                text = String::from_utf8_lossy(&bytes).into_owned();
            }
            text
        });
        let fed = meanwhile(
            Duration::from_millis(500),
            || {
                if !told(frames.load(Ordering::Relaxed), total) {
                    stopped.store(true, Ordering::Relaxed);
                }
            },
            || {
                let fed = match stdin {
                    Some(mut stdin) => feed(&mut stdin, &|| !stopped.load(Ordering::Relaxed)),
                    None => Ok(()),
                };
                // Its input is closed now: it finishes what it has.
                while let Ok(None) = child.try_wait() {
                    if stopped.load(Ordering::Relaxed) {
                        let _ = child.kill();
                    }
                    std::thread::sleep(POLLED);
                }
                fed
            },
        );
        (fed, errors.join().unwrap_or_default())
    });
    let status = child
        .wait()
        .map_err(|e| WorkError::Request(format!("ffmpeg was lost ({e}); try again.")))?;
    if !status.success() {
        let last = said
            .lines()
            .rev()
            .find(|l| !l.trim().is_empty())
            .unwrap_or("it did not say why");
        return refuse(format!(
            "ffmpeg could not make the film: {}. Check the frames, the sound and the free space.",
            last.trim().trim_end_matches('.')
        ));
    }
    fed?;
    Ok(frames.into_inner())
}
