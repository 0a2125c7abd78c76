//! `owl-dome render --frames`: many pictures of one order, each whole by itself.

use super::progress::{Around, Progress, progress_line};
use super::{RenderArgs, WORDS};
use crate::cli::Outcome;
use crate::cli::pair_options::length;
use crate::model::paths::ViewpointPath;
use crate::work::filing::folder_of;
use crate::work::frames::{Sequence, Survey, Turned, Way};
use crate::work::paths::{self, Mover};
use crate::work::pattern::NamePattern;
use crate::work::shot::{Shot, Watcher};
use crate::work::studio::Studio;
use clap::Args;
use dome_files::PictureFormat;
use dome_optics::Shape;
use dome_optics::path::{Frames, Rate};
use glam::DVec3;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Failures one after the other after which the rest is not tried.
const MOST_FAILURES: usize = 3;

/// Frames over time.
#[derive(Args)]
pub(super) struct SequenceOptions {
    /// Frames, the first and the last included, and by choice a step: 0-100 is 101 frames, 0-100/10 every tenth. Frame N shows the
    /// moment --time + N / --rate
    #[arg(long, value_name = "A-B[/STEP]", value_parser = frames)]
    pub(super) frames: Option<Frames>,
    /// Frames a second: 30, 23.976, 30000/1001 ...
    #[arg(long, value_name = "N", value_parser = rate, default_value = "30", requires = "frames")]
    rate: Rate,
    /// The way of the eye: a path file (.json, see docs/paths.md), or the name of a camera or of something that moves in the scene
    #[arg(
        long,
        value_name = "FILE|CAMERA",
        requires = "frames",
        conflicts_with = "at"
    )]
    path: Option<String>,
    /// From a camera or node of the scene to the eye, metres to its right, upwards and backwards
    #[arg(long, value_name = "X,Y,Z", value_parser = super::super::numbers::<3>, allow_hyphen_values = true, requires = "path")]
    offset: Option<[f64; 3]>,
    /// Turn with the camera or node of the scene; without, the eye keeps its heading, which is easier on the stomach
    #[arg(long, requires = "path", conflicts_with_all = ["heading", "pitch", "roll"])]
    turn_along: bool,
    /// Height above the floor at which the way is gone, with its unit, for example 1.6m
    #[arg(long, value_name = "LENGTH", value_parser = length, requires = "path")]
    above_floor: Option<f64>,
    /// How long the shutter is open, degrees: 180 is half of a frame's time, and what moves is blurred as in film; sharp as a start,
    /// and for headsets
    #[arg(long, value_name = "DEG", default_value = "0", value_parser = super::super::number, requires = "frames")]
    shutter: f64,
    /// Moments of an open shutter that are blended
    #[arg(long, value_name = "N", default_value_t = 8, requires = "shutter", value_parser = clap::value_parser!(u32).range(2..=256))]
    moments: u32,
    /// Go on with an order that was stopped: frames that are there, whole and of this very order stay, all others are rendered
    #[arg(long = "continue", requires = "frames")]
    carry_on: bool,
    /// Render every so many frames first, so that mistakes show early, then the rest
    #[arg(long, value_name = "N", default_value_t = 1, requires = "frames", value_parser = clap::value_parser!(u64).range(1..=100_000))]
    first_each: u64,
}

fn frames(text: &str) -> Result<Frames, String> {
    Frames::parse(text).map_err(|e| e.to_string())
}

fn rate(text: &str) -> Result<Rate, String> {
    Rate::parse(text).map_err(|e| e.to_string())
}

