//! Output rules: how files are made, said for the site, for a slot or for a picture. The nearest
//! that says something decides, and tells so.

use std::collections::BTreeMap;

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use thiserror::Error;

use crate::choice;
use crate::choice::{EncodeRequest, QualityTarget};
use crate::colour_space::ColourSpace;
use crate::content::ContentClass;
use crate::credit::Credit;
use crate::dense::Allowance;
use crate::describe::Description;
use crate::encoding::Encoding;
use crate::facts::PictureFacts;
use crate::format::Format;
use crate::grade::Grade;
use crate::units::{Bytes, Density};

/// What a rule can be about, from far to near.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum RuleLevel {
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
pub enum ByteCap {
    /// None.
    Open,
    /// So many.
    At(Bytes),
    /// The slot's budget.
    Budget,
}

impl ByteCap {
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
#[serde(default, deny_unknown_fields, remote = "Self")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OutputRule {
    /// Whether no file is made.
    pub excluded: Option<bool>,
    /// The formats, the first one before those that browsers fall back to.
    pub formats: Option<Vec<Format>>,
    /// How good files must be.
    pub want: Option<QualityTarget>,
    /// Encodings that were settled by eye, by format, instead of `want`.
    pub settled: Option<BTreeMap<Format, Encoding>>,
    /// The most bytes that a file may have.
    pub cap: Option<ByteCap>,
    /// The densities that files are made for.
    pub densities: Option<Vec<Density>>,
    /// Whether creator and licence stay in the file.
    pub keeps_credit: Option<bool>,
    /// Whether files stay in the colours of the picture's own profile instead of sRGB.
    pub keeps_profile: Option<bool>,
    /// How many points files for dense screens may lack at their own pixels.
    pub dense_allowance: Option<Allowance>,
    /// The pattern of file names.
    pub name_pattern: Option<String>,
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
    /// An encoding under another format's name.
    #[error("an encoding that was settled stands under another format's name")]
    OtherFormat,
    /// No density.
    #[error("a rule about densities needs at least one")]
    NoDensity,
    /// A cap of nothing.
    #[error("a cap of 0 bytes leaves no file")]
    NoBytes,
    /// A pattern that names nothing.
    #[error(transparent)]
    Pattern(#[from] crate::name_pattern::PatternError),
}

impl Serialize for OutputRule {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        Self::serialize(self, serializer)
    }
}

/// Checked when it is read.
impl<'de> Deserialize<'de> for OutputRule {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let rule = Self::deserialize(deserializer)?;
        rule.check().map_err(serde::de::Error::custom)?;
        Ok(rule)
    }
}

impl OutputRule {
    fn check(&self) -> Result<(), RuleError> {
        if let Some(formats) = &self.formats {
            let last = formats.last().ok_or(RuleError::NoFormat)?;
            if !last.is_universal() {
                return Err(RuleError::NoFallback);
            }
            for (n, format) in formats.iter().enumerate() {
                if formats[..n].contains(format) {
                    return Err(RuleError::Twice(*format));
                }
            }
        }
        if self.settled.iter().flatten().any(|(format, encoding)| encoding.format() != *format) {
            return Err(RuleError::OtherFormat);
        }
        if self.densities.as_ref().is_some_and(Vec::is_empty) {
            return Err(RuleError::NoDensity);
        }
        if self.cap == Some(ByteCap::At(Bytes(0))) {
            return Err(RuleError::NoBytes);
        }
        if let Some(pattern) = &self.name_pattern {
            crate::name_pattern::Pattern::parse(pattern)?;
        }
        Ok(())
    }

    /// Whether it says nothing.
    pub fn is_silent(&self) -> bool {
        *self == Self::default()
    }

