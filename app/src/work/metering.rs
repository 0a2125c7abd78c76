//! Light as it is measured: what a place shows and receives, an exposure to begin with, a unit for a picture of the sky.

use super::scenes::surroundings_picture;
use super::told::light::{ExposureProposal, MeterReading, UnitProposal};
use super::{App, Result, WorkError};
use crate::model::places::Pose;
use crate::model::settings::SceneSettings;
use dome_optics::{Eye, PicturePoint};
use dome_trace::photometry::{MIDDLE_GREY, exposure_for_grey};
use dome_trace::{Sky, meter};
use glam::DVec3;
use std::time::{Duration, Instant};

/// Paths of a first reading; each further one takes four times as many.
const SAMPLES: u32 = 1024;
/// Most paths of a reading.
const MOST_SAMPLES: u32 = 65_536;
/// A reading that is as sure as this is good enough, percent.
const SURE_PERCENT: f64 = 1.0;
/// No further reading is begun after so long.
const PATIENCE: Duration = Duration::from_millis(150);
/// Proposed exposures are told in such steps, stops.
const STEP: f64 = 0.1;
/// Exposures that can be set, stops.
const STOPS: f64 = 20.0;

/// What a light meter reads at a place of a viewpoint's unrolled picture, 0 to 1 both ways, final renders' light.
pub fn read(app: &App, project: i64, pose: &Pose, place: (f64, f64)) -> Result<MeterReading> {
    let point = PicturePoint {
        u: place.0,
        v: place.1,
    };
    let fits = |v: f64| (0.0..=1.0).contains(&v);
    let ray = (fits(place.0) && fits(place.1))
        .then(|| super::preview::eye(pose).ray(point))
        .flatten()
        .ok_or_else(|| {
            WorkError::Request(
                "The place to measure must lie in the picture, 0 to 1 both ways; correct it."
                    .into(),
            )
        })?;
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let light = app
        .scenes
        .light(app, project, &settings, false, settings.white_cd_m2())?;
    let start = Instant::now();
    let mut samples = SAMPLES;
    let found = loop {
        let found = super::at_once(|| meter::read(&scene, &light, &ray, samples));
        let sure = found.error_percent <= SURE_PERCENT;
        if sure || samples >= MOST_SAMPLES || start.elapsed() > PATIENCE {
            break found;
        }
        samples *= 4;
    };
    Ok(MeterReading {
        luminance_cd_m2: found.luminance_cd_m2,
        illuminance_lx: found.illuminance_lx,
        object: (found.object).map(|o| scene.objects()[o as usize].name.clone()),
        error_percent: found.error_percent,
    })
}

/// The exposure that a viewpoint proposes, or a sentence where all is black.
pub fn exposure(app: &App, project: i64, position: [f64; 3]) -> Result<ExposureProposal> {
    let settings = app.store.settings(project)?;
    let scene = app.scenes.get_as(app, project, &settings)?;
    let grey = super::at_once(|| {
        meter::middle_grey(&scene, DVec3::from(position), |white| {
            app.scenes.light(app, project, &settings, false, white)
        })
    })?;
    let Some(grey) = grey else {
        return Err(WorkError::Request(
            "Nothing gives light here, so no exposure can be proposed; switch a light on or choose surroundings.".into(),
        ));
    };
    let stops = exposure_for_grey(grey).clamp(-STOPS, STOPS);
    let exposure_stops = (stops / STEP).round() * STEP;
    let told = SceneSettings {
        exposure_stops: exposure_stops as f32,
        ..SceneSettings::default()
    };
    Ok(ExposureProposal {
        exposure_stops: told.exposure_stops,
        grey_cd_m2: f64::from(told.white_cd_m2() * MIDDLE_GREY),
    })
}

/// What 1 in the picture that surrounds a scene must be, by its sun or its mean.
pub fn unit(app: &App, project: i64) -> Result<UnitProposal> {
    let settings = app.store.settings(project)?;
    let Sky::Picture { file } = &settings.surroundings.sky else {
        return Err(WorkError::Request(
            "Only a picture needs a unit of its light; choose one as surroundings first.".into(),
        ));
    };
    let path = app.folder.surroundings(project).join(file);
    let picture = surroundings_picture(&path)?.picture;
    let Some(found) = meter::picture_unit(&picture) else {
        return Err(WorkError::Request(format!(
            "{file} is black, so nothing can be proposed for it; choose another picture."
        )));
    };
    Ok(UnitProposal {
        unit_cd_m2: found.unit_cd_m2,
        sun_deg: found.sun_deg,
        illuminance_lx: found.illuminance_lx,
    })
}
