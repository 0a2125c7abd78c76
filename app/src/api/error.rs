//! Errors as one JSON shape with one sentence.

use super::sent::refusal;
use super::types::ApiError;
use crate::store::StoreError;
use crate::work::WorkError;
use dome_trace::TraceError;
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
    choices: Option<Vec<String>>,
}

impl Failure {
    /// A refusal with a status.
    pub fn new(status: Status, sentence: impl Into<String>) -> Self {
        Self {
            status,
            sentence: sentence.into(),
            choices: None,
        }
    }

    /// Something broke that should not have.
    pub fn internal() -> Self {
        Self::new(
            Status::InternalServerError,
            "The server stumbled over this request. Look whether it was carried out before you try it again, and tell us if it stays.",
        )
    }
}

impl From<WorkError> for Failure {
    fn from(e: WorkError) -> Self {
        let status = match &e {
            WorkError::Store(StoreError::Missing { .. }) => Status::NotFound,
            WorkError::Store(
                StoreError::Changed { .. } | StoreError::Begun { .. } | StoreError::LastViewpoint,
            ) => Status::Conflict,
            WorkError::Store(StoreError::NotEveryViewpoint) => Status::UnprocessableEntity,
            WorkError::NoRoom(_) => Status::InsufficientStorage,
            e if e.is_disk_full() => Status::InsufficientStorage,
            WorkError::Store(_) => Status::InternalServerError,
            WorkError::Conflict(_) => Status::Conflict,
            WorkError::File(dome_files::FileError::Io { .. }) | WorkError::Broke(_) => {
                Status::InternalServerError
            }
            WorkError::File(dome_files::FileError::OutOfMemory { .. })
            | WorkError::Scene(TraceError::File(dome_files::FileError::OutOfMemory { .. })) => {
                Status::InsufficientStorage
            }
            WorkError::Scene(TraceError::Several { .. }) => Status::Conflict,
            WorkError::Scene(_)
            | WorkError::File(_)
            | WorkError::Size(_)
            | WorkError::Shape(_)
            | WorkError::Rig(_)
            | WorkError::Packing(_)
            | WorkError::Request(_) => Status::UnprocessableEntity,
        };
        let choices = match &e {
            WorkError::Scene(TraceError::Several { list, .. }) => Some(list.clone()),
            _ => None,
        };
        Self {
            choices,
            ..Self::new(status, e.to_string())
        }
    }
}

impl<'r> Responder<'r, 'static> for Failure {
    fn respond_to(self, request: &'r Request<'_>) -> Response<'static> {
        (
            self.status,
            Json(ApiError {
                error: self.sentence,
                choices: self.choices,
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
fn too_large(request: &Request) -> Failure {
    refusal(request).unwrap_or_else(|| {
        Failure::new(
            Status::PayloadTooLarge,
            "What was sent is larger than is allowed here.",
        )
    })
}

#[catch(422)]
fn unprocessable(request: &Request) -> Failure {
    refusal(request).unwrap_or_else(|| {
        Failure::new(
            Status::UnprocessableEntity,
            format!(
                "The words after {} do not have the form that is needed there.",
                request.uri().path()
            ),
        )
    })
}

#[catch(default)]
fn other(status: Status, request: &Request) -> Failure {
    if status == Status::InternalServerError {
        return Failure::internal();
    }
    if let Some(failure) = refusal(request) {
        return failure;
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
