//! Output rules: how files are made, said for the site, for a slot or for a picture. The nearest
//! that says something decides, and tells so.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::choosing::Want;
use crate::encode::{Encoding, Quality};
use crate::format::Format;
use crate::grade::Grade;
use crate::units::{Bytes, Density};

/// What a rule can be about, from far to near.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Level {
    /// Nobody said anything.
    Usual,
    /// The whole site.
    Site,
    /// A slot.
    Slot,
    /// A picture.
    Picture,
}

/// The most bytes that a file may have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", content = "bytes", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Cap {
    /// None.
    Open,
    /// So many.
    At(Bytes),
    /// The slot's budget.
    Budget,
}

impl Cap {
    /// The bytes under a slot's `budget`.
    pub const fn bytes(self, budget: Bytes) -> Option<Bytes> {
        match self {
            Self::Open => None,
            Self::At(bytes) => Some(bytes),
            Self::Budget => Some(budget),
        }
    }
}

/// What one level says; silent where there is nothing.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, try_from = "OutputRuleSpec")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OutputRule {
    /// Whether no file is made.
    pub excluded: Option<bool>,
    /// The formats, the first one before those that browsers fall back to.
    pub formats: Option<Vec<Format>>,
    /// How good files must be.
    pub want: Option<Want>,
    /// Qualities that were settled by eye, by format, instead of `want`.
    pub qualities: Option<BTreeMap<Format, Quality>>,
    /// The most bytes that a file may have.
    pub cap: Option<Cap>,
    /// The densities that files are made for.
    pub densities: Option<Vec<Density>>,
    /// Whether creator and licence stay in the file.
    pub keeps_credit: Option<bool>,
    /// The pattern of file names.
    pub name_pattern: Option<String>,
}

#[derive(Deserialize, Default)]
#[serde(default)]
struct OutputRuleSpec {
    excluded: Option<bool>,
    formats: Option<Vec<Format>>,
    want: Option<Want>,
    qualities: Option<BTreeMap<Format, Quality>>,
    cap: Option<Cap>,
    densities: Option<Vec<Density>>,
    keeps_credit: Option<bool>,
    name_pattern: Option<String>,
}

/// Why a rule cannot hold.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum RuleError {
    /// No format at all.
    #[error("a rule about formats needs at least one; to make no file, exclude the picture")]
    NoFormat,
    /// A format twice.
    #[error("{0} stands twice among the formats")]
    Twice(Format),
    /// Nothing that every browser reads.
    #[error("add JPEG, PNG or GIF as the last format: some browsers read neither AVIF nor WebP")]
    NoFallback,
    /// No density.
    #[error("a rule about densities needs at least one")]
    NoDensity,
    /// A cap of nothing.
    #[error("a cap of 0 bytes leaves no file")]
    NoBytes,
    /// A pattern that names nothing.
    #[error(transparent)]
    Pattern(#[from] crate::naming::PatternError),
}

impl TryFrom<OutputRuleSpec> for OutputRule {
    type Error = RuleError;

    fn try_from(spec: OutputRuleSpec) -> Result<Self, RuleError> {
        if let Some(formats) = &spec.formats {
            let last = formats.last().ok_or(RuleError::NoFormat)?;
            if matches!(last, Format::Avif | Format::Webp) {
                return Err(RuleError::NoFallback);
            }
            for (n, format) in formats.iter().enumerate() {
                if formats[..n].contains(format) {
                    return Err(RuleError::Twice(*format));
                }
            }
        }
        if spec.densities.as_ref().is_some_and(Vec::is_empty) {
            return Err(RuleError::NoDensity);
        }
        if spec.cap == Some(Cap::At(Bytes(0))) {
            return Err(RuleError::NoBytes);
        }
        if let Some(pattern) = &spec.name_pattern {
            crate::naming::Pattern::parse(pattern)?;
        }
        let OutputRuleSpec {
            excluded,
            formats,
            want,
            qualities,
            cap,
            densities,
            keeps_credit,
            name_pattern,
        } = spec;
        Ok(Self { excluded, formats, want, qualities, cap, densities, keeps_credit, name_pattern })
    }
}

impl OutputRule {
    /// Whether it says nothing.
    pub fn is_silent(&self) -> bool {
        *self == Self::default()
    }

    /// The same, with a trial that was chosen by eye: its format goes first, at its quality.
    ///
    /// `formats` are those that hold now, and stay behind it for browsers that do not read it.
    #[must_use]
    pub fn with_trial(mut self, encoding: Encoding, formats: &[Format]) -> Self {
        let chosen = encoding.format();
        let others = formats.iter().copied().filter(|&format| format != chosen);
        // What every browser reads needs nothing before it: lighter formats that come first would
        // be served instead.
        let universal = matches!(chosen, Format::Jpeg | Format::Png | Format::Gif);
        self.formats = Some(match universal {
            true => vec![chosen],
            false => [chosen].into_iter().chain(others).collect(),
        });
        match encoding.quality() {
            Some(quality) => {
                self.qualities.get_or_insert_default().insert(chosen, quality);
            }
            None if encoding.is_lossless() => self.want = Some(Want::Lossless),
            None => {}
        }
        self
    }
}

/// A value, and who decided it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Decided<T> {
    /// What holds.
    pub value: T,
    /// Who said so.
    pub by: Level,
}

