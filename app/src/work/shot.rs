//! One picture from a placed scene to its files, for commands and the frames of orders.

use super::Result;
use super::aim;
use super::denoise::{self, Remaining, Way, denoised, still_noisy, written, written_better};
use super::eyes::{self, Eyes};
use super::filing::{Filing, Output};
use super::look::Look;
use super::recipe::Recipe;
use dome_files::atomic::Over;
use dome_files::error::Result as Filed;
use dome_files::{Description, FileError, Fingerprint, Mark, PictureFormat, strip_file};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum};
use dome_optics::rig::Side;
use dome_trace::{Control, Illumination, Pass, PassSet, Render, Scene, Stopped};
use std::cell::Cell;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// Who watches a render: hears how far it is, and may stop it.
pub trait Watcher {
    /// The way to stop it.
    fn control(&self) -> &Control;
    /// Does a look before the render.
    fn looks(&self, look: &mut dyn FnMut());
    /// What is looked at before the render was taken from a file.
    fn looked_before(&self, _file: &Path) {}
    /// Denoising takes the rest: it is rendered to this noise, percent.
    fn aims_at(&self, percent: f32);
    /// Strips are to be rendered, of the rows from one to another.
    fn begins(&self, eyes: &Eyes, rows: (u32, u32));
    /// Renders them and writes files.
    fn works(&self, work: &mut dyn FnMut());
    /// A strip is begun.
    fn strip_begins(&self, top: u32);
    /// A strip is there, of each eye that is made.
    fn strip_ends(&self, place: (u32, u32), strips: &[LayeredStrip]);
}

/// A picture that is to be made.
pub struct Shot {
    recipe: Recipe,
    description: Description,
    out: Output,
    /// Whether denoising may be left out where it gains nothing: frames would flicker.
    may_stay_noisy: bool,
    /// Whether it is, once that is known.
    stays_noisy: bool,
    /// Where what is looked at first is kept, for other parts of it.
    look: Option<PathBuf>,
}

/// A picture that was made.
pub struct Made {
    /// Its files, those of passes first.
    pub files: Vec<PathBuf>,
    /// What is to be said, one sentence each.
    pub notes: Vec<String>,
    /// Noise and samples, in a sentence.
    pub noise: Option<String>,
}

impl Shot {
    /// A picture of a placed scene. `sky_picture` is the fingerprint of the picture that surrounds it, if one does.
    pub fn new(
        filing: Filing,
        format: PictureFormat,
        recipe: Recipe,
        (scene, sky_picture): (&Scene, Option<Fingerprint>),
        output: PathBuf,
    ) -> Result<Self> {
        let description = recipe.describe(scene, sky_picture);
        let mut spec = recipe.file(format, scene);
        spec.deep = filing.deep;
        spec.check()?;
        spec.description = Some(description.clone());
        spec.rows = filing.rows.map(|(a, b)| a..b + 1);
        let in_parts = filing.rows.is_some() && recipe.denoise;
        let out = Output {
            filing,
            spec,
            path: output,
            wanted: match in_parts {
                true => recipe.strip_passes(),
                false => recipe.passes.clone(),
            },
            pair: recipe.rig.is_some(),
        };
        Ok(Self {
            recipe,
            description,
            out,
            may_stay_noisy: true,
            stays_noisy: false,
            look: None,
        })
    }

    /// Is one of several that follow each other: they are denoised alike.
    pub fn is_one_of_many(&mut self) {
        self.may_stay_noisy = false;
    }

    /// Keeps in a file what is looked at before it is rendered, or takes it from there.
    pub fn looks_once(&mut self, file: PathBuf) {
        self.look = Some(file);
    }

    /// What is known of it before it is looked at.
    fn known(&self) -> Look {
        match &self.look {
            Some(file) => Look::kept_in(file, self.description.fingerprint(), self.may_stay_noisy),
            None => Look::none(self.may_stay_noisy),
        }
    }

    /// Only looks, and keeps that.
    pub fn look(&self, seen: (&Scene, &Illumination), watcher: &dyn Watcher) -> Result<()> {
        let mut look = self.known();
        let (recipe, control) = (&self.recipe, watcher.control());
        let (scene, light) = seen;
        let both = eyes::of(recipe);
        let stopped = |e: Stopped| FileError::Request(e.to_string());
        control.expect_looks(look.to_come(recipe));
        let learned = looked(watcher, || look.learned(recipe, seen, &both, control));
        let learned = learned.map_err(stopped)?;
        let mut eyes = Eyes::new(recipe, scene, light, &both, &learned);
        let way = denoise::way();
        let aim = looked(watcher, || look.aim(recipe, &mut eyes, &way, control));
        control.expect_looks(0);
        Ok(look.keep(&learned, &aim.map_err(stopped)?)?)
    }

