//! Files of two eyes made from pictures that were made anywhere.

use dome_files::eyes_in::TwoEyes;
use dome_files::picture_file::{self, PictureSpec, eye_path};
use dome_files::rows::Depth;
use dome_files::{FileError, PictureFormat, views};
use dome_imaging::anaglyph::{Anaglyph, mixed};
use dome_imaging::pair::{Strips, packed};
use dome_imaging::{Picture, Strip};
use dome_optics::Shape;
use dome_optics::rig::{Arrangement, Packing, Side};
use std::path::{Path, PathBuf};

/// Rows of a strip; even, so that they can be squeezed.
const ROWS: u32 = 16;

fn strips(picture: &Picture) -> Strips<'_, FileError> {
    Box::new(picture.strips(ROWS).map(|s| Ok(s.into())))
}

/// How files are written.
#[derive(Clone, Copy, Debug)]
pub struct Writing {
    /// Quality of a JPEG, 1 to 100.
    pub quality: u8,
    /// Shape of each eye, if it is known.
    pub shape: Option<Shape>,
}

/// How a picture made of these eyes is written: a sphere says that it is one where it is told to be, or by its ratio.
fn spec(path: &Path, eyes: &TwoEyes, writing: Writing) -> Result<PictureSpec, FileError> {
    let [left, _] = &eyes.eyes;
    let mut spec = PictureSpec::panorama(
        PictureFormat::from_path(path)?,
        left.width,
        left.height,
        0.0,
    );
    if let Some(shape) = writing.shape {
        spec.shape = shape;
    } else if left.width != 2 * left.height {
        spec.shape = Shape::of_size(left.width, left.height).unwrap_or(Shape::Perspective {
            hfov_deg: 60.0,
            vfov_deg: None,
            shift: [0.0; 2],
        });
    }
    spec.tags.heading_deg = None;
    spec.white_cd_m2 = eyes.white_cd_m2;
    spec.quality = writing.quality;
    spec.deep = match spec.format {
        PictureFormat::Exr => eyes.depth == Depth::Float,
        _ => eyes.depth != Depth::Eight,
    };
    Ok(spec)
}

/// Lays two eyes into a file, or into two; without a packing as views of an .exr. Tells the files.
pub fn write_pair(
    path: &Path,
    eyes: &TwoEyes,
    writing: Writing,
    packing: Option<Packing>,
) -> Result<Vec<PathBuf>, FileError> {
    let spec = spec(path, eyes, writing)?;
    let [left, right] = &eyes.eyes;
    Ok(match packing {
        None if spec.format == PictureFormat::Exr => {
            let whole = PictureSpec {
                both_eyes: true,
                layers: views::layers_of_both(&[], spec.deep),
                ..spec
            };
            let both = strips(left).zip(strips(right));
            let both = both.map(|(a, b)| Ok(views::both(a?, b?)));
            picture_file::write(path, &whole, both)?;
            vec![path.to_owned()]
        }
        None => {
            return Err(FileError::Request("Only .exr holds both eyes as views; say how they lie with --packing, e.g. top-bottom.".into()));
        }
        Some(packing) if packing.arrangement == Arrangement::Mono => {
            return Err(FileError::Request(
                "A pair of one eye is none; take `owl-dome split` to get one of them.".into(),
            ));
        }
        Some(packing) if packing.arrangement == Arrangement::TwoFiles => {
            let mut files = Vec::new();
            for (side, eye) in Side::BOTH.iter().zip([left, right]) {
                let path = eye_path(path, *side);
                picture_file::write(&path, &spec, strips(eye))?;
                files.push(path);
            }
            files
        }
        Some(packing) => {
            let (width, height) = packing.file_size((left.width, left.height));
            // What is squeezed must be even that way.
            (packing.eye_size((width, height))).map_err(|e| FileError::Request(e.to_string()))?;
            let whole = PictureSpec {
                width,
                height,
                packing,
                ..spec
            };
            let of = |side: Side| match side {
                Side::Left => strips(left),
                Side::Right => strips(right),
            };
            let sides = packing.sides();
            let (first, last) = (of(sides[0]), of(sides[sides.len() - 1]));
            picture_file::write(path, &whole, packed(packing, left.height, first, last))?;
            vec![path.to_owned()]
        }
    })
}

/// Writes one of two eyes alone.
pub fn write_eye(
    path: &Path,
    eyes: &TwoEyes,
    eye: &Picture,
    writing: Writing,
) -> Result<(), FileError> {
    picture_file::write(path, &spec(path, eyes, writing)?, strips(eye))
}

/// Writes both eyes for coloured glasses.
pub fn write_anaglyph(
    path: &Path,
    eyes: &TwoEyes,
    kind: Anaglyph,
    writing: Writing,
) -> Result<(), FileError> {
    let [left, right] = &eyes.eyes;
    let strips = left.strips(ROWS).zip(right.strips(ROWS)).map(|(l, r)| {
        let strip: Strip = mixed(&l, &r, |l, r| kind.of(l, r));
        Ok(strip)
    });
    picture_file::write(
        path,
        &spec(path, eyes, writing)?,
        picture_file::plain(strips),
    )
}
