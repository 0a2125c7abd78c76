//! Films from finished frames: found, checked, handed to ffmpeg, and marked as spheres.

use super::meanwhile::meanwhile;
use super::{Result, WorkError};
use super::{packing, sound};
use dome_files::film::{self, FilmRequest, FilmStereo, Sphere};
use dome_files::picture_file::layout_told;
use dome_files::rows::{Depth, PictureRows};
use dome_files::{FileError, PictureFormat, inspect};
use dome_imaging::Tone;
use dome_imaging::convert::Row;
use dome_optics::path::Rate;
use dome_optics::rig::{Arrangement, Side};
use dome_rules::levels::Coding;
use std::collections::BTreeMap;
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

/// The frames of a film, in order.
#[derive(Clone, Debug)]
pub struct FilmFrames {
    /// Files, the first frame's first.
    pub files: Vec<PathBuf>,
    /// Their format.
    pub format: PictureFormat,
    /// Width and height, pixels.
    pub size: (u32, u32),
    /// Whether they have more than 8 bits a channel.
    pub deep: bool,
    /// Whether both eyes are views of each file; they are laid one above the other on the way.
    pub views: bool,
    /// What goes from the outer side of each eye of such frames, pixels.
    pub crop: u32,
}

impl FilmFrames {
    /// The frames of an order, in their order. Only the first is opened; each is read when its turn comes.
    pub fn of_order(files: Vec<PathBuf>, (views, crop): (bool, u32)) -> Result<Self> {
        let first = files.first().cloned().into_iter().collect();
        let mut frames = checked(first)?;
        if views {
            frames.views = true;
            frames.crop = crop;
            frames.size.0 = frames.size.0.saturating_sub(crop);
            frames.size.1 *= 2;
        }
        Ok(Self { files, ..frames })
    }
}

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// One picture alone, whatever numbers stand in its name.
pub fn one_picture(file: &Path) -> Result<FilmFrames> {
    checked(vec![file.to_owned()])
}

/// A name in parts: what stands before its last number, the number, and what comes after.
fn numbered(name: &str) -> Option<(&str, u64, &str)> {
    let end = name.rfind(|c: char| c.is_ascii_digit())? + 1;
    let from = name[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |i| i + 1);
    Some((&name[..from], name[from..end].parse().ok()?, &name[end..]))
}

/// Finds the frames of a folder, or of a name whose number counts, like `out/00000.png` or `out/{frame:05}.png`.
pub fn find_frames(named: &Path) -> Result<FilmFrames> {
    let shown = named.display();
    let (folder, wanted) = if named.is_dir() {
        (named, None)
    } else {
        let name = named.file_name().and_then(|n| n.to_str()).unwrap_or("");
        let folder = match named.parent() {
            Some(p) if !p.as_os_str().is_empty() => p,
            _ => Path::new("."),
        };
        let parts = match (name.find("{frame"), name.find('}')) {
            (Some(open), Some(close)) if open < close => Some((&name[..open], &name[close + 1..])),
            _ => numbered(name).map(|(before, _, after)| (before, after)),
        };
        if parts.is_none() && named.is_file() {
            return checked(vec![named.to_owned()]);
        }
        match parts {
            Some((before, after)) => (folder, Some((before.to_owned(), after.to_owned()))),
            None => {
                return refuse(format!(
                    "There is no folder and no picture {shown}; name the folder of the frames."
                ));
            }
        }
    };
    let mut series: BTreeMap<(String, String), BTreeMap<u64, PathBuf>> = BTreeMap::new();
    let entries = std::fs::read_dir(folder).map_err(FileError::io("Reading", folder))?;
    for entry in entries {
        let path = entry.map_err(FileError::io("Reading", folder))?.path();
        let Some(name) = path.file_name().and_then(|n| n.to_str()) else {
            continue;
        };
        let Some((before, number, after)) = numbered(name).filter(|_| !name.starts_with('.'))
        else {
            continue;
        };
        if PictureFormat::from_path(&path).is_err() {
            continue;
        }
        let key = (before.to_owned(), after.to_owned());
        if wanted.as_ref().is_none_or(|w| *w == key) {
            series.entry(key).or_default().insert(number, path);
        }
    }
    let mut found = series.into_iter();
    let Some((_, frames)) = found.next() else {
        return refuse(format!(
            "There are no numbered pictures in {shown}; name the folder of the frames."
        ));
    };
    if let Some((other, _)) = found.next() {
        return refuse(format!(
            "There are several series of frames in {shown}, one of them {}NUMBER{}; name one of its pictures.",
            other.0, other.1
        ));
    }
    let numbers: Vec<u64> = frames.keys().copied().collect();
    if let Some(gap) = gap(&numbers) {
        return refuse(format!(
            "{gap} missing between the others in {shown}; render them first."
        ));
    }
    checked(frames.into_values().collect())
}

