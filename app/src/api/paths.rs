//! Paths of viewpoints over HTTP.

use super::sent::Sent;
use super::types::ViewpointPath;
use super::{Answer, Shared, blocking};
use crate::work::asked::{NodePathRequest, PathRequest};
use crate::work::paths;
use crate::work::told::paths::PathInfo;
use rocket::serde::json::Json;
use rocket::{Route, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![look, of_node]
}

#[post("/projects/<id>/path", data = "<request>")]
async fn look(app: &Shared, id: i64, request: Sent<PathRequest>) -> Answer<Json<PathInfo>> {
    blocking(app, move |app| Ok(Json(paths::look(app, id, &request)?))).await
}

#[post("/projects/<id>/path-of-node", data = "<request>")]
async fn of_node(
    app: &Shared,
    id: i64,
    request: Sent<NodePathRequest>,
) -> Answer<Json<ViewpointPath>> {
    blocking(app, move |app| Ok(Json(paths::of_node(app, id, &request)?))).await
}
