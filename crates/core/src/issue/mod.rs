//! Issues: what is worth mending, in one list for pictures, places, edits and sets of files.

mod kind;

use serde::{Deserialize, Serialize};

use crate::format::Format;
use crate::units::Bytes;

pub use kind::{IssueKind, Severity};

/// Something worth mending, and where. It is shown in words with its figures.
///
/// ```
/// use brisk_margin_core::issue::{Evidence, Issue, IssuePlace, Severity};
///
/// let issue = Issue { place: IssuePlace::Slot, evidence: Evidence::TooSmall { percent: 33.4 } };
/// assert_eq!(issue.to_string(), "needs 33 % more pixels");
/// assert_eq!(issue.kind().severity(), Severity::Mend);
/// assert_eq!(issue.kind().mend(), Some("Upload a larger original."));
/// ```
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Issue {
    /// Where it is.
    pub place: IssuePlace,
    /// What it is, with the figures that show it.
    #[serde(flatten)]
    pub evidence: Evidence,
}

/// Where an issue is: part of what is being looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "on", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IssuePlace {
    /// The picture itself, wherever it is shown.
    Picture,
    /// Its alt text.
    AltText,
    /// What is shown in a slot.
    Slot,
    /// One of its edits.
    Edit {
        /// Its index in the list, from 0.
        step: usize,
    },
    /// The set of files for a slot.
    Set,
}

/// What is the matter, with the figures that show it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Evidence {
    /// A picture is stretched more one way than the other.
    Squashed {
        /// How much, in percent of the longer way.
        percent: f64,
    },
    /// A file has fewer pixels than CSS pixels: it is grainy on every screen.
    Enlarged {
        /// Rendered over file width.
        times: f64,
    },
    /// An edit lays a logo on the picture that is not in the library any more.
    LogoGone,
    /// A text has letters that no font has; they are left out.
    MissingLetters {
        /// Which.
        letters: String,
    },
    /// A text does not stand out from what lies behind it.
    LowContrast {
        /// Where it is weakest (the weakest twentieth of its ground), 1 to 21.
        weakest: f64,
        /// What letters of its size need (WCAG 2.2, 1.4.3).
        needed: f64,
    },
    /// A file has more pixels than any measured screen uses.
    TooLarge {
        /// File pixels over those of the most demanding screen.
        times: f64,
        /// The bytes that the pixels beyond that cost, by their share.
        wasted: Bytes,
    },
    /// Fewer pixels than a dense screen has for it.
    TooSmall {
        /// More pixels wanted on each side, in percent.
        percent: f64,
    },
    /// A slot has no picture, or one that did not load.
    Empty,
    /// The file of a picture in the site's folder was replaced by another.
    Replaced,
    /// A file that does the same would be lighter.
    Heavier,
    /// A format does not suit its content, or no browser shows it.
    WrongFormat,
    /// Something reaches over the frame and is cut off.
    CutOff {
        /// Pixels of the file that are cut off across.
        across: u32,
        /// Pixels of the file that are cut off down.
        down: u32,
    },
    /// A logo is shown larger than it is.
    LogoEnlarged {
        /// How many times.
        times: f64,
    },
    /// Another picture is the same, or looks the same.
    Duplicate,
    /// Metadata tell where the picture was taken.
    Location,
    /// Nobody wrote an alt text, and the picture is not decorative.
    NoAlt,
    /// An alt text reads like the name of a file.
    AltFileName,
    /// An alt text is longer than is read out at once.
    AltTooLong {
        /// Its length in characters.
        characters: usize,
        /// How many are read at once.
        limit: usize,
    },
    /// Other pictures have the same alt text.
    AltRepeated {
        /// How many others.
        others: u64,
    },
    /// Nobody is credited.
    NoCredit,
    /// A decorative picture has an alt text all the same.
    AltNotWanted,
    /// A file has another shape than its box, so that the browser cuts a part away everywhere.
    WrongShape {
        /// The part that is never seen, in percent of the file.
        percent: f64,
    },
    /// No page shows the picture.
    NotUsed,
    /// A picture came by the site's folder, past Brisk Margin.
    FromFolder,
    /// A rule excludes the picture, so that no file is made of it.
    Excluded,
    /// The style rules of a background need a selector that is not known.
    SelectorUnknown,
    /// Files are in sRGB although a rule keeps the picture's own profile.
    ProfileNotKept {
        /// The picture's profile.
        profile: String,
        /// Why.
        reason: ProfileLoss,
    },
    /// A format is left out of the markup, since it is heavier than what follows it.
    FormatLeftOut {
        /// Which.
        format: Format,
    },
}

