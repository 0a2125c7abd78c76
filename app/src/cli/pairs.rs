//! `owl-dome pair`, `split` and `anaglyph`: two eyes of pictures made anywhere.

use super::Outcome;
use super::pair_options::packing;
use crate::work::pair_files::{self, Writing};
use clap::Args;
use dome_files::eyes_in::{self, TwoEyes};
use dome_files::{FileError, PictureFormat};
use dome_imaging::anaglyph::Anaglyph;
use dome_imaging::pair_check::{check, mended};
use dome_optics::rig::Packing;
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
        for file in pair_files::write_pair(
            output,
            &eyes,
            writing(95),
            Some(packing).filter(|_| !is_exr(output)),
        )? {
            eprintln!("Mended: {}", file.display());
        }
    }
    Ok(())
}

/// Shapes are told by their ratio alone.
fn writing(quality: u8) -> Writing {
    Writing {
        quality,
        shape: None,
    }
}

fn is_exr(path: &Path) -> bool {
    matches!(PictureFormat::from_path(path), Ok(PictureFormat::Exr))
}

fn kind(text: &str) -> Result<Anaglyph, String> {
    Anaglyph::from_name(text).ok_or_else(|| {
        format!("\"{text}\" is none of grey, half-colour, full-colour and least-squares")
    })
}

/// The eyes of one file or of two.
pub(super) fn read(inputs: &[PathBuf], packing: Option<Packing>) -> Result<TwoEyes, FileError> {
    let eyes = match inputs {
        [left, right] => eyes_in::of_two(left, right),
        [one] => eyes_in::of_one(one, packing),
        _ => Err(FileError::Request("Name one picture or two.".into())),
    }?;
    for notice in &eyes.notices {
        eprintln!("Note: {notice}");
    }
    Ok(eyes)
}

pub(super) fn pair(args: &PairArgs) -> Outcome {
    let mut eyes = read(&args.inputs, args.from)?;
    if args.swap {
        eyes.eyes.reverse();
    }
    let files = pair_files::write_pair(&args.output, &eyes, writing(args.quality), args.packing)?;
    for file in files {
        println!("{}", file.display());
    }
    Ok(())
}

pub(super) fn split(args: &SplitArgs) -> Outcome {
    let eyes = read(std::slice::from_ref(&args.input), args.packing)?;
    if !eyes.told {
        eprintln!(
            "Note: taken as {}, by its ratio and its halves; --packing says otherwise.",
            eyes.packing
        );
    }
    for (path, eye) in args.output.iter().zip(&eyes.eyes) {
        pair_files::write_eye(path, &eyes, eye, writing(args.quality))?;
        println!("{}", path.display());
    }
    Ok(())
}

pub(super) fn anaglyph(args: &AnaglyphArgs) -> Outcome {
    let eyes = read(&args.inputs, args.packing)?;
    pair_files::write_anaglyph(&args.output, &eyes, args.kind, writing(args.quality))?;
    println!("{}", args.output.display());
    Ok(())
}
