//! Whether the site's web host serves files that were written to its folder.

use std::time::Duration;

use brisk_margin_core::publication::host::HostAnswer;
use reqwest::StatusCode;
use reqwest::header::{
    ACCEPT_ENCODING, CACHE_CONTROL, CONTENT_ENCODING, CONTENT_TYPE, HeaderName, RANGE,
};
use url::Url;

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(10);

/// What the host of the site at `address`, which is that of a page, answers for the file at `path` from the
/// site's root; nothing where it does not answer. Nothing is followed elsewhere.
pub async fn asked(address: &Url, path: &str) -> Option<HostAnswer> {
    let mut file = address.clone();
    file.set_path(path);
    file.set_query(None);
    // Where another part of the process has installed one, that stays.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let client = reqwest::Client::builder()
        .timeout(PATIENCE)
        .redirect(reqwest::redirect::Policy::none())
        .build()
        .ok()?;
    let whole = client.get(file.clone()).header(ACCEPT_ENCODING, "gzip, br").send().await.ok()?;
    let part = client.get(file).header(RANGE, "bytes=0-0").send().await.ok();
    let told = |name: HeaderName| {
        let told = whole.headers().get(name);
        told.and_then(|told| told.to_str().ok()).map(str::to_owned)
    };
    Some(HostAnswer {
        status: whole.status().as_u16(),
        media_type: told(CONTENT_TYPE),
        keeping: told(CACHE_CONTROL),
        sends_parts: part.is_some_and(|part| part.status() == StatusCode::PARTIAL_CONTENT),
        is_compressed: told(CONTENT_ENCODING).is_some_and(|coding| coding != "identity"),
    })
}
