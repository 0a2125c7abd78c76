//! What is finished of an order's picture while it is made: strips of its eyes, and eyes taken over from other pictures.

use super::eyes::Eyes;
use super::masters;
use super::recipe::Recipe;
use super::{App, Result};
use crate::folder::RenderFolder;
use crate::model::orders::OrderSpec;
use dome_files::{Fingerprint, Mark, strip_file};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum};
use dome_optics::rig::{Rig, Side};
use dome_trace::{Control, Quality, Scene, Stopped};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// A picture on its way: which it is, how it is made, where its files lie.
pub(super) struct Job<'a> {
    pub(super) picture: Fingerprint,
    pub(super) files: RenderFolder,
    pub(super) recipe: &'a Recipe,
    pub(super) scene: &'a Scene,
}

impl Job<'_> {
    /// Its eyes; the only one counts as left.
    pub(super) fn sides(&self) -> &'static [Side] {
        self.recipe.sides()
    }

    /// The mark of an eye's strips.
    pub(super) fn mark(&self, side: Side) -> Mark {
        Mark {
            eye: side as u32,
            ..Mark::still(self.picture)
        }
    }

    /// Pixels of some rows of one eye.
    pub(super) fn pixels(&self, (_, rows): (u32, u32)) -> u64 {
        u64::from(rows) * u64::from(self.recipe.size.width())
    }
}

/// The finished picture that an eye is taken over from, and the eye that it shows there.
pub(super) fn taken(files: &RenderFolder, side: Side) -> Option<(PathBuf, Side)> {
    (Side::BOTH.into_iter())
        .map(|view| (files.taken(side, view), view))
        .find(|(path, _)| path.exists())
}

/// Looks for finished pictures in which an eye's own picture is, and holds on to them: links to their files stay whatever
/// becomes of their orders. What was rendered of such an eye before is of no use any more.
pub(super) fn take_over(app: &App, job: &Job, eyes: [&str; 2]) -> Result<()> {
    let counted = matches!(job.recipe.quality, Quality::Noise { .. });
    for (side, eye) in Side::BOTH.into_iter().zip(eyes) {
        if taken(&job.files, side).is_some() || job.files.strip_of(side, 0).exists() {
            continue;
        }
        for (picture, is_right, _) in app.store.pictures_with_eye(eye)? {
            let from = app.folder.render(Some(&picture));
            let view = if is_right { Side::Right } else { Side::Left };
            if !masters::is_whole(&from)? {
                continue;
            }
            // The other eye takes at least as many samples, so they must be known.
            let counts = job.files.taken_counts(side);
            if counted && std::fs::hard_link(from.counts(), &counts).is_err() && !counts.exists() {
                continue;
            }
            if std::fs::hard_link(from.master(), job.files.taken(side, view)).is_ok() {
                break;
            }
        }
    }
    Ok(())
}

/// Which eyes of an ordered pair are there already, and what that saves, in a sentence; nothing where both are made.
pub fn eyes_there(app: &App, project: i64, spec: &OrderSpec) -> Result<Option<String>> {
    if spec.rig.is_none() {
        return Ok(None);
    }
    let recipe = Recipe::of_order(spec)?;
    let scene = app.scenes.get_as(app, project, &spec.settings)?;
    let sky = app.scenes.sky_picture(app, project, &spec.settings)?;
    let mut there = Vec::new();
    let mut seconds = 0.0;
    for side in Side::BOTH {
        let eye = recipe.describe_eye(side, &scene, sky).fingerprint();
        let found = app.store.pictures_with_eye(&eye.to_string())?;
        let whole = |p: &&(String, bool, f64)| app.folder.render(Some(&p.0)).master().exists();
        if let Some((_, _, spent)) = found.iter().find(whole) {
            there.push(side);
            seconds = *spent;
        }
    }
    let time = |s: f64| match s {
        s if s < 90.0 => format!("{s:.0} s"),
        s => format!("{:.0} min", s / 60.0),
    };
    Ok(match there[..] {
        [] => None,
        [side] => Some(format!(
            "The {} eye is there already; only the {} one is rendered: about {} instead of {}.",
            side.name(),
            side.other().name(),
            time(seconds),
            time(2.0 * seconds)
        )),
        _ => Some("Both eyes are there already; nothing is rendered.".into()),
    })
}

/// What is finished of a picture's eyes while it is made.
pub(super) struct Finished<'a> {
    job: &'a Job<'a>,
    layers: &'a [LayerSpec],
    /// Eyes whose picture is taken over, with the counts of its blocks.
    taken: Vec<(Side, Vec<u32>)>,
    /// Strips that are there: eye, first row, counts of their blocks.
    there: BTreeMap<(Side, u32), Vec<u32>>,
}

