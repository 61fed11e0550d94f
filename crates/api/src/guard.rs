//! The guard: who may ask, and what every answer carries.
//!
//! There is no sign-in yet, so the application listens on loopback only, and a page from
//! elsewhere must not reach it through somebody's browser: `Host` is checked on every request
//! (names that were bent to 127.0.0.1 are refused) and `Origin` on every write. What is delivered by address is
//! public, and answers under any name.

use axum::extract::Request;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::{Problem, delivery};

/// Headers that every answer carries unless it set its own.
const ALWAYS: [(header::HeaderName, &str); 5] = [
    (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
    (header::REFERRER_POLICY, "no-referrer"),
    (header::HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    (header::HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    (header::CONTENT_SECURITY_POLICY, "default-src 'none'; frame-ancestors 'none'"),
];

/// Refuses requests that were not meant for this application or come from another one's page,
/// and adds the headers that keep a browser careful.
pub async fn guard(request: Request, next: Next) -> Response {
    let answer = match check(request.method(), request.uri(), request.headers()) {
        Ok(()) => next.run(request).await,
        Err(problem) => problem.into_response(),
    };
    with_headers(answer)
}

fn with_headers(mut response: Response) -> Response {
    for (name, value) in ALWAYS {
        response.headers_mut().entry(name).or_insert(HeaderValue::from_static(value));
    }
    response
}

fn check(method: &Method, uri: &Uri, headers: &HeaderMap) -> Result<(), Problem> {
    let refused =
        |detail: &str| Problem::new(StatusCode::FORBIDDEN, "not-from-here", "Refused", detail);
    if method.is_safe() && uri.path().starts_with(delivery::PREFIX) {
        return Ok(());
    }
    let host = headers
        .get(header::HOST)
        .and_then(|value| value.to_str().ok())
        .or_else(|| uri.authority().map(|authority| authority.as_str()))
        .filter(|host| is_loopback(host))
        .ok_or_else(|| refused("ask under 127.0.0.1 or localhost: this host name is not ours"))?;
    if method.is_safe() {
        return Ok(());
    }
    // Scripts send no Origin, which is fine since only this machine can connect.
    let foreign = match headers.get(header::ORIGIN) {
        None => headers.get("sec-fetch-site").is_some_and(|site| site == "cross-site"),
        Some(origin) => origin.to_str().ok() != Some(format!("http://{host}").as_str()),
    };
    if foreign {
        return Err(refused(
            "this came from the page of another site, which may not change things",
        ));
    }
    Ok(())
}

/// Whether `host`, with or without a port, names this machine and nothing else.
fn is_loopback(host: &str) -> bool {
    let name = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => name,
        _ => host,
    };
    matches!(name, "127.0.0.1" | "localhost" | "[::1]")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn outcome(method: Method, pairs: &[(&'static str, &str)]) -> bool {
        let headers = pairs
            .iter()
            .map(|(name, value)| {
                (header::HeaderName::from_static(name), HeaderValue::from_str(value).unwrap())
            })
            .collect();
        check(&method, &Uri::from_static("/api/pictures"), &headers).is_ok()
    }

    #[test]
    fn only_our_own_host_names_are_answered() {
        for ours in ["127.0.0.1:4810", "localhost:4810", "localhost", "[::1]:4810"] {
            assert!(outcome(Method::GET, &[("host", ours)]), "{ours}");
        }
        for other in ["evil.example:4810", "127.0.0.1.evil.example", "localhost:x", "", "[::1"] {
            assert!(!outcome(Method::GET, &[("host", other)]), "{other}");
        }
        assert!(!outcome(Method::GET, &[]));
    }

    #[test]
    fn what_is_public_answers_under_any_name_and_is_only_read() {
        let headers =
            HeaderMap::from_iter([(header::HOST, HeaderValue::from_static("cdn.example"))]);
        let uri = Uri::from_static("/d/tarnlight/x/400");
        assert!(check(&Method::GET, &uri, &headers).is_ok());
        assert!(check(&Method::POST, &uri, &headers).is_err());
        assert!(check(&Method::GET, &Uri::from_static("/daily"), &headers).is_err());
    }

    #[test]
    fn a_write_must_come_from_our_own_page_or_from_a_script() {
        let host = ("host", "127.0.0.1:4810");
        assert!(outcome(Method::POST, &[host]));
        assert!(outcome(Method::POST, &[host, ("origin", "http://127.0.0.1:4810")]));
        for origin in ["http://127.0.0.1:9999", "https://evil.example", "null"] {
            assert!(!outcome(Method::POST, &[host, ("origin", origin)]), "{origin}");
            assert!(!outcome(Method::PATCH, &[host, ("origin", origin)]), "{origin}");
        }
        assert!(!outcome(Method::POST, &[host, ("sec-fetch-site", "cross-site")]));
    }
}
