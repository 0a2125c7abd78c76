//! `owl-dome tag`.

use super::{Outcome, number, numbers};
use clap::Args;
use dome_files::pano::{Part, TagRequest};
use std::path::PathBuf;

#[derive(Args)]
pub(super) struct TagArgs {
    /// The JPEG or PNG to read
    input: PathBuf,
    /// The picture to write; may be the same file
    #[arg(short, long, value_name = "OUT")]
    output: PathBuf,
    /// Compass heading of the picture's middle, degrees
    #[arg(long, value_name = "DEG", value_parser = number, allow_hyphen_values = true)]
    heading: Option<f64>,
    /// Pitch and roll of the picture's middle, degrees, of a sphere that is not level
    #[arg(long, value_name = "PITCH,ROLL", value_parser = numbers::<2>, allow_hyphen_values = true)]
    tilt: Option<[f64; 2]>,
    /// Heading and pitch of the opening view, degrees; the heading is counted like --heading
    #[arg(long, value_name = "HEADING,PITCH", value_parser = numbers::<2>, allow_hyphen_values = true)]
    opening: Option<[f64; 2]>,
    /// Horizontal field of view at opening, degrees
    #[arg(long, value_name = "DEG", value_parser = number)]
    fov: Option<f64>,
    /// Camera make (EXIF)
    #[arg(long, value_name = "TEXT")]
    make: Option<String>,
    /// Camera model (EXIF)
    #[arg(long, value_name = "TEXT")]
    model: Option<String>,
    /// Where a picture that is not the whole sphere sits in it, pixels
    #[arg(long, value_name = "LEFT,TOP,FULLWIDTH,FULLHEIGHT", value_parser = part)]
    part: Option<Part>,
    /// Drop what metadata was there first; the colour profile stays
    #[arg(long)]
    clear: bool,
}

fn part(text: &str) -> Result<Part, String> {
    let values: Result<Vec<u32>, _> = text.split(',').map(|t| t.trim().parse()).collect();
    match values.as_deref() {
        Ok(&[left, top, full_width, full_height]) => Ok(Part {
            left,
            top,
            full_width,
            full_height,
        }),
        _ => Err(format!(
            "\"{text}\" is not four whole numbers of pixels separated by commas"
        )),
    }
}

pub(super) fn run(args: &TagArgs) -> Outcome {
    let request = TagRequest {
        heading_deg: args.heading,
        tilt_deg: args.tilt.map(|[p, r]| (p, r)),
        opening_deg: args.opening.map(|[h, p]| (h, p)),
        hfov_deg: args.fov,
        part: args.part,
        make: args.make.clone(),
        model: args.model.clone(),
        clear: args.clear,
    };
    dome_files::tag::tag(&args.input, &args.output, &request)?;
    let found = dome_files::inspect::inspect(&args.output)?;
    println!("{}: {}", args.output.display(), found.reason);
    Ok(())
}
