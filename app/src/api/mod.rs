//! HTTP: JSON under `/api`, pictures as files, progress as server-sent events, the web as one page.

mod depth;
mod door;
mod error;
mod events;
mod files;
mod guard;
mod jobs;
mod lights;
mod live;
mod orders;
mod packages;
mod passes;
mod paths;
pub mod picture_types;
mod pictures;
mod preflight;
mod projects;
mod range;
pub mod scene_types;
mod sent;
mod setups;
mod stand;
pub mod stand_types;
pub mod types;
mod web;

pub use error::Failure;

use crate::work::App;
use crate::work::told::jobs::JobInfo;
use rocket::config::Shutdown;
use rocket::fairing::AdHoc;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Build, Config, Rocket, State};
use std::io::Write;
use std::net::{IpAddr, Ipv4Addr, TcpListener};
use std::path::PathBuf;
use std::sync::Arc;

/// What every route gets.
type Shared = State<Arc<App>>;

/// An answer, or one sentence.
type Answer<T> = Result<T, Failure>;

/// The answer to what was ordered: its job.
type Queued = (Status, Json<JobInfo>);

fn queued(job: JobInfo) -> Queued {
    (Status::Accepted, Json(job))
}

/// Runs work that takes a while, or touches disk or database, off the network threads.
async fn blocking<T: Send + 'static>(
    app: &Shared,
    work: impl FnOnce(&App) -> crate::work::Result<T> + Send + 'static,
) -> Answer<T> {
    let app = Arc::clone(app);
    rocket::tokio::task::spawn_blocking(move || work(&app))
        .await
        .map_err(|_| Failure::internal())?
        .map_err(Failure::from)
}

/// The server behind a listener on 127.0.0.1. `web` is a folder to serve the page from while developing; without
/// it the page inside the binary is served.
pub fn server(app: Arc<App>, listener: TcpListener, web: Option<PathBuf>) -> Rocket<Build> {
    let ending = Arc::clone(&app);
    let config = Config {
        address: IpAddr::V4(Ipv4Addr::LOCALHOST),
        // The door before it has the port that people know.
        port: 0,
        shutdown: Shutdown {
            grace: 1,
            mercy: 1,
            ..Shutdown::default()
        },
        log_level: rocket::config::LogLevel::Off,
        ..Config::release_default()
    };
    rocket::custom(config)
        .manage(app)
        .manage(web::WebFolder(web))
        .attach(guard::fairing())
        .attach(AdHoc::on_response("headers", |_, response| {
            Box::pin(async move {
                response.set_raw_header("X-Content-Type-Options", "nosniff");
                response.set_raw_header("Referrer-Policy", "no-referrer");
                // Nothing of it may be embedded by, or share a window with, pages from elsewhere.
                response.set_raw_header("Cross-Origin-Resource-Policy", "same-origin");
                response.set_raw_header("Cross-Origin-Opener-Policy", "same-origin");
                response.set_raw_header("X-Frame-Options", "DENY");
                // Nothing is fetched from elsewhere; pictures made here come as blobs.
                response.set_raw_header(
                    "Content-Security-Policy",
                    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; connect-src 'self' blob:; frame-ancestors 'none'",
                );
            })
        }))
        .attach(AdHoc::on_liftoff("door", |rocket| {
            Box::pin(async move {
                let server = rocket.config().port;
                let Ok(port) = listener.local_addr().map(|a| a.port()) else {
                    return;
                };
                let opened = (listener.set_nonblocking(true))
                    .and_then(|()| rocket::tokio::net::TcpListener::from_std(listener));
                let Ok(listener) = opened else { return };
                rocket::tokio::spawn(door::keep(listener, server));
                // Whoever started the server may not be listening.
                let _ = writeln!(std::io::stdout(), "Owl Dome is ready at http://127.0.0.1:{port}/");
            })
        }))
        .attach(AdHoc::on_shutdown("end", |_| {
            Box::pin(async move { ending.end() })
        }))
        .mount("/", guard::routes())
        .mount("/", web::routes())
        .mount(
            "/api",
            [
                projects::routes(),
                live::routes(),
                paths::routes(),
                setups::routes(),
                stand::routes(),
                depth::routes(),
                preflight::routes(),
                lights::routes(),
                passes::routes(),
                orders::routes(),
                jobs::routes(),
                packages::routes(),
                pictures::routes(),
                events::routes(),
            ]
            .concat(),
        )
        .register("/", error::catchers())
}
