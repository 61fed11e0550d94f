//! The ways in which a page shows a picture, and why the file of some cannot be replaced.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::layout::Boxes;
use crate::units::Bytes;

/// How a page shows a picture: what names the file that would have to be another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ShownBy {
    /// An `<img>` on its own.
    Img,
    /// An `<img>` inside `<picture>`.
    Picture,
    /// The `poster` of a `<video>`.
    Poster,
    /// An `<input type=image>`.
    Input,
    /// An `<object>` or `<embed>`.
    Object,
    /// An `<image>` of an SVG drawing in the page.
    SvgImage,
    /// A layer of a CSS background.
    Background,
    /// A layer of a CSS mask.
    Mask,
    /// A `border-image`.
    BorderImage,
    /// A `list-style-image`.
    ListMarker,
    /// `content: url(…)`.
    Content,
}

impl ShownBy {
    /// What it is called in a sentence about a place.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Img => "img element",
            Self::Picture => "picture element",
            Self::Poster => "poster of a video",
            Self::Input => "image button",
            Self::Object => "object element",
            Self::SvgImage => "image in an SVG drawing",
            Self::Background => "CSS background",
            Self::Mask => "CSS mask",
            Self::BorderImage => "CSS border image",
            Self::ListMarker => "CSS list marker",
            Self::Content => "CSS content",
        }
    }

    /// Whether a style sheet names its file.
    pub const fn is_style(self) -> bool {
        matches!(
            self,
            Self::Background | Self::Mask | Self::BorderImage | Self::ListMarker | Self::Content
        )
    }
}

/// Why a picture cannot be replaced by another file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Fixed {
    /// It is a `data:` address.
    Inline,
    /// It is a `blob:` address.
    Scripted,
    /// It is a border, whose slices are cut at pixels of the file.
    Sliced,
    /// It is one of several pictures in a file.
    Part,
}

impl Fixed {
    /// Why not, and what would have to be done first.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Inline => {
                "It is written into the page or its style sheet; save it as a file of its own first"
            }
            Self::Scripted => "A script makes it in the browser; there is no file on the site",
            Self::Sliced => {
                "The border is cut from this file at exact pixels; a file of another size would \
                 shift the cuts"
            }
            Self::Part => {
                "The file holds several pictures, of which this place shows one; give it a file of \
                 its own first"
            }
        }
    }

    /// Why the file at `address`, shown by `way`, cannot be replaced, as far as these two tell.
    pub fn of(way: ShownBy, address: &str) -> Option<Self> {
        match way {
            _ if address.starts_with("data:") => Some(Self::Inline),
            _ if address.starts_with("blob:") => Some(Self::Scripted),
            ShownBy::BorderImage => Some(Self::Sliced),
            _ => None,
        }
    }
}

/// A picture on a page that cannot be replaced.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct FixedPicture {
    /// Finds its element.
    pub selector: String,
    /// How it is shown.
    pub shown_by: ShownBy,
    /// Why it cannot be replaced.
    pub reason: Fixed,
    /// Where its file is; of one that is written into the page, how it begins.
    pub url: String,
    /// What the file weighs; of one that is written into the page, about what it adds to it.
    pub bytes: Bytes,
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Where it stands on the page, by layout width, in CSS px from the left and the top.
    pub positions: BTreeMap<u32, (f64, f64)>,
}
