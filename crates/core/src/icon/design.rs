//! Designs: what is decided for the icons of a site.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

use super::target::{IN_ICO, IconTarget};
use crate::edits::values::{Colour, Ground};
use crate::framing::{self, FocalPoint};
use crate::geometry::{Rect, Size};

/// The most of a side that may be margin, in percent, on each side.
pub const MOST_MARGIN: u8 = 40;
/// The largest radius of corners, in percent of a side.
pub const MOST_CORNER: u8 = 50;
/// Characters of a name at most, and of the line on a sharing picture.
const MOST_NAME: usize = 60;
const MOST_LINE: usize = 120;

/// All that is decided for the icons of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconDesign {
    /// The picture that all are made of.
    #[serde(default)]
    pub master: Option<Uuid>,
    /// A simpler mark for small sizes.
    #[serde(default)]
    pub small: Option<Uuid>,
    /// The drawing that a dark theme shows instead; both masters have to be drawings.
    #[serde(default)]
    pub dark: Option<Uuid>,
    /// The square of the master that is shown, in its pixels; by its focal point where nothing is given.
    #[serde(default)]
    pub square: Option<Rect>,
    /// What the site is called where it is installed.
    #[serde(default)]
    pub name: String,
    /// The colour around its pages where it is installed.
    #[serde(default = "white")]
    pub colour: Colour,
    /// The ground while it starts, and of files that need one.
    #[serde(default = "white")]
    pub background: Colour,
    /// Where the files are, from the root of the site, with slashes around.
    #[serde(default = "root")]
    pub prefix: String,
    /// What is said for single files; others are as is usual.
    #[serde(default)]
    pub settings: BTreeMap<IconTarget, IconSetting>,
    /// Helps that are set aside for small sizes, of those that are proposed.
    #[serde(default)]
    pub without: Vec<Help>,
    /// What was touched up on small versions, by their size in px.
    #[serde(default)]
    pub touch_ups: BTreeMap<u32, TouchUps>,
    /// The line on the sharing picture, below the name.
    #[serde(default)]
    pub line: String,
}

const fn white() -> Colour {
    Colour::WHITE
}

fn root() -> String {
    "/".to_owned()
}

/// How a file shows its master.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconSetting {
    /// How much of its side is margin, on each side, in percent.
    pub margin: u8,
    /// What lies behind it.
    pub background: Ground,
    /// The radius of its corners, in percent of its side.
    pub corner: u8,
    /// Whether the simpler mark is shown, where there is one.
    pub is_small: bool,
}

/// Something that keeps a mark readable when it is small, in the order in which they are done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Help {
    /// The empty room around it is cut away.
    Crop,
    /// Strokes are made thicker.
    Thicken,
    /// Figure and ground are moved apart.
    Contrast,
    /// Colours that are nearly the same become one.
    FewerColours,
    /// Its edges are moved onto the pixel grid.
    Snap,
    /// It is sharpened once it is small.
    Sharpen,
}

impl Help {
    /// All of them, in order.
    pub const ALL: [Self; 6] =
        [Self::Crop, Self::Thicken, Self::Contrast, Self::FewerColours, Self::Snap, Self::Sharpen];

    /// What it does, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Crop => "Crop to the mark",
            Self::Thicken => "Thicken strokes",
            Self::Contrast => "Raise contrast",
            Self::FewerColours => "Fewer colours",
            Self::Snap => "Snap edges to pixels",
            Self::Sharpen => "Sharpen",
        }
    }
}

/// What was changed by hand on a small version: it is moved first, then pixels are set.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TouchUps {
    /// By how many px it is moved to the right.
    #[serde(default)]
    pub right: i8,
    /// And down.
    #[serde(default)]
    pub down: i8,
    /// Pixels that were set.
    #[serde(default)]
    pub pixels: Vec<Touch>,
    /// What stands for the version that they were made on; another one is told.
    #[serde(default)]
    pub on: String,
}

impl TouchUps {
    /// Whether nothing was changed.
    pub fn is_empty(&self) -> bool {
        self.right == 0 && self.down == 0 && self.pixels.is_empty()
    }
}

/// A pixel that was set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Touch {
    /// Pixels from the left.
    pub x: u8,
    /// Pixels from the top.
    pub y: u8,
    /// What it is.
    pub colour: Ground,
}

/// What cannot be meant.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum DesignError {
    /// A prefix that is no folder of a site.
    #[error(
        "the folder “{0}” cannot be named in pages: write letters, figures, - and _ between slashes, as in /icons/"
    )]
    Prefix(String),
    /// Too long.
    #[error("{what} has more than {most} characters")]
    Long {
        /// What it is about.
        what: &'static str,
        /// How many there may be.
        most: usize,
    },
    /// A margin or corner that leaves nothing.
    #[error("margins are up to {MOST_MARGIN} % of a side, corners up to {MOST_CORNER} %")]
    Margin,
    /// A square that is none, or lies outside.
    #[error("the part of the master has to be a square inside its {0} px")]
    Square(Size),
    /// A touch-up outside the version that it is for.
    #[error("touch-ups are made on 16, 32 or 48 px, inside of them")]
    Touch,
}

/// The square of a picture of `size` that is shown where nothing else is said: the largest one around its focal point.
pub fn usual_square(size: Size, focal: FocalPoint) -> Rect {
    let side = size.width.min(size.height);
    let around = framing::cover(size, 1.0, focal);
    Rect {
        x: around.x.min(size.width - side),
        y: around.y.min(size.height - side),
        width: side,
        height: side,
    }
}

