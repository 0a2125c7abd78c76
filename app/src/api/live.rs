//! Standing: plan, floor and the live picture.

use super::types::{FloorInfo, Plan, PreviewRequest};
use super::{Answer, Shared, blocking};
use crate::work::preview::live;
use crate::work::{Result, WorkError};
use dome_trace::plan::{Area, cut, shaded};
use dome_trace::stand::{ceiling_above, floor_below};
use glam::DVec3;
use rocket::http::{ContentType, Header};
use rocket::serde::json::Json;
use rocket::{FromForm, Responder, Route, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![plan, plan_picture, floor, preview]
}

/// Largest plan picture, pixels a side.
const MAX_PLAN: u32 = 1024;

/// The area of a plan as it stands in a query.
#[derive(Clone, Copy, FromForm)]
struct AreaQuery {
    x0: f64,
    z0: f64,
    x1: f64,
    z1: f64,
}

impl AreaQuery {
    fn checked(self) -> Result<Area> {
        let Self { x0, z0, x1, z1 } = self;
        let ok = [x0, z0, x1, z1]
            .iter()
            .all(|v| v.is_finite() && v.abs() < 1e7)
            && x0 < x1
            && z0 < z1;
        if !ok {
            return Err(WorkError::Request(
                "The plan's area must be four numbers, low before high; correct it.".into(),
            ));
        }
        Ok(Area {
            x0: x0 as f32,
            z0: z0 as f32,
            x1: x1 as f32,
            z1: z1 as f32,
        })
    }
}

#[get("/projects/<id>/plan?<y>&<area..>")]
async fn plan(app: &Shared, id: i64, y: f64, area: AreaQuery) -> Answer<Json<Plan>> {
    blocking(app, move |app| {
        let a = area.checked()?;
        let scene = app.scenes.get(app, id)?;
        let millimetres = |v: f32| (v * 1000.0).round() / 1000.0;
        let lines = cut(&scene, y as f32)
            .into_iter()
            .filter(|s| {
                s[0].min(s[2]) <= a.x1
                    && s[0].max(s[2]) >= a.x0
                    && s[1].min(s[3]) <= a.z1
                    && s[1].max(s[3]) >= a.z0
            })
            .flatten()
            .map(millimetres)
            .collect();
        Ok(Json(Plan { y, lines }))
    })
    .await
}

#[derive(Responder)]
struct Png(Vec<u8>, ContentType);

#[get("/projects/<id>/plan.png?<y>&<width>&<area..>")]
async fn plan_picture(app: &Shared, id: i64, y: f64, width: u32, area: AreaQuery) -> Answer<Png> {
    blocking(app, move |app| {
        let a = area.checked()?;
        let width = width.clamp(16, MAX_PLAN);
        let ratio = (area.z1 - area.z0) / (area.x1 - area.x0);
        let height = (ratio * f64::from(width))
            .round()
            .clamp(1.0, f64::from(MAX_PLAN)) as u32;
        let scene = app.scenes.get(app, id)?;
        let grey = shaded(&scene, y as f32, a, width, height);
        Ok(Png(
            dome_files::png::encode_grey(width, height, &grey)?,
            ContentType::PNG,
        ))
    })
    .await
}

#[get("/projects/<id>/floor?<x>&<y>&<z>")]
async fn floor(app: &Shared, id: i64, x: f64, y: f64, z: f64) -> Answer<Json<FloorInfo>> {
    blocking(app, move |app| {
        if ![x, y, z].iter().all(|v| v.is_finite() && v.abs() < 1e7) {
            return Err(WorkError::Request(
                "The place must be three numbers; correct it.".into(),
            ));
        }
        let scene = app.scenes.get(app, id)?;
        let floor = floor_below(&scene, DVec3::new(x, y, z));
        Ok(Json(FloorInfo {
            floor_y: floor.map(|f| f.y),
            object: floor.map(|f| scene.objects()[f.object as usize].name.clone()),
            ceiling_y: ceiling_above(&scene, DVec3::new(x, y, z)),
        }))
    })
    .await
}

#[derive(Responder)]
struct LivePicture {
    jpeg: Vec<u8>,
    kind: ContentType,
    samples: Header<'static>,
    enough: Header<'static>,
    calm: Header<'static>,
}

#[post("/projects/<id>/preview", data = "<request>")]
async fn preview(app: &Shared, id: i64, request: Json<PreviewRequest>) -> Answer<LivePicture> {
    blocking(app, move |app| {
        let p = &request.pose;
        let numbers = [p.heading_deg, p.pitch_deg, p.roll_deg];
        if !p
            .position
            .iter()
            .chain(&numbers)
            .all(|v| v.is_finite() && v.abs() < 1e7)
        {
            return Err(WorkError::Request(
                "The view must be given in numbers; correct it.".into(),
            ));
        }
        let live = live(app, id, &request)?;
        Ok(LivePicture {
            jpeg: live.jpeg,
            kind: ContentType::JPEG,
            samples: Header::new("X-Samples", live.samples.to_string()),
            enough: Header::new("X-Enough", live.enough.to_string()),
            calm: Header::new("X-Calm", live.calm.to_string()),
        })
    })
    .await
}
