//! What picture files tell of their colours, and the conversion of their rows.

use super::sane;
use crate::colour::{
    Conversion, Primaries, Told, of_chromaticities, of_code_points, of_gamma, of_icc,
};
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::ExrStrips;
use crate::format::PictureFormat;
use dome_imaging::convert::Pixel;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use std::sync::Arc;

/// What a file tells of its colours, without decoding the picture: the name of other colours than ours, and what cannot
/// be used.
pub(crate) fn colours_of(
    path: &Path,
    format: PictureFormat,
) -> Result<(Option<String>, Vec<String>)> {
    let name = display_name(path);
    let open = || File::open(path).map_err(FileError::io("Reading", path));
    let told = match format {
        PictureFormat::Png => {
            let reader = png::Decoder::new(BufReader::new(open()?)).read_info();
            png_colours(reader.map_err(|e| FileError::damaged(&name, e))?.info())
        }
        PictureFormat::Jpeg => {
            use image::ImageDecoder;
            let mut decoder = image::codecs::jpeg::JpegDecoder::new(BufReader::new(open()?))
                .map_err(|e| FileError::damaged(&name, e))?;
            let icc = decoder.icc_profile().ok().flatten();
            icc.map_or(Told::Ours, |icc| of_icc(&icc))
        }
        PictureFormat::Exr => {
            let header = ExrStrips::open(path)?.header;
            header.chromaticities.map_or(Told::Ours, of_chromaticities)
        }
        PictureFormat::Hdr => Told::Ours,
    };
    let colours = Colours::of(told, &name);
    let notices = if colours.name.is_some() {
        Vec::new()
    } else {
        colours.notices
    };
    Ok((colours.name, notices))
}
/// What is to be done with a file's colours, and what is to be said of them.
pub(super) struct Colours {
    pub(super) conversion: Option<Arc<Conversion>>,
    pub(super) name: Option<String>,
    pub(super) notices: Vec<String>,
}

impl Colours {
    pub(super) fn of(told: Told, name: &str) -> Self {
        let (conversion, notice) = match told {
            Told::Ours => (None, None),
            Told::Other(c) => {
                let notice = format!(
                    "{name} is converted to the colours of Rec. 709 from {}.",
                    c.name
                );
                (Some(Arc::from(c)), Some(notice))
            }
            Told::Useless(why) => (
                None,
                Some(format!("{name}: {why}; its colours are taken as sRGB.")),
            ),
        };
        Self {
            name: conversion
                .as_ref()
                .map(|c: &Arc<Conversion>| c.name.clone()),
            conversion,
            notices: notice.into_iter().collect(),
        }
    }
}

/// What a PNG tells of its colours, the strongest word first (PNG, third edition, section 11.3.2).
pub(super) fn png_colours(info: &png::Info) -> Told {
    if let Some(c) = info.coding_independent_code_points {
        return of_code_points(c.color_primaries, c.transfer_function);
    }
    if let Some(icc) = &info.icc_profile {
        return of_icc(icc);
    }
    if info.srgb.is_some() {
        return Told::Ours;
    }
    let primaries = info.chrm_chunk.map(|c| {
        let pair = |(x, y): (png::ScaledFloat, png::ScaledFloat)| {
            [f64::from(x.into_value()), f64::from(y.into_value())]
        };
        Primaries {
            rgb: [pair(c.red), pair(c.green), pair(c.blue)],
            white: pair(c.white),
        }
    });
    of_gamma(
        info.gama_chunk.map(|g| f64::from(g.into_value())),
        primaries,
    )
}

/// Converts linear light multiplied by alpha, in place.
pub(super) fn convert(conversion: Option<&Conversion>, pixels: &mut [Pixel]) {
    let Some(conversion) = conversion else { return };
    let mut rgb: Vec<f32> = pixels.iter().flat_map(|p| [p.x, p.y, p.z]).collect();
    conversion.light(&mut rgb);
    for (p, c) in pixels.iter_mut().zip(rgb.as_chunks::<3>().0) {
        *p = Pixel::new(sane(c[0]), sane(c[1]), sane(c[2]), p.w);
    }
}
