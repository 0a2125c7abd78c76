//! Packages over HTTP.

use super::projects::{Length, receive};
use super::range::RangedFile;
use super::sent::Sent;
use super::types::{Event, PackageRequest};
use super::{Answer, Queued, Shared, blocking, queued};
use crate::model::packages::FilmCodec;
use crate::work::film::Codec;
use crate::work::{bring, package};
use dome_files::limits::MAX_FILE;
use rocket::data::Data;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, delete, get, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![
        hand_over, download, view, film, codecs, sounds, add_sound, discard
    ]
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
                Some("mp4") => ContentType::MP4,
                Some("mov") => ContentType::MOV,
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

/// A film as a page plays it.
#[get("/packages/<id>/film")]
async fn film(app: &Shared, id: i64) -> Answer<RangedFile> {
    file(app, id, false).await
}

/// The encodings of films.
#[get("/film-codecs")]
fn codecs() -> Json<Vec<FilmCodec>> {
    let codec = |(name, codec): (&str, Codec)| FilmCodec {
        name: name.into(),
        usual_quality: codec.usual_quality(),
    };
    Json(Codec::ALL.into_iter().map(codec).collect())
}

/// The sounds that films of a project may have.
#[get("/projects/<id>/sounds")]
async fn sounds(app: &Shared, id: i64) -> Answer<Json<Vec<String>>> {
    blocking(app, move |app| {
        app.store.project_name(id)?;
        let entries = std::fs::read_dir(app.folder.sounds(id))
            .into_iter()
            .flatten();
        let mut names: Vec<String> = entries
            .flatten()
            .filter_map(|e| e.file_name().into_string().ok())
            .collect();
        names.sort();
        Ok(Json(names))
    })
    .await
}

#[post("/projects/<id>/sounds?<file>", data = "<body>")]
async fn add_sound(
    app: &Shared,
    id: i64,
    file: &str,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<String>> {
    let path = receive(app, file, "sound", MAX_FILE, length, body).await?;
    let file = file.to_owned();
    blocking(app, move |app| {
        Ok(Json(bring::bring_sound(app, id, &path, &file)?))
    })
    .await
}

#[get("/packages/<id>/picture.jpg")]
async fn view(app: &Shared, id: i64) -> Answer<RangedFile> {
    file(app, id, false).await
}

#[delete("/packages/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        app.freeing(|| app.store.remove_package(id))?;
        app.jobs.stop_removed(&app.store);
        app.sweep();
        app.tell(Event::Jobs);
        Ok(Status::NoContent)
    })
    .await
}
