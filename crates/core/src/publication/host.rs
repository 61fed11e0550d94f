//! Web hosts: whether one serves a format so that browsers show it, and how it is told to.

use serde::{Deserialize, Serialize};

use crate::format::Format;

/// A format that is left out of a publication since the host does not serve it as it should.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LeftFormat {
    /// The format.
    pub format: Format,
    /// What the host does with its files, in words.
    pub why: String,
}

/// What a host answered to a request for a file that is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HostAnswer {
    /// The HTTP status.
    pub status: u16,
    /// What it says that it is.
    pub media_type: Option<String>,
}

impl HostAnswer {
    /// What is wrong with it, as an answer for a file of `format`, in words; nothing where browsers show
    /// what came. A `<source>` names its type itself, but files that are opened alone or served with `nosniff` are
    /// shown by the type that the host tells (MIME Sniffing Standard, 7).
    pub fn fault(&self, format: Format) -> Option<String> {
        let told = self.media_type.as_deref().map(|told| {
            let told = told.split(';').next().unwrap_or_default();
            told.trim().to_ascii_lowercase()
        });
        match (self.status, told.as_deref()) {
            (200 | 206, Some(told)) if told == format.media_type() => None,
            (200 | 206, Some(told)) => Some(format!(
                "the host sends its files as {told} and not as {}",
                format.media_type()
            )),
            (200 | 206, None) => Some("the host does not say what its files are".to_owned()),
            (status @ (401 | 403), _) => Some(format!("the host refuses its files ({status})")),
            (status, _) => Some(format!("the host answers {status} for its files")),
        }
    }
}

/// How common servers are told to serve files of `format`, each by its own directive.
pub fn how_to_serve(format: Format) -> String {
    let (kind, extension) = (format.media_type(), format.extension());
    format!(
        "nginx, in mime.types or a types block:\n    {kind} {extension};\n\
         Apache httpd, in its configuration or .htaccess:\n    AddType {kind} .{extension}\n\
         Caddy sends {kind} by itself; a rule that refuses *.{extension} has to go.\n"
    )
}

/// The formats that a host fails to serve, where it serves one that every browser reads: without that it does
/// not serve this folder at all, and says nothing about formats.
pub fn left_formats(answers: &[(Format, HostAnswer)]) -> Vec<LeftFormat> {
    let serves = |(format, answer): &(Format, HostAnswer)| {
        format.is_universal() && answer.fault(*format).is_none()
    };
    if !answers.iter().any(serves) {
        return Vec::new();
    }
    let others = answers.iter().filter(|(format, _)| !format.is_universal());
    let left = others.filter_map(|(format, answer)| {
        Some(LeftFormat { format: *format, why: answer.fault(*format)? })
    });
    left.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answer(status: u16, media_type: &str) -> HostAnswer {
        HostAnswer { status, media_type: Some(media_type.to_owned()) }
    }

    #[test]
    fn what_a_host_does_wrong_is_told_in_words() {
        let right = answer(200, "Image/AVIF; charset=binary");
        assert_eq!(right.fault(Format::Avif), None);
        let typed = answer(200, "application/octet-stream").fault(Format::Webp).unwrap();
        assert!(typed.contains("as application/octet-stream and not as image/webp"), "{typed}");
        assert!(answer(403, "text/html").fault(Format::Avif).unwrap().contains("refuses"));
        assert!(answer(404, "text/html").fault(Format::Avif).unwrap().contains("404"));
        let silent = HostAnswer { status: 200, media_type: None };
        assert!(silent.fault(Format::Png).is_some());
    }

    #[test]
    fn formats_are_left_out_where_the_host_serves_the_folder_otherwise() {
        let jpeg = (Format::Jpeg, answer(200, "image/jpeg"));
        let avif = (Format::Avif, answer(403, "text/html"));
        let left = left_formats(&[avif.clone(), jpeg]);
        assert_eq!(left.len(), 1);
        assert_eq!(left[0].format, Format::Avif);
        let nowhere = (Format::Jpeg, answer(404, "text/html"));
        assert!(left_formats(&[avif, nowhere]).is_empty(), "it is not this folder that is served");
        let all = Format::ALL.map(|format| (format, answer(200, format.media_type())));
        assert!(left_formats(&all).is_empty());
    }

    #[test]
    fn each_server_is_told_the_type_and_the_ending() {
        let told = how_to_serve(Format::Avif);
        assert!(told.contains("image/avif avif;") && told.contains("AddType image/avif .avif"));
    }
}
