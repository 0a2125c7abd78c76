//! What is found out of a picture before it is rendered: what a look at its light teaches, and the noise at which blocks are to end. It follows
//! from the picture alone, so it is kept in a file where one is named: parts that are made later or elsewhere do not look again.

use super::aim::{self, Aim};
use super::denoise::Way;
use super::eyes::{self, Eyes};
use super::recipe::Recipe;
use super::{Result, WorkError};
use dome_files::error::Result as Filed;
use dome_files::{FileError, Fingerprint, atomic};
use dome_optics::Eye;
use dome_trace::{Control, Illumination, Learned, Scene, Stopped};
use serde::{Deserialize, Serialize};
use std::io::Read;
use std::path::{Path, PathBuf};

/// The first bytes of the file; the number goes up when what follows is told otherwise.
const BEGIN: &[u8] = b"Owl Dome look 1\n";
/// Bytes of a fingerprint.
const SUM: usize = 32;

/// What the file holds.
#[derive(Default, Serialize, Deserialize)]
struct Kept {
    /// The fingerprint of the picture.
    picture: String,
    /// Whether denoising could be left out: pictures that follow each other decide otherwise.
    alone: bool,
    /// Of each eye, where it pays.
    learned: Vec<Option<Vec<u8>>>,
    percent: Option<f32>,
    denoised: bool,
}

/// A look at a picture, and where it is kept.
#[derive(Default)]
pub struct Look {
    file: Option<PathBuf>,
    picture: String,
    alone: bool,
    known: Option<Kept>,
}

impl Look {
    /// Without a file everything is looked at.
    pub fn none(alone: bool) -> Self {
        Self {
            alone,
            ..Self::default()
        }
    }

    /// With what a file tells of a picture; where it tells nothing of it, everything is looked at and kept there. `alone` says whether
    /// denoising may be left out.
    pub fn kept_in(file: &Path, picture: Fingerprint, alone: bool) -> Self {
        let picture = picture.to_string();
        let known = std::fs::read(file).ok().and_then(|bytes| read(&bytes));
        Self {
            file: Some(file.to_owned()),
            known: known.filter(|k| k.picture == picture && k.alone == alone),
            picture,
            alone,
        }
    }

    /// The file that all of it is taken from, if it is.
    pub fn taken_from(&self) -> Option<&Path> {
        self.known.as_ref().and(self.file.as_deref())
    }

    /// How many looks are still to come.
    pub fn to_come(&self, recipe: &Recipe) -> u32 {
        match self.known {
            Some(_) => 0,
            None => eyes::looks(recipe),
        }
    }

    /// What a look at the light teaches each of the eyes.
    pub fn learned(
        &mut self,
        recipe: &Recipe,
        (scene, light): (&Scene, &Illumination),
        both: &[Box<dyn Eye>],
        control: &Control,
    ) -> std::result::Result<Vec<Option<Learned>>, Stopped> {
        if let Some(kept) = &self.known {
            let all: Vec<Option<Option<Learned>>> = (kept.learned.iter())
                .map(|eye| match eye {
                    None => Some(None),
                    Some(bytes) => Learned::from_bytes(bytes, light).map(Some),
                })
                .collect();
            if all.len() == both.len()
                && let Some(all) = all.into_iter().collect()
            {
                return Ok(all);
            }
            self.known = None;
        }
        eyes::learn(recipe, scene, light, both, control)
    }

    /// The aim by which as much noise is left as the recipe asks.
    pub fn aim(
        &self,
        recipe: &Recipe,
        eyes: &mut Eyes,
        way: &Way,
        control: &Control,
    ) -> std::result::Result<Aim, Stopped> {
        match &self.known {
            Some(kept) => Ok(Aim {
                percent: kept.percent,
                denoised: kept.denoised,
            }),
            None => aim::limit(recipe, eyes, (way, self.alone), control),
        }
    }

    /// Keeps what was found where it is to be kept.
    pub fn keep(&self, learned: &[Option<Learned>], aim: &Aim) -> Filed<()> {
        let (Some(file), None) = (&self.file, &self.known) else {
            return Ok(());
        };
        let kept = Kept {
            picture: self.picture.clone(),
            alone: self.alone,
            learned: (learned.iter())
                .map(|eye| eye.as_ref().map(Learned::to_bytes))
                .collect(),
            percent: aim.percent,
            denoised: aim.denoised,
        };
        // Nothing of it is of a kind that could be refused; without it there is only more to look at.
        let Ok(told) = postcard::to_allocvec(&kept) else {
            return Ok(());
        };
        let sum = Fingerprint::of(&told);
        atomic::write_bytes(file, &[BEGIN, &sum.0, &told].concat())
    }
}

/// Refuses a file that somebody named for a look and that is something else: it would be written over.
pub fn check(file: &Path) -> Result<()> {
    let mut begin = Vec::new();
    let read =
        std::fs::File::open(file).and_then(|f| f.take(BEGIN.len() as u64).read_to_end(&mut begin));
    match read {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(()),
        Err(e) => Err(FileError::io("Reading", file)(e).into()),
        Ok(_) if begin.is_empty() || begin == BEGIN => Ok(()),
        Ok(_) => Err(WorkError::Request(format!(
            "{} is no file of --look; name another one.",
            file.display()
        ))),
    }
}

/// What whole bytes tell.
fn read(bytes: &[u8]) -> Option<Kept> {
    let (sum, told) = bytes.strip_prefix(BEGIN)?.split_at_checked(SUM)?;
    if Fingerprint::of(told).0 != sum {
        return None;
    }
    let kept: Kept = postcard::from_bytes(told).ok()?;
    let sound = kept.percent.is_none_or(|p| p.is_finite() && p > 0.0);
    sound.then_some(kept)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A file tells one picture; of another, cut short or changed it tells nothing, and what is no look is refused.
    #[test]
    fn a_look_is_of_one_picture() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("look");
        let (one, other) = (Fingerprint::of(b"one"), Fingerprint::of(b"other"));
        let aim = Aim {
            percent: Some(17.5),
            denoised: true,
        };
        let known = |picture, alone| {
            let look = Look::kept_in(&file, picture, alone);
            (look.known).map(|k| (k.percent, k.denoised))
        };
        assert_eq!(known(one, true), None);
        assert!(check(&file).is_ok(), "it is not there yet");
        let look = Look::kept_in(&file, one, true);
        look.keep(&[None], &aim).unwrap();
        assert!(check(&file).is_ok());
        assert_eq!(known(one, true), Some((Some(17.5), true)));
        assert_eq!(known(other, true), None);
        assert_eq!(known(one, false), None);
        let whole = std::fs::read(&file).unwrap();
        for i in 0..whole.len() {
            std::fs::write(&file, &whole[..i]).unwrap();
            assert_eq!(known(one, true), None, "cut at {i}");
            assert_eq!(check(&file).is_ok(), i == 0 || i >= BEGIN.len());
            let mut changed = whole.clone();
            changed[i] ^= 1;
            std::fs::write(&file, &changed).unwrap();
            assert_eq!(known(one, true), None, "changed at {i}");
            assert_eq!(check(&file).is_ok(), i >= BEGIN.len());
        }
        std::fs::write(&file, "my notes").unwrap();
        let refused = check(&file).unwrap_err();
        assert!(refused.to_string().contains("name another"), "{refused}");
    }
}
