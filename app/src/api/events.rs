//! Progress as server-sent events.

use super::Shared;
use rocket::response::stream::{Event, EventStream};
use rocket::tokio::select;
use rocket::tokio::sync::broadcast::error::RecvError;
use rocket::{Route, Shutdown, get, routes};

pub(super) fn routes() -> Vec<Route> {
    routes![events]
}

#[get("/events")]
fn events(app: &Shared, mut end: Shutdown) -> EventStream![] {
    let mut changes = app.events.subscribe();
    EventStream! {
        // Says that the line is open, so that the page can catch up with what it missed.
        yield Event::data("{\"kind\":\"open\"}");
        loop {
            let change = select! {
                change = changes.recv() => change,
                _ = &mut end => break,
            };
            match change {
                Ok(event) => yield Event::json(&event),
                // Too slow to follow: the page asks for everything anew, once.
                Err(RecvError::Lagged(_)) => yield Event::data("{\"kind\":\"open\"}"),
                Err(RecvError::Closed) => break,
            }
        }
    }
}
