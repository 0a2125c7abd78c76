//! `owl-dome diagnose`.

use super::Outcome;
use crate::work::WorkError;
use crate::work::convert::room_for;
use clap::Args;
use dome_files::PictureFormat;
use dome_files::error::display_name;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::{Depth, PictureRows};
use dome_imaging::diagnosis::{Fault, Finding, Flat, against, look, mend};
use dome_imaging::{LayeredStrip, Strip};
use dome_optics::Shape;
use serde_json::json;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub(super) struct DiagnoseArgs {
    /// The picture that is said to be a sphere unrolled
    file: PathBuf,
    /// A picture of the same sphere that is right: quarter turns and mirror images are told against it
    #[arg(long, value_name = "FILE")]
    against: Option<PathBuf>,
    /// Write the picture mended
    #[arg(short, long, value_name = "OUT")]
    output: Option<PathBuf>,
    /// Print JSON
    #[arg(long)]
    json: bool,
}

fn read(path: &Path) -> Result<(Flat, Depth), WorkError> {
    let rows = PictureRows::open(path)?;
    let (width, height, depth) = (rows.width, rows.height, rows.depth);
    room_for(
        Shape::Equirect,
        (width, height),
        Depth::Float,
        &display_name(path),
    )?;
    let mut pixels = Vec::with_capacity(width as usize * height as usize);
    for row in rows.light() {
        pixels.extend(row?);
    }
    let flat = Flat {
        width,
        height,
        pixels,
    };
    Ok((flat, depth))
}

/// A name for programs, a sentence for people, and what to do.
fn told(fault: Fault, size: (u32, u32)) -> (&'static str, String) {
    match fault {
        Fault::None => ("none", "It is a sphere unrolled as it should be.".into()),
        Fault::Squeezed => (
            "squeezed",
            format!(
                "It is a whole sphere squeezed into {} x {} px; it should be {} x {} px.",
                size.0,
                size.1,
                size.0 & !1,
                size.0 / 2
            ),
        ),
        Fault::Sinusoidal => (
            "sinusoidal",
            "It is a sinusoidal map: its rows are as wide as their circles of latitude; they should all be as wide as the picture.".into(),
        ),
        Fault::Turned { quarters, mirrored } => (
            match (quarters, mirrored) {
                (_, true) => "mirrored",
                (2, _) => "half-turn",
                _ => "quarter-turn",
            },
            format!(
                "Against the right picture it is {}turned by {} degrees to the right.",
                if mirrored { "a mirror image, " } else { "" },
                u32::from(quarters) * 90
            ),
        ),
        Fault::NotASphere => (
            "not-a-sphere",
            "Its edges do not meet or its poles are no points, so it is no whole sphere; say with convert --from what it is.".into(),
        ),
    }
}

pub(super) fn run(args: &DiagnoseArgs) -> Outcome {
    let (picture, depth) = read(&args.file)?;
    let size = (picture.width, picture.height);
    let mut found: Finding = look(&picture);
    if let Some(reference) = &args.against
        && found.fault == Fault::None
    {
        found = against(&picture, &read(reference)?.0);
    }
    let (name, sentence) = told(found.fault, size);
    if args.json {
        println!(
            "{:#}",
            json!({ "fault": name, "confidence": found.confidence, "what": sentence })
        );
    } else {
        println!("{sentence} ({:.0} % sure)", found.confidence * 100.0);
    }
    let Some(output) = &args.output else {
        return Ok(());
    };
    if found.fault == Fault::NotASphere {
        return Err(
            "There is nothing to mend in a picture that is no sphere; nothing was written.".into(),
        );
    }
    let mended = mend(&picture, found.fault);
    let format = PictureFormat::from_path(output)?;
    let mut spec = PictureSpec::panorama(format, mended.width, mended.height, 0.0);
    spec.tags.heading_deg = None;
    spec.deep = match format {
        PictureFormat::Exr => depth == Depth::Float,
        _ => depth != Depth::Eight,
    };
    let strip = Strip {
        top: 0,
        width: mended.width,
        samples: mended.pixels.iter().flat_map(|p| [p.x, p.y, p.z]).collect(),
    };
    picture_file::write(output, &spec, [Ok(LayeredStrip::from(strip))])?;
    println!("{}", output.display());
    Ok(())
}
