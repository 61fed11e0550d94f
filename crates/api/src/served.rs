//! Serving users' bytes so that a browser shows or saves them and never runs them.

use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};

/// A stored file on its way out. What it holds never changes under its address.
pub struct Served {
    /// Its bytes.
    pub bytes: bytes::Bytes,
    /// Its media type, from its content.
    pub media_type: &'static str,
    /// The name it is saved under; without one it is shown.
    pub save_as: Option<String>,
}

impl IntoResponse for Served {
    fn into_response(self) -> Response {
        let mut headers = HeaderMap::new();
        let mut set = |name, value: &'static str| {
            headers.insert(name, HeaderValue::from_static(value));
        };
        set(header::CONTENT_TYPE, self.media_type);
        set(header::CACHE_CONTROL, "private, max-age=31536000, immutable");
        set(header::CONTENT_SECURITY_POLICY, "default-src 'none'; sandbox");
        if let Some(name) = &self.save_as {
            headers.insert(header::CONTENT_DISPOSITION, attachment(name));
        }
        (StatusCode::OK, headers, self.bytes).into_response()
    }
}

/// `attachment` with `name` in any script (RFC 6266, RFC 8187).
fn attachment(name: &str) -> HeaderValue {
    let plain: String = name
        .chars()
        .map(|c| if c.is_ascii_graphic() && c != '"' && c != '\\' { c } else { '_' })
        .collect();
    let encoded: String = name
        .bytes()
        .map(|byte| match byte {
            b'-' | b'.' | b'_' | b'~' => char::from(byte).to_string(),
            _ if byte.is_ascii_alphanumeric() => char::from(byte).to_string(),
            _ => format!("%{byte:02X}"),
        })
        .collect();
    let value = format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{encoded}");
    HeaderValue::try_from(value).expect("visible ASCII only")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_in_any_script_survives_and_cannot_leave_its_header() {
        let value = attachment("dôme \"x\".jpg");
        assert_eq!(
            value.to_str().unwrap(),
            "attachment; filename=\"d_me__x_.jpg\"; filename*=UTF-8''d%C3%B4me%20%22x%22.jpg"
        );
    }
}
