//! Each request has an id: the log, the answer's head and problem documents tell the same one. What is
//! answered is counted.

use std::time::Instant;

use axum::extract::{MatchedPath, Request};
use axum::http::{HeaderMap, HeaderName, HeaderValue};
use axum::middleware::Next;
use axum::response::Response;
use tracing::Instrument;
use uuid::Uuid;

/// Carries the id, in requests where a proxy made one, and in answers.
const ID: HeaderName = HeaderName::from_static("x-request-id");
/// A longer id of a proxy's is replaced, in characters.
const LONGEST: usize = 64;

tokio::task_local! {
    static CURRENT: HeaderValue;
}

/// The id of the request that is answered here; nothing outside of one.
pub(crate) fn current() -> Option<String> {
    CURRENT.try_with(|id| id.to_str().ok().map(str::to_owned)).ok().flatten()
}

/// Gives a request its id, tells the log how it was answered, and counts it.
pub(crate) async fn identified(request: Request, next: Next) -> Response {
    let id = id_of(request.headers());
    let method = request.method().clone();
    let path = request.uri().path().to_owned();
    let outer = request.extensions().get::<MatchedPath>().cloned();
    let span = tracing::info_span!("request", id = id.to_str().unwrap_or_default());
    let began = Instant::now();
    let mut answer = CURRENT.scope(id.clone(), next.run(request)).instrument(span.clone()).await;
    let (status, took) = (answer.status().as_u16(), began.elapsed());
    let ms = took.as_millis() as u64;
    span.in_scope(|| match status {
        500.. => tracing::warn!(%method, path, status, ms, "answered"),
        400.. => tracing::info!(%method, path, status, ms, "answered"),
        _ => tracing::debug!(%method, path, status, ms, "answered"),
    });
    let route = route(outer.as_ref(), answer.extensions().get::<SiteRoute>());
    let labels = [("method", method.to_string()), ("route", route.clone())];
    metrics::histogram!("brisk_margin_request_seconds", &labels).record(took.as_secs_f64());
    let [of_method, of_route] = labels;
    let labels = [of_method, of_route, ("status", status.to_string())];
    metrics::counter!("brisk_margin_requests_total", &labels).increment(1);
    answer.headers_mut().insert(ID, id);
    answer
}

/// The route of a site that answered, told to the layers above.
#[derive(Clone)]
struct SiteRoute(MatchedPath);

/// Tells the layers above which route of a site answers.
pub(crate) async fn routed(request: Request, next: Next) -> Response {
    let route = request.extensions().get::<MatchedPath>().cloned();
    let mut answer = next.run(request).await;
    if let Some(route) = route {
        answer.extensions_mut().insert(SiteRoute(route));
    }
    answer
}

/// Addresses as the routers know them, so that they are few: what no route knows is one.
fn route(outer: Option<&MatchedPath>, of_site: Option<&SiteRoute>) -> String {
    match (outer, of_site) {
        (_, Some(SiteRoute(route))) => format!("/api/sites/{{site}}{}", route.as_str()),
        (Some(route), None) => route.as_str().to_owned(),
        (None, None) => "other".to_owned(),
    }
}

fn id_of(headers: &HeaderMap) -> HeaderValue {
    let is_plain = |text: &str| {
        let of_id = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
        (1..=LONGEST).contains(&text.len()) && text.chars().all(of_id)
    };
    let sent = headers.get(ID).filter(|id| id.to_str().is_ok_and(is_plain)).cloned();
    sent.unwrap_or_else(|| {
        HeaderValue::from_str(&Uuid::now_v7().to_string()).expect("digits and dashes")
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_id_of_a_proxy_is_taken_where_it_is_one() {
        let of = |text: &'static str| {
            let headers = HeaderMap::from_iter([(ID, HeaderValue::from_static(text))]);
            id_of(&headers).to_str().unwrap().to_owned()
        };
        assert_eq!(of("night-4_7"), "night-4_7");
        for odd in ["", "two words", "<script>", "a;b"] {
            assert_ne!(of(odd), odd);
        }
        assert_ne!(id_of(&HeaderMap::new()), id_of(&HeaderMap::new()));
    }
}
