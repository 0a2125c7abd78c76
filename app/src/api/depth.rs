//! Depth over HTTP: what two eyes see at a viewpoint, and the plan of all viewpoints.

use super::sent::Sent;
use super::{Answer, Shared, blocking};
use crate::model::places::Pose;
use crate::model::rigs::{Rig, RigKind};
use crate::work::asked::{DepthFramesRequest, DepthRequest, FitOverTimeRequest};
use crate::work::depth::Deep;
use crate::work::told::depth::{DepthFrame, DepthInfo, FramedCamera, KeyEyes, PickedDepth};
use crate::work::{Result, WorkError, at_once, cameras as framed, depth_frames};
use dome_optics::PanoramaSize;
use rocket::http::ContentType;
use rocket::serde::json::Json;
use rocket::{Route, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![depth, depth_at, frames, fit, strain, plan, cameras]
}

#[post("/projects/<id>/depth", data = "<request>")]
async fn depth(app: &Shared, id: i64, request: Sent<DepthRequest>) -> Answer<Json<DepthInfo>> {
    blocking(app, move |app| {
        checked(&request)?;
        let scene = app.scenes.get(app, id)?;
        Ok(Json(at_once(|| {
            let deep = Deep::look(&scene, &request.pose, &request.rig).with_titles(app);
            DepthInfo {
                planes_fit: request.planes_m.and_then(|planes| deep.fitted(planes)),
                picked: request.pick.and_then(|place| deep.pick(place)),
                hfov_of_focal_deg: request.focal_mm.map(|mm| deep.hfov_of_focal(mm)),
                ..deep.told()
            }
        })))
    })
    .await
}

/// What lies at a place of the picture alone: quick enough to follow the pointer.
#[post("/projects/<id>/depth-at", data = "<request>")]
async fn depth_at(
    app: &Shared,
    id: i64,
    request: Sent<DepthRequest>,
) -> Answer<Json<Option<PickedDepth>>> {
    blocking(app, move |app| {
        checked(&request)?;
        let scene = app.scenes.get(app, id)?;
        let deep = Deep::at_one_place(&scene, &request.pose, &request.rig);
        Ok(Json(request.pick.and_then(|place| deep.pick(place))))
    })
    .await
}

/// How deep it is in some frames of a way.
#[post("/projects/<id>/depth-frames", data = "<request>")]
async fn frames(
    app: &Shared,
    id: i64,
    request: Sent<DepthFramesRequest>,
) -> Answer<Json<Vec<DepthFrame>>> {
    blocking(app, move |app| {
        sane(&request.pose, &request.rig)?;
        Ok(Json(depth_frames::look(app, id, &request)?))
    })
    .await
}

/// Eyes at the keys of a way that fit what was seen in its frames.
#[post("/depth-fit", data = "<request>")]
async fn fit(
    app: &Shared,
    request: Sent<FitOverTimeRequest>,
) -> Answer<Json<Option<Vec<KeyEyes>>>> {
    blocking(app, move |_| {
        request.rig.check().map_err(WorkError::Request)?;
        Ok(Json(depth_frames::fitted(&request)?))
    })
    .await
}

/// Width of the layer that shows what is too near, pixels.
const LAYER: u32 = 512;

/// Where things are nearer than is comfortable all round, as a layer over the Horizon: brighter where they are nearer. Of a flat
/// pair the layer of its planes over the frame.
#[post("/projects/<id>/strain.png", data = "<request>")]
async fn strain(
    app: &Shared,
    id: i64,
    request: Sent<DepthRequest>,
) -> Answer<(ContentType, Vec<u8>)> {
    blocking(app, move |app| {
        checked(&request)?;
        let scene = app.scenes.get(app, id)?;
        let size = PanoramaSize::from_width(LAYER)?;
        let png = at_once(|| {
            let deep = Deep::look(&scene, &request.pose, &request.rig);
            match deep.planes_layer(LAYER) {
                Some((width, height, rgba)) => dome_files::png::encode_rgba(width, height, &rgba),
                None => {
                    let grey = deep.strain(size);
                    dome_files::png::encode_grey(size.width(), size.height(), &grey)
                }
            }
        })?;
        Ok((ContentType::PNG, png))
    })
    .await
}

/// The cameras of the scene, to be taken for a flat pair.
#[get("/projects/<id>/cameras")]
async fn cameras(app: &Shared, id: i64) -> Answer<Json<Vec<FramedCamera>>> {
    blocking(app, move |app| Ok(Json(framed::of_project(app, id)?))).await
}

/// Refuses what cannot be looked from.
fn checked(request: &DepthRequest) -> Result<()> {
    sane(&request.pose, &request.rig)?;
    if let Some(mm) = request.focal_mm
        && !(0.05..=100_000.0).contains(&mm)
    {
        return Err(WorkError::Request(format!(
            "The focal length must lie between 0.05 and 100000 mm; {mm} does not. Correct it."
        )));
    }
    Ok(())
}

/// Refuses a place or a pair that is none.
fn sane(p: &Pose, rig: &Rig) -> Result<()> {
    rig.check().map_err(WorkError::Request)?;
    let sane = |v: &f64| v.is_finite() && v.abs() < 1e7;
    let angles = [p.heading_deg, p.pitch_deg, p.roll_deg];
    if !p.position.iter().chain(&angles).all(sane) {
        return Err(WorkError::Request(
            "The view must be given in numbers; correct it.".into(),
        ));
    }
    Ok(())
}

/// A field of a table in comma-separated values (RFC 4180).
fn field(text: &str) -> String {
    if text.contains([',', '"', '\n', '\r']) {
        format!("\"{}\"", text.replace('"', "\"\""))
    } else {
        text.to_owned()
    }
}

/// The plan of depth of all viewpoints, for people who work to it.
#[get("/projects/<id>/depth.csv")]
async fn plan(app: &Shared, id: i64) -> Answer<(ContentType, String)> {
    blocking(app, move |app| {
        let scene = app.scenes.get(app, id)?;
        let mut table = String::from(
            "viewpoint,pair,separation_mm,zero_parallax_m,percent,front_px,back_px,near_px,far_px,nearest_m,farthest_m,findings,note\r\n",
        );
        for v in app.store.viewpoints(id)? {
            let told = at_once(|| Deep::look(&scene, &v.pose, &v.rig).told());
            let number = |n: Option<f64>, digits: usize| {
                n.map_or_else(String::new, |n| format!("{n:.digits$}"))
            };
            let flat = v.rig.kind == RigKind::Flat;
            let pair = match v.rig.kind {
                RigKind::Off => "one eye",
                RigKind::Panoramic => "panoramic",
                RigKind::Flat => "flat",
            };
            let two = v.rig.kind != RigKind::Off;
            let row = [
                field(&v.name),
                pair.into(),
                number(two.then_some(told.separation_m * 1000.0), 2),
                number(told.convergence_m, 3),
                number(flat.then_some(v.rig.flat.budget.percent), 0),
                number(told.budget_px.as_ref().map(|b| b.front), 1),
                number(told.budget_px.as_ref().map(|b| b.back), 1),
                number(told.parallax_px.as_ref().and_then(|p| p.near), 1),
                number(told.parallax_px.as_ref().map(|p| p.far), 1),
                number(told.nearest_m, 3),
                number(told.farthest_m, 3),
                (told.offenders.len() + told.violations.len()).to_string(),
                field(&v.rig.note),
            ];
            table.push_str(&row.join(","));
            table.push_str("\r\n");
        }
        Ok((ContentType::CSV, table))
    })
    .await
}
