//! Only this machine's own pages may talk to the server: a page from elsewhere that a browser shows must
//! not reach it, neither by another name for this address nor by a request across origins.

use super::Failure;
use rocket::fairing::{AdHoc, Fairing};
use rocket::http::uri::Origin;
use rocket::http::{Method, Status};
use rocket::{Request, Route, get, routes};

const REFUSED: &str = "/refused";

/// Whether `host` (with or without port) is this machine.
fn is_loopback(host: &str) -> bool {
    let name = match host.rsplit_once(':') {
        Some((name, port)) if !port.is_empty() && port.bytes().all(|b| b.is_ascii_digit()) => name,
        _ => host,
    };
    matches!(
        name.to_ascii_lowercase().as_str(),
        "127.0.0.1" | "localhost" | "[::1]"
    )
}

fn is_foreign(request: &Request) -> bool {
    let host = request.headers().get_one("Host").unwrap_or("");
    let origin = request.headers().get_one("Origin");
    // The page's own origin is http with the same host and port.
    let origin_ok = origin.is_none_or(|o| {
        o.strip_prefix("http://")
            .is_some_and(|h| h.eq_ignore_ascii_case(host))
    });
    !is_loopback(host) || !origin_ok || !comes_from_here(request)
}

/// Pictures that a page from elsewhere embeds send no origin, but browsers say where they come from. A link may lead
/// here from anywhere; nothing else may.
fn comes_from_here(request: &Request) -> bool {
    let told = |name| request.headers().get_one(name);
    match told("Sec-Fetch-Site") {
        None | Some("same-origin" | "none") => true,
        Some(_) => {
            let opened = told("Sec-Fetch-Mode") == Some("navigate")
                && told("Sec-Fetch-Dest") == Some("document");
            opened && !request.uri().path().starts_with("/api")
        }
    }
}

/// Sends foreign requests to one place that refuses them.
pub(super) fn fairing() -> impl Fairing {
    AdHoc::on_request("own pages only", |request, _| {
        Box::pin(async move {
            if is_foreign(request) {
                request.set_method(Method::Get);
                if let Ok(uri) = Origin::parse(REFUSED) {
                    request.set_uri(uri);
                }
            }
        })
    })
}

#[get("/refused")]
fn refused() -> Failure {
    Failure::new(
        Status::Forbidden,
        "This server answers only pages it sent itself; open it at its 127.0.0.1 address.",
    )
}

pub(super) fn routes() -> Vec<Route> {
    routes![refused]
}

#[cfg(test)]
mod tests {
    use super::is_loopback;

    #[test]
    fn only_this_machine_is_loopback() {
        for own in [
            "127.0.0.1",
            "127.0.0.1:8000",
            "localhost:1",
            "LOCALHOST",
            "[::1]:80",
            "[::1]",
        ] {
            assert!(is_loopback(own), "{own}");
        }
        for foreign in [
            "",
            "example.test",
            "127.0.0.1.example.test:80",
            "localhost.example.test",
            "127.0.0.2",
            "[::2]",
        ] {
            assert!(!is_loopback(foreign), "{foreign}");
        }
    }
}
