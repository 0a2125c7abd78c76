//! Jobs over HTTP: the one queue of all long work.

use super::sent::Sent;
use super::{Answer, Shared, blocking};
use crate::work::asked::{JobChange, JobsChange};
use crate::work::jobs;
use crate::work::told::jobs::JobInfo;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, get, patch, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![all, change_all, ended, one, stop, resume, change]
}

/// What is not done, in the order of turns.
#[get("/jobs")]
async fn all(app: &Shared) -> Answer<Json<Vec<JobInfo>>> {
    blocking(app, |app| Ok(Json(app.open_jobs()?))).await
}

/// Puts all orders aside that wait, or lets all go; tells how many.
#[patch("/jobs", data = "<change>")]
async fn change_all(app: &Shared, change: Sent<JobsChange>) -> Answer<Json<usize>> {
    blocking(app, move |app| Ok(Json(jobs::change_all(app, &change)?))).await
}

/// What ended since a time (Unix seconds), the last one first.
#[get("/jobs/ended?<since>")]
async fn ended(app: &Shared, since: i64) -> Answer<Json<Vec<JobInfo>>> {
    blocking(app, move |app| Ok(Json(app.ended_jobs(since)?))).await
}

#[get("/jobs/<id>", rank = 2)]
async fn one(app: &Shared, id: i64) -> Answer<Json<JobInfo>> {
    blocking(app, move |app| {
        Ok(Json(app.describe_job(app.store.job(id)?)))
    })
    .await
}

#[post("/jobs/<id>/stop")]
async fn stop(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        jobs::stop(app, id).map(|()| Status::Accepted)
    })
    .await
}

#[post("/jobs/<id>/resume")]
async fn resume(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        jobs::resume(app, id).map(|()| Status::Accepted)
    })
    .await
}

/// Changes a job's turn.
#[patch("/jobs/<id>", data = "<change>")]
async fn change(app: &Shared, id: i64, change: Sent<JobChange>) -> Answer<Json<JobInfo>> {
    blocking(app, move |app| {
        jobs::change(app, id, &change)?;
        Ok(Json(app.describe_job(app.store.job(id)?)))
    })
    .await
}
