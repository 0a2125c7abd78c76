//! `owl-dome render --frames`: many pictures of one order, each whole by itself.

use super::progress::{Around, Progress, progress_line};
use super::{RenderArgs, Studio, WORDS};
use crate::cli::Outcome;
use crate::cli::pair_options::length;
use crate::model::paths::ViewpointPath;
use crate::work::filing::folder_of;
use crate::work::paths::{self, Mover, above_floor};
use crate::work::pattern::NamePattern;
use crate::work::recipe::Recipe;
use crate::work::shot::{Shot, Told};
use clap::Args;
use dome_files::PictureFormat;
use dome_files::fingerprint::Summing;
use dome_files::frame::{Found, look};
use dome_optics::Shape;
use dome_optics::path::{Frames, Rate};
use dome_trace::Quality;
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
        let end = self.moment_s(last);
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

    /// The moment that a frame shows, seconds.
    fn moment_s(&self, frame: u64) -> f64 {
        self.options.time + self.sequence.rate.moment_s(frame)
    }

    /// How long the shutter is open, seconds.
    fn open_s(&self) -> f64 {
        self.sequence.shutter / 360.0 / self.sequence.rate.per_second()
    }

    /// The moments of an open shutter, evenly from its opening to its closing; none of one that is not.
    fn moments(&self, frame: u64) -> Vec<f64> {
        let (from, open_s, count) = (self.moment_s(frame), self.open_s(), self.sequence.moments);
        let moment = |i: u32| from + open_s * (f64::from(i) + 0.5) / f64::from(count);
        match open_s > 0.0 {
            true => (0..count).map(moment).collect(),
            false => Vec::new(),
        }
    }
}

/// What moves the eye.
enum Way {
    /// Nothing.
    Still,
    /// A path.
    Path(Box<Mover>),
    /// A camera or another node of the scene.
    Node(u32),
}

impl Way {
    fn find(studio: &Studio) -> Result<Self, Box<dyn std::error::Error>> {
        let options = &studio.args.sequence;
        let Some(named) = &options.path else {
            return Ok(Self::Still);
        };
        let scene = &studio.scene;
        let camera = scene.cameras().iter().find(|c| c.name == *named);
        let mover = scene.movers().iter().find(|m| m.name == *named);
        if let Some(node) = mover.map(|m| m.node).or(camera.map(|c| c.node)) {
            return Ok(Self::Node(node));
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
        Ok(Self::Path(Box::new(mover)))
    }

    /// The picture of a frame in the scene as it stands.
    fn shot(
        &self,
        studio: &Studio,
        frame: u64,
        output: PathBuf,
    ) -> Result<Shot, Box<dyn std::error::Error>> {
        self.at(studio, studio.args.moment_s(frame), output, &|recipe| {
            recipe.of_frame(frame)
        })
    }

    /// The picture of a frame once the scene stands as it does then; of an open shutter it tells each of its moments.
    fn whole_shot(
        &self,
        studio: &mut Studio,
        frame: u64,
        output: &Path,
    ) -> Result<Shot, Box<dyn std::error::Error>> {
        let mut moments = Summing::default();
        let open = studio.args.moments(frame);
        for (i, time_s) in open.iter().enumerate() {
            studio.go_to(*time_s)?;
            let part = self.part(studio, (frame, i, *time_s), output)?;
            moments.text(&part.description().fingerprint().to_string());
        }
        studio.go_to(studio.args.moment_s(frame))?;
        let mut shot = self.shot(studio, frame, output.to_owned())?;
        if !open.is_empty() {
            let open_s = studio.args.open_s();
            shot.shuttered(open_s, open.len(), moments.finish());
        }
        Ok(shot)
    }

    /// One moment of an open shutter, which gets its share of the samples and noise of its own.
    fn part(
        &self,
        studio: &Studio,
        (frame, i, time_s): (u64, usize, f64),
        output: &Path,
    ) -> Result<Shot, Box<dyn std::error::Error>> {
        let count = studio.args.sequence.moments;
        let share = |recipe: Recipe| {
            let mut recipe = recipe.of_frame(frame);
            recipe.seed ^= MOMENT_SEEDS.wrapping_mul(i as u32 + 1);
            recipe.quality = match recipe.quality {
                Quality::Samples(n) => Quality::Samples(n.div_ceil(count)),
                // So many pictures with noise of their own have that much less together.
                Quality::Noise { percent, most } => Quality::Noise {
                    percent: percent * (count as f32).sqrt(),
                    most: most.div_ceil(count),
                },
            };
            recipe
        };
        self.at(studio, time_s, output.to_owned(), &share)
    }

    /// The picture of a moment in the scene as it stands.
    fn at(
        &self,
        studio: &Studio,
        time_s: f64,
        output: PathBuf,
        of: &dyn Fn(Recipe) -> Recipe,
    ) -> Result<Shot, Box<dyn std::error::Error>> {
        let mut opening = None;
        let recipe = match self {
            Self::Still => Recipe {
                time_s,
                ..studio.recipe.clone()
            },
            Self::Path(mover) => {
                let moment = mover.at(&studio.scene, time_s);
                opening = moment.opening;
                studio.recipe.moved(&moment, time_s)
            }
            Self::Node(node) => Recipe {
                time_s,
                ..riding(studio, *node)?
            },
        };
        let mut shot = studio.shot(of(recipe), output)?;
        if let Some(opening) = opening {
            shot.opens_at(opening.heading_deg, opening.pitch_deg, opening.hfov_deg);
        }
        Ok(shot)
    }
}

/// The picture from a camera or another node of the scene as it stands now.
fn riding(studio: &Studio, node: u32) -> Result<Recipe, Box<dyn std::error::Error>> {
    let options = &studio.args.sequence;
    let scene = &studio.scene;
    let mut recipe = studio.recipe.clone();
    let mover = scene.movers().iter().find(|m| m.node == node);
    let camera = scene.cameras().iter().find(|c| c.node == node);
    let (place, turned) = match (mover, camera) {
        (Some(m), _) => (DVec3::from(m.now), m.turned),
        (None, Some(c)) => (DVec3::from(c.position), c.orientation),
        (None, None) => {
            return Err("The scene has lost the node that --path names; read it again.".into());
        }
    };
    let offset = DVec3::from(options.offset.unwrap_or_default());
    recipe.at = place + turned.matrix() * offset;
    if options.turn_along {
        recipe.orientation = turned;
    }
    if let Some(above) = options.above_floor {
        recipe.at = above_floor(scene, recipe.at, above, std::iter::once(recipe.at));
    }
    Ok(recipe)
}

/// What was found of an order's frames.
#[derive(Default)]
struct Survey {
    missing: Vec<u64>,
    broken: Vec<(u64, String)>,
    foreign: Vec<(u64, String)>,
    whole: Vec<u64>,
}

impl Survey {
    fn add(&mut self, frame: u64, found: Found) {
        match found {
            Found::Missing => self.missing.push(frame),
            Found::Whole => self.whole.push(frame),
            Found::Broken(why) => self.broken.push((frame, why)),
            Found::Foreign(what) => self.foreign.push((frame, what)),
        }
    }