    /// What determines it.
    pub fn description(&self) -> &Description {
        &self.description
    }

    /// All files that it will have.
    pub fn files(&self) -> Vec<PathBuf> {
        self.out.files()
    }

    /// Takes no file's place: what comes to its names while it is made stays, and it is refused.
    pub fn takes_no_place(&mut self) {
        self.out.spec.over = Over::Nothing;
    }

    /// Says how long its shutter is open and of how many moments it is blended; `parts` is the fingerprint of them all.
    pub fn shuttered(&mut self, open_s: f64, moments: usize, parts: Fingerprint) {
        let words = format!("open for {open_s} s, {moments} moments, {}", parts.short());
        self.description.line("shutter", words);
        self.out.spec.description = Some(self.description.clone());
    }

    /// Says at what its viewers look first: heading, pitch and width, degrees.
    pub fn opens_at(&mut self, heading_deg: f64, pitch_deg: f64, hfov_deg: f64) {
        let tags = &mut self.out.spec.tags;
        tags.opening_deg = Some((heading_deg, pitch_deg));
        tags.hfov_deg = Some(hfov_deg);
    }

    /// Parts keep what denoising looks at: it needs the rows of other parts, and is done when they are joined.
    fn in_parts(&self) -> bool {
        self.out.filing.rows.is_some() && self.recipe.denoise
    }

    /// Renders it and writes its files. With a folder to keep strips in, those that are there and of this very picture are not
    /// rendered again.
    pub fn render(
        &mut self,
        seen: (&Scene, &Illumination),
        watcher: &dyn Watcher,
        kept: Option<&Path>,
    ) -> Result<Made> {
        let denoises = self.denoises();
        let mut files = Vec::new();
        let mut left = Remaining::default();
        let told = match (kept, denoises) {
            (None, false) => self.watched(seen, watcher, |shot, rendering| {
                let strips = rendering.places.iter().map(|place| {
                    let mut strips = rendering.strips(*place)?;
                    strips
                        .iter_mut()
                        .for_each(|s| strip_file::round(s, &rendering.layers));
                    Ok(strips)
                });
                files = shot.out.save(&shot.made(), &mut { strips })?;
                Ok(None)
            })?,
            // Denoised strips are kept until the noise is out of all of them: a library that fails must not cost the render.
            _ => self.watched(seen, watcher, |shot, rendering| {
                let beside;
                let folder = match kept {
                    Some(folder) => folder,
                    None => {
                        beside = shot.out.beside()?;
                        beside.path()
                    }
                };
                let stored = Stored::new(shot, folder)?;
                stored.fill(rendering)?;
                let note;
                (files, left, note) = shot.finish(&|side, top| stored.read(side, top))?;
                Ok(note)
            })?,
        };
        Ok(self.told(told, files, &left))
    }

    /// Renders its strips into a folder and writes no file: one moment of a picture of several.
    pub fn render_part(
        &mut self,
        seen: (&Scene, &Illumination),
        watcher: &dyn Watcher,
        folder: &Path,
    ) -> Result<Told> {
        self.watched(seen, watcher, |shot, rendering| {
            Stored::new(shot, folder)?.fill(rendering)?;
            Ok(None)
        })
    }

    /// Writes its files as the mean of pictures of several moments, whose strips lie in folders.
    pub fn blend(&self, parts: &[(Shot, PathBuf)], told: Told) -> Result<Made> {
        let stored: Vec<Stored> = (parts.iter())
            .map(|(shot, folder)| Stored::new(shot, folder))
            .collect::<Filed<_>>()?;
        // What is told of one surface alone is that of the middle moment: a distance between two is none.
        let sharp: Vec<bool> = (self.recipe.strip_passes().iter())
            .map(|p| matches!(p, Pass::Depth | Pass::ObjectMask))
            .collect();
        let read = |side: Side, top: u32| {
            let strips: Filed<Vec<_>> = stored.iter().map(|s| s.read(side, top)).collect();
            LayeredStrip::mean(strips?, &sharp)
                .ok_or_else(|| FileError::Request("There is no moment to blend.".into()))
        };
        let (files, left, note) = self.finish(&read)?;
        let told = Told { note, ..told };
        Ok(self.told(told, files, &left))
    }

    fn denoises(&self) -> bool {
        self.recipe.denoise && !self.in_parts()
    }

    /// What strips hold when they are saved: denoising gives what is wanted.
    fn made(&self) -> PassSet {
        match self.denoises() {
            true => self.out.wanted.clone(),
            false => self.recipe.strip_passes(),
        }
    }