impl Default for IconDesign {
    fn default() -> Self {
        Self {
            master: None,
            small: None,
            dark: None,
            square: None,
            name: String::new(),
            colour: Colour::WHITE,
            background: Colour::WHITE,
            prefix: root(),
            settings: BTreeMap::new(),
            without: Vec::new(),
            touch_ups: BTreeMap::new(),
            line: String::new(),
        }
    }
}

impl IconDesign {
    /// Holds it against what can be meant.
    ///
    /// # Errors
    /// [`DesignError`].
    pub fn check(&self) -> Result<(), DesignError> {
        check_prefix(&self.prefix)?;
        let texts = [("the name", &self.name, MOST_NAME), ("the line", &self.line, MOST_LINE)];
        for (what, text, most) in texts {
            if text.chars().count() > most {
                return Err(DesignError::Long { what, most });
            }
        }
        let is_wide = |one: &IconSetting| one.margin > MOST_MARGIN || one.corner > MOST_CORNER;
        if self.settings.values().any(is_wide) {
            return Err(DesignError::Margin);
        }
        for (size, touches) in &self.touch_ups {
            let is_inside =
                |touch: &Touch| u32::from(touch.x) < *size && u32::from(touch.y) < *size;
            if !IN_ICO.contains(size) || !touches.pixels.iter().all(is_inside) {
                return Err(DesignError::Touch);
            }
        }
        Ok(())
    }

    /// The square of a master of `size` that is shown: what was chosen, or `usual`.
    ///
    /// # Errors
    /// [`DesignError::Square`] where it is none, or not inside.
    pub fn square_of(&self, size: Size, usual: Rect) -> Result<Rect, DesignError> {
        let Some(square) = self.square else { return Ok(usual) };
        match square.is_inside(size) && square.width == square.height && square.width > 0 {
            true => Ok(square),
            false => Err(DesignError::Square(size)),
        }
    }

    /// How `target` shows its master, which reaches `reach` from its centre, as a share of its side.
    pub fn setting(&self, target: IconTarget, reach: f64) -> IconSetting {
        self.settings.get(&target).copied().unwrap_or_else(|| self.usual(target, reach))
    }

    fn usual(&self, target: IconTarget, reach: f64) -> IconSetting {
        let percent = |share: f64| (share * 100.0).ceil() as u8;
        let margin = match target {
            IconTarget::Maskable | IconTarget::Monochrome => {
                percent(super::target::maskable_margin(reach))
            }
            // Home screens round its corners.
            IconTarget::Touch => 8,
            _ => 0,
        };
        let background = match target {
            // What shows through is black there.
            IconTarget::Touch | IconTarget::Maskable | IconTarget::Sharing => {
                Ground::of(self.background)
            }
            _ => Ground::TRANSPARENT,
        };
        IconSetting { margin, background, corner: 0, is_small: target == IconTarget::Ico }
    }
}

fn check_prefix(prefix: &str) -> Result<(), DesignError> {
    let is_part = |part: &str| {
        !part.is_empty()
            && part.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_'))
    };
    let inner = prefix.strip_prefix('/').and_then(|rest| rest.strip_suffix('/'));
    match prefix == "/" || inner.is_some_and(|inner| inner.split('/').all(is_part)) {
        true => Ok(()),
        false => Err(DesignError::Prefix(prefix.to_owned())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    type Design = IconDesign;

    #[test]
    fn what_cannot_be_meant_is_told() {
        let with = |change: &dyn Fn(&mut Design)| {
            let mut design = Design::default();
            change(&mut design);
            design.check()
        };
        assert_eq!(with(&|_| {}), Ok(()));
        for good in ["/", "/icons/", "/a/b-c/"] {
            assert_eq!(with(&|one| one.prefix = good.to_owned()), Ok(()), "{good}");
        }
        for bad in ["", "icons/", "/icons", "//", "/../", "/a b/", "/\"/", "https://x/"] {
            let refused = with(&|one| one.prefix = bad.to_owned());
            assert_eq!(refused, Err(DesignError::Prefix(bad.to_owned())));
        }
        assert!(with(&|one| one.name = "x".repeat(61)).is_err());
        let pixel = |x| Touch { x, y: 0, colour: Ground::TRANSPARENT };
        let touched = |size, x| {
            let touches = TouchUps { pixels: vec![pixel(x)], ..TouchUps::default() };
            with(&|one| one.touch_ups = BTreeMap::from([(size, touches.clone())]))
        };
        assert_eq!(touched(16, 15), Ok(()));
        assert_eq!(touched(16, 16), Err(DesignError::Touch));
        assert_eq!(touched(20, 1), Err(DesignError::Touch));
        assert!(serde_json::from_str::<Design>("{\"margins\": 3}").is_err());
    }

    #[test]
    fn the_part_that_is_shown_is_a_square_inside() {
        let usual = Rect { x: 0, y: 0, width: 100, height: 100 };
        let of = |square| {
            let design = Design { square, ..Design::default() };
            design.square_of(Size::new(150, 100), usual)
        };
        assert_eq!(of(None), Ok(usual));
        let right = Rect { x: 50, ..usual };
        assert_eq!(of(Some(right)), Ok(right));
        for bad in
            [Rect { x: 51, ..usual }, Rect { width: 90, ..usual }, Rect { x: u32::MAX, ..usual }]
        {
            assert!(of(Some(bad)).is_err(), "{bad:?}");
        }
    }

    #[test]
    fn a_maskable_icon_keeps_its_mark_inside_the_safe_zone() {
        let reach = 0.62;
        let margin = Design::default().setting(IconTarget::Maskable, reach).margin;
        assert!(
            reach * (1.0 - 2.0 * f64::from(margin) / 100.0) <= super::super::target::SAFE_RADIUS
        );
        assert_eq!(Design::default().setting(IconTarget::Maskable, 0.2).margin, 0);
    }
}
