//! The live picture.

use super::sent::Sent;
use super::types::PreviewRequest;
use super::{Answer, Shared, blocking};
use crate::work::WorkError;
use crate::work::preview::live;
use rocket::http::{ContentType, Header};
use rocket::{Responder, Route, post, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![preview]
}

#[derive(Responder)]
struct LivePicture {
    jpeg: Vec<u8>,
    kind: ContentType,
    samples: Header<'static>,
    enough: Header<'static>,
    calm: Header<'static>,
    lit: Header<'static>,
}

#[post("/projects/<id>/preview", data = "<request>")]
async fn preview(app: &Shared, id: i64, request: Sent<PreviewRequest>) -> Answer<LivePicture> {
    blocking(app, move |app| {
        let p = &request.pose;
        let numbers = [p.heading_deg, p.pitch_deg, p.roll_deg];
        if !p
            .position
            .iter()
            .chain(&numbers)
            .all(|v| v.is_finite() && v.abs() < 1e7)
        {
            return Err(WorkError::Request(
                "The view must be given in numbers; correct it.".into(),
            ));
        }
        let live = live(app, id, &request)?;
        Ok(LivePicture {
            jpeg: live.jpeg,
            kind: ContentType::JPEG,
            samples: Header::new("X-Samples", live.samples.to_string()),
            enough: Header::new("X-Enough", live.enough.to_string()),
            calm: Header::new("X-Calm", live.calm.to_string()),
            lit: Header::new("X-Lit", live.lit.to_string()),
        })
    })
    .await
}
