//! The snippet: the lines in the head of a page that name its icons.

use super::design::IconDesign;
use super::manifest::MANIFEST;
use super::target::{IconTarget, MadeIcon};
use crate::markup::escaped;

/// The lines that name those of `made` which pages name, as `design` says; the sharing picture by its whole address where
/// that of the site is known, as those who read it need it.
pub fn snippet(design: &IconDesign, made: &[MadeIcon], site: Option<&str>) -> Vec<String> {
    let at = |made: &MadeIcon| escaped(&format!("{}{}", design.prefix, made.file_name));
    let mut lines = Vec::new();
    for icon in made {
        let address = at(icon);
        match icon.target {
            // The size that drawings go before keeps browsers from taking it instead of one.
            IconTarget::Ico => {
                lines.push(format!("<link rel=\"icon\" href=\"{address}\" sizes=\"32x32\">"));
            }
            IconTarget::Drawing => {
                lines.push(format!("<link rel=\"icon\" href=\"{address}\" type=\"image/svg+xml\">"))
            }
            IconTarget::Tab => lines.push(format!(
                "<link rel=\"icon\" href=\"{address}\" type=\"image/png\" sizes=\"96x96\">"
            )),
            IconTarget::Touch => {
                lines.push(format!("<link rel=\"apple-touch-icon\" href=\"{address}\">"));
            }
            _ => {}
        }
    }
    let manifest = escaped(&format!("{}{MANIFEST}", design.prefix));
    lines.push(format!("<link rel=\"manifest\" href=\"{manifest}\">"));
    lines.push(format!("<meta name=\"theme-color\" content=\"{}\">", design.colour));
    let sharing = made.iter().find(|icon| icon.target == IconTarget::Sharing);
    if let Some((site, sharing)) = site.zip(sharing) {
        let address = format!("{}{}", site.trim_end_matches('/'), at(sharing));
        let size = IconTarget::Sharing.size();
        lines.push(format!("<meta property=\"og:image\" content=\"{address}\">"));
        for (side, length) in [("width", size.width), ("height", size.height)] {
            lines.push(format!("<meta property=\"og:image:{side}\" content=\"{length}\">"));
        }
    }
    lines
}

/// Whether an element of a page's head is one of those that a snippet stands for: called `name`, with what its attributes
/// `rel`, `name` and `property` say. `with_picture` where the snippet names a sharing picture, too.
pub fn is_replaced(
    name: &str,
    rel: Option<&str>,
    meta_name: Option<&str>,
    property: Option<&str>,
    with_picture: bool,
) -> bool {
    let says = |text: Option<&str>, words: &[&str]| {
        let told = text.unwrap_or_default().to_ascii_lowercase();
        told.split_ascii_whitespace().any(|word| words.contains(&word))
    };
    let icons =
        ["icon", "apple-touch-icon", "apple-touch-icon-precomposed", "mask-icon", "manifest"];
    let pictures = [
        "og:image",
        "og:image:url",
        "og:image:secure_url",
        "og:image:type",
        "og:image:width",
        "og:image:height",
        "og:image:alt",
    ];
    match name {
        "link" => says(rel, &icons),
        "meta" => says(meta_name, &["theme-color"]) || with_picture && says(property, &pictures),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_made_is_named_once_and_by_prefix() {
        let design = IconDesign { prefix: "/i/".to_owned(), ..IconDesign::default() };
        let made = [IconTarget::Ico, IconTarget::Touch, IconTarget::Large, IconTarget::Sharing];
        let made = made.map(MadeIcon::usual);
        let lines = snippet(&design, &made, Some("https://tarnlight.example/"));
        let text = lines.join("\n");
        for part in [
            "rel=\"icon\" href=\"/i/favicon.ico\" sizes=\"32x32\"",
            "rel=\"apple-touch-icon\" href=\"/i/touch-icon-180.png\"",
            "rel=\"manifest\" href=\"/i/site.webmanifest\"",
            "content=\"https://tarnlight.example/i/sharing-1200x630.png\"",
        ] {
            assert_eq!(text.matches(part).count(), 1, "{part} in {text}");
        }
        assert!(!text.contains("512"), "the manifest names that one");
        assert!(!snippet(&design, &made, None).join("").contains("og:image"));
    }

    #[test]
    fn what_stood_for_icons_before_goes() {
        let link = |rel| is_replaced("link", Some(rel), None, None, false);
        assert!(link("shortcut icon") && link("ICON") && link("manifest") && link("mask-icon"));
        assert!(!link("stylesheet") && !link("preload"));
        assert!(is_replaced("meta", None, Some("theme-color"), None, false));
        assert!(is_replaced("meta", None, None, Some("og:image"), true));
        assert!(!is_replaced("meta", None, None, Some("og:image"), false));
        assert!(!is_replaced("meta", None, None, Some("og:title"), true));
    }
}
