//! Packages over HTTP.

use super::range::RangedFile;
use super::sent::Sent;
use super::types::{Event, PackageRequest};
use super::{Answer, Queued, Shared, blocking, queued};
use crate::work::package;
use rocket::http::{ContentType, Status};
use rocket::{Route, delete, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![hand_over, download, view, discard]
}

#[post("/orders/<id>/packages", data = "<request>")]
async fn hand_over(app: &Shared, id: i64, request: Sent<PackageRequest>) -> Answer<Queued> {
    blocking(app, move |app| {
        package::order(app, id, &request).map(queued)
    })
    .await
}

async fn file(app: &Shared, id: i64, save: bool) -> Answer<RangedFile> {
    blocking(app, move |app| {
        let package = app.store.package(id)?;
        Ok(RangedFile {
            path: app.folder.package(id).join(&package.file),
            kind: match package.file.rsplit_once('.').map(|(_, ending)| ending) {
                Some("png") => ContentType::PNG,
                Some("zip") => ContentType::ZIP,
                _ => ContentType::JPEG,
            },
            save_as: save.then_some(package.file),
        })
    })
    .await
}

#[get("/packages/<id>/download")]
async fn download(app: &Shared, id: i64) -> Answer<RangedFile> {
    file(app, id, true).await
}

#[get("/packages/<id>/picture.jpg")]
async fn view(app: &Shared, id: i64) -> Answer<RangedFile> {
    file(app, id, false).await
}

#[delete("/packages/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        app.store.remove_package(id)?;
        app.jobs.stop_removed(&app.store);
        app.sweep();
        app.tell(Event::Jobs);
        Ok(Status::NoContent)
    })
    .await
}
