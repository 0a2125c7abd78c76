//! Orders over HTTP.

use super::files::jpeg;
use super::range::RangedFile;
use super::sent::Sent;
use super::types::{Estimate, Event, Order, OrderEstimate, OrderRequest, OrderSpec, WidthPlan};
use super::{Answer, Failure, Shared, blocking};
use crate::folder::RenderFolder;
use crate::model::jobs::{JobKind, NewJob};
use crate::model::rigs::{Rig, RigKind};
use crate::work::denoise;
use crate::work::estimate::estimated;
use crate::work::finished::eyes_there;
use crate::work::recipe::picture_size;
use crate::work::rendering;
use crate::work::screen::DISPLAY_WIDTH;
use crate::work::{App, Result, WorkError};
use dome_imaging::scale::Shrink;
use dome_optics::resolution;
use dome_trace::{Pass, PassSet};
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Responder, Route, delete, get, post, routes};
use std::ops::RangeInclusive;

pub(super) fn routes() -> Vec<Route> {
    routes![
        estimate,
        order_estimate,
        width_plan,
        place,
        one,
        discard,
        strip,
        finished,
        display,
        flat,
        master
    ]
}

/// Most samples per pixel that an order may ask for.
const MAX_SAMPLES: u32 = 65_536;
/// Noise targets that an order may ask for, percent.
const NOISE: RangeInclusive<f32> = 0.1..=100.0;

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
        Ok(Json(estimated(app, &size, &passes, denoise, 1, project)?))
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

/// What is asked, made whole and checked.
fn spec(app: &App, project: i64, request: &OrderRequest) -> Result<(OrderSpec, Estimate)> {
    let settings = app.store.project(project)?.settings;
    let setup = request.setup.unwrap_or(settings.setup.number);
    let mut settings = settings.with_setup(setup).ok_or_else(|| {
        WorkError::Request(format!(
            "There is no light setup {setup} in this project; choose one of the list."
        ))
    })?;
    // An order shows one.
    settings.other_setups.clear();
    let viewpoint = app.store.viewpoint(project, request.viewpoint)?;
    let denoised = request.denoise.unwrap_or(false);
    // What denoising took is always told, and nothing was taken without.
    let asked = (request.passes.iter().flatten().copied()).filter(|p| *p != Pass::TakenOut);
    let passes = PassSet::new(asked.chain(denoised.then_some(Pass::TakenOut)));
    let mut lens = request.lens;
    let rig = (request.mono != Some(true) && viewpoint.rig.kind != RigKind::Off)
        .then(|| viewpoint.rig.clone());
    let mut pose = viewpoint.pose;
    let size = match &rig {
        Some(rig) if rig.kind == RigKind::Flat => {
            pose.pitch_deg = rig.flat.pitch_deg;
            rig.recorded(request.width)?
        }
        _ => picture_size(request.shape.as_deref(), request.width)?,
    };
    if let (Some(lens), Some(rig)) = (&mut lens, &rig)
        && rig.focus_follows
        && let Some(distance) = rig.converge()
    {
        lens.focus_m = distance;
    }
    if let Some(pair) = rig.as_ref().and_then(Rig::pair) {
        pair.check(&size.shape)?;
        if request
            .shape
            .as_deref()
            .is_some_and(|s| s.starts_with("cube-faces"))
        {
            return Err(WorkError::Request(
                "Six files of two eyes would be twelve; order the cube in one picture.".into(),
            ));
        }
    }
    let eyes = if rig.is_some() { 2 } else { 1 };
    let estimate = estimated(app, &size, &passes, denoised, eyes, Some(project))?;
    let refuse = |sentence: String| Err(WorkError::Request(sentence));
    if denoised && let Some(why) = denoise::refused(&size.shape) {
        return refuse(why);
    }
    if !(1..=MAX_SAMPLES).contains(&request.samples) {
        return refuse(format!(
            "{} samples per pixel are outside 1 to {MAX_SAMPLES}; choose a number inside.",
            request.samples
        ));
    }
    if let Some(percent) = request.noise_percent.filter(|p| !NOISE.contains(p)) {
        return refuse(format!(
            "A noise of {percent} % is outside {} to {} %; choose a number inside.",
            NOISE.start(),
            NOISE.end()
        ));
    }
    if let Some(lens) = lens
        && !((0.5..=128.0).contains(&lens.fstop) && (0.01..=1e5).contains(&lens.focus_m))
    {
        return refuse(
            "The lens needs an f-number of 0.5 to 128 and a focus of 0.01 to 100000 m; correct them."
                .into(),
        );
    }
    if request.clamp.is_some_and(|c| !(0.01..=1e6).contains(&c)) {
        return refuse(
            "The brightest light of a sample must lie between 0.01 and 1000000; correct it.".into(),
        );
    }
    if request
        .occlusion_m
        .is_some_and(|r| !(0.001..=1e5).contains(&r))
    {
        return refuse(
            "The radius of the ambient occlusion must lie between 0.001 and 100000 m; correct it."
                .into(),
        );
    }
    let draft = request.draft.unwrap_or(false);
    if !draft {
        // What makes drafts brighter must never reach a final picture.
        settings.draft_stops = 0.0;
    }
    let spec = OrderSpec {
        white_cd_m2: Some(settings.white_cd_m2()),
        viewpoint: viewpoint.name,
        viewpoint_number: Some(viewpoint.id),
        pose,
        opening: viewpoint.opening,
        rig,
        shape: size.shape.to_string(),
        width: size.width(),
        height: estimate.height,
        samples: request.samples,
        noise_percent: request.noise_percent,
        seed: request.seed.unwrap_or(0),
        settings,
        draft,
        passes: passes.iter().collect(),
        clay: request.clay.unwrap_or(false),
        lens,
        denoise: denoised,
        clamp: request.clamp,
        occlusion_m: request.occlusion_m,
    };
    Ok((spec, estimate))
}

