//! Lacks: kinds of devices for which a site has no icon.

use serde::{Deserialize, Serialize};

use super::{IconFound, NamedAs};
use crate::icon::target::IconTarget;

/// A kind of device for which nothing is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IconLack {
    /// No icon at all for tabs.
    Tabs,
    /// Nothing sharp for tabs on dense screens.
    DenseTabs,
    /// Nothing for home screens.
    HomeScreens,
    /// No manifest, or a broken one.
    Manifest,
    /// A manifest without icons of both sizes that installing asks for.
    Installing,
    /// Nothing that launchers can cut.
    Launchers,
    /// Nothing for shared links.
    SharedLinks,
}

impl IconLack {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Tabs => "tabs and bookmarks: no icon that could be shown",
            Self::DenseTabs => "tabs on dense screens: no drawing, and none of 32 px or more",
            Self::HomeScreens => "home screens: no icon of 180 px",
            Self::Manifest => "installing: no manifest that can be read",
            Self::Installing => "installing: the manifest names no icons of 192 and 512 px",
            Self::Launchers => "launchers that cut icons: the manifest names no maskable one",
            Self::SharedLinks => "shared links: no picture",
        }
    }

    /// The file that mends it.
    pub const fn mend(self) -> IconTarget {
        match self {
            Self::Tabs => IconTarget::Ico,
            Self::DenseTabs => IconTarget::Tab,
            Self::HomeScreens => IconTarget::Touch,
            Self::Manifest | Self::Installing => IconTarget::Large,
            Self::Launchers => IconTarget::Maskable,
            Self::SharedLinks => IconTarget::Sharing,
        }
    }

    /// Whether a visitor who installs nothing misses something.
    pub const fn is_failure(self) -> bool {
        matches!(self, Self::Tabs)
    }
}

/// Something that is missing, in words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ToldLack {
    /// What it is.
    pub lack: IconLack,
    /// In words.
    pub words: String,
    /// The file that mends it.
    pub mend: IconTarget,
}

/// What is missing, where these icons were found, and a manifest that could be read or not.
pub fn lacks(found: &[IconFound], has_manifest: bool) -> Vec<IconLack> {
    let seen = |one: &&IconFound| {
        let is_there = one.answer.as_ref().is_some_and(|a| (200..300).contains(&a.status));
        is_there && one.is.is_some()
    };
    let any = |named_as: NamedAs, least: u32| {
        found.iter().filter(seen).filter(|one| one.named_as == named_as).any(|one| {
            one.is.as_deref() == Some("image/svg+xml")
                || one.sizes.iter().any(|size| size.width >= least)
        })
    };
    let mut told = Vec::new();
    let mut unless = |is_there: bool, lack: IconLack| {
        if !is_there {
            told.push(lack);
        }
    };
    let has_tab = any(NamedAs::Icon, 1);
    unless(has_tab, IconLack::Tabs);
    unless(!has_tab || any(NamedAs::Icon, 32), IconLack::DenseTabs);
    unless(any(NamedAs::Touch, 180), IconLack::HomeScreens);
    unless(has_manifest, IconLack::Manifest);
    let installs = any(NamedAs::Installed, 512)
        && found.iter().filter(seen).any(|one| {
            let is_small = one.sizes.iter().any(|size| (192..512).contains(&size.width));
            one.named_as == NamedAs::Installed
                && (is_small || one.is.as_deref() == Some("image/svg+xml"))
        });
    unless(!has_manifest || installs, IconLack::Installing);
    unless(!has_manifest || any(NamedAs::Maskable, 192), IconLack::Launchers);
    unless(any(NamedAs::Sharing, 1), IconLack::SharedLinks);
    told
}

#[cfg(test)]
mod tests {
    use super::super::samples::icon;
    use super::*;

    #[test]
    fn what_is_missing_is_told_by_kind_of_device() {
        let all =
            [IconLack::Tabs, IconLack::HomeScreens, IconLack::Manifest, IconLack::SharedLinks];
        assert_eq!(lacks(&[], false), all);
        let mut found = vec![icon(NamedAs::Icon, 16), icon(NamedAs::Installed, 512)];
        let told = lacks(&found, true);
        assert!(told.contains(&IconLack::DenseTabs) && told.contains(&IconLack::Installing));
        found.extend([
            icon(NamedAs::Icon, 48),
            icon(NamedAs::Touch, 180),
            icon(NamedAs::Installed, 192),
            icon(NamedAs::Maskable, 512),
            icon(NamedAs::Sharing, 1_200),
        ]);
        assert_eq!(lacks(&found, true), []);
        // What does not come is not there.
        found[3].answer = None;
        assert_eq!(lacks(&found, true), [IconLack::HomeScreens]);
    }
}