impl RenderArgs {
    /// Refuses frames that cannot be told apart or make no sense.
    pub(super) fn check_sequence(
        &self,
        frames: Frames,
        format: PictureFormat,
        pair: bool,
    ) -> Result<(), Box<dyn std::error::Error>> {
        let pattern = self.pattern()?;
        if !pattern.has_frame() {
            return Err(format!(
                "{} would be the name of every frame; put {{frame:05}} into it, for example out/{{frame:05}}.exr.",
                self.output.display()
            )
            .into());
        }
        if format == PictureFormat::Hdr {
            return Err("Radiance .hdr has no place to say which frame it is; name the frames .exr, .png or .jpg.".into());
        }
        if self.options.rows.is_some() {
            return Err(
                "--rows makes parts of one picture; leave it out, or render each frame by --time."
                    .into(),
            );
        }
        if !(0.0..=360.0).contains(&self.sequence.shutter) {
            return Err("The shutter is open for 0 to 360 degrees; correct --shutter.".into());
        }
        if pattern.has("eye") && !pair {
            return Err(
                "The name has {eye} in it, but there is one eye; give --stereo or leave it out."
                    .into(),
            );
        }
        if pattern.has("eye") && self.options.pair.packing.is_some_and(|p| p.is_packed()) {
            return Err("The name has {eye} in it, but --packing lays both eyes into one file; leave one of them out.".into());
        }
        if pattern.has("face") && !matches!(self.shape()?, Shape::CubeFaces(_)) {
            return Err("The name has {face} in it, but the picture is in one piece; give --shape cube-faces or leave it out.".into());
        }
        if pattern.has("pass") && self.options.passes.iter().next().is_none() {
            return Err("The name has {pass} in it, but there are no passes; give --passes or leave it out.".into());
        }
        let last = frames.numbers().last().unwrap_or(0);
        let end = self.options.time + self.sequence.rate.moment_s(last);
        if end > 86_400.0 {
            return Err(format!(
                "Frame {last} would show the moment {end:.0} s, and there are at most 86,400 s; give fewer frames."
            )
            .into());
        }
        Ok(())
    }

    /// The names of the frames.
    pub(super) fn pattern(&self) -> Result<NamePattern, String> {
        let name = self
            .output
            .to_str()
            .ok_or_else(|| "The name of the frames is no text; give another one.".to_owned())?;
        NamePattern::parse(name, &WORDS)
    }
}

/// What moves the eye.
fn way(args: &RenderArgs, studio: &Studio) -> Result<Way, Box<dyn std::error::Error>> {
    let options = &args.sequence;
    let Some(named) = &options.path else {
        return Ok(Way::Still);
    };
    let scene = studio.scene();
    let camera = scene.cameras().iter().find(|c| c.name == *named);
    let mover = scene.movers().iter().find(|m| m.name == *named);
    if let Some(node) = mover.map(|m| m.node).or(camera.map(|c| c.node)) {
        return Ok(Way::Node {
            node,
            offset: options.offset.unwrap_or_default().into(),
            turned: match options.turn_along {
                true => Turned::Along,
                false => Turned::Offset,
            },
            above_floor_m: options.above_floor,
        });
    }
    let file = PathBuf::from(named);
    if !file.is_file() {
        let mut names: Vec<&str> = (scene.cameras().iter().map(|c| c.name.as_str()))
            .chain(scene.movers().iter().map(|m| m.name.as_str()))
            .collect();
        names.dedup();
        let there = match names.is_empty() {
            true => "The scene has no camera and nothing that moves".to_owned(),
            false => format!("In the scene there are {}", names.join(", ")),
        };
        return Err(format!(
            "{named} is neither a path file nor a camera or node of the scene. {there}; correct --path."
        )
        .into());
    }
    if options.offset.is_some() || options.turn_along {
        return Err(
            "--offset and --turn-along are for cameras and nodes of the scene; a path file says by itself where it goes and looks. Leave them out."
                .into(),
        );
    }
    let mut path: ViewpointPath = paths::read(&file)?;
    // Places are told in the file's coordinates.
    let offset = studio.offset();
    for key in &mut path.keys {
        key.position = (DVec3::from(key.position) - offset).to_array();
    }
    path.above_floor_m = options.above_floor.or(path.above_floor_m);
    let mover = Mover::new(&path)?;
    let keys = mover.path().keys();
    if studio.recipe.rig.is_none()
        && keys
            .iter()
            .any(|k| k.separation_m.or(k.convergence_m).is_some())
    {
        eprintln!(
            "Note: the path says how the eyes stand, but one eye is rendered; give --stereo for two."
        );
    }
    Ok(Way::Path(Box::new(mover)))
}

