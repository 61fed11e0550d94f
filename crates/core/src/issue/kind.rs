//! The kinds of issues: how serious each is, what it says without figures, and how to mend it.

use serde::{Deserialize, Serialize};

/// How serious an issue is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Severity {
    /// Good to know.
    Note,
    /// Worth mending: it costs bytes, sharpness or readers.
    Mend,
    /// Visitors see that something is wrong.
    Serious,
}

/// What kind an issue is; from the most serious down.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IssueKind {
    /// See [`Evidence::Squashed`](super::Evidence::Squashed).
    Squashed,
    /// See [`Evidence::Enlarged`](super::Evidence::Enlarged).
    Enlarged,
    /// See [`Evidence::LogoGone`](super::Evidence::LogoGone).
    LogoGone,
    /// See [`Evidence::MissingLetters`](super::Evidence::MissingLetters).
    MissingLetters,
    /// See [`Evidence::LowContrast`](super::Evidence::LowContrast).
    LowContrast,
    /// See [`Evidence::TooLarge`](super::Evidence::TooLarge).
    TooLarge,
    /// See [`Evidence::TooSmall`](super::Evidence::TooSmall).
    TooSmall,
    /// See [`Evidence::Empty`](super::Evidence::Empty).
    Empty,
    /// See [`Evidence::Replaced`](super::Evidence::Replaced).
    Replaced,
    /// See [`Evidence::Heavier`](super::Evidence::Heavier).
    Heavier,
    /// See [`Evidence::WrongFormat`](super::Evidence::WrongFormat).
    WrongFormat,
    /// See [`Evidence::CutOff`](super::Evidence::CutOff).
    CutOff,
    /// See [`Evidence::LogoEnlarged`](super::Evidence::LogoEnlarged).
    LogoEnlarged,
    /// See [`Evidence::Duplicate`](super::Evidence::Duplicate).
    Duplicate,
    /// See [`Evidence::Location`](super::Evidence::Location).
    Location,
    /// See [`Evidence::NoAlt`](super::Evidence::NoAlt).
    NoAlt,
    /// See [`Evidence::AltFileName`](super::Evidence::AltFileName).
    AltFileName,
    /// See [`Evidence::AltTooLong`](super::Evidence::AltTooLong).
    AltTooLong,
    /// See [`Evidence::AltRepeated`](super::Evidence::AltRepeated).
    AltRepeated,
    /// See [`Evidence::NoCredit`](super::Evidence::NoCredit).
    NoCredit,
    /// See [`Evidence::AltNotWanted`](super::Evidence::AltNotWanted).
    AltNotWanted,
    /// See [`Evidence::WrongShape`](super::Evidence::WrongShape).
    WrongShape,
    /// See [`Evidence::NotUsed`](super::Evidence::NotUsed).
    NotUsed,
    /// See [`Evidence::FromFolder`](super::Evidence::FromFolder).
    FromFolder,
    /// See [`Evidence::Excluded`](super::Evidence::Excluded).
    Excluded,
    /// See [`Evidence::SelectorUnknown`](super::Evidence::SelectorUnknown).
    SelectorUnknown,
    /// See [`Evidence::ProfileNotKept`](super::Evidence::ProfileNotKept).
    ProfileNotKept,
    /// See [`Evidence::FormatLeftOut`](super::Evidence::FormatLeftOut).
    FormatLeftOut,
}

