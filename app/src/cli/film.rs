//! `owl-dome film`: frames become a film.

use super::tag::{projection, stereo};
use super::{Outcome, number};
use crate::work::film::{Codec, FilmMaking, make};
use crate::work::film_frames::{Laid, check_faces, find_frames, one_picture, told_sphere};
use clap::Args;
use dome_files::film::{FilmProjection, FilmStereo, Sphere};
use dome_optics::path::Rate;
use std::io::{IsTerminal, Write};
use std::path::PathBuf;
use std::time::Instant;

#[derive(Args)]
pub(super) struct FilmArgs {
    /// The folder of the frames, one of them (its number counts), or a pattern like out/{frame:05}.png; with {eye} in it the files of both
    /// eyes are laid one above the other, with {face} those of six become the sphere
    frames: PathBuf,
    /// The film to write: .mp4 or .mkv, or .mov for ProRes
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// Frames a second: 30, 23.976, 30000/1001 ...
    #[arg(long, value_name = "N", default_value = "30", value_parser = rate)]
    rate: Rate,
    /// h264 (everything plays it), h265 (large pictures), av1, or prores (editors, .mov)
    #[arg(long, value_name = "CODEC", default_value = "h264", value_parser = codec)]
    codec: Codec,
    /// Quality, 0 to 51, lower is better; 18 (h264), 20 (h265) and 26 (av1) if not given
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(0..=63), conflicts_with = "bit_rate")]
    quality: Option<u8>,
    /// Bits a second in place of a quality, in kilobits, for example 40000
    #[arg(long, value_name = "KBITS", value_parser = clap::value_parser!(u32).range(100..=2_000_000))]
    bit_rate: Option<u32>,
    /// A sound file (.wav) of one or two channels, or of the four of first-order ambisonics (W, Y, Z, X), cut to the film's length
    #[arg(long, value_name = "WAV")]
    sound: Option<PathBuf>,
    /// Shows one picture for so many seconds
    #[arg(long, value_name = "SECONDS", value_parser = number)]
    hold: Option<f64>,
    /// Brightness of .exr frames, stops
    #[arg(long, value_name = "STOPS", default_value = "0", value_parser = number, allow_hyphen_values = true)]
    exposure: f64,
    /// How two eyes lie in the frames: mono, top-bottom or side-by-side; what the frames say themselves if not given
    #[arg(long, value_name = "HOW", value_parser = stereo)]
    stereo: Option<FilmStereo>,
    /// How the frames are wrapped: equirect (as a start), equirect:180, or a cube as players know it, as for `owl-dome tag`
    #[arg(long, value_name = "HOW", value_parser = projection, requires = "stereo")]
    projection: Option<FilmProjection>,
    /// Say nothing about a sphere: a flat film
    #[arg(long, conflicts_with = "stereo")]
    flat: bool,
}

fn rate(text: &str) -> Result<Rate, String> {
    Rate::parse(text).map_err(|e| e.to_string())
}

fn codec(text: &str) -> Result<Codec, String> {
    let found = Codec::ALL.iter().find(|(name, _)| *name == text);
    found
        .map(|(_, codec)| *codec)
        .ok_or_else(|| format!("\"{text}\" is none of h264, h265, av1 and prores"))
}

pub(super) fn run(args: &FilmArgs) -> Outcome {
    let ending = args
        .output
        .extension()
        .and_then(|e| e.to_str())
        .unwrap_or("");
    let fits = match args.codec {
        Codec::ProRes => &["mov", "mkv"][..],
        _ => &["mp4", "mov", "mkv"],
    };
    let fits = fits.iter().any(|e| ending.eq_ignore_ascii_case(e));
    if !fits {
        return Err(match args.codec {
            Codec::ProRes => "ProRes lies in a .mov or .mkv; name the film so.",
            _ => "A film is named .mp4, .mov or .mkv; name it so.",
        }
        .into());
    }
    if args.hold.is_some_and(|s| !(0.1..=86_400.0).contains(&s)) {
        return Err("A picture is held for 0.1 to 86,400 s; correct --hold.".into());
    }
    if let Some(sound) = args.sound.as_ref().filter(|s| !s.is_file()) {
        return Err(format!(
            "There is no sound file {}; correct --sound.",
            sound.display()
        )
        .into());
    }
    // A still that is held is the one that is named, though others lie beside it.
    let frames = match args.hold.is_some() && args.frames.is_file() {
        true => one_picture(&args.frames)?,
        false => find_frames(&args.frames)?,
    };
    let (width, height) = frames.size;
    if frames.laid == Laid::Eyes && args.stereo.is_some_and(|s| s != FilmStereo::TopBottom) {
        return Err(
            "The eyes of a pattern with {eye} are laid one above the other; say --stereo top-bottom, or nothing."
                .into(),
        );
    }
    if frames.laid == Laid::Faces && (args.stereo.is_some() || args.projection.is_some()) {
        return Err(
            "Six faces become one sphere without eyes; leave --stereo and --projection out.".into(),
        );
    }
    if let Some(FilmProjection::Cube { .. }) = args.projection {
        check_faces(&frames)?;
    }
    let told = match (args.flat, args.stereo) {
        (true, _) => None,
        (false, Some(stereo)) => Some(Sphere {
            projection: args.projection.unwrap_or(FilmProjection::FULL),
            stereo,
            pose_deg: [0.0; 3],
            opening_deg: None,
        }),
        (false, None) => {
            let told = told_sphere(&frames)?;
            if told.is_none() {
                eprintln!(
                    "Note: the frames do not say that they are spheres, so the film does not either; give --stereo if they are."
                );
            }
            told
        }
    };
    let making = FilmMaking {
        rate: args.rate,
        codec: args.codec,
        quality: args.quality,
        kilobits: args.bit_rate,
        sound: args.sound.clone(),
        hold_s: args.hold,
        stops: args.exposure as f32,
        sphere: told,
    };
    let begun = Instant::now();
    let terminal = std::io::stderr().is_terminal();
    let tell = |done: u64, total: u64| {
        if done == 0 || total == 0 {
            return true;
        }
        let share = done as f64 / total as f64;
        let left = begun.elapsed().as_secs_f64() * (1.0 / share - 1.0);
        let line = format!("Frame {done} of {total}, about {left:.0} s left ");
        let mut err = std::io::stderr();
        let _ = match terminal {
            true => write!(err, "\r{line:<56}"),
            false => writeln!(err, "{line}"),
        };
        let _ = err.flush();
        true
    };
    let made = make(&frames, &args.output, &making, &tell)?;
    if terminal {
        eprintln!();
    }
    for note in made.notes {
        eprintln!("Note: {note}");
    }
    let level = making
        .codec
        .coding()
        .and_then(|c| dome_rules::levels::level(c, frames.size, args.rate.per_second()));
    let level = level.map_or_else(String::new, |l| format!(", level {l}"));
    let seconds = made.frames as f64 / args.rate.per_second();
    let sphere = match &making.sphere {
        Some(sphere) => format!("a sphere, {}", sphere.stereo.name()),
        None => "not marked as a sphere".to_owned(),
    };
    println!(
        "{}: {} frames, {seconds:.3} s, {width} x {height} px{level}, {sphere}",
        args.output.display(),
        made.frames
    );
    Ok(())
}
