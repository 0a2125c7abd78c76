//! One picture of `owl-dome render`: from a placed scene to its files.

use super::RenderArgs;
use super::progress::{Around, Progress, looked};
use crate::work::aim;
use crate::work::denoise::{self, Remaining, Way, denoised, still_noisy, written};
use crate::work::eyes::{self, Eyes};
use crate::work::packing;
use crate::work::recipe::{Recipe, only};
use dome_files::picture_file::{self, EYE_WORD, PictureSpec, eye_path, face_path};
use dome_files::{
    Description, FileError, Fingerprint, Mark, PictureFormat, join, strip_file, views,
};
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum};
use dome_optics::Shape;
use dome_optics::rig::{Arrangement, Side};
use dome_trace::{Control, Illumination, Pass, PassSet, Render, Scene};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;
type Strips<'a> = dyn Iterator<Item = Result<Vec<LayeredStrip>, FileError>> + 'a;

/// A word in a name where each pass has its own, if there is one.
pub(super) const PASS_WORD: &str = "{pass}";

/// A picture that is to be made.
pub(super) struct Shot<'a> {
    args: &'a RenderArgs,
    recipe: Recipe,
    description: Description,
    spec: PictureSpec,
    output: PathBuf,
    /// The passes that are wanted: of parts also what denoising them later needs.
    wanted: PassSet,
}

/// A picture that was made.
pub(super) struct Made {
    /// Its files, those of passes first.
    pub(super) files: Vec<PathBuf>,
    /// What is to be said, one sentence each.
    pub(super) notes: Vec<String>,
    /// Noise and samples, in a sentence.
    pub(super) noise: Option<String>,
}

impl<'a> Shot<'a> {
    pub(super) fn new(
        args: &'a RenderArgs,
        format: PictureFormat,
        recipe: Recipe,
        (scene, sky_picture): (&Scene, Option<Fingerprint>),
        output: PathBuf,
    ) -> Outcome<Self> {
        let description = recipe.describe(scene, sky_picture);
        let mut spec = recipe.file(format, scene);
        spec.deep = args.deep;
        spec.check()?;
        spec.description = Some(description.clone());
        spec.rows = args.options.rows.map(|(a, b)| a..b + 1);
        let mut shot = Self {
            args,
            description,
            spec,
            output,
            wanted: recipe.passes.clone(),
            recipe,
        };
        if shot.in_parts() {
            shot.wanted = shot.recipe.strip_passes();
        }
        Ok(shot)
    }

    /// What determines it.
    pub(super) fn description(&self) -> &Description {
        &self.description
    }

    /// Says how long its shutter is open and of how many moments it is blended; `parts` is the fingerprint of them all.
    pub(super) fn shuttered(&mut self, open_s: f64, moments: usize, parts: Fingerprint) {
        let words = format!("open for {open_s} s, {moments} moments, {}", parts.short());
        self.description.line("shutter", words);
        self.spec.description = Some(self.description.clone());
    }

    /// How its file is written, to say more in it.
    pub(super) fn spec_mut(&mut self) -> &mut PictureSpec {
        &mut self.spec
    }

    /// Parts keep what denoising looks at: it needs the rows of other parts, and is done when they are joined.
    fn in_parts(&self) -> bool {
        self.args.options.rows.is_some() && self.args.options.denoise
    }

    fn format(&self) -> PictureFormat {
        self.spec.format
    }

    /// Passes of their own are taken out of a whole file, which need not stay.
    fn own_files(&self) -> Vec<Pass> {
        let separate = self.args.options.separate || told_in(&self.output, PASS_WORD);
        if self.format() == PictureFormat::Exr && !separate {
            return Vec::new();
        }
        let inside = |p: &Pass| *p == Pass::Alpha && self.format() != PictureFormat::Jpeg;
        self.wanted.iter().filter(|p| !inside(p)).collect()
    }

    /// Where the picture itself goes.
    fn main_output(&self) -> PathBuf {
        with_word(&self.output, PASS_WORD, "beauty")
    }

