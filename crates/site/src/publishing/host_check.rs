//! Whether the site's web host serves files that were written to its folder.

use std::time::Duration;

use brisk_margin_core::publication::host::HostAnswer;
use headers::{CacheControl, HeaderMap, HeaderMapExt};
use reqwest::StatusCode;
use reqwest::header::{ACCEPT_ENCODING, CONTENT_ENCODING, CONTENT_TYPE, HeaderName, RANGE};
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
        kept: seconds_kept(whole.headers()),
        sends_parts: part.is_some_and(|part| part.status() == StatusCode::PARTIAL_CONTENT),
        is_compressed: told(CONTENT_ENCODING).is_some_and(|coding| coding != "identity"),
    })
}

/// For how many seconds browsers keep what came with `headers` (RFC 9111, 5.2.2); nothing where they do not say.
pub(crate) fn seconds_kept(headers: &HeaderMap) -> Option<u64> {
    let told: CacheControl = headers.typed_get()?;
    match told.no_store() || told.no_cache() {
        true => Some(0),
        false => told.max_age().map(|age| age.as_secs()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_host_says_of_keeping_is_told_in_seconds() {
        let kept = |told: &str| {
            let told = [("cache-control".parse().unwrap(), told.parse().unwrap())];
            seconds_kept(&HeaderMap::from_iter(told))
        };
        assert_eq!(kept("public, max-age=2592000, immutable"), Some(2_592_000));
        assert_eq!(kept("max-age=31536000, no-cache"), Some(0));
        assert_eq!(kept("no-store"), Some(0));
        assert_eq!(kept("public"), None);
        assert_eq!(seconds_kept(&HeaderMap::new()), None);
    }
}
