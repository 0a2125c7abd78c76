//! Only this machine's own pages may talk to the server: a page from elsewhere that a browser shows must
//! not reach it, neither by another name for this address nor by a request across origins.

use super::Failure;
use rocket::fairing::{AdHoc, Fairing};
use rocket::http::uri::Origin;
use rocket::http::{Method, Status};
use rocket::{Request, Route, get, routes};

const REFUSED: &str = "/refused";
const NOWHERE: &str = "/api/nowhere";

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

/// Whether an address is written in the one form that it has: no letters told by their numbers that need not be, no doubled bars, no
/// steps up. Whoever guards an address and whoever answers it must read the same.
fn is_plain(path: &str) -> bool {
    let needless = |escape: &str| {
        let byte = u8::from_str_radix(escape, 16).unwrap_or(0);
        byte.is_ascii_alphanumeric() || matches!(byte, b'/' | b'\\' | b'.' | b'-' | b'_' | b'~' | 0)
    };
    let mut escapes = path.split('%').skip(1);
    path.starts_with('/')
        && !path.contains("//")
        && !path.split('/').any(|part| part == "." || part == "..")
        && !escapes.any(|rest| rest.get(..2).is_none_or(needless))
}

/// Sends foreign requests to one place that refuses them, and addresses in other forms to where nothing is.
pub(super) fn fairing() -> impl Fairing {
    AdHoc::on_request("own pages only", |request, _| {
        Box::pin(async move {
            let instead = match request.uri().path().as_str() {
                path if !is_plain(path) => NOWHERE,
                _ if is_foreign(request) => REFUSED,
                _ => return,
            };
            request.set_method(Method::Get);
            if let Ok(uri) = Origin::parse(instead) {
                request.set_uri(uri);
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
    use super::{is_loopback, is_plain};

    #[test]
    fn addresses_have_one_form() {
        for plain in [
            "/",
            "/api/projects/1",
            "/api/scenes?file=a",
            "/assets/a-b.js",
            "/a%20b",
            "/%C3%BC",
        ] {
            assert!(is_plain(plain), "{plain}");
        }
        for other in [
            "//api/projects",
            "/%61pi/projects",
            "/api//projects",
            "/api%2fprojects",
            "/a/../api",
            "/./api",
            "/api/%2e%2e/x",
            "/a%",
            "/a%4",
        ] {
            assert!(!is_plain(other), "{other}");
        }
    }

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
