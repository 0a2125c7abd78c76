//! What the options of `owl-dome render` mean.

use super::numbers;
use crate::work::scenes::surroundings_picture;
use dome_imaging::Picture;
use dome_trace::{PassSet, Scene, Sky, SunSky, Surroundings, Unit};
use std::path::PathBuf;

/// Surroundings by choice.
#[derive(Clone, Debug)]
pub(super) enum SkyChoice {
    /// Told in numbers.
    Told(Sky),
    /// A picture.
    Picture(PathBuf),
}

/// Parses `sun:...`, `plain:...` or a file.
pub(super) fn sky(text: &str) -> Result<SkyChoice, String> {
    let sky = if let Some(rest) = text.strip_prefix("sun:") {
        let usual = SunSky::default();
        let (elevation, heading, turbidity) = match numbers::<3>(rest) {
            Ok([e, h, t]) => (e, h, t as f32),
            Err(_) => {
                let [e, h] = numbers::<2>(rest).map_err(|_| {
                    format!("\"{rest}\" is not ELEVATION,HEADING or ELEVATION,HEADING,TURBIDITY")
                })?;
                (e, h, usual.turbidity)
            }
        };
        Sky::Sun(SunSky {
            elevation_deg: elevation as f32,
            heading_deg: heading as f32,
            turbidity,
            ..usual
        })
    } else if let Some(rest) = text.strip_prefix("plain:") {
        Sky::Plain {
            colour: numbers::<3>(rest)?.map(|v| v as f32),
        }
    } else {
        return Ok(SkyChoice::Picture(text.into()));
    };
    if sky.is_valid() {
        Ok(SkyChoice::Told(sky))
    } else {
        Err("the sun's height goes from -5 to 90 degrees, the turbidity from 1 to 10, colours from 0 up".into())
    }
}

/// The surroundings chosen, or the scene's own, with their picture if they have one.
pub(super) fn surroundings(
    choice: Option<&SkyChoice>,
    scene: &Scene,
) -> crate::work::Result<(Surroundings, Option<Picture>)> {
    Ok(match choice {
        None => (scene.sky.clone().into(), None),
        Some(SkyChoice::Told(sky)) => (sky.clone().into(), None),
        Some(SkyChoice::Picture(path)) => {
            let (picture, _, notices) = surroundings_picture(path)?;
            for notice in notices {
                eprintln!("Note: {notice}");
            }
            let file = path.display().to_string();
            (Sky::Picture { file }.into(), Some(picture))
        }
    })
}

/// Parses a list of passes.
pub(super) fn pass_list(text: &str) -> Result<PassSet, String> {
    PassSet::parse(text)
}

/// Parses `A-B`.
pub(super) fn rows(text: &str) -> Result<(u32, u32), String> {
    text.split_once('-')
        .and_then(|(a, b)| Some((a.trim().parse().ok()?, b.trim().parse().ok()?)))
        .filter(|(a, b)| a <= b)
        .ok_or_else(|| format!("\"{text}\" is not two rows FIRST-LAST"))
}

/// Parses a unit's sign.
pub(super) fn unit(text: &str) -> Result<Unit, String> {
    Unit::from_sign(text).ok_or_else(|| format!("\"{text}\" is none of m, cm, mm, in and ft"))
}