/// What is the same for each issue of a kind: its name in the API and in the database, how serious
/// it is, what it says without figures, and how to mend it where there is something to do.
struct Facts(&'static str, Severity, &'static str, Option<&'static str>);

impl IssueKind {
    /// The kinds that are written down of each picture, and by which the library filters; the
    /// most serious first. Ranks in the database are places in this list.
    pub const OF_PICTURES: [Self; 10] = [
        Self::TooSmall,
        Self::Replaced,
        Self::Heavier,
        Self::WrongFormat,
        Self::Duplicate,
        Self::Location,
        Self::NoAlt,
        Self::NoCredit,
        Self::NotUsed,
        Self::FromFolder,
    ];

    const fn facts(self) -> Facts {
        use Severity::{Mend, Note, Serious};
        match self {
            Self::Squashed => Facts(
                "squashed",
                Serious,
                "squashed",
                Some("Place a file with the proportions of the box, or let the browser crop it."),
            ),
            Self::Enlarged => Facts(
                "enlarged",
                Serious,
                "enlarged on every screen",
                Some("Place a larger picture, or show this one smaller."),
            ),
            Self::LogoGone => Facts(
                "logo-gone",
                Serious,
                "the logo is not in the library any more",
                Some("Restore it, or remove this edit."),
            ),
            Self::MissingLetters => Facts(
                "missing-letters",
                Serious,
                "letters are left out",
                Some("Write it with other letters."),
            ),
            Self::LowContrast => Facts(
                "low-contrast",
                Serious,
                "too little contrast",
                Some("Add a backing, or choose another colour."),
            ),
            Self::TooLarge => Facts(
                "too-large",
                Mend,
                "more pixels than any screen uses",
                Some("Make files for this slot on the bench."),
            ),
            Self::TooSmall => Facts(
                "too-small",
                Mend,
                "too small for its slot",
                Some("Upload a larger original."),
            ),
            Self::Empty => {
                Facts("empty", Mend, "empty", Some("Place a picture from the library in it."))
            }
            Self::Replaced => Facts(
                "replaced",
                Mend,
                "replaced in the site’s folder",
                Some("Compare both files, and choose the one that stays."),
            ),
            Self::Heavier => Facts(
                "heavier",
                Mend,
                "heavier than needed",
                Some("Make a lighter file on the bench."),
            ),
            Self::WrongFormat => Facts(
                "wrong-format",
                Mend,
                "wrong format for its content",
                Some("Make a file in a format that suits it."),
            ),
            Self::CutOff => Facts(
                "cut-off",
                Mend,
                "reaches over the frame",
                Some("Move it, or make it smaller."),
            ),
            Self::LogoEnlarged => Facts(
                "logo-enlarged",
                Mend,
                "the logo is enlarged",
                Some("Make it smaller, or upload a larger one."),
            ),
            Self::Duplicate => {
                Facts("duplicate", Mend, "looks like another", Some("Say which one stays."))
            }
            Self::Location => Facts(
                "location",
                Mend,
                "tells where it was taken",
                Some("Publish files made from it: they leave that out."),
            ),
            Self::NoAlt => Facts(
                "no-alt",
                Mend,
                "no alt text",
                Some("Describe the picture, or mark it as decorative."),
            ),
            Self::AltFileName => Facts(
                "alt-file-name",
                Mend,
                "reads like a file name",
                Some("Say what there is to see."),
            ),
            Self::AltTooLong => Facts(
                "alt-too-long",
                Mend,
                "long alt text",
                Some("Shorten it, and move the rest to the caption."),
            ),
            Self::AltRepeated => Facts(
                "alt-repeated",
                Mend,
                "the same alt text as another",
                Some("Say what sets this picture apart."),
            ),
            Self::NoCredit => Facts("no-credit", Mend, "no credit", Some("Say who made it.")),
            Self::AltNotWanted => Facts(
                "alt-not-wanted",
                Note,
                "decorative, so it is never read",
                Some("Delete the text, or do not mark the picture as decorative."),
            ),
            Self::WrongShape => Facts(
                "wrong-shape",
                Note,
                "wrong shape",
                Some("Make a file that is cropped to the slot."),
            ),
            Self::NotUsed => Facts("not-used", Note, "not used", Some("Place it, or delete it.")),
            Self::FromFolder => Facts("from-folder", Note, "came by the site’s folder", None),
            Self::Excluded => Facts(
                "excluded",
                Note,
                "the picture is excluded by a rule: no file is made of it",
                Some("Change the output rule to make files."),
            ),
            Self::SelectorUnknown => Facts(
                "selector-unknown",
                Note,
                "the slot’s selector is not known",
                Some("Write your own for “.background” in the style rules."),
            ),
            Self::ProfileNotKept => {
                Facts("profile-not-kept", Note, "its colour profile is not kept", None)
            }
            Self::FormatLeftOut => {
                Facts("format-left-out", Note, "a format is left out of the markup", None)
            }
        }
    }

    /// Its name in the API and in the database.
    pub const fn name(self) -> &'static str {
        self.facts().0
    }

    /// How serious it is.
    pub const fn severity(self) -> Severity {
        self.facts().1
    }

    /// What it says, without figures.
    pub const fn words(self) -> &'static str {
        self.facts().2
    }

    /// Whether it should be mended, rather than only be known.
    pub fn is_to_mend(self) -> bool {
        self.severity() >= Severity::Mend
    }

    /// How to mend it; nothing where there is nothing to do.
    pub const fn mend(self) -> Option<&'static str> {
        self.facts().3
    }

    /// The issue of pictures called `name`.
    pub fn of_pictures(name: &str) -> Option<Self> {
        Self::OF_PICTURES.into_iter().find(|kind| kind.name() == name)
    }
}
