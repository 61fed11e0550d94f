//! Targets: the icon files of a site, each with its pixels and what asks for it.

use serde::{Deserialize, Serialize};

use crate::geometry::Size;

/// Pixels of a side that a master made of pixels has at least, so that every file is sharp.
pub const ENOUGH: u32 = 512;

/// The sizes inside `favicon.ico`, in pixels.
pub const IN_ICO: [u32; 3] = [16, 32, 48];

/// The sizes at which a mark is looked at as a small one, in pixels.
pub const SMALL: [u32; 5] = [16, 20, 24, 32, 48];

/// How far from the centre a maskable icon may hold something that matters, as a share of its side (W3C, Web Application
/// Manifest, 1.9.4: a circle of a radius of 40 %).
pub const SAFE_RADIUS: f64 = 0.4;

/// An icon file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IconTarget {
    /// `favicon.ico`, with the sizes [`IN_ICO`] inside.
    Ico,
    /// A drawing, sharp at every size; only where the master is one.
    Drawing,
    /// For tabs on dense screens and search results.
    Tab,
    /// For home screens that take a link of the page.
    Touch,
    /// For the manifest, small.
    Small,
    /// For the manifest, large.
    Large,
    /// For launchers that cut it to a shape of their own.
    Maskable,
    /// In one colour, for launchers that tint it.
    Monochrome,
    /// What a link to the site shows where it is shared.
    Sharing,
}

impl IconTarget {
    /// All of them.
    pub const ALL: [Self; 9] = [
        Self::Ico,
        Self::Drawing,
        Self::Tab,
        Self::Touch,
        Self::Small,
        Self::Large,
        Self::Maskable,
        Self::Monochrome,
        Self::Sharing,
    ];

    /// What its file is called; see [`MadeIcon`] for that of [`Sharing`](Self::Sharing).
    pub const fn file_name(self) -> &'static str {
        match self {
            Self::Ico => "favicon.ico",
            Self::Drawing => "icon.svg",
            Self::Tab => "icon-96.png",
            Self::Touch => "touch-icon-180.png",
            Self::Small => "icon-192.png",
            Self::Large => "icon-512.png",
            Self::Maskable => "icon-maskable-512.png",
            Self::Monochrome => "icon-monochrome-512.png",
            Self::Sharing => "sharing-1200x630.png",
        }
    }

    /// What it is for, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Ico => "tabs and bookmarks, in every browser",
            Self::Drawing => "tabs, sharp at every size",
            Self::Tab => "tabs on dense screens, search results",
            Self::Touch => "home screens",
            Self::Small => "installed pages, small",
            Self::Large => "installed pages, large",
            Self::Maskable => "launchers that cut icons to a shape",
            Self::Monochrome => "launchers that tint icons",
            Self::Sharing => "shared links",
        }
    }

    /// Its pixels; of a drawing those that it is drawn at for looking at.
    pub const fn size(self) -> Size {
        match self {
            Self::Ico => Size::new(48, 48),
            Self::Tab => Size::new(96, 96),
            Self::Touch => Size::new(180, 180),
            Self::Small => Size::new(192, 192),
            Self::Drawing | Self::Large | Self::Maskable | Self::Monochrome => Size::new(512, 512),
            Self::Sharing => Size::new(1_200, 630),
        }
    }

    /// Whether a square of `side` pixels has all the pixels that it shows of the master.
    pub const fn has_enough(self, side: u32) -> bool {
        match self {
            // The mark on it is about half as high as the picture.
            Self::Sharing => side >= 315,
            _ => side >= self.size().width,
        }
    }
}

/// An icon file that was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MadeIcon {
    /// Which one it is.
    pub target: IconTarget,
    /// What the file is called: as the target says, but for a sharing picture that is lighter as a JPEG.
    pub file_name: String,
}

impl MadeIcon {
    /// One that is called as its target says.
    pub fn usual(target: IconTarget) -> Self {
        Self { target, file_name: target.file_name().to_owned() }
    }
}

/// The files for which a square of `side` pixels is too small: what they show of it is blurred. None where it is a drawing.
pub fn too_large_for(side: u32) -> Vec<IconTarget> {
    let raster = IconTarget::ALL.into_iter().filter(|target| *target != IconTarget::Drawing);
    raster.filter(|target| !target.has_enough(side)).collect()
}

/// The margin on each side, as a share of it, with which a mark stays inside the safe zone of a maskable icon, where it reaches
/// `reach` from the centre, as a share of its side.
///
/// ```
/// use brisk_margin_core::icon::target::maskable_margin;
///
/// assert_eq!(maskable_margin(0.3), 0.0);
/// assert!((maskable_margin(0.5) - 0.1).abs() < 1e-9);
/// ```
pub fn maskable_margin(reach: f64) -> f64 {
    ((1.0 - SAFE_RADIUS / reach.max(SAFE_RADIUS)) / 2.0).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_small_master_suffices_for_small_files() {
        assert_eq!(too_large_for(8).len(), 8, "all that are made of pixels");
        let enough = [IconTarget::Ico, IconTarget::Tab];
        assert!(!too_large_for(100).iter().any(|target| enough.contains(target)));
        assert_eq!(too_large_for(ENOUGH), []);
    }

    #[test]
    fn a_mark_with_its_margin_is_inside_the_safe_zone() {
        for reach in [0.41, 0.5, 0.7072] {
            let inner = 1.0 - 2.0 * maskable_margin(reach);
            assert!(reach * inner <= SAFE_RADIUS + 1e-9, "{reach}");
        }
    }
}
