//! Delivery by address: files of public pictures, for systems that can only take an address.
//!
//! Unlike everything else it answers under any host name, so that a proxy can stand before it, and is
//! shown on pages of any origin.

use axum::extract::State;
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use brisk_margin_core::delivery::{Reads, Screen};
use brisk_margin_store::variants::Variant;
use brisk_margin_work::delivery::{DeliveryError, Shown, deliver};
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use super::sites::Hub;

/// What the addresses of delivered files begin with.
pub(super) const PREFIX: &str = "/d/";

/// What an answer depends on beside its address.
const VARY: &str =
    "Accept, Sec-CH-DPR, Sec-CH-Width, Sec-CH-Viewport-Width, DPR, Width, Viewport-Width";
/// A day, and for a week the old file while it is asked for anew (RFC 5861): the address stays while the picture may
/// be edited.
const CACHED: &str = "public, max-age=86400, stale-while-revalidate=604800";

/// The best file of a public picture for a request: of the formats that it accepts, for its width and its density. `place`
/// is the id of a slot, or a width in CSS pixels, for the whole picture.
#[utoipa::path(get, path = "/d/{site}/{picture}/{place}", params(
    ("site" = String, Path, description = "The site's slug"),
    ("picture" = Uuid, Path, description = "The picture's id"),
    ("place" = String, Path, description = "A slot's id, or a width in CSS pixels"),
    ("Accept" = Option<String>, Header, description = "WebP and AVIF only where they are named"),
    ("Sec-CH-DPR" = Option<String>, Header, description = "Device pixels per CSS pixel; also as DPR"),
    ("Sec-CH-Width" = Option<String>, Header, description = "Device pixels across; also as Width"),
    ("Sec-CH-Viewport-Width" = Option<String>, Header, description = "CSS pixels across; also as Viewport-Width"),
), responses(
    (status = 200, content_type = "image/*", body = Vec<u8>),
    (status = 304, description = "The file is still the one that If-None-Match names"),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn delivered(
    State(hub): State<Hub>,
    Path((site, picture, place)): Path<(String, Uuid, String)>,
    headers: HeaderMap,
) -> Result<Response, Problem> {
    let nothing = || Problem::from(DeliveryError::NoPicture);
    let site = hub.sites.named(&site).await?.ok_or_else(nothing)?;
    let shown = match (place.parse(), place.parse()) {
        (Ok(slot), _) => Shown::In(slot),
        (_, Ok(width @ 1..)) => Shown::Wide(width),
        _ => return Err(DeliveryError::NoSlot.into()),
    };
    let value = |name: &str| headers.get(name)?.to_str().ok();
    let hint = |name: &str| value(&format!("sec-ch-{name}")).or_else(|| value(name));
    let screen = Screen::hinted(hint("dpr"), hint("width"), hint("viewport-width"));
    let reads = Reads::accepted(value("accept").unwrap_or_default());
    let file = deliver(&site.maker, picture, shown, screen, &reads).await?;
    let etag = etag(&file);
    if is_known(&headers, &etag) {
        return Ok((StatusCode::NOT_MODIFIED, kept(&etag)).into_response());
    }
    let bytes = site.store.blobs().get(&file.hash).await?;
    let mut answer = (kept(&etag), bytes).into_response();
    let media_type = HeaderValue::from_static(file.spec.encoding.format().media_type());
    answer.headers_mut().insert(header::CONTENT_TYPE, media_type);
    Ok(answer)
}

/// The bytes decide: the same file at two addresses is one.
fn etag(file: &Variant) -> HeaderValue {
    HeaderValue::try_from(format!("\"{}\"", file.hash.as_str())).expect("a hash is hexadecimal")
}

/// Whether the client has the file already (RFC 9110, 13.1.2).
fn is_known(headers: &HeaderMap, etag: &HeaderValue) -> bool {
    let etag = etag.to_str().unwrap_or_default();
    let asked = headers.get_all(header::IF_NONE_MATCH).iter();
    let mut known = asked.filter_map(|value| value.to_str().ok()).flat_map(|list| list.split(','));
    known.any(|one| matches!(one.trim().trim_start_matches("W/"), one if one == "*" || one == etag))
}

/// What a cache has to know of a file.
fn kept(etag: &HeaderValue) -> HeaderMap {
    let fixed = |value: &'static str| HeaderValue::from_static(value);
    HeaderMap::from_iter([
        (header::ETAG, etag.clone()),
        (header::VARY, fixed(VARY)),
        (header::CACHE_CONTROL, fixed(CACHED)),
        (header::HeaderName::from_static("cross-origin-resource-policy"), fixed("cross-origin")),
        (header::ACCESS_CONTROL_ALLOW_ORIGIN, fixed("*")),
    ])
}

impl From<DeliveryError> for Problem {
    fn from(error: DeliveryError) -> Self {
        match error {
            DeliveryError::Store(error) => error.into(),
            DeliveryError::Blob(error) => error.into(),
            error => Self::new(StatusCode::NOT_FOUND, "not-delivered", "Nothing to deliver", error),
        }
    }
}
