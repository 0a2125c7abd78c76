//! Errors as one JSON shape with one sentence.

use super::types::ApiError;
use crate::store::StoreError;
use crate::work::WorkError;
use rocket::http::Status;
use rocket::request::Request;
use rocket::response::{Responder, Result as Response};
use rocket::serde::json::Json;
use rocket::{Catcher, catch, catchers};

/// A refusal: status and sentence.
#[derive(Debug)]
pub struct Failure {
    status: Status,
    sentence: String,
}

impl Failure {
    /// A refusal with a status.
    pub fn new(status: Status, sentence: impl Into<String>) -> Self {
        Self {
            status,
            sentence: sentence.into(),
        }
    }

    /// Something broke that should not have.
    pub fn internal() -> Self {
        Self::new(
            Status::InternalServerError,
            "The server stumbled over this request; nothing was changed. Try it again, and tell us if it stays.",
        )
    }
}

impl From<WorkError> for Failure {
    fn from(e: WorkError) -> Self {
        let status = match &e {
            WorkError::Store(StoreError::Missing { .. }) => Status::NotFound,
            WorkError::Store(_) => Status::InternalServerError,
            WorkError::Conflict(_) => Status::Conflict,
            WorkError::File(dome_files::FileError::Io { .. }) => Status::InternalServerError,
            WorkError::Scene(_)
            | WorkError::File(_)
            | WorkError::Size(_)
            | WorkError::Shape(_)
            | WorkError::Request(_) => Status::UnprocessableEntity,
        };
        Self::new(status, e.to_string())
    }
}

impl<'r> Responder<'r, 'static> for Failure {
    fn respond_to(self, request: &'r Request<'_>) -> Response<'static> {
        (
            self.status,
            Json(ApiError {
                error: self.sentence,
            }),
        )
            .respond_to(request)
    }
}

pub(super) fn catchers() -> Vec<Catcher> {
    catchers![not_found, too_large, unprocessable, other]
}

#[catch(404)]
fn not_found(request: &Request) -> Failure {
    Failure::new(
        Status::NotFound,
        format!("There is nothing at {}.", request.uri().path()),
    )
}

#[catch(413)]
fn too_large() -> Failure {
    Failure::new(
        Status::PayloadTooLarge,
        "What was sent is larger than is allowed here.",
    )
}

#[catch(422)]
fn unprocessable() -> Failure {
    Failure::new(
        Status::UnprocessableEntity,
        "What was sent does not have the form that is needed here.",
    )
}

#[catch(default)]
fn other(status: Status, request: &Request) -> Failure {
    if status == Status::InternalServerError {
        return Failure::internal();
    }
    Failure::new(
        status,
        format!(
            "The request for {} was not understood ({}).",
            request.uri().path(),
            status.reason_lossy()
        ),
    )
}
