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
use dome_imaging::pair_check::{check, mended};
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

#[derive(Args)]
pub(super) struct CheckPairArgs {
    /// A picture with both eyes, or the left eye's and the right eye's
    #[arg(required = true, num_args = 1..=2, value_names = ["LEFT", "RIGHT"])]
    inputs: Vec<PathBuf>,
    /// How the eyes lie, if the ratio does not say
    #[arg(long, value_name = "PACKING", value_parser = packing)]
    packing: Option<Packing>,
    /// Write the pair with what can be mended mended; an .exr holds both as views, other formats lie as the picture did, or
    /// one above the other
    #[arg(short, long, value_name = "OUT")]
    output: Option<PathBuf>,
    /// As JSON: a list of fault, confidence, what and can_mend, the places that were matched, and the parallax in pixels
    #[arg(long)]
    json: bool,
}

pub(super) fn check_pair(args: &CheckPairArgs) -> Outcome {
    let mut eyes = read(&args.inputs, args.packing)?;
    let [left, right] = &eyes.eyes;
    let round = left.width == 2 * left.height;
    let report = check(left, right, round);
    if args.json {
        let findings: Vec<_> = (report.findings.iter())
            .map(|f| {
                serde_json::json!({"fault": f.fault.name(), "confidence": f.confidence,
                    "what": f.fault.told(), "can_mend": f.fault.can_mend()})
            })
            .collect();
        let told = serde_json::json!({"findings": findings, "matched": report.matched,
            "parallax_px": report.parallax});
        println!("{}", serde_json::to_string_pretty(&told)?);
    } else {
        for f in &report.findings {
            println!("{} ({:.0} % sure)", f.fault.told(), f.confidence * 100.0);
        }
        if report.findings.is_empty() {
            println!(
                "Nothing was found that spoils the pair ({} places compared).",
                report.matched
            );
        }
        if let Some([near, far]) = report.parallax {
            println!("Parallax from {near:.1} px to {far:.1} px.");
        }
    }
    if let Some(output) = &args.output {
        eyes.eyes = mended(left, right, &report.findings);
        let packing = match eyes.packing.is_packed() {
            true => eyes.packing,
            false => Packing::TOP_BOTTOM,
        };
        for file in write_pair(output, &eyes, 95, Some(packing).filter(|_| !is_exr(output)))? {
            eprintln!("Mended: {}", file.display());
        }
    }
    Ok(())
}

fn is_exr(path: &Path) -> bool {
    matches!(PictureFormat::from_path(path), Ok(PictureFormat::Exr))
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
    let files = write_pair(&args.output, &eyes, args.quality, args.packing)?;
    for file in files {
        println!("{}", file.display());
    }
    Ok(())
}

/// Lays two eyes into a file, or into two; without a packing as views of an .exr. Tells the files.
fn write_pair(
    path: &Path,
    eyes: &TwoEyes,
    quality: u8,
    packing: Option<Packing>,
) -> Result<Vec<PathBuf>, Box<dyn std::error::Error>> {
    let spec = spec(path, eyes, quality)?;
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
                let path = eye_path(path, *side);
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
            picture_file::write(path, &whole, packed(packing, left.height, first, last))?;
            vec![path.to_owned()]
        }
    })
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
