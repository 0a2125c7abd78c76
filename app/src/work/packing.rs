//! Files of two eyes, made from a master that holds both as views.

use super::titles::Drawing;
use dome_files::exr_picture::ExrStrips;
use dome_files::join::with_layers;
use dome_files::picture_file::{self, PictureSpec, eye_path};
use dome_files::{FileError, views};
use dome_imaging::pair::{self, Strips};
use dome_imaging::{LayerSpec, LayeredStrip};
use dome_optics::rig::{Arrangement, Packing, Side};
use std::path::{Path, PathBuf};

/// How a master's eyes are to be laid into files.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Laying {
    /// The packing.
    pub packing: Packing,
    /// The floating window, in pixels of the picture after the crop: at the top and bottom of the left eye's left edge and of the
    /// right eye's right one.
    pub window: [[f64; 2]; 2],
    /// What is cropped from the outer side of each eye: parallel cameras recorded more. Pixels.
    pub crop: u32,
}

/// The strips of one eye of a master, with some of the eye's layers, titles drawn over it, cropped.
pub fn eye<'a>(
    master: &Path,
    side: Side,
    layers: &[LayerSpec],
    crop: u32,
    drawing: Option<&'a Drawing>,
) -> Result<Strips<'a, FileError>, FileError> {
    let [r, g, b] = views::colour_channels(side);
    let colour = ExrStrips::open_channels(master, [r, g, b])?;
    let width = colour.header.width.saturating_sub(crop);
    // What lies left of the left eye's and right of the right eye's picture goes.
    let left = match side {
        Side::Left => crop,
        Side::Right => 0,
    };
    let own = layers.to_vec();
    let cut = move |mut strip: LayeredStrip| {
        if let Some(drawing) = drawing {
            drawing.over(&mut strip, side, &own);
        }
        match crop {
            0 => strip,
            _ => strip.columns(left, width),
        }
    };
    if layers.is_empty() {
        return Ok(Box::new(colour.map(move |s| Ok(cut(s?.into())))));
    }
    // A picture of one eye names its layers without a view.
    let named: Vec<LayerSpec> = match colour.header.has_both_eyes() {
        true => layers.iter().map(|l| views::of_view(l, side)).collect(),
        false => layers.to_vec(),
    };
    let beside = with_layers(master, &named)?;
    Ok(Box::new(colour.zip(beside).map(move |(colour, beside)| {
        Ok(cut(LayeredStrip {
            beauty: colour?,
            ..beside?
        }))
    })))
}

/// Writes the eyes of a master by `laying`; `spec` is how one eye alone would be written. Tells the files. `go_on` is asked
/// with the share that is done, and ends it by saying no.
pub fn write<'a>(
    master: &Path,
    path: &Path,
    spec: &PictureSpec,
    laying: Laying,
    drawing: Option<&'a Drawing>,
    go_on: &dyn Fn(f64) -> bool,
) -> Result<Vec<PathBuf>, FileError> {
    let Laying {
        packing,
        crop,
        window,
    } = laying;
    let (width, height) = (spec.width.saturating_sub(crop), spec.height);
    let watched = |strips: Strips<'a, FileError>, from: f64, share: f64| {
        strips.map(move |strip| {
            let strip = strip?;
            let done = f64::from(strip.beauty.top) / f64::from(height);
            if !go_on(from + share * done.min(1.0)) {
                return Err(FileError::Request("It was stopped.".into()));
            }
            Ok(strip)
        })
    };
    let of = |side: Side| -> Result<Strips<'a, FileError>, FileError> {
        let strips = eye(master, side, &spec.layers, crop, drawing)?;
        let edge = window[side as usize];
        if edge == [0.0; 2] {
            return Ok(strips);
        }
        Ok(Box::new(
            strips.map(move |s| Ok(pair::windowed(s?, height, side, edge))),
        ))
    };
    if packing.arrangement == Arrangement::TwoFiles {
        let mut files = Vec::new();
        for (i, side) in packing.sides().iter().enumerate() {
            let target = eye_path(path, *side);
            let one = PictureSpec {
                width,
                packing: Packing::MONO,
                both_eyes: false,
                ..spec.clone()
            };
            let strips = watched(of(*side)?, i as f64 / 2.0, 0.5);
            picture_file::write(&target, &one, strips)?;
            files.push(target);
        }
        return Ok(files);
    }
    let (file_width, file_height) = packing.file_size((width, height));
    let whole = PictureSpec {
        width: file_width,
        height: file_height,
        packing,
        both_eyes: false,
        ..spec.clone()
    };
    let sides = packing.sides();
    let [first, last] = [sides.first(), sides.last()].map(|s| of(*s.unwrap_or(&Side::Left)));
    let first: Strips<FileError> = Box::new(watched(first?, 0.0, 0.5));
    let last: Strips<FileError> = Box::new(watched(last?, 0.5, 0.5));
    picture_file::write(path, &whole, pair::packed(packing, height, first, last))?;
    Ok(vec![path.to_owned()])
}