    /// What it says of how files are made, in words.
    pub fn words(&self) -> String {
        fn list<T: ToString>(values: &[T], after: &str) -> String {
            let words: Vec<String> =
                values.iter().map(|one| format!("{}{after}", one.to_string())).collect();
            words.join(", ")
        }
        let formats = self.formats.as_deref().map(|all| list(all, ""));
        let want = self.want.map(|want| match want {
            QualityTarget::Grade(grade) => grade.name().to_owned(),
            QualityTarget::Quality(quality) => format!("quality {quality}"),
            QualityTarget::Lossless => "lossless".to_owned(),
        });
        let cap = self.cap.map(|cap| match cap {
            ByteCap::Open => "of any weight".to_owned(),
            ByteCap::At(bytes) => format!("at most {} bytes", bytes.get()),
            ByteCap::Budget => "within the slot's budget".to_owned(),
        });
        let densities = self.densities.as_deref().map(|all| format!("at {}", list(all, "x")));
        let credit = self.keeps_credit.map(|keeps| match keeps {
            true => "with credit".to_owned(),
            false => "without credit".to_owned(),
        });
        let colours = self.keeps_profile.map(|keeps| match keeps {
            true => "in the picture's own colours".to_owned(),
            false => "in sRGB".to_owned(),
        });
        let dense = self.dense_allowance.map(|allowance| match u8::from(allowance) {
            0 => "at 2x as good as at 1x".to_owned(),
            points => format!("up to {points} points less at 2x"),
        });
        let parts = [formats, want, dense, cap, densities, credit, colours];
        parts.into_iter().flatten().collect::<Vec<_>>().join("; ")
    }

    /// The same, with a trial that was chosen by eye: its format goes first, encoded so.
    ///
    /// `formats` are those that hold now, and stay behind it for browsers that do not read it.
    #[must_use]
    pub fn with_trial(mut self, encoding: Encoding, formats: &[Format]) -> Self {
        let chosen = encoding.format();
        let others = formats.iter().copied().filter(|&format| format != chosen);
        // What every browser reads leaves nothing for the formats behind it.
        self.formats = Some(match chosen.is_universal() {
            true => vec![chosen],
            false => [chosen].into_iter().chain(others).collect(),
        });
        self.settled.get_or_insert_default().insert(chosen, encoding);
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
    pub by: RuleLevel,
}

/// What holds for a picture in a slot.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EffectiveRule {
    /// Whether no file is made.
    pub excluded: Decided<bool>,
    /// The formats, the first one before those that browsers fall back to.
    pub formats: Decided<Vec<Format>>,
    /// How good files must be.
    pub want: Decided<QualityTarget>,
    /// Encodings that were settled by eye.
    pub settled: Decided<BTreeMap<Format, Encoding>>,
    /// The most bytes that a file may have.
    pub cap: Decided<ByteCap>,
    /// Densities instead of the slot's own.
    pub densities: Decided<Option<Vec<Density>>>,
    /// Whether creator and licence stay in the file.
    pub keeps_credit: Decided<bool>,
    /// Whether files stay in the colours of the picture's own profile instead of sRGB.
    pub keeps_profile: Decided<bool>,
    /// How many points files for dense screens may lack at their own pixels.
    pub dense_allowance: Decided<Allowance>,
    /// The pattern of file names instead of the site's.
    pub name_pattern: Decided<Option<String>>,
}

impl EffectiveRule {
    /// What holds where these levels say what they do.
    ///
    /// ```
    /// use brisk_margin_core::format::Format;
    /// use brisk_margin_core::rule::{EffectiveRule, OutputRule, RuleLevel};
    ///
    /// let site = OutputRule { formats: Some(vec![Format::Webp]), ..OutputRule::default() };
    /// let picture = OutputRule { formats: Some(vec![Format::Png]), ..OutputRule::default() };
    /// let rule = EffectiveRule::new(&site, &OutputRule::default(), &picture);
    /// assert_eq!(rule.formats.value, [Format::Png], "the closest level that says something");
    /// ```
    pub fn new(site: &OutputRule, slot: &OutputRule, picture: &OutputRule) -> Self {
        let levels =
            [(RuleLevel::Picture, picture), (RuleLevel::Slot, slot), (RuleLevel::Site, site)];
        Self {
            excluded: nearest(&levels, |rule| rule.excluded, false),
            formats: nearest(&levels, |rule| rule.formats.clone(), usual_formats()),
            want: nearest(&levels, |rule| rule.want, QualityTarget::Grade(Grade::Good)),
            settled: nearest(&levels, |rule| rule.settled.clone(), BTreeMap::new()),
            cap: nearest(&levels, |rule| rule.cap, ByteCap::Open),
            densities: nearest(&levels, |rule| rule.densities.clone().map(Some), None),
            keeps_credit: nearest(&levels, |rule| rule.keeps_credit, true),
            keeps_profile: nearest(&levels, |rule| rule.keeps_profile, false),
            dense_allowance: nearest(&levels, |rule| rule.dense_allowance, Allowance::default()),
            name_pattern: nearest(&levels, |rule| rule.name_pattern.clone().map(Some), None),
        }
    }

