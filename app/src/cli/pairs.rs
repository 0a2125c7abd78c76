//! `owl-dome pair`, `split` and `anaglyph`: two eyes of pictures made anywhere.

use super::Outcome;
use super::pair_options::packing;
use clap::Args;
use dome_files::eyes_in::{self, TwoEyes};
use dome_files::picture_file::{self, PictureSpec, eye_path};
use dome_files::rows::Depth;
use dome_files::{FileError, PictureFormat, views};
use dome_imaging::anaglyph::{Anaglyph, mixed};
use dome_imaging::pair::{Strips, packed};
use dome_imaging::{Picture, Strip};
use dome_optics::Shape;
use dome_optics::rig::{Arrangement, Packing, Side};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub(super) struct PairArgs {
    /// The left eye's picture and the right eye's; or one file with both, to lay them otherwise
    #[arg(required = true, num_args = 1..=2, value_names = ["LEFT", "RIGHT"])]
    inputs: Vec<PathBuf>,
    /// The picture to write; an .exr without --packing holds both as views
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// How the eyes lie: top-bottom, side-by-side (both by choice :squeezed, :right-first) or two-files
    #[arg(long, value_name = "PACKING", value_parser = packing)]
    packing: Option<Packing>,
    /// How they lie in the one file that is given, if its ratio does not say
    #[arg(long, value_name = "PACKING", value_parser = packing)]
    from: Option<Packing>,
    /// Take the left eye for the right one
    #[arg(long)]
    swap: bool,
    /// Quality of a JPEG, 1 to 100
    #[arg(long, default_value_t = 95, value_parser = clap::value_parser!(u8).range(1..=100))]
    quality: u8,
}

#[derive(Args)]
pub(super) struct SplitArgs {
    /// A picture with both eyes: packed, or an .exr with views
    input: PathBuf,
    /// The left eye's picture and the right eye's
    #[arg(short, long, num_args = 2, value_names = ["LEFT", "RIGHT"], required = true)]
    output: Vec<PathBuf>,
    /// How they lie, if the ratio does not say
    #[arg(long, value_name = "PACKING", value_parser = packing)]
    packing: Option<Packing>,
    /// Quality of a JPEG, 1 to 100
    #[arg(long, default_value_t = 95, value_parser = clap::value_parser!(u8).range(1..=100))]
    quality: u8,
}

#[derive(Args)]
pub(super) struct AnaglyphArgs {
    /// A picture with both eyes, or the left eye's and the right eye's
    #[arg(required = true, num_args = 1..=2, value_names = ["LEFT", "RIGHT"])]
    inputs: Vec<PathBuf>,
    /// The picture to write
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// grey, half-colour, full-colour or least-squares
    #[arg(long, value_name = "KIND", default_value = "half-colour", value_parser = kind)]
    kind: Anaglyph,
    /// How the eyes lie, if the ratio does not say
    #[arg(long, value_name = "PACKING", value_parser = packing)]
    packing: Option<Packing>,
    /// Quality of a JPEG, 1 to 100
    #[arg(long, default_value_t = 95, value_parser = clap::value_parser!(u8).range(1..=100))]
    quality: u8,
}

fn kind(text: &str) -> Result<Anaglyph, String> {
    Anaglyph::from_name(text).ok_or_else(|| {
        format!("\"{text}\" is none of grey, half-colour, full-colour and least-squares")
    })
}

/// Rows of a strip; even, so that they can be squeezed.
const ROWS: u32 = 16;

/// The eyes of one file or of two.
pub(super) fn read(inputs: &[PathBuf], packing: Option<Packing>) -> Result<TwoEyes, FileError> {
    match inputs {
        [left, right] => eyes_in::of_two(left, right),
        [one] => eyes_in::of_one(one, packing),
        _ => Err(FileError::Request("Name one picture or two.".into())),
    }
}