    /// The eyes that are rendered: one that is asked for alone counts as left.
    fn sides(&self) -> &'static [Side] {
        match self.out.filing.eye {
            Some(_) => &[Side::Left],
            None => self.recipe.sides(),
        }
    }

    fn rows(&self) -> (u32, u32) {
        match self.out.filing.rows {
            Some((first, last)) => (first, last + 1),
            None => (0, self.recipe.size.height()),
        }
    }

    fn places(&self) -> Vec<(u32, u32)> {
        let (from, to) = self.rows();
        Render::part_places(from, to).collect()
    }

    /// Makes everything ready, does some work with it and tells meanwhile how far it is.
    fn watched(
        &mut self,
        (scene, light): (&Scene, &Illumination),
        watcher: &dyn Watcher,
        work: impl FnOnce(&Self, &Rendering) -> Filed<Option<&'static str>>,
    ) -> Result<Told> {
        let recipe = self.recipe.clone();
        let both = eyes::of(&recipe);
        let control = watcher.control();
        let stopped = || FileError::Request(Stopped.to_string());
        let mut look = self.known();
        control.expect_looks(look.to_come(&recipe));
        let learned = looked(watcher, || {
            look.learned(&recipe, (scene, light), &both, control)
        });
        let learned = learned.map_err(|_| stopped())?;
        let mut eyes = Eyes::new(&recipe, scene, light, &both, &learned);
        let way = denoise::way();
        let aim = looked(watcher, || look.aim(&recipe, &mut eyes, &way, control));
        control.expect_looks(0);
        let aim = aim.map_err(|_| stopped())?;
        look.keep(&learned, &aim)?;
        if let Some(file) = look.taken_from() {
            watcher.looked_before(file);
        }
        let limit = aim.percent;
        self.stays_noisy = recipe.denoise && !aim.denoised;
        let raw = limit.filter(|_| aim.denoised);
        if let Some(percent) = raw {
            watcher.aims_at(percent);
        }
        if let Some(percent) = limit {
            eyes.aim_at(percent);
        }
        if self.in_parts() {
            let line = match self.stays_noisy {
                true => denoise::STAYS_NOISY.to_owned(),
                false => still_noisy(raw),
            };
            self.out.spec.comments = Some(match self.out.spec.comments.take() {
                Some(told) => format!("{line}\n{told}"),
                None => line,
            });
        }
        watcher.begins(&eyes, self.rows());
        let rendering = Rendering {
            layers: eyes.first().passes.layers(),
            places: self.places(),
            only: self.out.filing.eye,
            eyes,
            watcher,
            noise: Cell::default(),
        };
        let shot = &*self;
        let mut work = Some(work);
        let mut done = None;
        watcher.works(&mut || done = work.take().map(|work| work(shot, &rendering)));
        Ok(Told {
            note: done.transpose()?.flatten(),
            noise: rendering.noise.get(),
        })
    }

    fn told(&self, told: Told, files: Vec<PathBuf>, left: &Remaining) -> Made {
        let left_out = self.stays_noisy.then_some(aim::NOT_WORTH_IT);
        let said = told.note.into_iter().chain(left_out);
        let notes = said.chain(self.out.spec.cut.note()).map(String::from);
        let notes = notes.collect();
        let noise = told.noise.percent().map(|percent| {
            let (from, to) = self.rows();
            let rows = u64::from(to - from) * self.sides().len().max(1) as u64;
            let pixels = u64::from(self.recipe.size.width()) * rows;
            let mean = told.noise.samples as f64 / pixels as f64;
            let left = (left.percent()).map_or_else(String::new, |left| {
                format!(", {left:.1} % left after denoising")
            });
            format!("Noise {percent:.1} % of the displayed value{left}, {mean:.0} samples a pixel on average.")
        });
        Made {
            files,
            notes,
            noise,
        }
    }

    /// Writes its files from strips, their noise taken out if that is wanted. Tells the files, the noise that is left, and what is
    /// to be said.
    fn finish(
        &self,
        read: &dyn Fn(Side, u32) -> Filed<LayeredStrip>,
    ) -> Filed<(Vec<PathBuf>, Remaining, Option<&'static str>)> {
        let (made, places) = (self.made(), self.places());
        let strip_passes = self.recipe.strip_passes();
        let mut files = Vec::new();
        let sum = Mutex::new(Remaining::default());
        let write = |way: &Way| {
            *sum.lock().unwrap_or_else(PoisonError::into_inner) = Remaining::default();
            let mut eyes: Vec<_> = (self.sides().iter())
                .map(|side| {
                    let strips = places.iter().map(|(top, _)| read(*side, *top));
                    let what = denoise::Job {
                        made: &strip_passes,
                        wanted: &made,
                        size: self.recipe.size,
                    };
                    denoised(strips, what, way, &sum, || true)
                })
                .collect();
            let mut together = std::iter::from_fn(|| {
                let strips: Option<Vec<_>> = eyes.iter_mut().map(Iterator::next).collect();
                Some(strips?.into_iter().collect::<Filed<Vec<_>>>())
            });
            files = self.out.save(&made, &mut together)?;
            drop(eyes);
            Ok(())
        };
        let wanted = self.denoises() && !self.stays_noisy;
        let note = match self.may_stay_noisy {
            true => written_better(wanted, &sum, write)?.1,
            false => written(wanted, write)?.1,
        };
        let left = sum.into_inner().unwrap_or_else(PoisonError::into_inner);
        Ok((files, left, note))
    }
}

