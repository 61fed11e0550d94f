//! Whether the site's web host serves files that were written to its folder.

use std::time::Duration;

use brisk_margin_core::publication::host::HostAnswer;
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
    let answer = client.get(file).send().await.ok()?;
    let media_type = answer.headers().get(reqwest::header::CONTENT_TYPE);
    let media_type = media_type.and_then(|told| told.to_str().ok()).map(str::to_owned);
    Some(HostAnswer { status: answer.status().as_u16(), media_type })
}
