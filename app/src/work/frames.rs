//! The frames of a sequence, for commands and orders: where the eye is in each, what lies where it belongs, and how it is made.

use super::paths::{Mover, above_floor};
use super::recipe::Recipe;
use super::shot::{Made, Shot, Told, Watcher};
use super::studio::Studio;
use super::{Result, WorkError};
use dome_files::FileError;
use dome_files::fingerprint::Summing;
use dome_files::frame::{Found, look};
use dome_optics::path::{Frames, Rate};
use dome_trace::Quality;
use glam::DVec3;
use std::path::{Path, PathBuf};

/// Where the seeds of an open shutter's moments are: far from those of other frames.
const MOMENT_SEEDS: u32 = 0x9e37_79b9;

/// Frames over time.
pub struct Sequence {
    /// Which.
    pub frames: Frames,
    /// How many a second.
    pub rate: Rate,
    /// The moment of frame 0, seconds.
    pub from_s: f64,
    /// How long the shutter is open, degrees: 360 is the whole of a frame's time.
    pub shutter_deg: f64,
    /// Moments of an open shutter that are blended.
    pub moments: u32,
    /// What moves the eye.
    pub way: Way,
}

/// What moves the eye.
pub enum Way {
    /// Nothing.
    Still,
    /// A path.
    Path(Box<Mover>),
    /// A camera or another node of the scene.
    Node {
        /// Its number.
        node: u32,
        /// From it to the eye, metres.
        offset: DVec3,
        /// Whether the eye turns with it; then the offset turns too.
        turned: Turned,
        /// Height above the floor that is kept instead of its own, metres.
        above_floor_m: Option<f64>,
    },
}

/// How an eye turns with what leads it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Turned {
    /// Not at all, and its offset is along the world's axes.
    Never,
    /// Its offset turns, and it does not.
    Offset,
    /// Both.
    Along,
}

/// Makes who watches a part of a frame, from the share of the frame before it and how many parts there are.
pub type Watching<'a> = dyn FnMut(f64, f64) -> Box<dyn Watcher + 'a> + 'a;

impl Sequence {
    /// The moment that a frame shows, seconds.
    pub fn moment_s(&self, frame: u64) -> f64 {
        self.from_s + self.rate.moment_s(frame)
    }

    /// How long the shutter is open, seconds.
    fn open_s(&self) -> f64 {
        self.shutter_deg / 360.0 / self.rate.per_second()
    }

    /// The moments of an open shutter, evenly from its opening to its closing; none of one that is not.
    fn open_moments(&self, frame: u64) -> Vec<f64> {
        let (from, open_s, count) = (self.moment_s(frame), self.open_s(), self.moments);
        let moment = |i: u32| from + open_s * (f64::from(i) + 0.5) / f64::from(count);
        match open_s > 0.0 {
            true => (0..count).map(moment).collect(),
            false => Vec::new(),
        }
    }

    /// The picture of a frame in the scene as it stands: its files are those of the true one.
    pub fn sketch(&self, studio: &Studio, frame: u64, output: &Path) -> Result<Shot> {
        self.at(studio, self.moment_s(frame), output, &|recipe| {
            recipe.of_frame(frame)
        })
    }

    /// The picture of a frame, for which the scene is placed as it stands then; of an open shutter it tells each of its moments.
    pub fn shot(&self, studio: &mut Studio, frame: u64, output: &Path) -> Result<Shot> {
        let mut moments = Summing::default();
        let open = self.open_moments(frame);
        for (i, time_s) in open.iter().enumerate() {
            studio.go_to(*time_s)?;
            let part = self.part(studio, (frame, i, *time_s), output)?;
            moments.text(&part.description().fingerprint().to_string());
        }
        studio.go_to(self.moment_s(frame))?;
        let mut shot = self.sketch(studio, frame, output)?;
        if !open.is_empty() {
            shot.shuttered(self.open_s(), open.len(), moments.finish());
        }
        Ok(shot)
    }

