//! How a picture lies in files: one or several, with passes and eyes together or apart. Nothing here decides a pixel.

use super::packing::{self, Laying};
use super::recipe::{Recipe, only};
use dome_files::beside::Beside;
use dome_files::picture_file::{self, EYE_WORD, PictureSpec, eye_path, face_path};
use dome_files::{FileError, PictureFormat, join, views};
use dome_imaging::LayeredStrip;
use dome_optics::Shape;
use dome_optics::rig::{Arrangement, Packing, Side};
use dome_trace::{Pass, PassSet};
use std::path::{Path, PathBuf};

/// Rows of one eye or of both.
pub(super) type Strips<'a> = dyn Iterator<Item = Result<Vec<LayeredStrip>, FileError>> + 'a;

/// A word in a name where each pass has its own, if there is one.
pub const PASS_WORD: &str = "{pass}";

/// How a picture is laid into files, as it is asked.
#[derive(Clone, Debug, Default)]
pub struct Filing {
    /// 16 bits a channel in a PNG.
    pub deep: bool,
    /// Each pass in a file of its own.
    pub separate: bool,
    /// Only some rows, the first and the last.
    pub rows: Option<(u32, u32)>,
    /// The only eye of a pair.
    pub eye: Option<Side>,
    /// How both eyes lie in the file; without a word both are views of an OpenEXR, and one above the other elsewhere.
    pub packing: Option<Packing>,
    /// What goes from the outer side of each eye in files that are not the whole master: parallel cameras recorded more. Pixels.
    pub crop: u32,
}

impl Filing {
    /// How the eyes lie in a file of a name and format.
    pub fn laying(&self, output: &Path, format: PictureFormat) -> Laying {
        let views = if format == PictureFormat::Exr {
            Packing::MONO
        } else {
            Packing::TOP_BOTTOM
        };
        // A name with a word for the eye is a file for each.
        let usual = match told_in(output, EYE_WORD) {
            true => Packing::TWO_FILES,
            false => views,
        };
        let packing = self.packing.unwrap_or(usual);
        Laying {
            packing,
            crop: match packing {
                Packing::MONO => 0,
                _ => self.crop,
            },
            window: [[0.0; 2]; 2],
        }
    }
}

/// The files that a recipe's picture would have.
pub fn files_of(
    filing: &Filing,
    format: PictureFormat,
    recipe: &Recipe,
    path: &Path,
) -> Vec<PathBuf> {
    let (width, height) = (recipe.size.width(), recipe.size.height());
    let mut spec = PictureSpec::panorama(format, width, height, 0.0);
    spec.shape = recipe.size.shape;
    let output = Output {
        filing: filing.clone(),
        spec,
        path: path.to_owned(),
        wanted: recipe.passes.clone(),
        pair: recipe.rig.is_some(),
    };
    output.files()
}

/// The files of one picture.
pub(super) struct Output {
    pub(super) filing: Filing,
    /// How the picture itself is written.
    pub(super) spec: PictureSpec,
    /// Where it goes; words in the name are for eyes, faces and passes.
    pub(super) path: PathBuf,
    /// The passes that are wanted: of parts also what denoising them later needs.
    pub(super) wanted: PassSet,
    /// Whether there are two eyes.
    pub(super) pair: bool,
}

impl Output {
    fn format(&self) -> PictureFormat {
        self.spec.format
    }

    /// Passes of their own are taken out of a whole file, which need not stay.
    fn own_files(&self) -> Vec<Pass> {
        let separate = self.filing.separate || told_in(&self.path, PASS_WORD);
        if self.format() == PictureFormat::Exr && !separate {
            return Vec::new();
        }
        let inside = |p: &Pass| *p == Pass::Alpha && self.format() != PictureFormat::Jpeg;
        self.wanted.iter().filter(|p| !inside(p)).collect()
    }

    /// Where the picture itself goes.
    fn main_output(&self) -> PathBuf {
        with_word(&self.path, PASS_WORD, "beauty")
    }

    /// All files that it will have.
    pub(super) fn files(&self) -> Vec<PathBuf> {
        let main = self.main_output();
        let mut files: Vec<PathBuf> = (self.own_files().into_iter())
            .map(|pass| pass_path(&self.path, pass))
            .collect();
        let laying = self.filing.laying(&self.path, self.format());
        match (self.pair, self.filing.eye, self.spec.shape) {
            (true, Some(side), _) => files.push(with_word(&main, EYE_WORD, side.name())),
            (true, None, _) if laying.packing.arrangement == Arrangement::TwoFiles => {
                files.extend(laying.packing.sides().iter().map(|s| eye_path(&main, *s)));
            }
            (false, _, Shape::CubeFaces(layout)) => {
                files
                    .extend((layout.places()).map(|(cell, ..)| face_path(&main, cell.face.name())));
            }
            _ => files.push(main),
        }
        files
    }

    /// A folder beside the output that goes away by itself.
    pub(super) fn beside(&self) -> Result<Beside, FileError> {
        let files = self.files();
        let folder = files.first().map_or(Path::new("."), |f| folder_of(f));
        std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
        Beside::new(folder)
    }

    /// Writes all files from strips of one eye or of both that hold the passes `made`. Tells the files.
    pub(super) fn save(
        &self,
        made: &PassSet,
        strips: &mut Strips<'_>,
    ) -> Result<Vec<PathBuf>, FileError> {
        let mut spec = self.spec.clone();
        if self.filing.eye.is_some() {
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
        if self.pair {
            let master = |path: &Path, strips: &mut Strips<'_>| {
                let whole = PictureSpec {
                    format: PictureFormat::Exr,
                    both_eyes: true,
                    layers: views::layers_of_both(&wanted.layers(), spec.deep),
                    ..spec.clone()
                };
                picture_file::write(path, &whole, strips.map(|s| joined(s?, wanted)))
            };
            let laying = self.filing.laying(&self.path, self.format());
            if let Some(side) = self.filing.eye {
                spec.layers = in_file.layers();
                let strips = strips.map(|s| joined(s?, &in_file));
                let main = with_word(&main, EYE_WORD, side.name());
                return picture_file::write_all(&main, &spec, strips);
            }
            if laying.packing != dome_optics::rig::Packing::MONO || self.filing.packing.is_some() {
                let beside = self.beside()?;
                let whole = beside.join("whole.exr");
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
        let whole = beside.join("whole.exr");
        let everything = PictureSpec {
            format: PictureFormat::Exr,
            layers: wanted.layers(),
            ..spec.clone()
        };
        picture_file::write(&whole, &everything, strips.map(|s| joined(s?, wanted)))?;
        let mut files = Vec::new();
        for pass in own_files {
            let path = pass_path(&self.path, pass);
            join::extract(&whole, &pass.layer(), &path, spec.over)?;
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
pub fn told_in(path: &Path, word: &str) -> bool {
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
pub fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(p) if !p.as_os_str().is_empty() => p,
        _ => Path::new("."),
    }
}
