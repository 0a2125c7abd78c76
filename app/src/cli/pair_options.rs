//! The options that say how two eyes see and how they lie in files.

use crate::model::rigs::{Rig as Kept, RigAnchor, RigKind, RigMethod};
use clap::Args;
use dome_optics::rig::{Anchor, FlatPair, Method, Packing, PackingError, PanoramicPair, Rig, Side};
use dome_optics::{PictureSize, Shape, length, rig::scale};

/// Two eyes.
#[derive(Args)]
pub(in crate::cli) struct PairOptions {
    /// Two eyes: panoramic (for headsets, in any shape that one looks round in) or flat (for screens, with --shape perspective)
    #[arg(long, value_name = "KIND", value_parser = ["panoramic", "flat"], num_args = 0..=1, default_missing_value = "panoramic")]
    pub(in crate::cli) stereo: Option<String>,
    /// Distance between the eyes with its unit, for example 63mm
    #[arg(long, value_name = "LENGTH", value_parser = length, allow_hyphen_values = true, requires = "stereo")]
    pub(in crate::cli) separation: Option<f64>,
    /// What stands on the viewpoint: left, middle or right; the left or right eye there sees what one eye alone sees
    #[arg(long, value_name = "POINT", value_parser = anchor, default_value = "middle", requires = "stereo")]
    pub(in crate::cli) anchor: Anchor,
    /// Distance at which both eyes see a point in the same place, with its unit, or parallel
    #[arg(long, value_name = "LENGTH", value_parser = converge, default_value = "parallel", requires = "stereo")]
    pub(in crate::cli) converge: Converge,
    /// How a flat pair is brought together: off-axis (shifted frames) or converged (turned cameras)
    #[arg(long, value_name = "HOW", value_parser = ["off-axis", "converged"], default_value = "off-axis", requires = "stereo")]
    pub(in crate::cli) method: String,
    /// Latitudes in degrees between which a panoramic pair closes towards zenith and nadir, for example 60,80
    #[arg(long, value_name = "LAT1,LAT2", value_parser = super::numbers::<2>, requires = "stereo")]
    pub(in crate::cli) close: Option<[f64; 2]>,
    /// How the eyes lie: mono, top-bottom, side-by-side (both by choice :squeezed, :right-first) or two-files; without it an .exr
    /// holds both as views
    #[arg(long, value_name = "PACKING", value_parser = packing, requires = "stereo")]
    pub(in crate::cli) packing: Option<Packing>,
    /// Only the picture of this eye: left or right
    #[arg(long, value_name = "SIDE", value_parser = side, requires = "stereo", conflicts_with = "packing")]
    pub(in crate::cli) eye: Option<Side>,
}

/// Where zero parallax is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(in crate::cli) enum Converge {
    /// Nowhere: the eyes look parallel.
    Parallel,
    /// At a distance, metres.
    At(f64),
}

impl PairOptions {
    /// The pair that is asked for, for a shape.
    pub(in crate::cli) fn rig(&self, shape: &Shape) -> Result<Option<Rig>, String> {
        let Some(kind) = &self.stereo else {
            return Ok(None);
        };
        let separation = self.separation.unwrap_or(scale::EYE_SEPARATION);
        let converge = match self.converge {
            Converge::At(distance) => Some(distance),
            Converge::Parallel => None,
        };
        let rig = if kind == "flat" {
            if self.close.is_some() {
                return Err(
                    "A flat pair looks one way and closes nowhere; leave --close out.".into(),
                );
            }
            Rig::Flat(FlatPair {
                separation,
                anchor: self.anchor,
                // Parallel cameras do not know it.
                converge: converge.unwrap_or(1.0),
                method: match (converge, Method::from_name(&self.method)) {
                    (Some(_), Some(method)) => method,
                    _ => Method::Parallel,
                },
                keep_anchor: false,
                unlinked: None,
            })
        } else {
            Rig::Panoramic(PanoramicPair {
                separation,
                anchor: self.anchor,
                converge,
                close: self.close.map(|c| c.map(f64::to_radians)),
            })
        };
        rig.check(shape).map_err(|e| e.to_string())?;
        Ok(Some(rig))
    }

    /// The same as it is kept with a viewpoint; a panoramic pair if no kind is given.
    pub(in crate::cli) fn kept(&self) -> Kept {
        let mut rig = Kept {
            kind: match self.stereo.as_deref() {
                Some("flat") => RigKind::Flat,
                _ => RigKind::Panoramic,
            },
            anchor: match self.anchor {
                Anchor::Left => RigAnchor::Left,
                Anchor::Middle => RigAnchor::Middle,
                Anchor::Right => RigAnchor::Right,
            },
            close_deg: self.close,
            ..Kept::default()
        };
        if let Some(separation) = self.separation {
            rig.separation_m = separation;
        }
        if let Converge::At(distance) = self.converge {
            rig.converge_m = Some(distance);
            rig.flat.converge_m = distance;
        }
        if self.method == "converged" {
            rig.flat.method = RigMethod::Converged;
        }
        rig
    }

    /// Width and height of an eye where those of a file are given.
    pub(in crate::cli) fn of_an_eye(
        &self,
        shape: Shape,
        width: Option<u32>,
        height: Option<u32>,
    ) -> Result<(Option<u32>, Option<u32>), PackingError> {
        let Some(packing) = self.packing.filter(Packing::is_packed) else {
            return Ok((width, height));
        };
        let one = |side: Option<u32>, across: bool| {
            let Some(side) = side else { return Ok(None) };
            let both = if across { (side, 2) } else { (2, side) };
            packing
                .eye_size(both)
                .map(|(w, h)| Some(if across { w } else { h }))
        };
        let eye = (one(width, true)?, one(height, false)?);
        if let (Some(width), Some(height), (Some(w), Some(h))) = (width, height, eye)
            && PictureSize::new(shape, Some(w), Some(h)).is_err()
            && let Ok(right) = PictureSize::new(shape, Some(w), None)
        {
            return Err(PackingError::Ratio {
                width,
                height,
                packing,
                right: packing.file_size((w, right.height())).1,
            });
        }
        Ok(eye)
    }
}

pub(in crate::cli) fn length(text: &str) -> Result<f64, String> {
    length::parse(text).map_err(|e| e.to_string())
}

fn converge(text: &str) -> Result<Converge, String> {
    if text == "parallel" {
        return Ok(Converge::Parallel);
    }
    length(text).map(Converge::At)
}

fn anchor(text: &str) -> Result<Anchor, String> {
    Anchor::from_name(text).ok_or_else(|| format!("\"{text}\" is none of left, middle and right"))
}

fn side(text: &str) -> Result<Side, String> {
    Side::from_name(text).ok_or_else(|| format!("\"{text}\" is neither left nor right"))
}

pub(in crate::cli) fn packing(text: &str) -> Result<Packing, String> {
    text.parse::<Packing>().map_err(|e| e.to_string())
}
