//! What an order of frames asks, understood: which frames there are, their names and files, and that they lead nowhere else.

use super::filing::{Filing, files_of};
use super::frames::{Sequence, Turned, Way};
use super::paths::Mover;
use super::pattern::NamePattern;
use super::recipe::Recipe;
use super::{App, Result, WorkError, outputs};
use crate::model::orders::{FrameFormat, FrameOrder, FrameRequest, OrderSpec};
use crate::model::paths::PathKey;
use crate::store::OrderRow;
use dome_files::PictureFormat;
use dome_optics::path::{Frames, Rate};
use dome_optics::rig::{Arrangement, Packing, Side};
use dome_optics::{PictureSize, Shape};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// Most frames of an order: an hour at 60 a second is 216,000.
const MOST_FRAMES: u64 = 1_000_000;

impl FrameFormat {
    fn format(self) -> PictureFormat {
        match self {
            Self::Exr => PictureFormat::Exr,
            Self::Png16 | Self::Png => PictureFormat::Png,
            Self::Jpeg => PictureFormat::Jpeg,
        }
    }
}

/// An order of frames, understood.
pub struct FramePlan {
    pub(super) sequence: Sequence,
    pub(super) recipe: Recipe,
    pub(super) filing: Filing,
    pub(super) format: PictureFormat,
    pattern: NamePattern,
    words: Vec<(&'static str, String)>,
    pub(super) root: PathBuf,
    pub(super) first_each: u64,
    pub(super) test_first: bool,
}

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// The frames and the rate that are asked for.
pub fn asked(request: &FrameRequest) -> Result<(Frames, Rate)> {
    let wrong = |e: &dyn std::fmt::Display| WorkError::Request(format!("{e}."));
    let frames = Frames::new(
        request.first.into(),
        request.last.into(),
        request.step.into(),
    )
    .map_err(|e| wrong(&e))?;
    let rate = Rate::parse(&request.rate).map_err(|e| wrong(&e))?;
    if frames.count() > MOST_FRAMES {
        return refuse(format!(
            "{} frames are too many for one order; give at most {MOST_FRAMES}.",
            frames.count()
        ));
    }
    let last = rate.moment_s(request.last.into());
    if last > 86_400.0 {
        return refuse(format!(
            "Frame {} would show the moment {last:.0} s, and there are at most 86,400 s; give fewer frames.",
            request.last
        ));
    }
    if !(0.0..=360.0).contains(&request.shutter_deg) {
        return refuse("The shutter is open for 0 to 360 degrees; correct it.");
    }
    if !(2..=256).contains(&request.moments) {
        return refuse("An open shutter blends 2 to 256 moments; correct their number.");
    }
    Ok((frames, rate))
}

impl FramePlan {
    /// The frames of an order; `number` is the order's, or will be.
    pub fn new(
        app: &App,
        (project, number): (i64, i64),
        spec: &OrderSpec,
        order: &FrameOrder,
    ) -> Result<Self> {
        let request = &order.asked;
        let (frames, rate) = asked(request)?;
        let mut recipe = Recipe::of_order(spec)?;
        if let Ok(Shape::CubeFaces(layout)) = spec.shape.parse() {
            recipe.size = PictureSize::new(Shape::CubeFaces(layout), Some(spec.width), None)?;
        }
        let way = match (&order.path, &order.ride) {
            (Some(path), _) => Way::Path(Box::new(Mover::new(path)?)),
            (None, Some(ride)) => Way::Node {
                node: ride.node,
                offset: ride.offset.into(),
                turned: Turned::Never,
                above_floor_m: None,
            },
            (None, None) => Way::Still,
        };
        let format = request.format.format();
        let packing = match (&request.packing, recipe.rig.is_some()) {
            (Some(packing), true) => Some(packing.parse::<Packing>()?),
            _ => None,
        };
        let filing = Filing {
            deep: request.format == FrameFormat::Png16,
            packing,
            crop: crop_of(spec, order)?,
            ..Filing::default()
        };
        let plan = Self {
            sequence: Sequence {
                frames,
                rate,
                from_s: 0.0,
                shutter_deg: request.shutter_deg,
                moments: request.moments,
                way,
            },
            pattern: pattern(request, &recipe)?,
            words: outputs::words(
                match &order.project {
                    Some(name) => name.clone(),
                    None => app.store.project_name(project)?,
                },
                number,
                spec,
                recipe.size.shape.to_string(),
            ),
            root: app.folder.out(),
            first_each: request.first_each.max(1).into(),
            test_first: request.test_first,
            recipe,
            filing,
            format,
        };
        if format == PictureFormat::Jpeg {
            let size = (plan.recipe.size.width(), plan.recipe.size.height());
            let (wide, high) = match plan.recipe.rig {
                Some(_) => plan.laying().file_size(size),
                None => size,
            };
            if wide.max(high) > dome_files::jpeg::MAX_SIDE {
                return refuse("JPEG ends at 65535 px a side; take EXR or PNG.");
            }
        }
        Ok(plan)
    }

