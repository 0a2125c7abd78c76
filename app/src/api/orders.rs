//! Orders over HTTP.

use super::files::jpeg;
use super::range::RangedFile;
use super::types::{Estimate, Order, OrderRequest, OrderSpec};
use super::{Answer, Failure, Shared, blocking};
use crate::work::queue::{self, DISPLAY_WIDTH};
use crate::work::{App, Result, WorkError};
use dome_files::strip_file;
use dome_imaging::scale::Shrink;
use dome_optics::PanoramaSize;
use dome_optics::resolution::pixels_per_degree;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Responder, Route, delete, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![
        estimate, place, one, stop, resume, discard, strip, display, master
    ]
}

/// Most samples per pixel that an order may ask for.
const MAX_SAMPLES: u32 = 65_536;
/// Bytes of a pixel in half floats.
const PIXEL_BYTES: u64 = 6;

fn estimated(app: &App, width: u32) -> Result<Estimate> {
    let size = PanoramaSize::from_width(width)?;
    // Compression only makes it smaller; tables and header are counted generously.
    let master_bytes = size.pixels() * PIXEL_BYTES + 16 * u64::from(size.height()) + 4096;
    Ok(Estimate {
        height: size.height(),
        master_bytes,
        // Strips and master are both there at the end, and the pictures for the screen.
        working_bytes: 2 * master_bytes + (8 << 20),
        free_bytes: app.folder.free_bytes(),
        pixels_per_degree: pixels_per_degree(width),
    })
}

#[get("/estimate?<width>")]
async fn estimate(app: &Shared, width: u32) -> Answer<Json<Estimate>> {
    blocking(app, move |app| Ok(Json(estimated(app, width)?))).await
}

#[post("/projects/<id>/orders", data = "<request>")]
async fn place(app: &Shared, id: i64, request: Json<OrderRequest>) -> Answer<Json<Order>> {
    blocking(app, move |app| {
        let project = app.store.project(id)?;
        let viewpoint = app.store.viewpoint(id, request.viewpoint)?;
        let estimate = estimated(app, request.width)?;
        if !(1..=MAX_SAMPLES).contains(&request.samples) {
            return Err(WorkError::Request(format!(
                "{} samples per pixel are outside 1 to {MAX_SAMPLES}; choose a number inside.",
                request.samples
            )));
        }
        if estimate.free_bytes.is_some_and(|free| free < estimate.working_bytes) {
            return Err(WorkError::Request(format!(
                "Rendering {} px needs {} MB of disk and {} MB are free; make room or order a smaller width.",
                request.width,
                estimate.working_bytes >> 20,
                estimate.free_bytes.unwrap_or(0) >> 20
            )));
        }
        let spec = OrderSpec {
            viewpoint: viewpoint.name,
            pose: viewpoint.pose,
            width: request.width,
            height: estimate.height,
            samples: request.samples,
            seed: request.seed.unwrap_or(0),
            sky: project.sky,
        };
        let order = app.store.add_order(id, &spec)?;
        app.queue.wake();
        Ok(Json(app.describe_order(app.store.order(order)?)))
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

#[post("/orders/<id>/stop")]
async fn stop(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        queue::stop(app, id).map(|()| Status::Accepted)
    })
    .await
}

#[post("/orders/<id>/resume")]
async fn resume(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        queue::resume(app, id).map(|()| Status::Accepted)
    })
    .await
}

#[delete("/orders/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        queue::discard(app, id).map(|()| Status::NoContent)
    })
    .await
}

#[derive(Responder)]
struct Jpeg(Vec<u8>, ContentType);

/// A finished strip as the screen shows it.
#[get("/orders/<id>/strips/<top>")]
async fn strip(app: &Shared, id: i64, top: u32) -> Answer<Jpeg> {
    let missing = || {
        Failure::new(
            Status::NotFound,
            format!("Order {id} has no finished strip at row {top}."),
        )
    };
    if !app.folder.strip(id, top).exists() {
        return Err(missing());
    }
    blocking(app, move |app| {
        let mut strip = strip_file::read(&app.folder.strip(id, top))?;
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
        let picture = shrink.finish();
        let rgb = crate::work::preview::SCREEN_TONE.to_srgb8(&picture.samples);
        let jpeg = dome_files::jpeg::encode_small(picture.width, picture.height, &rgb, 92)?;
        Ok(Jpeg(jpeg, ContentType::JPEG))
    })
    .await
}

#[get("/orders/<id>/picture.jpg")]
async fn display(app: &Shared, id: i64) -> Option<RangedFile> {
    jpeg(app.folder.display(id))
}

#[get("/orders/<id>/master.exr")]
async fn master(app: &Shared, id: i64) -> Answer<RangedFile> {
    let name = blocking(app, move |app| {
        let row = app.store.order(id)?;
        Ok(format!("{} - {} px", row.spec.viewpoint, row.spec.width))
    })
    .await?;
    let path = app.folder.master(id);
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
