//! Orders over HTTP.

use super::files::jpeg;
use super::range::RangedFile;
use super::sent::Sent;
use super::types::{Estimate, Event, Order, OrderEstimate, OrderRequest, WidthPlan};
use super::{Answer, Failure, Shared, blocking};
use crate::folder::RenderFolder;
use crate::model::jobs::JobState;
use crate::work::asked::OrdersRequest;
use crate::work::denoise;
use crate::work::estimate::estimated;
use crate::work::finished::eyes_there;
use crate::work::foretell;
use crate::work::frame_orders;
use crate::work::ordering;
use crate::work::recipe::picture_size;
use crate::work::rendering;
use crate::work::screen::DISPLAY_WIDTH;
use crate::work::told::{Machine, TimeTold};
use crate::work::{Result, WorkError};
use dome_imaging::Picture;
use dome_imaging::scale::Shrink;
use dome_optics::resolution;
use dome_trace::PassSet;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Responder, Route, delete, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![
        estimate,
        order_estimate,
        order_time,
        machine,
        width_plan,
        place,
        place_all,
        one,
        discard,
        strip,
        under_way,
        finished,
        display,
        flat,
        master,
        small_frame,
        frame
    ]
}

fn pass_set(names: Option<&str>) -> Result<PassSet> {
    PassSet::parse(names.unwrap_or_default())
        .map_err(|e| WorkError::Request(format!("{e}; correct the list.")))
}

/// What an order of a size takes; of a `project` whose scene is in memory that counts too.
#[get("/estimate?<width>&<shape>&<passes>&<denoise>&<project>")]
async fn estimate(
    app: &Shared,
    width: u32,
    shape: Option<String>,
    passes: Option<String>,
    denoise: Option<bool>,
    project: Option<i64>,
) -> Answer<Json<Estimate>> {
    blocking(app, move |app| {
        let size = picture_size(shape.as_deref(), width)?;
        let passes = pass_set(passes.as_deref())?;
        let denoise = denoise.unwrap_or(false);
        let free_bytes = app.free_for_new()?;
        Ok(Json(Estimate {
            free_bytes,
            ..estimated(app, &size, &passes, denoise, 1, project)
        }))
    })
    .await
}

/// How wide a sphere must be behind a framed camera and for a headset, and how sharp one of `width` is there.
#[get("/width-plan?<width>&<frame>&<hfov>&<per_degree>")]
fn width_plan(width: u32, frame: u32, hfov: f64, per_degree: f64) -> Answer<Json<WidthPlan>> {
    let sane = (1.0..=170.0).contains(&hfov) && (0.1..=1000.0).contains(&per_degree);
    if !sane || !(1..=100_000).contains(&frame) {
        return Err(WorkError::Request(
            "The frame must be 1 to 100000 px wide with a field of view of 1 to 170 degrees, and the headset show 0.1 to 1000 px per degree; correct them.".into(),
        )
        .into());
    }
    let (frame, angle) = (f64::from(frame), hfov.to_radians());
    let (middle, edges) = resolution::backdrop_width(frame, angle);
    // Up to whole pairs of pixels.
    let whole = |v: f64| ((v / 2.0).ceil() * 2.0).min(f64::from(u32::MAX)) as u32;
    Ok(Json(WidthPlan {
        middle: whole(middle),
        edges: whole(edges),
        headset: whole(resolution::width_for_pixels_per_degree(per_degree)),
        sharpness: (0..=16)
            .map(|i| {
                let degrees = hfov / 2.0 * f64::from(i) / 16.0;
                let sharp = resolution::backdrop_sharpness(
                    f64::from(width),
                    frame,
                    angle,
                    degrees.to_radians(),
                );
                (degrees, sharp)
            })
            .collect(),
    }))
}

/// What an order would take, and which eyes of its pair are there already.
#[post("/projects/<id>/orders/estimate", data = "<request>")]
async fn order_estimate(
    app: &Shared,
    id: i64,
    request: Sent<OrderRequest>,
) -> Answer<Json<OrderEstimate>> {
    blocking(app, move |app| {
        let asked = ordering::ask(app, id, &request)?;
        Ok(Json(OrderEstimate {
            width: asked.spec.width,
            there: match &asked.frames {
                Some(_) => None,
                None => eyes_there(app, id, &asked.spec)?,
            },
            estimate: asked.estimate,
            frames: asked.frames,
            out_file: asked.out_file,
            farm: app.farm.is_some(),
        }))
    })
    .await
}

/// How long an order would take; a look of some seconds the first time that a view is asked for in some light.
#[post("/projects/<id>/orders/time", data = "<request>")]
async fn order_time(app: &Shared, id: i64, request: Sent<OrderRequest>) -> Answer<Json<TimeTold>> {
    blocking(app, move |app| {
        let asked = ordering::ask(app, id, &request)?;
        Ok(Json(foretell::time(app, id, &asked)?))
    })
    .await
}

/// What this machine can do.
#[get("/machine")]
fn machine() -> Json<Machine> {
    Json(denoise::machine())
}

#[post("/projects/<id>/orders", data = "<request>")]
async fn place(app: &Shared, id: i64, request: Sent<OrderRequest>) -> Answer<Json<Order>> {
    blocking(app, move |app| {
        let asked = ordering::ask(app, id, &request)?;
        let how = (request.held == Some(true), request.instead_of);
        let order = ordering::place_instead(app, id, &asked, how)?;
        app.jobs.wake();
        Ok(Json(app.describe_order(order)))
    })
    .await
}

