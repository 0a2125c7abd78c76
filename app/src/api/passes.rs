//! Passes of a finished master: each shown in a way fit for it, and as a file of its own.

use super::range::RangedFile;
use super::types::MaskEntry;
use super::{Answer, Failure, Shared, blocking};
use crate::work::{Result, WorkError, passes};
use dome_trace::Pass;
use rocket::http::{ContentType, Status};
use rocket::serde::json::Json;
use rocket::{Route, get, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![display, download, at, names]
}

fn pass_named(name: &str) -> Result<Pass> {
    Pass::from_name(name).ok_or_else(|| WorkError::Request(format!("There is no pass \"{name}\".")))
}

/// A pass as the screen shows it.
#[get("/orders/<id>/passes/<pass>/picture.jpg")]
async fn display(app: &Shared, id: i64, pass: &str) -> Answer<RangedFile> {
    let pass = pass.to_owned();
    blocking(app, move |app| {
        Ok(RangedFile {
            path: passes::display(app, id, pass_named(&pass)?)?,
            kind: ContentType::JPEG,
            save_as: None,
        })
    })
    .await
}

/// A pass as an OpenEXR of its own.
#[get("/orders/<id>/passes/<pass>/pass.exr")]
async fn download(app: &Shared, id: i64, pass: &str) -> Answer<RangedFile> {
    let pass = pass.to_owned();
    blocking(app, move |app| {
        let (path, save_as) = passes::own_file(app, id, pass_named(&pass)?)?;
        Ok(RangedFile {
            path,
            kind: ContentType::new("image", "x-exr"),
            save_as: Some(save_as),
        })
    })
    .await
}

/// The value of a pass at a place (0 to 1 over the picture), in words.
#[get("/orders/<id>/passes/<pass>/at?<u>&<v>")]
async fn at(app: &Shared, id: i64, pass: &str, u: f64, v: f64) -> Answer<Json<String>> {
    if !((0.0..=1.0).contains(&u) && (0.0..=1.0).contains(&v)) {
        return Err(Failure::new(
            Status::UnprocessableEntity,
            "The place must lie between 0 and 1 both ways.",
        ));
    }
    let pass = pass.to_owned();
    blocking(app, move |app| {
        Ok(Json(passes::value_at(app, id, pass_named(&pass)?, u, v)?))
    })
    .await
}

/// The mask's colours and the objects they stand for.
#[get("/orders/<id>/mask")]
async fn names(app: &Shared, id: i64) -> Answer<Json<Vec<MaskEntry>>> {
    blocking(app, move |app| Ok(Json(passes::mask(app, id)?))).await
}