    /// What lies where a frame belongs. The scene is placed only where there is something to look at. Of a whole frame the strips
    /// go, in a folder `kept` of its picture: they are there yet where a kill came between its last file and their end.
    pub fn found(
        &self,
        studio: &mut Studio,
        frame: u64,
        output: &Path,
        kept: &dyn Fn(&Shot) -> PathBuf,
    ) -> Result<Found> {
        let files = self.sketch(studio, frame, output)?.files();
        if !files.iter().any(|f| f.exists()) {
            return Ok(Found::Missing);
        }
        let shot = self.shot(studio, frame, output)?;
        let found = look(&shot.files(), shot.description());
        if found == Found::Whole {
            remove_kept(&kept(&shot))?;
        }
        Ok(found)
    }

    /// Renders a frame. Its strips are kept in a folder, `kept` of its picture's short fingerprint, until it is whole: a kill
    /// loses only the strip under way.
    pub fn make(
        &self,
        studio: &mut Studio,
        (frame, output): (u64, &Path),
        kept: &dyn Fn(&Shot) -> PathBuf,
        watching: &mut Watching,
    ) -> Result<Made> {
        let mut shot = self.shot(studio, frame, output)?;
        let kept = kept(&shot);
        if !shot.files().iter().any(|f| f.exists()) {
            shot.takes_no_place();
        }
        let made = if self.shutter_deg > 0.0 {
            let (parts, told) = self.opened(studio, frame, (output, &kept), watching)?;
            shot.blend(&parts, Told::of_all(told))?
        } else {
            shot.render(studio.seen(), &*watching(0.0, 1.0), Some(&kept))?
        };
        remove_kept(&kept)?;
        Ok(made)
    }

    /// Renders the moments of an open shutter: their pictures with the folders of their strips, and what is told of them.
    #[allow(clippy::type_complexity)] // two lists that go apart at once
    fn opened(
        &self,
        studio: &mut Studio,
        frame: u64,
        (output, kept): (&Path, &Path),
        watching: &mut Watching,
    ) -> Result<(Vec<(Shot, PathBuf)>, Vec<Told>)> {
        let moments = self.open_moments(frame);
        let count = moments.len() as f64;
        let (mut parts, mut told) = (Vec::new(), Vec::new());
        for (i, time_s) in moments.into_iter().enumerate() {
            studio.go_to(time_s)?;
            let mut part = self.part(studio, (frame, i, time_s), output)?;
            let folder = kept.join(i.to_string());
            let watcher = watching(i as f64 / count, count);
            told.push(part.render_part(studio.seen(), &*watcher, &folder)?);
            parts.push((part, folder));
        }
        Ok((parts, told))
    }

    /// One moment of an open shutter, which gets its share of the samples and noise of its own.
    fn part(
        &self,
        studio: &Studio,
        (frame, i, time_s): (u64, usize, f64),
        output: &Path,
    ) -> Result<Shot> {
        let count = self.moments;
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
        self.at(studio, time_s, output, &share)
    }

    /// The picture of a moment in the scene as it stands.
    fn at(
        &self,
        studio: &Studio,
        time_s: f64,
        output: &Path,
        of: &dyn Fn(Recipe) -> Recipe,
    ) -> Result<Shot> {
        let mut opening = None;
        let recipe = match &self.way {
            Way::Still => Recipe {
                time_s,
                ..studio.recipe.clone()
            },
            Way::Path(mover) => {
                let moment = mover.at(studio.scene(), time_s);
                opening = moment.opening;
                studio.recipe.moved(&moment, time_s)
            }
            Way::Node {
                node,
                offset,
                turned,
                above_floor_m,
            } => Recipe {
                time_s,
                ..riding(studio, *node, *offset, *turned, *above_floor_m)?
            },
        };
        let mut shot = studio.shot(of(recipe), output.to_owned())?;
        shot.is_one_of_many();
        if let Some(opening) = opening {
            shot.opens_at(opening.heading_deg, opening.pitch_deg, opening.hfov_deg);
        }
        Ok(shot)
    }
}

/// Removes the strips of a frame that is whole, unless they are gone.
fn remove_kept(folder: &Path) -> Result<()> {
    match std::fs::remove_dir_all(folder) {
        Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
            Err(FileError::io("Removing", folder)(e).into())
        }
        _ => Ok(()),
    }
}

