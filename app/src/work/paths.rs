//! Moving viewpoints: paths from files, and the picture of each moment.

use super::recipe::Recipe;
use super::{Result, WorkError};
use crate::model::paths::ViewpointPath;
use dome_files::FileError;
use dome_files::error::display_name;
use dome_optics::path::{EyePath, Moment};
use dome_optics::rig::Rig;
use dome_trace::{Scene, stand};
use glam::DVec3;
use std::io::Read;
use std::path::Path;

/// Largest file of a path, bytes: ten thousand keys with all they can say.
const LARGEST_FILE: u64 = 8 << 20;
/// Floors are averaged over the way of so many seconds before and after a moment, so that a stair is a ramp.
const FLOOR_S: f64 = 0.5;
/// Places on that way at which the floor is looked for, on either side.
const FLOOR_LOOKS: i32 = 8;

/// Reads a path that somebody wrote.
pub fn read(file: &Path) -> Result<ViewpointPath> {
    let name = display_name(file);
    let mut text = String::new();
    std::fs::File::open(file)
        .and_then(|f| f.take(LARGEST_FILE + 1).read_to_string(&mut text))
        .map_err(FileError::io("Reading", file))?;
    if text.len() as u64 > LARGEST_FILE {
        return Err(WorkError::Request(format!(
            "{name} is larger than 8 MiB, which no path is; name a path file."
        )));
    }
    serde_json::from_str(&text).map_err(|e| {
        WorkError::Request(format!(
            "{name} is no path: {e}. A path looks like {{\"keys\": [{{\"time_s\": 0, \"position\": [0, 1.6, 2]}}, ...]}}; correct the file."
        ))
    })
}

/// A path that moves a viewpoint.
pub struct Mover {
    path: EyePath,
    above_floor_m: Option<f64>,
}

impl Mover {
    /// The path, checked.
    pub fn new(path: &ViewpointPath) -> Result<Self> {
        let asked = |text: String| WorkError::Request(text);
        if path
            .above_floor_m
            .is_some_and(|h| !(0.01..=1000.0).contains(&h))
        {
            return Err(asked(
                "The height above the floor must lie between 1 cm and 1000 m; correct it.".into(),
            ));
        }
        let ease = |s: f64| (0.0..=86_400.0).contains(&s);
        if !ease(path.ease_in_s) || !ease(path.ease_out_s) {
            return Err(asked(
                "A path begins and ends gently over 0 to 86,400 s; correct it.".into(),
            ));
        }
        Ok(Self {
            path: path.ready().map_err(|e| asked(e.to_string()))?,
            above_floor_m: path.above_floor_m,
        })
    }

    /// The path.
    pub fn path(&self) -> &EyePath {
        &self.path
    }

    /// Where the viewpoint is at a moment in the scene as it is then.
    pub fn at(&self, scene: &Scene, time_s: f64) -> Moment {
        let mut moment = self.path.at(time_s);
        if let Some(above) = self.above_floor_m {
            let around = |i: i32| {
                let share = f64::from(i) / f64::from(FLOOR_LOOKS);
                self.path.at(time_s + share * FLOOR_S).position
            };
            let places = (-FLOOR_LOOKS..=FLOOR_LOOKS).map(around);
            moment.position = above_floor(scene, moment.position, above, places);
        }
        moment
    }
}

/// A place at a height above the floor: the mean of the floors below some places about it, so that steps are gone up smoothly. Where
/// there is no floor it stays as it is.
pub fn above_floor(
    scene: &Scene,
    place: DVec3,
    above: f64,
    about: impl Iterator<Item = DVec3>,
) -> DVec3 {
    let floors: Vec<f64> = about
        .filter_map(|p| Some(stand::floor_below(scene, p)?.y))
        .collect();
    if floors.is_empty() {
        return place;
    }
    let mean = floors.iter().sum::<f64>() / floors.len() as f64;
    DVec3::new(place.x, mean + above, place.z)
}

impl Recipe {
    /// The same picture at another moment, seen from where a path leads.
    #[must_use]
    pub fn moved(&self, moment: &Moment, time_s: f64) -> Self {
        let mut recipe = self.clone();
        recipe.time_s = time_s;
        recipe.at = moment.position;
        if let Some(heading) = moment.heading_deg {
            recipe.orientation.heading_deg = heading;
        }
        match &mut recipe.rig {
            Some(Rig::Panoramic(pair)) => {
                pair.separation = moment.separation_m.unwrap_or(pair.separation);
                pair.converge = moment.convergence_m.or(pair.converge);
            }
            Some(Rig::Flat(pair)) => {
                pair.separation = moment.separation_m.unwrap_or(pair.separation);
                pair.converge = moment.convergence_m.unwrap_or(pair.converge);
            }
            None => {}
        }
        recipe
    }

    /// The same picture with the noise of a frame: noise that stands still over frames looks like dirt on the glass.
    #[must_use]
    pub fn of_frame(mut self, frame: u64) -> Self {
        self.seed = self.seed.wrapping_add(frame as u32);
        self
    }
}