/// Why files cannot keep a picture's own profile.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ProfileLoss {
    /// It moves.
    Motion,
    /// GIF is among the formats.
    Gif,
    /// It has edits.
    Edits,
}

impl Issue {
    /// What kind it is.
    pub const fn kind(&self) -> IssueKind {
        self.evidence.kind()
    }

    /// What is written down of a picture, told again: `kind`, and how many pixels it lacks in
    /// percent. Nothing for a kind that is not one of [`IssueKind::OF_PICTURES`].
    pub fn of_picture(kind: IssueKind, short: Option<f64>) -> Option<Self> {
        let evidence = match kind {
            IssueKind::TooSmall => Evidence::TooSmall { percent: short? },
            IssueKind::Replaced => Evidence::Replaced,
            IssueKind::Heavier => Evidence::Heavier,
            IssueKind::WrongFormat => Evidence::WrongFormat,
            IssueKind::Duplicate => Evidence::Duplicate,
            IssueKind::Location => Evidence::Location,
            IssueKind::NoAlt => {
                return Some(Self { place: IssuePlace::AltText, evidence: Evidence::NoAlt });
            }
            IssueKind::NoCredit => Evidence::NoCredit,
            IssueKind::NotUsed => Evidence::NotUsed,
            IssueKind::FromFolder => Evidence::FromFolder,
            _ => return None,
        };
        Some(Self { place: IssuePlace::Picture, evidence })
    }
}

/// Pixels that may lack, for rounding.
const SHORT: f64 = 1.02;

impl Evidence {
    /// That a place asks for `shortfall` times the pixels there are; nothing where they are enough,
    /// or nearly.
    pub fn too_small(shortfall: f64) -> Option<Self> {
        (shortfall > SHORT).then_some(Self::TooSmall { percent: 100.0 * (shortfall - 1.0) })
    }

    /// That a file is rendered `times` as wide as its pixels; nothing where it is not, or hardly.
    pub fn enlarged(times: f64) -> Option<Self> {
        (times > SHORT).then_some(Self::Enlarged { times })
    }

    /// What kind of issue it shows.
    pub const fn kind(&self) -> IssueKind {
        match self {
            Self::Squashed { .. } => IssueKind::Squashed,
            Self::Enlarged { .. } => IssueKind::Enlarged,
            Self::LogoGone => IssueKind::LogoGone,
            Self::MissingLetters { .. } => IssueKind::MissingLetters,
            Self::LowContrast { .. } => IssueKind::LowContrast,
            Self::TooLarge { .. } => IssueKind::TooLarge,
            Self::TooSmall { .. } => IssueKind::TooSmall,
            Self::Empty => IssueKind::Empty,
            Self::Replaced => IssueKind::Replaced,
            Self::Heavier => IssueKind::Heavier,
            Self::WrongFormat => IssueKind::WrongFormat,
            Self::CutOff { .. } => IssueKind::CutOff,
            Self::LogoEnlarged { .. } => IssueKind::LogoEnlarged,
            Self::Duplicate => IssueKind::Duplicate,
            Self::Location => IssueKind::Location,
            Self::NoAlt => IssueKind::NoAlt,
            Self::AltFileName => IssueKind::AltFileName,
            Self::AltTooLong { .. } => IssueKind::AltTooLong,
            Self::AltRepeated { .. } => IssueKind::AltRepeated,
            Self::NoCredit => IssueKind::NoCredit,
            Self::AltNotWanted => IssueKind::AltNotWanted,
            Self::WrongShape { .. } => IssueKind::WrongShape,
            Self::NotUsed => IssueKind::NotUsed,
            Self::FromFolder => IssueKind::FromFolder,
            Self::Excluded => IssueKind::Excluded,
            Self::SelectorUnknown => IssueKind::SelectorUnknown,
            Self::ProfileNotKept { .. } => IssueKind::ProfileNotKept,
            Self::FormatLeftOut { .. } => IssueKind::FormatLeftOut,
        }
    }
}