    /// Formats, how good files must be, and what else is not as usual, in words: `AVIF, WebP, JPEG;
    /// good; at 1x, 2x`.
    pub fn words(&self) -> String {
        let unusual = OutputRule {
            formats: Some(self.formats.value.clone()),
            want: Some(self.want.value),
            cap: Some(self.cap.value).filter(|cap| *cap != ByteCap::Open),
            densities: self.densities.value.clone(),
            keeps_credit: Some(self.keeps_credit.value).filter(|keeps| !keeps),
            keeps_profile: Some(self.keeps_profile.value).filter(|keeps| *keeps),
            dense_allowance: Some(self.dense_allowance.value)
                .filter(|allowance| *allowance != Allowance::default()),
            ..OutputRule::default()
        };
        unusual.words()
    }

    /// The encoding in `format` that was settled by eye; nothing where a nearer level says how good
    /// files must be.
    pub fn settled_in(&self, format: Format) -> Option<Encoding> {
        let counts = self.settled.by >= self.want.by;
        counts.then(|| self.settled.value.get(&format).copied()).flatten()
    }

    /// What it asks of a file in `format` under `budget`, which has `density` pixels for each CSS pixel; `target` says
    /// otherwise how good it must be.
    pub fn request(
        &self,
        format: Format,
        target: Option<QualityTarget>,
        budget: Bytes,
        density: Density,
    ) -> EncodeRequest {
        match (target, self.settled_in(format)) {
            (None, Some(encoding)) => EncodeRequest::One(encoding),
            (target, _) => {
                let target = target.unwrap_or(self.want.value);
                let cap = self.cap.value.bytes(budget);
                match (target, self.dense_allowance.value.at(density)) {
                    (QualityTarget::Grade(grade), Some(dense)) => {
                        EncodeRequest::Dense(format, grade, dense, cap)
                    }
                    _ => EncodeRequest::Best(format, target, cap),
                }
            }
        }
    }

    /// What a file says of who made it.
    pub fn credit(&self, description: &Description) -> Option<Credit> {
        self.keeps_credit.value.then(|| Credit::of(description)).flatten()
    }

    /// The colours that files of a picture of such `facts` are in. A still picture alone keeps its
    /// own, and only where each of the formats carries a profile.
    pub fn colours(&self, facts: &PictureFacts) -> ColourSpace {
        let carried = self.formats.value.iter().all(|format| format.carries_profile());
        let has_own = facts.profile.is_some() && facts.frames == 1;
        match self.keeps_profile.value && has_own && carried {
            true => ColourSpace::Own,
            false => ColourSpace::Srgb,
        }
    }

    /// The formats that are worth trying for such a picture. Where nothing may be lost, those that
    /// always lose something are not, and PNG stands in for them.
    pub fn worth_trying(&self, class: ContentClass, is_transparent: bool) -> Vec<Format> {
        let mut formats = choice::worth_trying(&self.formats.value, class, is_transparent);
        if self.want.value == QualityTarget::Lossless && class != ContentClass::Animation {
            formats.retain(|&format| {
                let has_kind = Encoding::lossless(format).is_some() || !format.is_ours();
                has_kind || self.settled_in(format).is_some()
            });
            if !formats.iter().any(|format| format.is_universal()) {
                formats.push(Format::Png);
            }
        }
        formats
    }
}

fn nearest<T>(
    levels: &[(RuleLevel, &OutputRule)],
    says: impl Fn(&OutputRule) -> Option<T>,
    usual: T,
) -> Decided<T> {
    let said = levels.iter().find_map(|(by, rule)| Some(Decided { value: says(rule)?, by: *by }));
    said.unwrap_or(Decided { value: usual, by: RuleLevel::Usual })
}