    /// All files that it will have.
    pub(super) fn files(&self) -> Vec<PathBuf> {
        let main = self.main_output();
        let pair = &self.args.options.pair;
        let mut files: Vec<PathBuf> = (self.own_files().into_iter())
            .map(|pass| pass_path(&self.output, pass))
            .collect();
        let laying = self.args.laying(self.format());
        match (self.recipe.rig.is_some(), pair.eye, self.args.shape()) {
            (true, Some(side), _) => files.push(with_word(&main, EYE_WORD, side.name())),
            (true, None, _) if laying.packing.arrangement == Arrangement::TwoFiles => {
                files.extend(laying.packing.sides().iter().map(|s| eye_path(&main, *s)));
            }
            (false, _, Ok(Shape::CubeFaces(layout))) => {
                files
                    .extend((layout.places()).map(|(cell, ..)| face_path(&main, cell.face.name())));
            }
            _ => files.push(main),
        }
        files
    }

    /// Renders it and writes its files. With a folder to keep strips in, those that are there and of this very picture are not
    /// rendered again.
    pub(super) fn render(
        &mut self,
        seen: (&Scene, &Illumination),
        around: Option<&mut Around>,
        kept: Option<&Path>,
    ) -> Outcome<Made> {
        let denoises = self.denoises();
        let mut files = Vec::new();
        let mut left = Remaining::default();
        let told = match (kept, denoises) {
            (None, false) => self.watched(seen, around, |shot, rendering| {
                let strips = rendering.places.iter().map(|place| {
                    let mut strips = rendering.strips(*place)?;
                    strips
                        .iter_mut()
                        .for_each(|s| strip_file::round(s, &rendering.layers));
                    Ok(strips)
                });
                files = shot.save(&shot.made(), &mut { strips })?;
                Ok(None)
            })?,
            // Denoised strips are kept until the noise is out of all of them: a library that fails must not cost the render.
            _ => self.watched(seen, around, |shot, rendering| {
                let beside;
                let folder = match kept {
                    Some(folder) => folder,
                    None => {
                        beside = shot.beside()?;
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
    pub(super) fn render_part(
        &mut self,
        seen: (&Scene, &Illumination),
        around: Option<&mut Around>,
        folder: &Path,
    ) -> Outcome<Told> {
        self.watched(seen, around, |shot, rendering| {
            Stored::new(shot, folder)?.fill(rendering)?;
            Ok(None)
        })
    }

    /// Writes its files as the mean of pictures of several moments, whose strips lie in folders.
    pub(super) fn blend(&self, parts: &[(Shot, PathBuf)], told: Told) -> Outcome<Made> {
        let stored: Vec<Stored> = (parts.iter())
            .map(|(shot, folder)| Stored::new(shot, folder))
            .collect::<Result<_, _>>()?;
        // What is told of one surface alone is that of the middle moment: a distance between two is none.
        let sharp: Vec<bool> = (self.recipe.strip_passes().iter())
            .map(|p| matches!(p, Pass::Depth | Pass::ObjectMask))
            .collect();
        let read = |side: Side, top: u32| {
            let strips: Result<Vec<_>, _> = stored.iter().map(|s| s.read(side, top)).collect();
            LayeredStrip::mean(strips?, &sharp)
                .ok_or_else(|| FileError::Request("There is no moment to blend.".into()))
        };
        let (files, left, note) = self.finish(&read)?;
        let told = Told { note, ..told };
        Ok(self.told(told, files, &left))
    }

    fn denoises(&self) -> bool {
        self.args.options.denoise && !self.in_parts()
    }

    /// What strips hold when they are saved: denoising gives what is wanted.
    fn made(&self) -> PassSet {
        match self.denoises() {
            true => self.wanted.clone(),
            false => self.recipe.strip_passes(),
        }
    }

    /// The eyes that are rendered: one that is asked for alone counts as left.
    fn sides(&self) -> &'static [Side] {
        match self.args.options.pair.eye {
            Some(_) => &[Side::Left],
            None => self.recipe.sides(),
        }
    }

    fn rows(&self) -> (u32, u32) {
        match self.args.options.rows {
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
        around: Option<&mut Around>,
        work: impl FnOnce(&Self, &Rendering) -> Result<Option<&'static str>, FileError>,
    ) -> Outcome<Told> {
        let recipe = self.recipe.clone();
        let both = eyes::of(&recipe);
        let looking = Control::default();
        // Nothing stops a command from within.
        let learned = looked(&looking, || {
            eyes::learn(&recipe, scene, light, &both, &looking)
        });
        let learned = learned.unwrap_or_default();
        let mut eyes = Eyes::new(&recipe, scene, light, &both, &learned);
        let way = denoise::way();
        let raw = looked(&looking, || aim::raw_noise(&recipe, &eyes, &way, &looking));
        let raw = raw.unwrap_or_default();
        if let Some(percent) = raw {
            if around.is_none() {
                eprintln!("Rendering to a noise of {percent:.1} %; denoising takes the rest.");
            }
            eyes.aim_at(percent);
        }
        if self.in_parts() {
            let line = still_noisy(raw);
            self.spec.comments = Some(match self.spec.comments.take() {
                Some(told) => format!("{line}\n{told}"),
                None => line,
            });
        }
        let progress = Progress::new(eyes.first(), self.rows(), around);
        let rendering = Rendering {
            layers: eyes.first().passes.layers(),
            places: self.places(),
            only: self.args.options.pair.eye,
            eyes,
            progress: &progress,
        };
        let shot = &*self;
        let note = progress.watch(|| work(shot, &rendering))?;
        Ok(Told {
            noise: progress.noise(),
            note,
        })
    }

    fn told(&self, told: Told, files: Vec<PathBuf>, left: &Remaining) -> Made {
        let notes = told.note.into_iter().map(String::from).collect();
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
        read: &dyn Fn(Side, u32) -> Result<LayeredStrip, FileError>,
    ) -> Result<(Vec<PathBuf>, Remaining, Option<&'static str>), FileError> {
        let (made, places) = (self.made(), self.places());
        let strip_passes = self.recipe.strip_passes();
        let mut files = Vec::new();
        let mut left = Remaining::default();
        let write = |way: &Way| {
            let sum = Mutex::new(Remaining::default());
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
                Some(strips?.into_iter().collect::<Result<Vec<_>, _>>())
            });
            files = self.save(&made, &mut together)?;
            drop(eyes);
            left = sum.into_inner().unwrap_or_else(PoisonError::into_inner);
            Ok(())
        };
        let note = written(self.denoises(), write)?.1;
        Ok((files, left, note))
    }

    /// A folder beside the output that goes away by itself.
    fn beside(&self) -> Result<tempfile::TempDir, FileError> {
        let files = self.files();
        let folder = files.first().map_or(Path::new("."), |f| folder_of(f));
        std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
        tempfile::Builder::new()
            .prefix(".unfinished-")
            .tempdir_in(folder)
            .map_err(FileError::io("Writing", folder))
    }

    /// Writes all files from strips of one eye or of both that hold the passes `made`. Tells the files.
    fn save(&self, made: &PassSet, strips: &mut Strips) -> Result<Vec<PathBuf>, FileError> {
        let mut spec = self.spec.clone();
        let pair = &self.args.options.pair;
        if pair.eye.is_some() {
            spec.both_eyes = false;
        }
        let main = self.main_output();
        let wanted = &self.wanted;
        let own_files = self.own_files();
        let in_file = PassSet::new(wanted.iter().filter(|p| !own_files.contains(p)));
        for file in self.files() {
            let folder = folder_of(&file);
            std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
        }
        // Strips hold what the passes want, of one eye or of both.
        let joined = |strips: Vec<LayeredStrip>, passes: &PassSet| {
            let mut eyes = strips.into_iter().map(|s| only(s, made, passes));
            match (eyes.next(), eyes.next()) {
                (Some(left), Some(right)) => Ok(views::both(left, right)),
                (Some(one), None) => Ok(one),
                _ => Err(FileError::Request("There is no eye to see with.".into())),
            }
        };
        if self.recipe.rig.is_some() {
            let master = |path: &Path, strips: &mut Strips| {
                let whole = PictureSpec {
                    format: PictureFormat::Exr,
                    both_eyes: true,
                    layers: views::layers_of_both(&wanted.layers(), spec.deep),
                    ..spec.clone()
                };
                picture_file::write(path, &whole, strips.map(|s| joined(s?, wanted)))
            };
            let laying = self.args.laying(self.format());
            if let Some(side) = pair.eye {
                spec.layers = in_file.layers();
                let strips = strips.map(|s| joined(s?, &in_file));
                let main = with_word(&main, EYE_WORD, side.name());
                return picture_file::write_all(&main, &spec, strips);
            }
            if laying.packing != dome_optics::rig::Packing::MONO || pair.packing.is_some() {
                let beside = self.beside()?;
                let whole = beside.path().join("whole.exr");
                master(&whole, strips)?;
                spec.layers = in_file.layers();
                if laying.packing.arrangement == Arrangement::Mono {
                    spec.both_eyes = false;
                }
                return packing::write(&whole, &main, &spec, laying, None, &|_| true);
            }
            master(&main, strips)?;
            return Ok(vec![main]);
        }
        if own_files.is_empty() {
            spec.layers = in_file.layers();
            let strips = strips.map(|s| joined(s?, &in_file));
            return picture_file::write_all(&main, &spec, strips);
        }
        let beside = self.beside()?;
        let whole = beside.path().join("whole.exr");
        let everything = PictureSpec {
            format: PictureFormat::Exr,
            layers: wanted.layers(),
            ..spec.clone()
        };
        picture_file::write(&whole, &everything, strips.map(|s| joined(s?, wanted)))?;
        let mut files = Vec::new();
        for pass in own_files {
            let path = pass_path(&self.output, pass);
            join::extract(&whole, &pass.layer(), &path)?;
            files.push(path);
        }
        spec.layers = in_file.layers();
        picture_file::write(&main, &spec, join::with_layers(&whole, &spec.layers)?)?;
        files.push(main);
        Ok(files)
    }
}

/// What is known once strips are rendered.
pub(super) struct Told {
    noise: NoiseSum,
    note: Option<&'static str>,
}

impl Told {
    /// Of the mean of several pictures with noise of their own.
    pub(super) fn of_all(parts: Vec<Told>) -> Self {
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
    progress: &'a Progress,
}

impl Rendering<'_> {
    /// The rows of each eye.
    fn strips(&self, place: (u32, u32)) -> Result<Vec<LayeredStrip>, FileError> {
        let progress = self.progress;
        progress.begin(place.0);
        let strips = match self.only {
            Some(side) => (self.eyes.only(side, place, &progress.control)).map(|s| vec![s]),
            None => self.eyes.strips(place, &progress.control),
        };
        let strips = strips.map_err(|e| FileError::Request(e.to_string()))?;
        self.done(place, &strips);
        Ok(strips)
    }

    fn done(&self, place: (u32, u32), strips: &[LayeredStrip]) {
        strips.iter().for_each(|s| self.progress.add(s));
        self.progress.end(place.0);
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
    fn new(shot: &Shot, folder: &'a Path) -> Result<Self, FileError> {
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

    fn read(&self, side: Side, top: u32) -> Result<LayeredStrip, FileError> {
        strip_file::read(&self.path(side, top), &self.mark(side), &self.layers)
    }

    /// Renders what is not there yet.
    fn fill(&self, rendering: &Rendering) -> Result<(), FileError> {
        for &place in &rendering.places {
            let (top, _) = place;
            let there: Result<Vec<_>, _> = self.sides.iter().map(|s| self.read(*s, top)).collect();
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

/// Where a pass of its own goes: where the name has a word for it, else `OUT.pass.exr` beside `OUT.ending`. It is always an OpenEXR.
fn pass_path(output: &Path, pass: Pass) -> PathBuf {
    if told_in(output, PASS_WORD) {
        return with_word(output, PASS_WORD, pass.name()).with_extension("exr");
    }
    output.with_extension(format!("{}.exr", pass.name()))
}

/// Whether a name has a word for something in it.
pub(super) fn told_in(path: &Path, word: &str) -> bool {
    path.to_str().is_some_and(|text| text.contains(word))
}

/// A name with a word in it told.
fn with_word(path: &Path, word: &str, told: &str) -> PathBuf {
    match path.to_str() {
        Some(text) if text.contains(word) => text.replace(word, told).into(),
        _ => path.to_owned(),
    }
}

/// The folder of a file.
pub(super) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    }
}