impl std::fmt::Display for Issue {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.evidence {
            Evidence::Squashed { percent } => write!(f, "squashed by {percent:.0} %"),
            Evidence::Enlarged { times } => write!(f, "enlarged {times:.1}×"),
            Evidence::MissingLetters { letters } => {
                write!(f, "no font here has {letters}: left out")
            }
            Evidence::LowContrast { weakest, needed } => write!(
                f,
                "contrast {weakest:.1} : 1 where it is weakest; letters of this size need \
                 {needed} : 1"
            ),
            Evidence::TooLarge { times, wasted } => {
                write!(f, "{times:.1}× more pixels than any screen uses, {wasted} wasted")
            }
            Evidence::TooSmall { percent } => write!(f, "needs {percent:.0} % more pixels"),
            Evidence::CutOff { across, down } => {
                write!(f, "reaches over the frame: {across} px across, {down} px down are cut off")
            }
            Evidence::LogoEnlarged { times } => {
                write!(f, "the logo is shown {times:.1}× larger than it is")
            }
            Evidence::AltTooLong { characters, limit } => {
                write!(f, "{characters} characters; up to {limit} are read at once")
            }
            Evidence::AltRepeated { others: 1 } => f.write_str("the same as another’s"),
            Evidence::AltRepeated { others } => write!(f, "the same as {others} others’"),
            Evidence::WrongShape { percent } => write!(f, "wrong shape by {percent:.0} %"),
            Evidence::ProfileNotKept { profile, reason } => {
                let why = match reason {
                    ProfileLoss::Motion => "what moves",
                    ProfileLoss::Gif => "a rule with GIF in it",
                    ProfileLoss::Edits => "an edited picture",
                };
                write!(f, "{profile} is not kept: {why} is made in sRGB")
            }
            Evidence::FormatLeftOut { format } => write!(
                f,
                "{format} is left out of the markup: it is heavier here than what follows it"
            ),
            _ => f.write_str(self.kind().words()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn all_evidence() -> Vec<Evidence> {
        use Evidence as E;
        vec![
            E::Squashed { percent: 3.0 },
            E::Enlarged { times: 1.2 },
            E::LogoGone,
            E::MissingLetters { letters: "☃".into() },
            E::LowContrast { weakest: 2.0, needed: 4.5 },
            E::TooLarge { times: 4.0, wasted: Bytes::kb(9) },
            E::TooSmall { percent: 40.0 },
            E::Empty,
            E::Replaced,
            E::Heavier,
            E::WrongFormat,
            E::CutOff { across: 3, down: 0 },
            E::LogoEnlarged { times: 2.0 },
            E::Duplicate,
            E::Location,
            E::NoAlt,
            E::AltFileName,
            E::AltTooLong { characters: 209, limit: 150 },
            E::AltRepeated { others: 2 },
            E::NoCredit,
            E::AltNotWanted,
            E::WrongShape { percent: 12.0 },
            E::NotUsed,
            E::FromFolder,
            E::Excluded,
            E::SelectorUnknown,
            E::ProfileNotKept { profile: "Display P3".into(), reason: ProfileLoss::Gif },
            E::FormatLeftOut { format: Format::Avif },
        ]
    }

    #[test]
    fn kinds_go_from_serious_to_good_to_know() {
        let kinds: Vec<IssueKind> = all_evidence().iter().map(Evidence::kind).collect();
        assert!(kinds.is_sorted_by(|a, b| a < b), "{kinds:?}");
        assert!(kinds.is_sorted_by_key(|kind| std::cmp::Reverse(kind.severity())), "{kinds:?}");
        assert!(IssueKind::OF_PICTURES.is_sorted());
    }

    #[test]
    fn an_issue_is_called_the_same_in_code_address_and_body() {
        for evidence in all_evidence() {
            let kind = evidence.kind();
            let issue = Issue { place: IssuePlace::Set, evidence };
            let body = serde_json::to_value(&issue).unwrap();
            assert_eq!(body["kind"], kind.name());
            assert_eq!(serde_json::to_value(kind).unwrap(), kind.name());
            assert_eq!(body["place"], serde_json::json!({"on": "set"}));
            assert_eq!(serde_json::from_value::<Issue>(body).unwrap(), issue);
        }
    }

    #[test]
    fn what_is_written_down_of_a_picture_is_told_again() {
        for kind in IssueKind::OF_PICTURES {
            assert_eq!(IssueKind::of_pictures(kind.name()), Some(kind));
            assert_eq!(Issue::of_picture(kind, Some(12.0)).unwrap().kind(), kind);
        }
        assert_eq!(IssueKind::of_pictures("squashed"), None);
        assert_eq!(Issue::of_picture(IssueKind::Squashed, None), None);
    }

    #[test]
    fn a_repeated_text_counts_the_others() {
        let words = |others| {
            let evidence = Evidence::AltRepeated { others };
            Issue { place: IssuePlace::AltText, evidence }.to_string()
        };
        assert_eq!(words(1), "the same as another’s");
        assert_eq!(words(3), "the same as 3 others’");
    }
}