/// Renders the frames that are not there yet.
pub(super) fn run(args: &RenderArgs, mut studio: Studio, frames: Frames) -> Outcome {
    let options = &args.sequence;
    let sequence = Sequence {
        frames,
        rate: options.rate,
        from_s: args.options.time,
        shutter_deg: options.shutter,
        moments: options.moments,
        way: way(args, &studio)?,
    };
    let pattern = args.pattern()?;
    let width = studio.recipe.size.width().to_string();
    let shape = studio.recipe.size.shape.to_string();
    let words = [("width", width.as_str()), ("shape", shape.as_str())];
    let name = |frame: u64| PathBuf::from(pattern.fill(frame, &words));
    let mut survey = Survey::default();
    for frame in frames.numbers() {
        survey.add(
            frame,
            sequence.found(&mut studio, frame, &name(frame), &|shot| kept(shot, frame))?,
        );
    }
    if options.carry_on {
        eprintln!("{}", survey.told());
    } else {
        let there: Vec<u64> = (survey.whole.iter().copied())
            .chain(survey.broken.iter().chain(&survey.foreign).map(|(n, _)| *n))
            .collect();
        if let Some(first) = there.iter().min() {
            return Err(format!(
                "{} of {} frames have files already, the first is {}; give --continue to keep those that are whole and of this order and render the rest, or name another folder.",
                there.len(),
                frames.count(),
                name(*first).display()
            )
            .into());
        }
    }
    let total = frames.count() - survey.whole.len() as u64;
    let mut around = Around::new(total);
    let mut failed: Vec<(u64, String)> = Vec::new();
    let mut in_a_row = 0;
    for frame in frames.coarse_first(options.first_each) {
        if survey.whole.binary_search(&frame).is_ok() {
            continue;
        }
        around.frame = frame;
        match one(&sequence, &mut studio, (frame, &name(frame)), &around) {
            Ok(()) => in_a_row = 0,
            Err(e) => {
                in_a_row += 1;
                failed.push((frame, e.to_string()));
                eprintln!("\nFrame {frame} failed: {e}");
                if in_a_row == MOST_FAILURES {
                    break;
                }
            }
        }
        around.done += 1;
    }
    if total > 0 && failed.is_empty() {
        progress_line("Rendered 100 % ", true);
        eprintln!();
    }
    let lasts = frames.lasts_s(options.rate);
    eprintln!(
        "{} frames, {lasts:.3} s at {} a second.",
        frames.count() - failed.len() as u64,
        options.rate
    );
    match failed.first() {
        None => Ok(()),
        Some((frame, why)) => Err(format!(
            "{} of {total} frames failed, the first is {frame}: {why} Give the same command with --continue once that is mended.",
            failed.len()
        )
        .into()),
    }
}

/// Where a frame's strips are until it is whole.
fn kept(shot: &Shot, frame: u64) -> PathBuf {
    let files = shot.files();
    let folder = files.first().map_or(Path::new("."), |f| folder_of(f));
    let short = shot.description().fingerprint().short();
    folder.join(format!(".unfinished-{frame}-{short}"))
}

/// Renders one frame, its strips beside it until it is whole.
fn one(
    sequence: &Sequence,
    studio: &mut Studio,
    (frame, output): (u64, &Path),
    around: &Around,
) -> Outcome {
    let kept = |shot: &Shot| kept(shot, frame);
    let mut watching = |part: f64, of_parts: f64| -> Box<dyn Watcher + '_> {
        Box::new(Progress::new(Some((around, part, of_parts))))
    };
    let made = sequence.make(studio, (frame, output), &kept, &mut watching)?;
    for note in made.notes {
        eprintln!("\nNote: {note}");
    }
    let mut out = std::io::stdout();
    for file in made.files {
        writeln!(out, "{}", file.display())?;
    }
    out.flush()?;
    Ok(())
}