impl<'a> Finished<'a> {
    pub(super) fn new(job: &'a Job, layers: &'a [LayerSpec]) -> Result<Self> {
        let mut all = Vec::new();
        for side in job.sides() {
            if taken(&job.files, *side).is_some() {
                let counts = std::fs::read(job.files.taken_counts(*side)).unwrap_or_default();
                let counts = counts
                    .chunks_exact(4)
                    .map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]));
                all.push((*side, counts.collect()));
            }
        }
        Ok(Self {
            job,
            layers,
            taken: all,
            there: BTreeMap::new(),
        })
    }

    /// Reads what is there of some rows; gives the noise of each strip.
    pub(super) fn read(&mut self, place: (u32, u32)) -> Vec<NoiseSum> {
        let width = self.job.recipe.size.width();
        let mut sums = Vec::new();
        for side in self.job.sides() {
            let path = self.job.files.strip_of(*side, place.0);
            let kept = read_strip(&path, &self.job.mark(*side), place, width, self.layers);
            if let Some(strip) = kept {
                sums.push(strip.noise);
                self.there.insert((*side, place.0), strip.counts);
            }
        }
        sums
    }

    fn is_taken(&self, side: Side) -> bool {
        self.taken.iter().any(|t| t.0 == side)
    }

    /// The eyes that still have to be rendered from a row on.
    pub(super) fn missing(&self, top: u32) -> Vec<Side> {
        (self.job.sides().iter().copied())
            .filter(|s| !self.is_taken(*s) && !self.there.contains_key(&(*s, top)))
            .collect()
    }

    /// The counts of an eye's blocks in some rows.
    fn counts(&self, side: Side, (top, rows): (u32, u32)) -> Vec<u32> {
        if let Some((_, all)) = self.taken.iter().find(|t| t.0 == side) {
            let across = all.len() / (self.job.recipe.size.height() as usize).max(1);
            let rows = top as usize * across..(top + rows) as usize * across;
            return all.get(rows).unwrap_or_default().to_vec();
        }
        self.there.get(&(side, top)).cloned().unwrap_or_default()
    }

    /// Renders what is missing of some rows.
    pub(super) fn render(
        &mut self,
        eyes: &Eyes,
        place: (u32, u32),
        control: &Control,
    ) -> std::result::Result<Vec<(Side, LayeredStrip)>, Stopped> {
        let missing = self.missing(place.0);
        let rig = self.job.recipe.rig.as_ref();
        let strips = match (&missing[..], rig.and_then(Rig::alone)) {
            // One eye of a pair is there: that on the viewpoint needs nothing of the other, the other its counts.
            ([side], Some(alone)) => {
                let least = match *side == alone {
                    true => Vec::new(),
                    false => self.counts(alone, place),
                };
                vec![(*side, eyes.strip_of(*side, place, &least, control)?)]
            }
            _ => (self.job.sides().iter().copied())
                .zip(eyes.strips(place, control)?)
                .filter(|(side, _)| missing.contains(side))
                .collect(),
        };
        for (side, strip) in &strips {
            self.there.insert((*side, place.0), strip.counts.clone());
        }
        Ok(strips)
    }

    /// Keeps the counts of the eye whose picture is that of one eye alone: others may be made beside it later.
    pub(super) fn keep_counts(&self, places: &[(u32, u32)]) -> Result<()> {
        let recipe = self.job.recipe;
        let side = match &recipe.rig {
            None => Side::Left,
            Some(rig) => match rig.alone() {
                Some(side) => side,
                None => return Ok(()),
            },
        };
        let counts: Vec<u8> = (places.iter())
            .flat_map(|place| self.counts(side, *place))
            .flat_map(u32::to_le_bytes)
            .collect();
        if !counts.is_empty() {
            dome_files::atomic::write_bytes(&self.job.files.counts(), &counts)?;
        }
        Ok(())
    }

    /// What is said of eyes that were taken over.
    pub(super) fn told(&self) -> Option<String> {
        let names: Vec<_> = self.taken.iter().map(|t| t.0.name()).collect();
        match &names[..] {
            [] => None,
            [one] => Some(format!(
                "The {one} eye was taken over from a finished picture."
            )),
            _ => Some("Both eyes were taken over from finished pictures.".into()),
        }
    }
}

/// A strip of a picture if it is there, whole, and the one that belongs there.
pub(super) fn read_strip(
    path: &Path,
    mark: &Mark,
    (top, rows): (u32, u32),
    width: u32,
    layers: &[LayerSpec],
) -> Option<LayeredStrip> {
    let strip = path
        .exists()
        .then(|| strip_file::read(path, mark, layers))?
        .ok()?;
    let beauty = &strip.beauty;
    (beauty.top == top && beauty.rows() == rows && beauty.width == width).then_some(strip)
}