/// The first gap between numbers that go up evenly, in words.
fn gap(numbers: &[u64]) -> Option<String> {
    let step = numbers.windows(2).map(|w| w[1] - w[0]).min()?;
    let wide = numbers.windows(2).find(|w| w[1] - w[0] != step)?;
    let (first, last) = (wide[0] + step, wide[1] - 1);
    Some(match first >= last {
        true => format!("Frame {first} is"),
        false => format!("Frames {first}-{last} are"),
    })
}

/// Frames of one format and one size.
fn checked(files: Vec<PathBuf>) -> Result<FilmFrames> {
    let mut first: Option<(PictureFormat, (u32, u32))> = None;
    let mut deep = false;
    for file in &files {
        let picture = PictureRows::open(file)?;
        let this = (picture.format, (picture.width, picture.height));
        match first {
            None => (first, deep) = (Some(this), picture.depth != Depth::Eight),
            Some(wanted) if wanted == this => {}
            Some((_, (w, h))) => {
                return refuse(format!(
                    "{} is {} x {} px and the frames before it {w} x {h} px or of another format; a film has one size.",
                    file.display(),
                    picture.width,
                    picture.height
                ));
            }
        }
    }
    match first {
        Some((format, size)) => Ok(FilmFrames {
            files,
            format,
            size,
            deep,
            views: false,
            crop: 0,
        }),
        None => refuse("There are no frames."),
    }
}

