//! Lights and surroundings over HTTP.

use super::projects::{Length, receive};
use super::types::{LightInfo, MeasureInfo, SunPosition, SurroundingsFile};
use super::{Answer, Shared, blocking};
use crate::work::WorkError;
use crate::work::bring::bring_surroundings;
use crate::work::told::light::{DistributionFile, ExposureProposal, MeterReading, UnitProposal};
use crate::work::{distributions, metering};
use dome_files::limits::{MAX_DISTRIBUTION, MAX_FILE};
use dome_optics::sun;
use dome_trace::stand::lights as listing;
use glam::DVec3;
use rocket::data::Data;
use rocket::serde::json::Json;
use rocket::{Route, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![
        lights,
        sun_position,
        bring,
        bring_distribution,
        meter,
        exposure,
        sky_unit
    ]
}

/// All lights of a scene and whether a viewpoint sees them.
#[get("/projects/<id>/lights?<viewpoint>")]
async fn lights(app: &Shared, id: i64, viewpoint: i64) -> Answer<Json<Vec<LightInfo>>> {
    blocking(app, move |app| {
        let viewpoint = app.store.viewpoint(id, viewpoint)?;
        let scene = app.scenes.get(app, id)?;
        let eye = DVec3::from(viewpoint.pose.position);
        let settings = app.store.settings(id)?;
        let light = app
            .scenes
            .light(app, id, &settings, false, settings.white_cd_m2())?;
        let mut found = listing::list(&scene, &light, settings.file_cd_m2, eye);
        found.extend(listing::surroundings(&scene, &light.environment, eye));
        let info = |l: listing::LightEntry| LightInfo {
            key: l.key,
            name: l.name,
            kind: l.kind.into(),
            position: l.position.map(|p| p.to_array().map(f64::from)),
            measures: (l.measures.iter())
                .map(|m| MeasureInfo {
                    value: f64::from(m.value),
                    unit: m.unit.into(),
                    of: m.of.into(),
                })
                .collect(),
            seen: l.seen,
        };
        Ok(Json(found.into_iter().map(info).collect()))
    })
    .await
}

/// What a light meter reads at a place of a viewpoint's unrolled picture, 0 to 1 both ways.
#[get("/projects/<id>/meter?<viewpoint>&<u>&<v>")]
async fn meter(
    app: &Shared,
    id: i64,
    viewpoint: i64,
    u: f64,
    v: f64,
) -> Answer<Json<MeterReading>> {
    blocking(app, move |app| {
        let viewpoint = app.store.viewpoint(id, viewpoint)?;
        Ok(Json(metering::read(app, id, &viewpoint.pose, (u, v))?))
    })
    .await
}

/// The exposure that a viewpoint proposes; nothing is changed.
#[get("/projects/<id>/exposure?<viewpoint>")]
async fn exposure(app: &Shared, id: i64, viewpoint: i64) -> Answer<Json<ExposureProposal>> {
    blocking(app, move |app| {
        let viewpoint = app.store.viewpoint(id, viewpoint)?;
        Ok(Json(metering::exposure(app, id, viewpoint.pose.position)?))
    })
    .await
}

/// The unit that the picture of the surroundings speaks for; nothing is changed.
#[get("/projects/<id>/sky-unit")]
async fn sky_unit(app: &Shared, id: i64) -> Answer<Json<UnitProposal>> {
    blocking(app, move |app| Ok(Json(metering::unit(app, id)?))).await
}

/// Where the sun stands at a latitude, on a month and day, at an hour of true solar time.
#[get("/sun?<latitude>&<month>&<day>&<hour>")]
async fn sun_position(
    app: &Shared,
    latitude: f64,
    month: u32,
    day: u32,
    hour: f64,
) -> Answer<Json<SunPosition>> {
    blocking(app, move |_| {
        let date = sun::day_of_year(month, day);
        let fits = (-90.0..=90.0).contains(&latitude) && (0.0..=24.0).contains(&hour);
        let Some(date) = date.filter(|_| fits) else {
            return Err(WorkError::Request(
                "The sun needs a latitude of -90 to 90 degrees, a month, a day that it has, and an hour of 0 to 24; correct them.".into(),
            ));
        };
        let (elevation_deg, heading_deg) = sun::position(latitude, date, hour);
        Ok(Json(SunPosition {
            elevation_deg,
            heading_deg,
        }))
    })
    .await
}

/// Takes a measured distribution of a lamp; `file` is its name.
#[post("/projects/<id>/distributions?<file>", data = "<body>")]
async fn bring_distribution(
    app: &Shared,
    id: i64,
    file: &str,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<DistributionFile>> {
    let path = receive(app, file, "distribution", MAX_DISTRIBUTION, length, body).await?;
    let file = file.to_owned();
    blocking(app, move |app| {
        Ok(Json(distributions::bring(app, id, &path, &file)?))
    })
    .await
}

/// Takes a picture as surroundings; `file` is its name.
#[post("/projects/<id>/surroundings?<file>", data = "<body>")]
async fn bring(
    app: &Shared,
    id: i64,
    file: &str,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<SurroundingsFile>> {
    let path = receive(app, file, "picture", MAX_FILE, length, body).await?;
    let file = file.to_owned();
    blocking(app, move |app| {
        Ok(Json(bring_surroundings(app, id, &path, &file)?))
    })
    .await
}