    /// The frames of an order as it is kept; nothing of one that is one picture.
    pub fn of_row(app: &App, row: &OrderRow) -> Result<Option<Self>> {
        let Some(order) = &row.spec.frames else {
            return Ok(None);
        };
        Self::new(app, (row.project, row.id), &row.spec, order).map(Some)
    }

    /// The frames' numbers, from the first on.
    pub fn numbers(&self) -> impl Iterator<Item = u64> {
        self.sequence.frames.numbers()
    }

    /// Every so many frames.
    pub fn step(&self) -> u64 {
        let mut numbers = self.sequence.frames.numbers();
        match (numbers.next(), numbers.next()) {
            (Some(a), Some(b)) => b - a,
            _ => 1,
        }
    }

    /// The shape of a frame, of one eye.
    pub fn shape(&self) -> Shape {
        self.recipe.size.shape
    }

    /// Whether there are two eyes.
    pub fn has_both(&self) -> bool {
        self.recipe.rig.is_some()
    }

    /// The picture of each frame: one file, one of each eye (the left one first), or one of each face.
    pub fn main_files(&self) -> Vec<Vec<PathBuf>> {
        let laying = self.laying();
        let count = match (self.has_both(), laying.arrangement, self.shape()) {
            (true, Arrangement::TwoFiles, _) => 2,
            (false, _, Shape::CubeFaces(_)) => 6,
            _ => 1,
        };
        let right_first = count == 2 && laying.sides().first() == Some(&Side::Right);
        let of = |n| {
            // Passes come before it.
            let mut files = self.files(n);
            let mut files = files.split_off(files.len().saturating_sub(count));
            if right_first {
                files.reverse();
            }
            files
        };
        self.sequence.frames.numbers().map(of).collect()
    }

    /// What films of frames that hold both eyes as views take off each, pixels.
    pub fn crop(&self) -> u32 {
        self.filing.crop
    }

    /// How the eyes lie.
    pub fn laying(&self) -> Packing {
        (self.filing.laying(&self.name(0), self.format)).packing
    }

    /// The name of a frame, in which words for eyes, faces and passes may be left.
    pub fn name(&self, frame: u64) -> PathBuf {
        let words: Vec<(&str, &str)> = self.words.iter().map(|(w, v)| (*w, v.as_str())).collect();
        self.root.join(self.pattern.fill(frame, &words))
    }

    /// The files of a frame.
    pub fn files(&self, frame: u64) -> Vec<PathBuf> {
        files_of(&self.filing, self.format, &self.recipe, &self.name(frame))
    }

    /// The folders that the files of all frames lie in; nothing where frames have folders of their own.
    pub(super) fn folders(&self) -> Option<Vec<PathBuf>> {
        let of = |frame: u64| -> Vec<PathBuf> {
            let files = self.files(frame);
            let mut folders: Vec<PathBuf> = files
                .iter()
                .filter_map(|f| f.parent().map(Path::to_path_buf))
                .collect();
            folders.sort();
            folders.dedup();
            folders
        };
        let mut numbers = self.sequence.frames.numbers();
        let first = numbers.next()?;
        let folders = of(first);
        match numbers.next() {
            Some(second) if of(second) != folders => None,
            _ => Some(folders),
        }
    }

