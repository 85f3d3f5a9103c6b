//! Decides who may talk to the server: pages that it served itself, under one of its names.

pub(crate) mod door;
mod password;

use crate::error::ApiError;
use axum::extract::{ConnectInfo, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, HeaderName, HeaderValue, Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use door::Guard;
use password::{ASK, Said};
use std::net::SocketAddr;
use std::sync::Arc;

/// Headers of every answer. They forbid other pages to embed this page, its pictures or its forms.
const HEADERS: [(HeaderName, &str); 6] = [
    (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
    (header::X_FRAME_OPTIONS, "DENY"),
    (header::REFERRER_POLICY, "no-referrer"),
    (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    (
        header::CONTENT_SECURITY_POLICY,
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; \
         object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
    ),
];

/// Refuses requests under a foreign host name (which a hostile page can point here), requests of other
/// sites' pages, and, where a password is set, those without it. Every answer, refusals too, carries
/// the headers that keep other pages out.
pub async fn guard(State(guard): State<Arc<Guard>>, request: Request, next: Next) -> Response {
    let (head, body) = request.into_parts();
    let mut response = match refusal(&guard, &head).await {
        Some(refusal) => refusal,
        None => next.run(Request::from_parts(head, body)).await,
    };
    for (name, value) in HEADERS {
        response.headers_mut().insert(name, HeaderValue::from_static(value));
    }
    response
}

async fn refusal(guard: &Guard, request: &Parts) -> Option<Response> {
    let refuse = |error: ApiError| Some(error.into_response());
    let headers = &request.headers;
    let Some(host) = headers.get(header::HOST).and_then(|h| h.to_str().ok()) else {
        return refuse(ApiError::Unreadable("The request names no host.".to_owned()));
    };
    if !guard.knows(host) {
        return refuse(ApiError::Stranger(
            "The server is not known under this name; open the address that it printed.",
        ));
    }
    // The page may be opened by a link from anywhere, but its requests must come from itself,
    // because even reading makes the server compute.
    let reads = matches!(request.method, Method::GET | Method::HEAD);
    let is_page = reads && !request.uri.path().starts_with("/api/");
    if !is_page && !same_origin(headers, host) {
        return refuse(ApiError::Stranger("The request comes from another site."));
    }
    let password = guard.password.as_ref()?;
    let ask = || ([(header::WWW_AUTHENTICATE, ASK)], ApiError::Password);
    let from = request.extensions.get::<ConnectInfo<SocketAddr>>().map(|info| info.0.ip());
    let from = from.unwrap_or(std::net::Ipv4Addr::UNSPECIFIED.into());
    match password.said(headers) {
        // Checked before the password, so that of many guesses at once the right one does not show
        // by a quick answer.
        Said::Right | Said::Wrong if password.is_deaf_to(from) => refuse(ApiError::TooMany(
            "Too many wrong passwords came from this address; wait half a minute and try again.",
        )),
        Said::Right => None,
        Said::Nothing => Some(ask().into_response()),
        Said::Wrong => {
            let wait = password.wrong(from);
            tracing::warn!("a wrong password came from {from}, the {} lately", nth(wait.wrong));
            wait.out().await;
            Some(ask().into_response())
        }
    }
}

fn nth(count: u32) -> String {
    match (count % 10, count % 100) {
        (1, but) if but != 11 => format!("{count}st"),
        (2, but) if but != 12 => format!("{count}nd"),
        (3, but) if but != 13 => format!("{count}rd"),
        _ => format!("{count}th"),
    }
}

fn same_origin(headers: &HeaderMap, host: &str) -> bool {
    if let Some(site) = headers.get("sec-fetch-site") {
        return site == "same-origin" || site == "none";
    }
    match headers.get(header::ORIGIN).and_then(|o| o.to_str().ok()) {
        Some(origin) => origin.split_once("://").is_some_and(|(_, from)| from == host),
        // Programs other than browsers do not send this header.
        None => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_own_names_are_known() {
        let guard = Guard::new("127.0.0.1:8080".parse().unwrap(), None);
        for name in
            ["127.0.0.1:8080", "localhost:8080", "LOCALHOST:8080", "[::1]:8080", "localhost"]
        {
            assert!(guard.knows(name), "{name}");
        }
        for other in ["salt.example:8080", "127.0.0.1:9090", "localhost.salt.example", ""] {
            assert!(!guard.knows(other), "{other}");
        }
    }

    #[test]
    fn guesses_are_counted_in_words() {
        assert_eq!(
            [1, 2, 3, 4, 11, 12, 21, 112].map(nth).join(" "),
            "1st 2nd 3rd 4th 11th 12th 21st 112th"
        );
    }
}
