//! Pictures made elsewhere over HTTP.

use super::files::jpeg;
use super::picture_types::{
    AssemblyGuess, DiagnosisInfo, PairCheckInfo, PictureEyes, PictureShape, Pictures, SeamInfo,
};
use super::projects::{Length, receive};
use super::range::RangedFile;
use super::sent::Sent;
use super::{Answer, Queued, Shared, blocking, queued};
use crate::model::pictures::{
    AssemblyRequest, BroughtPicture, ConvertRequest, OfEyesRequest, PairRequest,
};
use crate::work::{WorkError, picture_jobs, picture_pairs, pictures as work};
use dome_files::PictureFormat;
use dome_files::limits::MAX_FILE;
use rocket::data::Data;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, delete, get, post, put, routes};
use std::path::Path;

pub(super) fn routes() -> Vec<Route> {
    routes![
        all, bring, shape, discard, convert, guess, assemble, seams, diagnosis, mend, sphere, flat,
        balls, download, eyes, shown, pair, lay, of_eyes, mend_pair
    ]
}

#[get("/pictures")]
async fn all(app: &Shared) -> Answer<Json<Pictures>> {
    blocking(app, |app| {
        let (pictures, unreadable) = app.store.pictures()?;
        Ok(Json(Pictures {
            pictures,
            unreadable,
        }))
    })
    .await
}

/// Takes a picture file as the body; `file` is its name.
#[post("/pictures?<file>", data = "<body>")]
async fn bring(
    app: &Shared,
    file: &str,
    length: Length,
    body: Data<'_>,
) -> Answer<Json<BroughtPicture>> {
    // What can be refused before gigabytes are sent is refused now.
    let format = PictureFormat::from_path(Path::new(file)).map_err(WorkError::from)?;
    let path = receive(app, file, format.ending(), MAX_FILE, length, body).await?;
    let file = file.to_owned();
    blocking(app, move |app| Ok(Json(work::bring(app, &path, &file)?))).await
}

#[put("/pictures/<id>/shape", data = "<shape>")]
async fn shape(app: &Shared, id: i64, shape: Sent<PictureShape>) -> Answer<Json<BroughtPicture>> {
    blocking(app, move |app| {
        Ok(Json(work::set_shape(app, id, &shape.shape)?))
    })
    .await
}

#[delete("/pictures/<id>")]
async fn discard(app: &Shared, id: i64) -> Answer<Status> {
    blocking(app, move |app| {
        work::discard(app, id)?;
        Ok(Status::NoContent)
    })
    .await
}

#[post("/pictures/<id>/convert", data = "<request>")]
async fn convert(app: &Shared, id: i64, request: Sent<ConvertRequest>) -> Answer<Queued> {
    blocking(app, move |app| {
        picture_jobs::convert(app, id, request.0).map(queued)
    })
    .await
}

/// `of` lists the numbers of five or six pictures.
#[get("/face-guess?<of>")]
async fn guess(app: &Shared, of: Vec<i64>) -> Answer<Json<AssemblyGuess>> {
    blocking(app, move |app| Ok(Json(work::guess(app, &of)?))).await
}

#[post("/assemblies", data = "<request>")]
async fn assemble(app: &Shared, request: Sent<AssemblyRequest>) -> Answer<Queued> {
    blocking(app, move |app| {
        picture_jobs::assemble(app, request.0).map(queued)
    })
    .await
}

#[get("/pictures/<id>/seams")]
async fn seams(app: &Shared, id: i64) -> Answer<Json<Vec<SeamInfo>>> {
    blocking(app, move |app| Ok(Json(work::find_seams(app, id)?))).await
}

#[get("/pictures/<id>/diagnosis?<against>")]
async fn diagnosis(app: &Shared, id: i64, against: Option<i64>) -> Answer<Json<DiagnosisInfo>> {
    blocking(app, move |app| {
        Ok(Json(work::find_fault(app, id, against)?))
    })
    .await
}

#[post("/pictures/<id>/mend?<against>")]
async fn mend(app: &Shared, id: i64, against: Option<i64>) -> Answer<Queued> {
    blocking(app, move |app| {
        picture_jobs::mend(app, id, against).map(queued)
    })
    .await
}

#[get("/pictures/<id>/sphere.jpg")]
fn sphere(app: &Shared, id: i64) -> Option<RangedFile> {
    jpeg(app.folder.picture_sphere(id))
}

#[get("/pictures/<id>/flat.jpg")]
fn flat(app: &Shared, id: i64) -> Option<RangedFile> {
    jpeg(app.folder.picture_flat(id))
}

#[get("/pictures/<id>/balls.jpg")]
async fn balls(app: &Shared, id: i64) -> Answer<Option<RangedFile>> {
    blocking(app, move |app| Ok(jpeg(work::ball_picture(app, id)?))).await
}

#[get("/pictures/<id>/download")]
async fn download(app: &Shared, id: i64) -> Answer<RangedFile> {
    blocking(app, move |app| {
        let (path, name) = work::download_of(app, &app.store.picture(id)?);
        Ok(RangedFile {
            path,
            kind: ContentType::Binary,
            save_as: Some(name),
        })
    })
    .await
}

/// Says how two eyes lie in a picture.
#[put("/pictures/<id>/eyes", data = "<eyes>")]
async fn eyes(app: &Shared, id: i64, eyes: Sent<PictureEyes>) -> Answer<Json<BroughtPicture>> {
    blocking(app, move |app| {
        Ok(Json(picture_pairs::set_eyes(app, id, &eyes.packing)?))
    })
    .await
}

/// What is shown of two eyes on one screen.
#[get("/pictures/<id>/shown.jpg?<show>")]
async fn shown(app: &Shared, id: i64, show: String) -> Answer<(ContentType, Vec<u8>)> {
    blocking(app, move |app| {
        Ok((ContentType::JPEG, picture_pairs::shown(app, id, &show)?))
    })
    .await
}

/// What spoils a pair, with the chart of its parallax.
#[get("/pictures/<id>/pair")]
async fn pair(app: &Shared, id: i64) -> Answer<Json<PairCheckInfo>> {
    blocking(app, move |app| {
        Ok(Json(picture_pairs::find_faults(app, id)?))
    })
    .await
}

#[post("/pictures/<id>/pair", data = "<request>")]
async fn lay(app: &Shared, id: i64, request: Sent<PairRequest>) -> Answer<Queued> {
    blocking(app, move |app| {
        picture_jobs::lay(app, id, request.0).map(queued)
    })
    .await
}

#[post("/pictures/<id>/of-eyes", data = "<request>")]
async fn of_eyes(app: &Shared, id: i64, request: Sent<OfEyesRequest>) -> Answer<Queued> {
    blocking(app, move |app| {
        picture_jobs::of_eyes(app, id, request.0).map(queued)
    })
    .await
}

#[post("/pictures/<id>/mend-pair")]
async fn mend_pair(app: &Shared, id: i64) -> Answer<Queued> {
    blocking(app, move |app| picture_jobs::mend_pair(app, id).map(queued)).await
}
