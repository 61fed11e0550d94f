//! The web manifest: what an installed site is called and looks like (W3C, Web Application Manifest).

use serde::{Deserialize, Serialize};

use super::design::IconDesign;
use super::target::{IconTarget, MadeIcon};
use crate::edits::values::Colour;

/// What the file is called.
pub const MANIFEST: &str = "site.webmanifest";

/// A manifest as it is written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Manifest {
    /// What the site is called.
    pub name: String,
    /// Its icons.
    pub icons: Vec<ManifestIcon>,
    /// Where it starts.
    pub start_url: String,
    /// How it is shown once installed.
    pub display: String,
    /// The colour around its pages.
    pub theme_color: Colour,
    /// The ground while it starts.
    pub background_color: Colour,
}

/// An icon as a manifest names it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ManifestIcon {
    /// Its address.
    pub src: String,
    /// Its pixels, as in `192x192`, or `any` of a drawing.
    pub sizes: String,
    /// Its media type.
    #[serde(rename = "type")]
    pub media_type: String,
    /// What it is for: `any`, `maskable` or `monochrome`.
    pub purpose: String,
}

/// The manifest that names those of `made` which stand in one, as `design` says, with a line break at its end.
pub fn manifest(design: &IconDesign, made: &[MadeIcon]) -> String {
    let icon = |made: &MadeIcon| {
        let target = made.target;
        let (media_type, sizes) = match target {
            IconTarget::Drawing => ("image/svg+xml", "any".to_owned()),
            _ => ("image/png", format!("{0}x{0}", target.size().width)),
        };
        let purpose = match target {
            IconTarget::Drawing | IconTarget::Small | IconTarget::Large => "any",
            IconTarget::Maskable => "maskable",
            IconTarget::Monochrome => "monochrome",
            _ => return None,
        };
        Some(ManifestIcon {
            src: format!("{}{}", design.prefix, made.file_name),
            sizes,
            media_type: media_type.to_owned(),
            purpose: purpose.to_owned(),
        })
    };
    let manifest = Manifest {
        name: design.name.clone(),
        icons: made.iter().filter_map(icon).collect(),
        start_url: "/".to_owned(),
        display: "browser".to_owned(),
        theme_color: design.colour,
        background_color: design.background,
    };
    let mut text = serde_json::to_string_pretty(&manifest).expect("plain values");
    text.push('\n');
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_names_what_was_made_by_prefix_with_pixels_and_purpose() {
        let design = IconDesign {
            name: "Tarnlight \"Dome\"".to_owned(),
            prefix: "/icons/".to_owned(),
            ..IconDesign::default()
        };
        let made = [IconTarget::Ico, IconTarget::Small, IconTarget::Maskable, IconTarget::Drawing];
        let made = made.map(MadeIcon::usual);
        let read: Manifest = serde_json::from_str(&manifest(&design, &made)).unwrap();
        assert_eq!(read.name, design.name);
        let told: Vec<[&str; 3]> = read
            .icons
            .iter()
            .map(|icon| [icon.src.as_str(), icon.sizes.as_str(), icon.purpose.as_str()])
            .collect();
        let expected = [
            ["/icons/icon-192.png", "192x192", "any"],
            ["/icons/icon-maskable-512.png", "512x512", "maskable"],
            ["/icons/icon.svg", "any", "any"],
        ];
        assert_eq!(told, expected);
    }
}
