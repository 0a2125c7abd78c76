//! The page itself, from inside the binary or, while developing, from a folder.

use super::Failure;
use rocket::http::{ContentType, Header, Status};
use rocket::{Responder, Route, State, get, routes};
use rust_embed::RustEmbed;
use std::borrow::Cow;
use std::path::{Path, PathBuf};

#[derive(RustEmbed)]
#[folder = "../web/dist"]
struct Built;

/// Where the page is read from, if not from the binary.
pub(super) struct WebFolder(pub(super) Option<PathBuf>);

pub(super) fn routes() -> Vec<Route> {
    routes![index, page, asset]
}

#[derive(Responder)]
pub(super) struct Part {
    bytes: Cow<'static, [u8]>,
    kind: ContentType,
    cache: Header<'static>,
}

fn part(folder: &WebFolder, name: &str) -> Option<Part> {
    let bytes: Cow<'static, [u8]> = match &folder.0 {
        Some(folder) => std::fs::read(folder.join(name)).ok()?.into(),
        None => Built::get(name)?.data,
    };
    let kind = Path::new(name)
        .extension()
        .and_then(|e| ContentType::from_extension(&e.to_string_lossy()))
        .unwrap_or(ContentType::Binary);
    // Assets carry a hash of their content in their names.
    let cache = if name.starts_with("assets/") {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    Some(Part {
        bytes,
        kind,
        cache: Header::new("Cache-Control", cache),
    })
}

fn shell(folder: &WebFolder) -> Result<Part, Failure> {
    part(folder, "index.html").ok_or_else(|| {
        Failure::new(
            Status::NotFound,
            "The web page was not built into this binary; run script/build.",
        )
    })
}

#[get("/")]
fn index(folder: &State<WebFolder>) -> Result<Part, Failure> {
    shell(folder)
}

#[get("/assets/<path..>", rank = 5)]
fn asset(folder: &State<WebFolder>, path: PathBuf) -> Option<Part> {
    part(folder, &format!("assets/{}", path.to_str()?))
}

/// The page finds its own way; missing data or assets must not be answered with it.
#[get("/<path..>", rank = 20)]
fn page(folder: &State<WebFolder>, path: PathBuf) -> Result<Part, Failure> {
    let text = path.to_string_lossy();
    if let Some(found) = part(folder, &text).filter(|_| path.components().count() == 1) {
        return Ok(found);
    }
    let first = text.split('/').next().unwrap_or_default();
    if matches!(first, "project" | "pictures" | "library") {
        return shell(folder);
    }
    Err(Failure::new(
        Status::NotFound,
        format!("There is nothing at /{text}."),
    ))
}
