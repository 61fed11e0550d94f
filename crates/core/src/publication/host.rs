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

/// What a host answered to requests for a file that is there.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct HostAnswer {
    /// The HTTP status.
    pub status: u16,
    /// What it says that it is.
    pub media_type: Option<String>,
    /// For how many seconds browsers keep it; nothing where it does not say.
    pub kept: Option<u64>,
    /// Whether it sends a part of it where one is asked for.
    pub sends_parts: bool,
    /// Whether it came compressed to a browser that reads that.
    pub is_compressed: bool,
}

/// Seconds for which a browser has to keep a picture file, so that whoever comes back the next day loads
/// nothing anew.
const KEPT_LONG: u64 = 7 * 24 * 3_600;

/// What a host could do better with files that it serves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum HostNote {
    /// Browsers load picture files anew sooner than in a week.
    ShortlyKept {
        /// For how many seconds they are kept; nothing where the host says nothing.
        seconds: Option<u64>,
    },
    /// A download that broke off begins anew.
    NoParts,
    /// Drawings come as they are.
    DrawingsUncompressed,
}

impl HostNote {
    /// In words.
    pub fn words(self) -> String {
        match self {
            Self::ShortlyKept { seconds: None } => {
                "The host does not say how long browsers may keep pictures, so each guesses"
                    .to_owned()
            }
            Self::ShortlyKept { seconds: Some(0) } => {
                "The host has browsers ask for each picture again on every visit".to_owned()
            }
            Self::ShortlyKept { seconds: Some(seconds) } => format!(
                "Browsers keep pictures for {} only and load them again then",
                time_in_words(seconds)
            ),
            Self::NoParts => {
                "The host sends whole files only: a download that broke off begins anew".to_owned()
            }
            Self::DrawingsUncompressed => "The host sends SVG drawings uncompressed".to_owned(),
        }
    }

    /// How common servers are told to, each by its own directive, for files in `folder` of the site; empty
    /// where that is no matter of a directive.
    pub fn how(self, folder: &str) -> String {
        match self {
            Self::ShortlyKept { .. } => format!(
                "nginx:\n    location /{folder}/ {{ expires 30d; }}\n\
                 Apache httpd, with mod_expires, in {folder}/.htaccess:\n    ExpiresActive On\n    \
                 ExpiresDefault \"access plus 30 days\"\n\
                 Caddy:\n    header /{folder}/* Cache-Control \"max-age=2592000\"\n"
            ),
            Self::NoParts => String::new(),
            Self::DrawingsUncompressed => "nginx:\n    gzip on;\n    gzip_types image/svg+xml;\n\
                 Apache httpd, with mod_deflate:\n    \
                 AddOutputFilterByType DEFLATE image/svg+xml\n\
                 Caddy:\n    encode zstd gzip\n"
                .to_owned(),
        }
    }
}

/// A time about as people say it, such as `10 minutes` or `3 days`.
fn time_in_words(seconds: u64) -> String {
    let (count, unit) = match seconds {
        0..120 => (seconds, "second"),
        120..7_200 => (seconds / 60, "minute"),
        7_200..172_800 => (seconds / 3_600, "hour"),
        _ => (seconds / 86_400, "day"),
    };
    format!("{count} {unit}{}", if count == 1 { "" } else { "s" })
}

/// What a host that serves pictures as in `answers` could do better, and as in `drawing` an SVG file, where
/// there is one that would gain by compressing.
pub fn host_notes(answers: &[(Format, HostAnswer)], drawing: Option<&HostAnswer>) -> Vec<HostNote> {
    let served = answers.iter().filter(|(format, answer)| answer.fault(*format).is_none());
    let served: Vec<&HostAnswer> = served.map(|(_, answer)| answer).collect();
    let shortest = served.iter().map(|answer| answer.kept).min();
    let shortest = shortest.filter(|kept| kept.is_none_or(|seconds| seconds < KEPT_LONG));
    let has_parts = served.iter().all(|answer| answer.sends_parts);
    let is_plain = drawing.is_some_and(|drawing| drawing.status == 200 && !drawing.is_compressed);
    let notes = [
        shortest.map(|seconds| HostNote::ShortlyKept { seconds }),
        (!has_parts).then_some(HostNote::NoParts),
        is_plain.then_some(HostNote::DrawingsUncompressed),
    ];
    notes.into_iter().flatten().collect()
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
        let media_type = Some(media_type.to_owned());
        HostAnswer { status, media_type, sends_parts: true, ..HostAnswer::default() }
    }

    #[test]
    fn what_a_host_does_wrong_is_told_in_words() {
        let right = answer(200, "Image/AVIF; charset=binary");
        assert_eq!(right.fault(Format::Avif), None);
        let typed = answer(200, "application/octet-stream").fault(Format::Webp).unwrap();
        assert!(typed.contains("as application/octet-stream and not as image/webp"), "{typed}");
        assert!(answer(403, "text/html").fault(Format::Avif).unwrap().contains("refuses"));
        assert!(answer(404, "text/html").fault(Format::Avif).unwrap().contains("404"));
        let silent = HostAnswer { status: 200, ..HostAnswer::default() };
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
    fn what_a_host_could_do_better_is_told_of_files_that_it_serves() {
        let kept = |kept: u64| HostAnswer { kept: Some(kept), ..answer(200, "image/jpeg") };
        let of = |one: HostAnswer| host_notes(&[(Format::Jpeg, one)], None);
        let shortly = |seconds| vec![HostNote::ShortlyKept { seconds }];
        assert_eq!(of(kept(2_592_000)), []);
        assert_eq!(of(kept(600)), shortly(Some(600)));
        assert_eq!(of(answer(200, "image/jpeg")), shortly(None));
        assert_eq!(of(answer(404, "text/html")), [], "what is not served is no matter of keeping");
        let whole = HostAnswer { sends_parts: false, ..kept(2_592_000) };
        assert_eq!(of(whole), [HostNote::NoParts]);

        let mistyped = [(Format::Webp, kept(60))];
        assert_eq!(host_notes(&mistyped, None), [], "another type is a fault of its own");
        let drawing = answer(200, "image/svg+xml");
        assert!(host_notes(&[], Some(&drawing)) == [HostNote::DrawingsUncompressed]);
        let compressed = HostAnswer { is_compressed: true, ..drawing };
        assert_eq!(host_notes(&[], Some(&compressed)), []);
    }

    #[test]
    fn notes_are_told_in_words_and_by_directives_for_the_folder() {
        let note = HostNote::ShortlyKept { seconds: Some(600) };
        assert!(note.words().contains("for 10 minutes only"));
        assert!(note.how("media/made").contains("location /media/made/ { expires 30d; }"));
        assert!(HostNote::ShortlyKept { seconds: Some(86_400) }.words().contains("24 hours"));
        assert!(HostNote::NoParts.how("x").is_empty());
        assert!(HostNote::DrawingsUncompressed.how("x").contains("gzip_types image/svg+xml;"));
    }

    #[test]
    fn each_server_is_told_the_type_and_the_ending() {
        let told = how_to_serve(Format::Avif);
        assert!(told.contains("image/avif avif;") && told.contains("AddType image/avif .avif"));
    }
}