fn usual_formats() -> Vec<Format> {
    vec![Format::Avif, Format::Webp, Format::Jpeg, Format::Png]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rule_in_words_tells_what_is_not_as_usual() {
        let of = |site: &OutputRule| {
            EffectiveRule::new(site, &OutputRule::default(), &OutputRule::default()).words()
        };
        let usual = of(&OutputRule::default());
        assert!(usual.ends_with("JPEG, PNG; good"), "{usual}");
        let own = OutputRule {
            formats: Some(vec![Format::Webp, Format::Jpeg]),
            want: Some(QualityTarget::Lossless),
            cap: Some(ByteCap::At(Bytes(80_000))),
            densities: Some(vec![Density::ONE, Density::REFERENCE]),
            ..OutputRule::default()
        };
        assert_eq!(of(&own), "WebP, JPEG; lossless; at most 80000 bytes; at 1x, 2x");
    }
    use crate::encoding::{Dithering, Palette, PaletteSize, Quality};

    fn quality(value: u8) -> Quality {
        Quality::new(value).unwrap()
    }

    #[test]
    fn the_nearest_that_says_something_decides_each_part() {
        let site =
            OutputRule { want: Some(QualityTarget::Grade(Grade::Lean)), ..OutputRule::default() };
        let slot = OutputRule {
            cap: Some(ByteCap::At(Bytes::kb(60))),
            want: Some(QualityTarget::Lossless),
            ..OutputRule::default()
        };
        let picture = OutputRule { cap: Some(ByteCap::Open), ..OutputRule::default() };
        let decision = EffectiveRule::new(&site, &slot, &picture);
        assert_eq!(decision.want, Decided { value: QualityTarget::Lossless, by: RuleLevel::Slot });
        assert_eq!(decision.cap, Decided { value: ByteCap::Open, by: RuleLevel::Picture });
        assert_eq!(decision.formats.by, RuleLevel::Usual);
    }

    fn alone(picture: &OutputRule) -> EffectiveRule {
        EffectiveRule::new(&OutputRule::default(), &OutputRule::default(), picture)
    }

    #[test]
    fn a_trial_goes_first_and_keeps_what_browsers_fall_back_to() {
        let formats = [Format::Avif, Format::Webp, Format::Jpeg];
        let chosen = Encoding::Webp(quality(44));
        let rule = OutputRule::default().with_trial(chosen, &formats);
        assert_eq!(rule.formats, Some(vec![Format::Webp, Format::Avif, Format::Jpeg]));
        assert_eq!(alone(&rule).settled_in(Format::Webp), Some(chosen));
        assert_eq!(alone(&rule).settled_in(Format::Jpeg), None);
        let palette = Palette { colours: PaletteSize::new(32).unwrap(), dithering: Dithering::Off };
        let plan = Encoding::PngPalette(palette);
        let rule = rule.with_trial(plan, &formats);
        assert_eq!(rule.formats, Some(vec![Format::Png]));
        assert_eq!(alone(&rule).settled_in(Format::Png), Some(plan));
    }

    #[test]
    fn a_nearer_grade_counts_more_than_a_farther_choice() {
        let settled = Some([(Format::Jpeg, Encoding::Jpeg(quality(40)))].into());
        let site = OutputRule { settled, ..OutputRule::default() };
        let picture = OutputRule { want: Some(QualityTarget::Lossless), ..OutputRule::default() };
        let decision = EffectiveRule::new(&site, &OutputRule::default(), &picture);
        assert_eq!(decision.settled_in(Format::Jpeg), None);
    }

    #[test]
    fn where_nothing_may_be_lost_no_format_that_loses_is_tried() {
        let formats = Some(vec![Format::Avif, Format::Webp, Format::Jpeg]);
        let rule =
            OutputRule { formats, want: Some(QualityTarget::Lossless), ..OutputRule::default() };
        let worth = alone(&rule).worth_trying(ContentClass::Photograph, false);
        assert_eq!(worth, [Format::Webp, Format::Png]);
    }

    #[test]
    fn a_rule_that_serves_some_browsers_nothing_is_refused() {
        let read = |text: &str| serde_json::from_str::<OutputRule>(text).map_err(|e| e.to_string());
        assert!(read(r#"{"formats":["avif","webp"]}"#).unwrap_err().contains("browsers"));
        assert!(read(r#"{"formats":[]}"#).unwrap_err().contains("at least one"));
        assert!(read(r#"{"formats":["png","png"]}"#).unwrap_err().contains("twice"));
        assert!(read(r#"{"cap":{"kind":"at","bytes":0}}"#).unwrap_err().contains("0 bytes"));
        let other = r#"{"settled":{"jpeg":{"format":"webp","quality":4}}}"#;
        assert!(read(other).unwrap_err().contains("another format"));
        let rule = read(r#"{"formats":["avif","jpeg"],"want":{"by":"grade","value":"fine"}}"#);
        let rule = rule.unwrap();
        assert_eq!(rule.want, Some(QualityTarget::Grade(Grade::Fine)));
        assert_eq!(read(&serde_json::to_string(&rule).unwrap()).unwrap(), rule);
    }
}