/// What frames say themselves about their sphere and eyes; nothing if they do not.
pub fn told_sphere(frames: &FilmFrames) -> Result<Option<Sphere>> {
    let Some(first) = frames.files.first() else {
        return Ok(None);
    };
    let found = inspect::inspect(first)?;
    let layout = found.properties.words.as_deref().and_then(layout_told);
    let stereo = match layout.map(|(packing, shape)| (packing.arrangement, shape)) {
        Some((Arrangement::TopBottom, dome_optics::Shape::Equirect)) => FilmStereo::TopBottom,
        Some((Arrangement::SideBySide, dome_optics::Shape::Equirect)) => FilmStereo::SideBySide,
        Some(_) => return Ok(None),
        None if found.sphere => FilmStereo::Mono,
        None => return Ok(None),
    };
    Ok(Some(Sphere {
        projection: film::FilmProjection::FULL,
        stereo,
        pose_deg: [0.0; 3],
        opening_deg: None,
    }))
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
    if making.hold_s.is_some() && frames.files.len() != 1 {
        return refuse(format!(
            "--hold shows one picture, and there are {}; name one of them, or leave --hold out.",
            frames.files.len()
        ));
    }
    let folder = match output.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    };
    let (beside, _mine) = beside(folder)?;
    let ending = output.extension().unwrap_or_default();
    let raw = beside.path().join("film").with_extension(ending);
    // A still is encoded for a second, which is then repeated.
    let second = making.rate.per_second().round().max(1.0) as u64;
    let total = match making.hold_s {
        Some(_) => second,
        None => frames.files.len() as u64,
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
            let file = frames.files.get(i as usize).unwrap_or(&frames.files[0]);
            write_frame(file, frames, making, to)?;
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
        done = beside.path().join("held").with_extension(ending);
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
    notes.extend(film::tag(&done, output, &request)?.notes);
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

/// Beginning of the names of folders in which films are made.
const UNFINISHED: &str = ".unfinished-film-";

/// A folder beside a film, in which it is made, and the lock on it that says that somebody does. Folders that nobody holds any more were
/// left by programs that were killed, and go. Where nothing can be locked they stay.
fn beside(folder: &Path) -> Result<(tempfile::TempDir, std::fs::File)> {
    let failed = || FileError::io("Writing", folder);
    let open = |at: &Path| std::fs::File::open(at);
    // One at a time looks and makes its own, which is locked before the next one looks.
    let gate = open(folder).map_err(failed())?;
    let _ = gate.lock();
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let left = entry.file_name().to_string_lossy().starts_with(UNFINISHED);
        if left && open(&entry.path()).is_ok_and(|l| l.try_lock().is_ok()) {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
    let made = tempfile::Builder::new()
        .prefix(UNFINISHED)
        .tempdir_in(folder)
        .map_err(failed())?;
    let held = open(made.path()).map_err(failed())?;
    let _ = held.lock();
    Ok((made, held))
}

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
    if frames.format == PictureFormat::Jpeg {
        command.args(["-f", "image2pipe", "-c:v", "mjpeg"]);
    } else {
        let size = format!("{}x{}", frames.size.0, frames.size.1);
        let pixels = if frames.deep { "rgb48le" } else { "rgb24" };
        command.args(["-f", "rawvideo", "-pixel_format", pixels]);
        command.args(["-video_size", &size]);
    }
    command.args(["-framerate", &rate, "-i", "pipe:0"]);
    if let Some((sound, channels)) = making.sound.as_deref().zip(channels) {
        let lasts_s = frames.files.len() as f64 / making.rate.per_second();
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

/// Hands a frame on: a JPEG as it is, others as values of their own curve, unpacked here, which costs less than letting ffmpeg do it. What is
/// clear is black.
fn write_frame(
    file: &Path,
    frames: &FilmFrames,
    making: &FilmMaking,
    to: &mut dyn Write,
) -> Result<()> {
    let failed = || FileError::io("Handing on", file);
    if frames.format == PictureFormat::Jpeg {
        let mut bytes = std::fs::File::open(file).map_err(FileError::io("Reading", file))?;
        std::io::copy(&mut bytes, to).map_err(failed())?;
        return Ok(());
    }
    let linear = frames.format != PictureFormat::Png;
    let tone = Tone {
        exposure_stops: if linear { making.stops } else { 0.0 },
        ..Tone::default()
    };
    let values = |light: &[f32]| -> Vec<u8> {
        let values = tone.to_srgb16(light);
        match frames.deep {
            true => values.iter().flat_map(|v| v.to_le_bytes()).collect(),
            // 65535 is 255 times 257.
            false => (values.iter())
                .map(|v| ((u32::from(*v) + 128) / 257) as u8)
                .collect(),
        }
    };
    if frames.views {
        // The left eye above the right one.
        for side in Side::BOTH {
            for strip in packing::eye(file, side, &[], frames.crop, None)? {
                let bytes = values(&strip?.beauty.samples);
                to.write_all(&bytes).map_err(failed())?;
            }
        }
        return Ok(());
    }
    let rows = PictureRows::open(file)?;
    if (rows.width, rows.height) != frames.size {
        return refuse(format!(
            "{} is {} x {} px by now and the frames before it {} x {} px; a film has one size.",
            file.display(),
            rows.width,
            rows.height,
            frames.size.0,
            frames.size.1
        ));
    }
    for row in rows {
        match row? {
            Row::Bytes { samples: 3, bytes } if !frames.deep => {
                to.write_all(&bytes).map_err(failed())?;
            }
            row => {
                let light = row.into_light();
                let light: Vec<f32> = light.iter().flat_map(|p| [p[0], p[1], p[2]]).collect();
                to.write_all(&values(&light)).map_err(failed())?;
            }
        }
    }
    Ok(())
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