    /// In a sentence, what is there of an order that is gone on with.
    fn told(&self) -> String {
        let numbers =
            |list: &[(u64, String)]| -> Vec<u64> { list.iter().map(|(n, _)| *n).collect() };
        let mut told = Vec::new();
        let mut add = |frames: &[u64], what: &str, first: Option<&(u64, String)>| {
            if frames.is_empty() {
                return;
            }
            let (noun, verb) = match frames.len() {
                1 => ("frame", "is"),
                _ => ("frames", "are"),
            };
            let why = first.map_or_else(String::new, |(n, why)| match frames.len() {
                1 => format!(" ({})", why.trim_end_matches('.')),
                _ => format!(" (frame {n}: {})", why.trim_end_matches('.')),
            });
            told.push(format!("{noun} {} {verb} {what}{why}", ranges(frames)));
        };
        add(&self.missing, "missing", None);
        add(&numbers(&self.broken), "broken", self.broken.first());
        add(
            &numbers(&self.foreign),
            "of another order",
            self.foreign.first(),
        );
        if told.is_empty() {
            return "All frames are there and whole.".to_owned();
        }
        let mut sentence = told.join(", ");
        if let Some(first) = sentence.get_mut(..1) {
            first.make_ascii_uppercase();
        }
        format!("{sentence}; rendering them.")
    }
}

/// Numbers as ranges: 0-3, 7, 9-10.
fn ranges(numbers: &[u64]) -> String {
    let mut told: Vec<(u64, u64)> = Vec::new();
    for &n in numbers {
        match told.last_mut() {
            Some((_, last)) if *last + 1 == n => *last = n,
            _ => told.push((n, n)),
        }
    }
    let one = |(a, b): &(u64, u64)| match a == b {
        true => a.to_string(),
        false => format!("{a}-{b}"),
    };
    told.iter().map(one).collect::<Vec<_>>().join(", ")
}

/// Renders the frames that are not there yet.
pub(super) fn run(mut studio: Studio, frames: Frames) -> Outcome {
    let args = studio.args;
    let options = &args.sequence;
    let way = Way::find(&studio)?;
    let pattern = args.pattern()?;
    let width = studio.recipe.size.width().to_string();
    let shape = studio.recipe.size.shape.to_string();
    let words = [("width", width.as_str()), ("shape", shape.as_str())];
    let name = |frame: u64| PathBuf::from(pattern.fill(frame, &words));
    let survey = survey(&mut studio, &way, frames, &name)?;
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
        match one(&mut studio, &way, frame, name(frame), &mut around) {
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

/// Looks at what is there of the frames. The scene is placed only where there is something to look at.
fn survey(
    studio: &mut Studio,
    way: &Way,
    frames: Frames,
    name: &dyn Fn(u64) -> PathBuf,
) -> Result<Survey, Box<dyn std::error::Error>> {
    let mut survey = Survey::default();
    for frame in frames.numbers() {
        let shot = way.shot(studio, frame, name(frame))?;
        if !shot.files().iter().any(|f| f.exists()) {
            survey.add(frame, Found::Missing);
            continue;
        }
        let shot = way.whole_shot(studio, frame, &name(frame))?;
        survey.add(frame, look(&shot.files(), shot.description()));
    }
    Ok(survey)
}

/// Renders one frame. Its strips are kept beside it until it is whole, so that a kill loses only the strip under way.
fn one(
    studio: &mut Studio,
    way: &Way,
    frame: u64,
    output: PathBuf,
    around: &mut Around,
) -> Outcome {
    let mut shot = way.whole_shot(studio, frame, &output)?;
    let files = shot.files();
    let first = files.first().ok_or("A frame without a file.")?;
    let short = shot.description().fingerprint().short();
    let kept = folder_of(first).join(format!(".unfinished-{frame}-{short}"));
    let made = if studio.args.sequence.shutter > 0.0 {
        let (parts, told) = opened(studio, way, frame, (&output, &kept), around)?;
        shot.blend(&parts, Told::of_all(told))?
    } else {
        shot.render(studio.seen(), &Progress::new(Some(around)), Some(&kept))?
    };
    for note in made.notes {
        eprintln!("\nNote: {note}");
    }
    let mut out = std::io::stdout();
    for file in made.files {
        writeln!(out, "{}", file.display())?;
    }
    out.flush()?;
    std::fs::remove_dir_all(&kept)?;
    Ok(())
}

/// Where the seeds of an open shutter's moments are: far from those of other frames.
const MOMENT_SEEDS: u32 = 0x9e37_79b9;

/// Renders the moments of an open shutter: their pictures with the folders of their strips, and what is told of them.
#[allow(clippy::type_complexity)] // two lists that go apart at once
fn opened(
    studio: &mut Studio,
    way: &Way,
    frame: u64,
    (output, kept): (&Path, &Path),
    around: &mut Around,
) -> Result<(Vec<(Shot, PathBuf)>, Vec<Told>), Box<dyn std::error::Error>> {
    let moments = studio.args.moments(frame);
    let count = moments.len() as f64;
    let (mut parts, mut told) = (Vec::new(), Vec::new());
    for (i, time_s) in moments.into_iter().enumerate() {
        studio.go_to(time_s)?;
        let mut part = way.part(studio, (frame, i, time_s), output)?;
        let folder = kept.join(i.to_string());
        around.part = i as f64 / count;
        around.of_parts = count;
        told.push(part.render_part(studio.seen(), &Progress::new(Some(around)), &folder)?);
        parts.push((part, folder));
    }
    around.part = 0.0;
    around.of_parts = 1.0;
    Ok((parts, told))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_there_is_told_in_a_sentence() {
        assert_eq!(ranges(&[0, 1, 2, 5, 7, 8]), "0-2, 5, 7-8");
        let mut survey = Survey::default();
        survey.add(0, Found::Whole);
        assert_eq!(survey.told(), "All frames are there and whole.");
        for frame in 31..=33 {
            survey.add(frame, Found::Missing);
        }
        survey.add(40, Found::Broken("It is cut short.".into()));
        survey.add(50, Found::Foreign("seed (1, not 2)".into()));
        survey.add(51, Found::Foreign("other".into()));
        assert_eq!(
            survey.told(),
            "Frames 31-33 are missing, frame 40 is broken (It is cut short), frames 50-51 are of another order (frame 50: seed (1, not 2)); rendering them."
        );
    }
}
