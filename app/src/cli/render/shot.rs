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
use dome_imaging::LayeredStrip;
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
        (scene, light): (&Scene, &Illumination),
        around: Option<&mut Around>,
        kept: Option<&Path>,
    ) -> Outcome<Made> {
        let recipe = self.recipe.clone();
        let in_parts = self.in_parts();
        let denoises = self.args.options.denoise && !in_parts;
        let only_eye = self.args.options.pair.eye;
        let size = recipe.size;
        let mark = |side: Side| Mark {
            eye: side as u32,
            ..Mark::still(self.description.fingerprint())
        };
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
        let mut notes = Vec::new();
        if let Some(percent) = raw {
            notes.push(format!(
                "Rendering to a noise of {percent:.1} %; denoising takes the rest."
            ));
            eyes.aim_at(percent);
        }
        let render = eyes.first();
        if in_parts {
            let line = still_noisy(raw);
            self.spec.comments = Some(match self.spec.comments.take() {
                Some(told) => format!("{line}\n{told}"),
                None => line,
            });
        }
        let (from, to) = match self.args.options.rows {
            Some((first, last)) => (first, last + 1),
            None => (0, size.height()),
        };
        let progress = Progress::new(render, (from, to), around);
        let places: Vec<_> = Render::part_places(from, to).collect();
        let layers = render.passes.layers();
        let rendered = |(top, rows): (u32, u32)| {
            progress.begin(top);
            let strips = match only_eye {
                Some(side) => eyes
                    .only(side, (top, rows), &progress.control)
                    .map(|s| vec![s]),
                None => eyes.strips((top, rows), &progress.control),
            };
            let strips = strips.map_err(|e| FileError::Request(e.to_string()))?;
            strips.iter().for_each(|s| progress.add(s));
            progress.end(top);
            Ok::<_, FileError>(strips)
        };
        let sides: &[Side] = match only_eye {
            Some(_) => &[Side::Left],
            None => recipe.sides(),
        };
        // What strips hold when they are saved: denoising gives what is wanted.
        let made = match denoises {
            true => self.wanted.clone(),
            false => render.passes.clone(),
        };
        let mut left = Remaining::default();
        let mut files = Vec::new();
        let note = progress.watch(|| {
            if !denoises && kept.is_none() {
                let strips = places.iter().copied().map(|place| {
                    let mut strips = rendered(place)?;
                    strips
                        .iter_mut()
                        .for_each(|s| strip_file::round(s, &layers));
                    Ok(strips)
                });
                files = self.save(&made, &mut { strips })?;
                return Ok(None);
            }
            // Denoised strips are kept until the noise is out of all of them: a library that fails must not cost the render.
            let beside;
            let folder = match kept {
                Some(folder) => {
                    std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
                    folder
                }
                None => {
                    beside = self.beside()?;
                    beside.path()
                }
            };
            let path =
                |side: Side, top: u32| folder.join(format!("{}-{top:06}.strip", side.name()));
            let stored =
                |side: Side, top: u32| strip_file::read(&path(side, top), &mark(side), &layers);
            for &place in &places {
                let there: Result<Vec<_>, _> = sides.iter().map(|s| stored(*s, place.0)).collect();
                match there {
                    Ok(strips) => {
                        strips.iter().for_each(|s| progress.add(s));
                        progress.end(place.0);
                    }
                    Err(_) => {
                        for (side, strip) in sides.iter().zip(rendered(place)?) {
                            strip_file::write(
                                &path(*side, place.0),
                                &mark(*side),
                                &strip,
                                &layers,
                            )?;
                        }
                    }
                }
            }
            let write = |way: &Way| {
                let sum = Mutex::new(Remaining::default());
                let mut eyes: Vec<_> = (sides.iter())
                    .map(|side| {
                        let strips = places.iter().map(|(top, _)| stored(*side, *top));
                        let what = denoise::Job {
                            made: &render.passes,
                            wanted: &made,
                            size,
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
            Ok::<_, FileError>(written(denoises, write)?.1)
        })?;
        notes.extend(note.map(String::from));
        let noise = progress.noise().percent().map(|percent| {
            let pixels =
                u64::from(size.width()) * u64::from(to - from) * sides.len().max(1) as u64;
            let mean = progress.noise().samples as f64 / pixels as f64;
            let left = (left.percent()).map_or_else(String::new, |left| {
                format!(", {left:.1} % left after denoising")
            });
            format!("Noise {percent:.1} % of the displayed value{left}, {mean:.0} samples a pixel on average.")
        });
        Ok(Made {
            files,
            notes,
            noise,
        })
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
