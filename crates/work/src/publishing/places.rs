//! Places of a site's pages, and why some are left as they are.

use brisk_margin_core::shown_by::{Fixed, ShownBy};

/// Where a place is among those that were measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct PlaceAt {
    /// Its page.
    pub page: usize,
    /// Its place on the page.
    pub place: usize,
}

/// A place that is left as it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftPlace {
    /// Its page, by its path.
    pub page: String,
    /// Finds it there.
    pub selector: String,
    /// Why.
    pub reason: LeftReason,
}

/// Why a place is left as it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LeftReason {
    /// What is there is as small as it can be.
    Light,
    /// Its files were made by an earlier run.
    Applied,
    /// The picture is on another host.
    Elsewhere(String),
    /// It could not be loaded or read.
    Unreadable(String),
    /// It is a drawing, which fits any size.
    Drawing,
    /// It moves.
    Animated,
    /// What shows it can name one file only.
    OneFile(ShownBy),
    /// A border or part of a picture, or written into the page.
    Fixed(Fixed),
    /// It is drawn at its own size.
    OwnSize,
    /// No layout width shows it.
    NotShown,
    /// It is another picture on other screens.
    SeveralPictures,
    /// It does not stand in the page's markup or style sheets.
    NotInSource,
    /// Something on the page would move.
    Moves,
    /// Something would, and one element alone has no files that it could offer.
    ShapesMove,
    /// The page itself cannot be rewritten.
    Page(String),
    /// The library has no picture of it.
    Unknown,
    /// It was not there when the site was measured for the library.
    Unmeasured,
    /// So many of its files are not made yet.
    NotMade(usize),
    /// A rule says that nothing is made of its picture.
    Excluded,
    /// What it was asked to show cannot be made for it.
    NoSet(String),
    /// Its slot is of another kind.
    OtherKind,
}

impl LeftReason {
    /// A word for programs.
    pub const fn name(&self) -> &'static str {
        match self {
            Self::Light => "light",
            Self::Applied => "applied",
            Self::Elsewhere(_) => "elsewhere",
            Self::Unreadable(_) => "unreadable",
            Self::Drawing => "drawing",
            Self::Animated => "animated",
            Self::OneFile(_) => "one-file",
            Self::Fixed(_) => "fixed",
            Self::OwnSize => "own-size",
            Self::NotShown => "not-shown",
            Self::SeveralPictures => "several-pictures",
            Self::NotInSource => "not-in-source",
            Self::Moves => "moves",
            Self::ShapesMove => "shapes-move",
            Self::Page(_) => "page",
            Self::Unknown => "unknown",
            Self::Unmeasured => "unmeasured",
            Self::NotMade(_) => "not-made",
            Self::Excluded => "excluded",
            Self::NoSet(_) => "no-set",
            Self::OtherKind => "other-kind",
        }
    }

    /// Whether somebody could mend it, and would want to know.
    pub const fn is_failure(&self) -> bool {
        matches!(
            self,
            Self::Unreadable(_)
                | Self::NotInSource
                | Self::Moves
                | Self::ShapesMove
                | Self::Page(_)
                | Self::Unmeasured
                | Self::NotMade(_)
                | Self::NoSet(_)
                | Self::OtherKind
        )
    }

    /// In words.
    pub fn words(&self) -> String {
        match self {
            Self::Light => "is as light as it can be at this grade".to_owned(),
            Self::Applied => "offers these files already".to_owned(),
            Self::Elsewhere(host) => format!("is on another host, {host}"),
            Self::Unreadable(why) => format!("cannot be read: {why}"),
            Self::Drawing => "is a drawing, which fits any size".to_owned(),
            Self::Animated => "moves, and is left as it is".to_owned(),
            Self::OneFile(way) => format!("is shown as {}, which names one file", way.words()),
            Self::Fixed(fixed) => fixed.words().to_owned(),
            Self::OwnSize => "is drawn at its own size, which another file would change".to_owned(),
            Self::NotShown => "is shown at no layout width".to_owned(),
            Self::SeveralPictures => "is another picture on other screens".to_owned(),
            Self::NotInSource => {
                "is not named in the page's markup or in a style rule that can be changed; a script \
                 or a variable puts it there"
                    .to_owned()
            }
            Self::Moves => "would move something on the page".to_owned(),
            Self::ShapesMove => {
                "would move something on the page, whose styles want the element alone: have the browser \
                 crop in its slot, make its files, and publish it then"
                    .to_owned()
            }
            Self::Page(why) => why.clone(),
            Self::Unknown => "shows nothing of the library".to_owned(),
            Self::Unmeasured => {
                "was not there when the site was measured; measure it again".to_owned()
            }
            Self::NotMade(1) => "is missing one of its files; make it first".to_owned(),
            Self::NotMade(files) => format!("is missing {files} of its files; make them first"),
            Self::Excluded => "shows a picture that is excluded by a rule".to_owned(),
            Self::NoSet(why) => format!("gets no files: {why}"),
            Self::OtherKind => {
                "is no longer shown as its slot says; measure the site again".to_owned()
            }
        }
    }
}
