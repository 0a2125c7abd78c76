//! The preflight over HTTP.

use super::stand_types::FindingInfo;
use super::{Answer, Shared, blocking};
use crate::work::preflight;
use rocket::serde::json::Json;
use rocket::{Route, get, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![of_project]
}

/// Everything that would spoil a result, the worst first.
#[get("/projects/<id>/preflight")]
async fn of_project(app: &Shared, id: i64) -> Answer<Json<Vec<FindingInfo>>> {
    blocking(app, move |app| Ok(Json(preflight::of_project(app, id)?))).await
}
