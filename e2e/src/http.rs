//! Requests past the browser.

use std::sync::Once;

/// A client; the process is given an implementation of TLS first, without which there is none.
pub fn client() -> reqwest::Client {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        // Fine where the process has one already.
        let _ = rustls::crypto::ring::default_provider().install_default();
    });
    reqwest::Client::new()
}

/// What is answered at `url`.
///
/// # Panics
/// Where nobody answers.
pub async fn bytes_at(url: impl reqwest::IntoUrl) -> Vec<u8> {
    let answer = client().get(url).send().await.expect("somebody answers");
    answer.bytes().await.expect("the answer comes to its end").into()
}