/// What an order would take, and which eyes of its pair are there already.
#[post("/projects/<id>/orders/estimate", data = "<request>")]
async fn order_estimate(
    app: &Shared,
    id: i64,
    request: Sent<OrderRequest>,
) -> Answer<Json<OrderEstimate>> {
    blocking(app, move |app| {
        let (spec, estimate) = spec(app, id, &request)?;
        Ok(Json(OrderEstimate {
            width: spec.width,
            there: eyes_there(app, id, &spec)?,
            estimate,
        }))
    })
    .await
}

#[post("/projects/<id>/orders", data = "<request>")]
async fn place(app: &Shared, id: i64, request: Sent<OrderRequest>) -> Answer<Json<Order>> {
    blocking(app, move |app| {
        let (spec, estimate) = spec(app, id, &request)?;
        let room = format!("Rendering {} px", request.width);
        app.room_on_disk(&room, estimate.working_bytes)?;
        let job = NewJob {
            kind: JobKind::Order,
            project: Some(id),
            asked: String::new(),
            what: spec.viewpoint.clone(),
            memory: estimate.job_bytes(),
            disk: estimate.working_bytes,
        };
        let order = app.store.order(app.store.add_order(id, &spec, &job)?)?;
        app.tell_job(order.job);
        app.jobs.wake();
        Ok(Json(app.describe_order(order)))
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
        let project = app.store.remove_order(id)?;
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
        let picture = shrink.finish();
        let rgb = crate::work::preview::SCREEN_TONE.to_srgb8(&picture.samples);
        let jpeg = dome_files::jpeg::encode_small(picture.width, picture.height, &rgb, 92)?;
        Ok(Some(Jpeg(jpeg, ContentType::JPEG)))
    })
    .await?
    .ok_or_else(|| {
        Failure::new(
            Status::NotFound,
            format!("Order {id} has no finished strip at row {top}."),
        )
    })
}

/// All finished strips of an order in one picture.
#[get("/orders/<id>/finished.jpg")]
async fn finished(app: &Shared, id: i64) -> Answer<Jpeg> {
    blocking(app, move |app| {
        let picture = rendering::finished_picture(app, id)?;
        let rgb = crate::work::preview::SCREEN_TONE.to_srgb8(&picture.samples);
        let jpeg = dome_files::jpeg::encode_small(picture.width, picture.height, &rgb, 92)?;
        Ok(Jpeg(jpeg, ContentType::JPEG))
    })
    .await
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
