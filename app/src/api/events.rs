//! What changes, as server-sent events with numbers.

use super::Shared;
use crate::work::events::{Missed, Told};
use rocket::request::{FromRequest, Outcome, Request};
use rocket::response::stream::{Event, EventStream};
use rocket::tokio::select;
use rocket::tokio::sync::broadcast::error::RecvError;
use rocket::{Route, Shutdown, async_trait, get, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![events]
}

/// The number of the last event that a browser heard before its line broke; it sends it by itself.
struct LastHeard(Option<u64>);

#[async_trait]
impl<'r> FromRequest<'r> for LastHeard {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Self::Error> {
        let told = request.headers().get_one("Last-Event-ID");
        Outcome::Success(Self(told.and_then(|t| t.parse().ok())))
    }
}

/// Says that the line is open and that whatever is shown has to be asked for anew.
fn open(number: u64) -> Event {
    Event::data("{\"kind\":\"open\"}").id(number.to_string())
}

fn sent(told: &Told) -> Event {
    Event::data(told.text.to_string()).id(told.number.to_string())
}

#[get("/events")]
fn events(app: &Shared, heard: LastHeard, mut end: Shutdown) -> EventStream![] {
    let (missed, mut changes) = app.events.listen(heard.0);
    EventStream! {
        let mut last = heard.0.unwrap_or(0);
        match missed {
            Missed::These(events) => {
                for told in &events {
                    last = told.number;
                    yield sent(told);
                }
            }
            Missed::All(number) => {
                last = number;
                yield open(last);
            }
        }
        loop {
            let change = select! {
                change = changes.recv() => change,
                _ = &mut end => break,
            };
            match change {
                Ok(told) => {
                    last = told.number;
                    yield sent(&told);
                }
                // Too slow to follow: the page asks for everything anew, once.
                Err(RecvError::Lagged(missed)) => {
                    last += missed;
                    yield open(last);
                }
                Err(RecvError::Closed) => break,
            }
        }
    }
}
