//! Putting parts of a picture together, and taking single layers out of one.

use crate::atomic::Over;
use crate::error::{FileError, Result, display_name};
use crate::exr_picture::{ExrHeader, ExrMeta, ExrSpec, ExrStrips, write_file};
use dome_imaging::strip::CHANNELS;
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Strip};
use std::path::{Path, PathBuf};

/// The layers of a file, one channel each: the order in the file is by name, whatever the grouping.
fn layers_of(header: &ExrHeader) -> Vec<LayerSpec> {
    header
        .channels
        .iter()
        .filter(|(name, _)| !["R", "G", "B"].contains(&name.as_str()))
        .map(|(name, float)| {
            let (layer, channel) = name.rsplit_once('.').unwrap_or(("", name));
            LayerSpec {
                name: layer.into(),
                channels: vec![channel.into()],
                float: *float,
            }
        })
        .collect()
}

/// Joins parts, given in any order, into one picture with the same bytes as if it had been rendered whole.
pub fn join(parts: &[PathBuf], to: &Path) -> Result<()> {
    let mut opened = Vec::new();
    for path in parts {
        opened.push((ExrStrips::open(path)?, path));
    }
    opened.sort_by_key(|(p, _)| p.header.top);
    let Some((first, first_path)) = opened.first() else {
        return Err(FileError::Request(
            "There is nothing to join; name the parts.".into(),
        ));
    };
    let whole = first.header.clone();
    let mut row = 0;
    for (part, path) in &opened {
        let h = &part.header;
        if h.full != whole.full || h.channels != whole.channels || h.width != whole.full.0 {
            return Err(FileError::Request(format!(
                "{} and {} are not parts of one picture: their sizes or channels differ; render them with the same options.",
                display_name(first_path),
                display_name(path)
            )));
        }
        // Parts of other settings or another scene fit by their sizes, but not by what they show.
        if let (Some(one), Some(other)) = (&whole.description, &h.description)
            && one != other
        {
            return Err(FileError::Request(format!(
                "{} and {} are parts of different pictures: they differ in {}. Render them with the same options.",
                display_name(first_path),
                display_name(path),
                one.told_differences(other)
            )));
        }
        if whole.description.is_some() != h.description.is_some() {
            let silent = if h.description.is_some() {
                first_path
            } else {
                path
            };
            return Err(FileError::Request(format!(
                "{} does not say which picture it is part of, other parts do; render it with the same version.",
                display_name(silent)
            )));
        }
        let (top, bottom) = (i64::from(h.top), i64::from(h.top) + i64::from(h.height));
        if top != row {
            let what = if top > row { "missing" } else { "there twice" };
            return Err(FileError::Request(format!(
                "Rows {} to {} are {what}, before {}; give parts that follow on each other.",
                row.min(top),
                row.max(top) - 1,
                display_name(path)
            )));
        }
        row = bottom;
    }
    if row != i64::from(whole.full.1) {
        return Err(FileError::Request(format!(
            "Rows {row} to {} are missing; render them and give them too.",
            whole.full.1 - 1
        )));
    }
    let spec = ExrSpec {
        layers: layers_of(&whole),
        ..told_by(&whole)
    };
    let strips = opened.into_iter().flat_map(|(part, _)| Layered { part });
    write_file(to, &spec, strips)
}

/// A whole picture without layers that says what the header of a part or of another picture says.
pub fn told_by(header: &ExrHeader) -> ExrSpec {
    let meta = ExrMeta {
        shape: header.shape(),
        pose_heading_deg: header.pose_heading_deg,
        comments: header.comments.clone(),
        white_cd_m2: header.white_cd_m2,
        description: header.description.clone(),
        both_eyes: header.has_both_eyes(),
        ..ExrMeta::default()
    };
    ExrSpec::whole(header.full.0, header.full.1, meta)
}

/// The strips of a picture on disk with some of its layers.
pub fn with_layers(
    path: &Path,
    layers: &[LayerSpec],
) -> Result<impl Iterator<Item = Result<LayeredStrip>> + use<>> {
    let part = ExrStrips::open(path)?;
    let names: Vec<Vec<String>> = layers
        .iter()
        .map(|l| (0..l.channels.len()).map(|c| l.channel_name(c)).collect())
        .collect();
    let single = layers_of(&part.header);
    Ok(Layered { part }.map(move |strip| {
        let mut strip = strip?;
        let planes = std::mem::take(&mut strip.layers);
        let plane = |name: &String| {
            let at = single.iter().position(|l| l.channel_name(0) == *name);
            at.and_then(|i| planes.get(i))
        };
        for channels in &names {
            let n = strip.beauty.samples.len() / CHANNELS;
            let mut values = vec![0.0; n * channels.len()];
            for (c, name) in channels.iter().enumerate() {
                let from = plane(name).ok_or_else(|| {
                    FileError::Request(format!("The picture has no channel {name}."))
                })?;
                (values.iter_mut().skip(c).step_by(channels.len()))
                    .zip(from)
                    .for_each(|(to, v)| *to = *v);
            }
            strip.layers.push(values);
        }
        Ok(strip)
    }))
}

/// The strips of a part with all its layers.
struct Layered {
    part: ExrStrips,
}

impl Iterator for Layered {
    type Item = Result<LayeredStrip>;

    fn next(&mut self) -> Option<Self::Item> {
        let (top, planes) = match self.part.next_planes()? {
            Ok(found) => found,
            Err(e) => return Some(Err(e)),
        };
        let header = &self.part.header;
        let mut samples = vec![0.0; planes.first().map_or(0, Vec::len) * CHANNELS];
        let mut layers = Vec::new();
        for ((name, _), plane) in header.channels.iter().zip(planes) {
            match ["R", "G", "B"].iter().position(|c| c == name) {
                Some(c) => (samples.iter_mut().skip(c).step_by(CHANNELS))
                    .zip(plane)
                    .for_each(|(s, v)| *s = v),
                None => layers.push(plane),
            }
        }
        Some(Ok(LayeredStrip {
            beauty: Strip {
                top: top + header.top.max(0) as u32,
                width: header.width,
                samples,
            },
            layers,
            noise: NoiseSum::default(),
            counts: Vec::new(),
        }))
    }
}

/// Writes one layer of a picture as a picture of its own: three channels as colour, one as grey.
pub fn extract(from: &Path, layer: &LayerSpec, to: &Path, over: Over) -> Result<()> {
    let name = |i: usize| layer.channel_name(i.min(layer.channels.len() - 1));
    let names = [name(0), name(1), name(2)];
    let strips = ExrStrips::open_channels(from, [&names[0], &names[1], &names[2]])?;
    let header = strips.header.clone();
    let mut spec = ExrSpec::whole(
        header.width,
        header.height,
        ExrMeta {
            shape: header.shape(),
            pose_heading_deg: header.pose_heading_deg,
            comments: header.comments,
            white_cd_m2: header.white_cd_m2,
            description: header.description,
            over,
            ..ExrMeta::default()
        },
    );
    // Distances would lose their digits as half floats; they are kept as they are, in a layer.
    if layer.float {
        spec.layers = vec![layer.clone()];
    }
    let strips = strips.map(|s| {
        s.map(|beauty| LayeredStrip {
            layers: if layer.float {
                vec![beauty.samples.iter().copied().step_by(CHANNELS).collect()]
            } else {
                Vec::new()
            },
            beauty,
            noise: NoiseSum::default(),
            counts: Vec::new(),
        })
    });
    write_file(to, &spec, strips)
}