/// What is known once strips are rendered.
pub struct Told {
    noise: NoiseSum,
    note: Option<&'static str>,
}

impl Told {
    /// Of the mean of several pictures with noise of their own.
    pub fn of_all(parts: Vec<Told>) -> Self {
        let mut noise = NoiseSum::default();
        let count = parts.len().max(1) as f64;
        for part in &parts {
            noise.add(part.noise);
        }
        // The mean of so many has so much less noise than one of them.
        noise.squares /= count * count;
        noise.weight /= count;
        Self { noise, note: None }
    }
}

/// A picture that is being rendered.
struct Rendering<'a> {
    eyes: Eyes<'a>,
    /// The eye that is asked for alone.
    only: Option<Side>,
    layers: Vec<LayerSpec>,
    places: Vec<(u32, u32)>,
    watcher: &'a dyn Watcher,
    noise: Cell<NoiseSum>,
}

impl Rendering<'_> {
    /// The rows of each eye.
    fn strips(&self, place: (u32, u32)) -> Filed<Vec<LayeredStrip>> {
        self.watcher.strip_begins(place.0);
        let control = self.watcher.control();
        let strips = match self.only {
            Some(side) => (self.eyes.only(side, place, control)).map(|s| vec![s]),
            None => self.eyes.strips(place, control),
        };
        let strips = strips.map_err(|e| FileError::Request(e.to_string()))?;
        self.done(place, &strips);
        Ok(strips)
    }

    fn done(&self, place: (u32, u32), strips: &[LayeredStrip]) {
        let mut noise = self.noise.get();
        strips.iter().for_each(|s| noise.add(s.noise));
        self.noise.set(noise);
        self.watcher.strip_ends(place, strips);
    }
}

/// Does a look and gives what it found.
fn looked<T>(watcher: &dyn Watcher, look: impl FnOnce() -> T) -> T {
    let (mut look, mut found) = (Some(look), None);
    watcher.looks(&mut || found = look.take().map(|look| look()));
    match (found, look) {
        (Some(found), _) => found,
        // A watcher that does not look is looked for.
        (None, Some(look)) => look(),
        (None, None) => unreachable!("a look is taken once, and gives what it found"),
    }
}

/// Strips of a picture in a folder.
struct Stored<'a> {
    folder: &'a Path,
    picture: Fingerprint,
    sides: &'static [Side],
    layers: Vec<LayerSpec>,
}

impl<'a> Stored<'a> {
    fn new(shot: &Shot, folder: &'a Path) -> Filed<Self> {
        std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
        Ok(Self {
            folder,
            picture: shot.description.fingerprint(),
            sides: shot.sides(),
            layers: shot.recipe.strip_passes().layers(),
        })
    }

    fn path(&self, side: Side, top: u32) -> PathBuf {
        let name = format!("{}-{top:06}.strip", side.name());
        self.folder.join(name)
    }

    fn mark(&self, side: Side) -> Mark {
        Mark {
            eye: side as u32,
            ..Mark::still(self.picture)
        }
    }

    fn read(&self, side: Side, top: u32) -> Filed<LayeredStrip> {
        strip_file::read(&self.path(side, top), &self.mark(side), &self.layers)
    }

    /// Renders what is not there yet.
    fn fill(&self, rendering: &Rendering) -> Filed<()> {
        for &place in &rendering.places {
            let (top, _) = place;
            let there: Filed<Vec<_>> = self.sides.iter().map(|s| self.read(*s, top)).collect();
            if let Ok(strips) = there {
                rendering.done(place, &strips);
                continue;
            }
            for (side, strip) in self.sides.iter().zip(rendering.strips(place)?) {
                strip_file::write_soon(
                    &self.path(*side, top),
                    &self.mark(*side),
                    &strip,
                    &self.layers,
                )?;
            }
        }
        Ok(())
    }
}