    /// How many frames there are to be.
    pub fn count(&self) -> u64 {
        self.sequence.frames.count()
    }

    /// How long they last, seconds.
    pub fn lasts_s(&self) -> f64 {
        self.sequence.frames.lasts_s(self.sequence.rate)
    }

    /// Frames a second.
    pub fn rate(&self) -> Rate {
        self.sequence.rate
    }

    /// The first file, as a path within the folder for outputs.
    pub fn first_file(&self) -> String {
        let first = self.sequence.frames.numbers().next().unwrap_or(0);
        let files = self.files(first);
        let file = files.last().map_or(Path::new(""), |f| f);
        let within = file.strip_prefix(&self.root).unwrap_or(file);
        within.display().to_string()
    }

    /// The first frame that has files already, and how many have.
    pub fn there_already(&self) -> Option<(u64, PathBuf)> {
        let mut there = 0;
        let mut first = None;
        for frame in self.sequence.frames.numbers() {
            if let Some(file) = self.files(frame).into_iter().find(|f| f.exists()) {
                there += 1;
                first.get_or_insert(file);
            }
        }
        first.map(|file| (there, file))
    }

    /// Whether another order writes files of the same names.
    pub fn collides(&self, other: &Self) -> bool {
        let first = |plan: &Self| plan.sequence.frames.numbers().next().unwrap_or(0);
        [first(self), first(other)]
            .iter()
            .any(|n| self.name(*n) == other.name(*n))
    }

    /// Frames of which a file is missing, of the first so many.
    pub(super) fn missing(&self, most: usize) -> Vec<u64> {
        (self.sequence.frames.numbers().take(most))
            .filter(|frame| !self.files(*frame).iter().all(|f| f.exists()))
            .collect()
    }
}

/// What parallel cameras of a flat pair recorded beyond each frame, pixels: it is the same in all of them.
fn crop_of(spec: &OrderSpec, order: &FrameOrder) -> Result<u32> {
    let crop = spec.rig.as_ref().map_or(0, |rig| rig.crop(spec.width));
    let keys = order.path.iter().flat_map(|p| &p.keys);
    let eyes = |k: &PathKey| {
        (
            k.separation_m.map(f64::to_bits),
            k.converge_m.map(f64::to_bits),
        )
    };
    let told: BTreeSet<_> = keys.map(eyes).collect();
    if crop > 0 && told.len() > 1 {
        return refuse(
            "Parallel cameras are cropped alike in every frame, and keys of this path change how far apart the eyes are or where they meet; choose the off-axis pair at Depth, or give all keys the same.",
        );
    }
    Ok(crop)
}

/// The names of the frames, which must lead nowhere else and tell frames apart.
fn pattern(request: &FrameRequest, recipe: &Recipe) -> Result<NamePattern> {
    let pattern = outputs::pattern(&request.name, request.format.format().ending())?;
    if !pattern.has_frame() {
        return refuse(format!(
            "{} would be the name of every frame; put {{frame:05}} into it.",
            request.name
        ));
    }
    let pair = recipe.rig.is_some();
    let faces = matches!(recipe.size.shape, Shape::CubeFaces(_));
    let passes = recipe.passes.iter().next().is_some();
    for (word, there, what) in [
        ("eye", pair, "there is one eye"),
        ("face", faces, "the picture is in one piece"),
        ("pass", passes, "there are no passes"),
    ] {
        if pattern.has(word) && !there {
            return refuse(format!(
                "The name has {{{word}}} in it, but {what}; leave it out."
            ));
        }
    }
    if pair && passes && (request.format != FrameFormat::Exr || pattern.has("pass")) {
        return refuse(
            "The passes of two eyes are layers of an EXR; take EXR, and leave {pass} out.",
        );
    }
    if pattern.has("eye") && request.packing.is_some() {
        return refuse(
            "The name has {eye} in it, which gives each eye a file of its own; leave one of name and packing out.",
        );
    }
    Ok(pattern)
}
