//! Diagnosis of spheres that were made wrong: reading, words for people, and writing the mended picture.

use super::convert::room_for;
use super::{Result, WorkError};
use dome_files::PictureFormat;
use dome_files::budget::Claim;
use dome_files::error::display_name;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::rows::{Depth, PictureRows};
use dome_imaging::convert::Pixel;
use dome_imaging::diagnosis::{Fault, Finding, Flat, against, look, mend};
use dome_imaging::{LayeredStrip, Strip};
use dome_optics::Shape;
use std::path::Path;

/// A picture in memory, how finely its values were told, and the memory that looking at it and mending it takes.
pub fn read(path: &Path) -> Result<(Flat, Depth, Claim)> {
    let rows = PictureRows::open(path)?;
    let (width, height, depth) = (rows.width, rows.height, rows.depth);
    let name = display_name(path);
    // Once as it is read, once as its edges are measured, once mended.
    let mut memory = room_for(Shape::Equirect, (width, height), Depth::Float, &name)?;
    memory.grow(
        2 * u64::from(width) * u64::from(height) * size_of::<Pixel>() as u64,
        &name,
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
    Ok((flat, depth, memory))
}

/// What is wrong with a picture, by itself and then against one that is right.
pub fn find(picture: &Flat, reference: Option<&Flat>) -> Finding {
    let found = look(picture);
    match reference {
        Some(reference) if found.fault == Fault::None => against(picture, reference),
        _ => found,
    }
}

/// A name for programs and a sentence for people.
pub fn told(fault: Fault, size: (u32, u32)) -> (&'static str, String) {
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
            "Its edges do not meet or its poles are no points, so it is no whole sphere; say what it is instead.".into(),
        ),
    }
}

/// Writes a picture mended.
pub fn write_mended(
    picture: &Flat,
    depth: Depth,
    fault: Fault,
    output: &Path,
    go_on: &dyn Fn() -> bool,
) -> Result<()> {
    if fault == Fault::NotASphere {
        return Err(WorkError::Request(
            "There is nothing to mend in a picture that is no sphere; nothing was written.".into(),
        ));
    }
    let stopped = || Err(WorkError::Request("The mending was stopped.".into()));
    if !go_on() {
        return stopped();
    }
    let mended = mend(picture, fault);
    if !go_on() {
        return stopped();
    }
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
    Ok(picture_file::write(
        output,
        &spec,
        [Ok(LayeredStrip::from(strip))],
    )?)
}