/// What holds for a picture in a slot.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Decision {
    /// Whether no file is made.
    pub excluded: Decided<bool>,
    /// The formats, the first one before those that browsers fall back to.
    pub formats: Decided<Vec<Format>>,
    /// How good files must be.
    pub want: Decided<Want>,
    /// Qualities that were settled by eye.
    pub qualities: Decided<BTreeMap<Format, Quality>>,
    /// The most bytes that a file may have.
    pub cap: Decided<Cap>,
    /// Densities instead of the slot's own.
    pub densities: Decided<Option<Vec<Density>>>,
    /// Whether creator and licence stay in the file.
    pub keeps_credit: Decided<bool>,
    /// The pattern of file names instead of the site's.
    pub name_pattern: Decided<Option<String>>,
}

impl Decision {
    /// What holds where these levels say what they do.
    pub fn new(site: &OutputRule, slot: &OutputRule, picture: &OutputRule) -> Self {
        let levels = [(Level::Picture, picture), (Level::Slot, slot), (Level::Site, site)];
        Self {
            excluded: nearest(&levels, |rule| rule.excluded, false),
            formats: nearest(&levels, |rule| rule.formats.clone(), usual_formats()),
            want: nearest(&levels, |rule| rule.want, Want::Grade(Grade::Good)),
            qualities: nearest(&levels, |rule| rule.qualities.clone(), BTreeMap::new()),
            cap: nearest(&levels, |rule| rule.cap, Cap::Open),
            densities: nearest(&levels, |rule| rule.densities.clone().map(Some), None),
            keeps_credit: nearest(&levels, |rule| rule.keeps_credit, true),
            name_pattern: nearest(&levels, |rule| rule.name_pattern.clone().map(Some), None),
        }
    }

    /// How good a file in `format` must be: at the quality that was settled by eye, or else as
    /// `want` says. A nearer word on `want` counts more than a farther quality.
    pub fn want_in(&self, format: Format) -> Want {
        match self.qualities.value.get(&format) {
            Some(&quality) if self.qualities.by >= self.want.by => Want::Quality(quality),
            _ => self.want.value,
        }
    }
}

fn nearest<T>(
    levels: &[(Level, &OutputRule)],
    says: impl Fn(&OutputRule) -> Option<T>,
    usual: T,
) -> Decided<T> {
    let said = levels.iter().find_map(|(by, rule)| Some(Decided { value: says(rule)?, by: *by }));
    said.unwrap_or(Decided { value: usual, by: Level::Usual })
}

fn usual_formats() -> Vec<Format> {
    vec![Format::Avif, Format::Webp, Format::Jpeg, Format::Png]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn quality(value: u8) -> Quality {
        Quality::new(value).unwrap()
    }

    #[test]
    fn the_nearest_that_says_something_decides_each_part() {
        let site = OutputRule { want: Some(Want::Grade(Grade::Lean)), ..OutputRule::default() };
        let slot = OutputRule {
            cap: Some(Cap::At(Bytes::kb(60))),
            want: Some(Want::Lossless),
            ..OutputRule::default()
        };
        let picture = OutputRule { cap: Some(Cap::Open), ..OutputRule::default() };
        let decision = Decision::new(&site, &slot, &picture);
        assert_eq!(decision.want, Decided { value: Want::Lossless, by: Level::Slot });
        assert_eq!(decision.cap, Decided { value: Cap::Open, by: Level::Picture });
        assert_eq!(decision.formats.by, Level::Usual);
    }

    #[test]
    fn a_trial_goes_first_and_keeps_what_browsers_fall_back_to() {
        let formats = [Format::Avif, Format::Webp, Format::Jpeg];
        let rule = OutputRule::default().with_trial(Encoding::Webp(quality(44)), &formats);
        assert_eq!(rule.formats, Some(vec![Format::Webp, Format::Avif, Format::Jpeg]));
        let decision = Decision::new(&OutputRule::default(), &OutputRule::default(), &rule);
        assert_eq!(decision.want_in(Format::Webp), Want::Quality(quality(44)));
        assert_eq!(decision.want_in(Format::Jpeg), Want::Grade(Grade::Good));
        let plain = OutputRule::default().with_trial(Encoding::Jpeg(quality(60)), &formats);
        assert_eq!(plain.formats, Some(vec![Format::Jpeg]));
    }

    #[test]
    fn a_nearer_grade_counts_more_than_a_farther_quality() {
        let qualities = Some(BTreeMap::from([(Format::Jpeg, quality(40))]));
        let site = OutputRule { qualities, ..OutputRule::default() };
        let picture = OutputRule { want: Some(Want::Lossless), ..OutputRule::default() };
        let decision = Decision::new(&site, &OutputRule::default(), &picture);
        assert_eq!(decision.want_in(Format::Jpeg), Want::Lossless);
    }

    #[test]
    fn a_rule_that_serves_some_browsers_nothing_is_refused() {
        let read = |text: &str| serde_json::from_str::<OutputRule>(text).map_err(|e| e.to_string());
        assert!(read(r#"{"formats":["avif","webp"]}"#).unwrap_err().contains("browsers"));
        assert!(read(r#"{"formats":[]}"#).unwrap_err().contains("at least one"));
        assert!(read(r#"{"formats":["png","png"]}"#).unwrap_err().contains("twice"));
        assert!(read(r#"{"cap":{"kind":"at","bytes":0}}"#).unwrap_err().contains("0 bytes"));
        let rule = read(r#"{"formats":["avif","jpeg"],"want":{"by":"grade","value":"fine"}}"#);
        assert_eq!(rule.unwrap().want, Some(Want::Grade(Grade::Fine)));
    }
}