fn strips(picture: &Picture) -> Strips<'_, FileError> {
    Box::new(picture.strips(ROWS).map(|s| Ok(s.into())))
}

/// How a picture made of these eyes is written: a sphere says that it is one where it is by its ratio.
fn spec(path: &Path, eyes: &TwoEyes, quality: u8) -> Result<PictureSpec, FileError> {
    let [left, _] = &eyes.eyes;
    let mut spec = PictureSpec::panorama(
        PictureFormat::from_path(path)?,
        left.width,
        left.height,
        0.0,
    );
    if left.width != 2 * left.height {
        spec.shape = Shape::of_size(left.width, left.height).unwrap_or(Shape::Perspective {
            hfov_deg: 60.0,
            vfov_deg: None,
            shift: [0.0; 2],
        });
    }
    spec.tags.heading_deg = None;
    spec.quality = quality;
    spec.deep = match spec.format {
        PictureFormat::Exr => eyes.depth == Depth::Float,
        _ => eyes.depth != Depth::Eight,
    };
    Ok(spec)
}

pub(super) fn pair(args: &PairArgs) -> Outcome {
    let mut eyes = read(&args.inputs, args.from)?;
    if args.swap {
        eyes.eyes.reverse();
    }
    let spec = spec(&args.output, &eyes, args.quality)?;
    let [left, right] = &eyes.eyes;
    let files = match args.packing {
        None if spec.format == PictureFormat::Exr => {
            let whole = PictureSpec {
                both_eyes: true,
                layers: views::layers_of_both(&[], spec.deep),
                ..spec
            };
            let both = strips(left).zip(strips(right));
            let both = both.map(|(a, b)| Ok(views::both(a?, b?)));
            picture_file::write(&args.output, &whole, both)?;
            vec![args.output.clone()]
        }
        None => {
            return Err("Only .exr holds both eyes as views; say how they lie with --packing, e.g. top-bottom.".into());
        }
        Some(packing) if packing.arrangement == Arrangement::Mono => {
            return Err(
                "A pair of one eye is none; take `owl-dome split` to get one of them.".into(),
            );
        }
        Some(packing) if packing.arrangement == Arrangement::TwoFiles => {
            let mut files = Vec::new();
            for (side, eye) in Side::BOTH.iter().zip([left, right]) {
                let path = eye_path(&args.output, *side);
                picture_file::write(&path, &spec, strips(eye))?;
                files.push(path);
            }
            files
        }
        Some(packing) => {
            let (width, height) = packing.file_size((left.width, left.height));
            // What is squeezed must be even that way.
            packing.eye_size((width, height))?;
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
            picture_file::write(
                &args.output,
                &whole,
                packed(packing, left.height, first, last),
            )?;
            vec![args.output.clone()]
        }
    };
    for file in files {
        println!("{}", file.display());
    }
    Ok(())
}

pub(super) fn split(args: &SplitArgs) -> Outcome {
    let eyes = eyes_in::of_one(&args.input, args.packing)?;
    if !eyes.told {
        eprintln!(
            "Note: taken as {}, by its ratio and its halves; --packing says otherwise.",
            eyes.packing
        );
    }
    for (path, eye) in args.output.iter().zip(&eyes.eyes) {
        picture_file::write(path, &spec(path, &eyes, args.quality)?, strips(eye))?;
        println!("{}", path.display());
    }
    Ok(())
}

pub(super) fn anaglyph(args: &AnaglyphArgs) -> Outcome {
    let eyes = read(&args.inputs, args.packing)?;
    let spec = spec(&args.output, &eyes, args.quality)?;
    let [left, right] = &eyes.eyes;
    let strips = left.strips(ROWS).zip(right.strips(ROWS)).map(|(l, r)| {
        let strip: Strip = mixed(&l, &r, |l, r| args.kind.of(l, r));
        Ok(strip)
    });
    picture_file::write(&args.output, &spec, picture_file::plain(strips))?;
    println!("{}", args.output.display());
    Ok(())
}