/// Orders of several viewpoints, shapes and light setups in one go; gives their numbers.
#[post("/projects/<id>/orders/all", data = "<request>")]
async fn place_all(app: &Shared, id: i64, request: Sent<OrdersRequest>) -> Answer<Json<Vec<i64>>> {
    blocking(app, move |app| {
        let placed = ordering::place_all(app, id, &request)?;
        app.jobs.wake();
        app.tell(Event::Project { project: id });
        Ok(Json(placed))
    })
    .await
}

#[get("/orders/<id>")]
async fn one(app: &Shared, id: i64) -> Answer<Json<Order>> {
    blocking(app, move |app| {
        Ok(Json(app.describe_order(app.store.order(id)?)))
    })
    .await
}

#[delete("/orders/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        // One that cannot be read can be removed all the same.
        let row = app.store.order(id);
        let project = app.freeing(|| app.store.remove_order(id))?;
        // One that is under way is given up by its worker.
        if let (Some(farm), Ok(row)) = (&app.farm, row)
            && row.state != JobState::Running
        {
            let _ = farm.forget(&row);
        }
        // A worker that has it lets its files go when it has stopped.
        app.jobs.stop_removed(&app.store);
        app.sweep();
        app.tell(Event::Jobs);
        app.tell(Event::Project { project });
        Ok(Status::NoContent)
    })
    .await
}

#[derive(Responder)]
struct Jpeg(Vec<u8>, ContentType);

/// A finished strip as the screen shows it.
#[get("/orders/<id>/strips/<top>")]
async fn strip(app: &Shared, id: i64, top: u32) -> Answer<Jpeg> {
    blocking(app, move |app| {
        let Some(mut strip) = rendering::strip_of(app, id, top)? else {
            return Ok(None);
        };
        let (width, rows) = (strip.width, strip.rows());
        strip.top = 0;
        let scale = f64::from(width.min(DISPLAY_WIDTH)) / f64::from(width);
        let small = (
            width.min(DISPLAY_WIDTH),
            ((f64::from(rows) * scale).round() as u32).max(1),
        );
        let mut shrink = Shrink::new((width, rows), small);
        shrink
            .add(&strip)
            .map_err(|e| WorkError::Request(e.to_string()))?;
        screen_jpeg(&shrink.finish()).map(Some)
    })
    .await?
    .ok_or_else(|| {
        Failure::new(
            Status::NotFound,
            format!("Order {id} has no finished strip at row {top}."),
        )
    })
}

#[derive(Responder)]
#[response(content_type = "image/png")]
struct Png(Vec<u8>);

/// The finished rows of a strip that is being made; where it is finished or given up meanwhile there is none.
#[get("/orders/<id>/under-way/<top>")]
async fn under_way(app: &Shared, id: i64, top: u32) -> Answer<Option<Png>> {
    blocking(app, move |app| {
        let rows = rendering::under_way(app, id, top)?;
        rows.map(|(w, h, rgba)| Ok(Png(dome_files::png::encode_rgba(w, h, &rgba)?)))
            .transpose()
    })
    .await
}

/// All finished strips of an order in one picture.
#[get("/orders/<id>/finished.jpg")]
async fn finished(app: &Shared, id: i64) -> Answer<Jpeg> {
    blocking(app, move |app| {
        screen_jpeg(&rendering::finished_picture(app, id)?)
    })
    .await
}

/// The small picture of a finished frame.
#[get("/orders/<id>/frames/<frame>/small.jpg")]
async fn small_frame(app: &Shared, id: i64, frame: u32) -> Answer<Option<RangedFile>> {
    let files = files_of(app, id).await?;
    Ok(jpeg(files.small_frame(frame.into())))
}

/// A finished frame as the screen shows it.
#[get("/orders/<id>/frames/<frame>/picture.jpg")]
async fn frame(app: &Shared, id: i64, frame: u32) -> Answer<Jpeg> {
    blocking(app, move |app| {
        screen_jpeg(&frame_orders::frame_picture(app, id, frame.into())?)
    })
    .await
}

/// A picture as the screen shows it.
fn screen_jpeg(picture: &Picture) -> Result<Jpeg> {
    let rgb = crate::work::preview::SCREEN_TONE.to_srgb8(&picture.samples);
    let jpeg = dome_files::jpeg::encode_small(picture.width, picture.height, &rgb, 92)?;
    Ok(Jpeg(jpeg, ContentType::JPEG))
}

#[get("/orders/<id>/picture.jpg")]
async fn display(app: &Shared, id: i64) -> Answer<Option<RangedFile>> {
    let files = files_of(app, id).await?;
    Ok(jpeg(files.display()))
}

/// A master in another shape than the unrolled sphere, as it is.
#[get("/orders/<id>/flat.jpg")]
async fn flat(app: &Shared, id: i64) -> Answer<Option<RangedFile>> {
    let files = files_of(app, id).await?;
    Ok(jpeg(files.flat()))
}

async fn files_of(app: &Shared, id: i64) -> Answer<RenderFolder> {
    blocking(app, move |app| Ok(app.store.order(id)?.files(&app.folder))).await
}

#[get("/orders/<id>/master.exr")]
async fn master(app: &Shared, id: i64) -> Answer<RangedFile> {
    let name = blocking(app, move |app| {
        let row = app.store.order(id)?;
        Ok(format!("{} - {} px", row.spec.viewpoint, row.spec.width))
    })
    .await?;
    let path = files_of(app, id).await?.master();
    if !path.exists() {
        return Err(Failure::new(
            Status::NotFound,
            format!("Order {id} has no master yet."),
        ));
    }
    Ok(RangedFile {
        path,
        kind: ContentType::new("image", "x-exr"),
        save_as: Some(format!("{}.exr", crate::work::package::file_name(&name))),
    })
}