/// The picture from a camera or another node of the scene as it stands now.
fn riding(
    studio: &Studio,
    node: u32,
    offset: DVec3,
    turned: Turned,
    above_floor_m: Option<f64>,
) -> Result<Recipe> {
    let scene = studio.scene();
    let mut recipe = studio.recipe.clone();
    let mover = scene.movers().iter().find(|m| m.node == node);
    let camera = scene.cameras().iter().find(|c| c.node == node);
    let (place, turns) = match (mover, camera) {
        (Some(m), _) => (DVec3::from(m.now), m.turned),
        (None, Some(c)) => (DVec3::from(c.position), c.orientation),
        (None, None) => {
            return Err(WorkError::Request(
                "The scene has lost the camera or node that leads the eye; choose another one."
                    .into(),
            ));
        }
    };
    recipe.at = place
        + match turned {
            Turned::Never => offset,
            Turned::Offset | Turned::Along => turns.matrix() * offset,
        };
    if turned == Turned::Along {
        recipe.orientation = turns;
    }
    if let Some(above) = above_floor_m {
        recipe.at = above_floor(scene, recipe.at, above, std::iter::once(recipe.at));
    }
    Ok(recipe)
}

/// What was found of an order's frames.
#[derive(Default)]
pub struct Survey {
    /// Frames of which nothing is there.
    pub missing: Vec<u64>,
    /// Frames that cannot be read to their end, and why.
    pub broken: Vec<(u64, String)>,
    /// Pictures of something else where frames belong, and what differs.
    pub foreign: Vec<(u64, String)>,
    /// Frames that are there, whole.
    pub whole: Vec<u64>,
}

impl Survey {
    /// Adds what was found of a frame.
    pub fn add(&mut self, frame: u64, found: Found) {
        match found {
            Found::Missing => self.missing.push(frame),
            Found::Whole => self.whole.push(frame),
            Found::Broken(why) => self.broken.push((frame, why)),
            Found::Foreign(what) => self.foreign.push((frame, what)),
        }
    }

    /// In a sentence, what is there of an order that is gone on with.
    pub fn told(&self) -> String {
        let numbers =
            |list: &[(u64, String)]| -> Vec<u64> { list.iter().map(|(n, _)| *n).collect() };
        let mut told = Vec::new();
        let mut add = |frames: &[u64], what: &str, first: Option<&(u64, String)>| {
            if frames.is_empty() {
                return;
            }
            let why = first.map_or_else(String::new, |(n, why)| match frames.len() {
                1 => format!(" ({})", why.trim_end_matches('.')),
                _ => format!(" (frame {n}: {})", why.trim_end_matches('.')),
            });
            told.push(format!("{} {what}{why}", frames_are(frames)));
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
        format!("{}; rendering them.", capital(&told.join(", ")))
    }
}

/// "frame 7 is" or "frames 31-33 are".
fn frames_are(frames: &[u64]) -> String {
    let (noun, verb) = match frames.len() {
        1 => ("frame", "is"),
        _ => ("frames", "are"),
    };
    format!("{noun} {} {verb}", ranges(frames))
}

/// In a sentence, which frames are missing and what to do; nothing if none are.
pub fn missing_told(missing: &[u64], remedy: &str) -> Option<String> {
    (!missing.is_empty()).then(|| format!("{} missing; {remedy}", capital(&frames_are(missing))))
}

fn capital(sentence: &str) -> String {
    let mut sentence = sentence.to_owned();
    if let Some(first) = sentence.get_mut(..1) {
        first.make_ascii_uppercase();
    }
    sentence
}

/// Numbers as ranges: 0-3, 7, 9-10.
pub fn ranges(numbers: &[u64]) -> String {
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
        let told = |frames: &[u64]| missing_told(frames, "Resume renders them.");
        assert_eq!(told(&[]), None);
        assert_eq!(
            told(&[4]).unwrap(),
            "Frame 4 is missing; Resume renders them."
        );
    }
}
