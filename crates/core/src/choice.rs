//! Choosing an encoding, as far as it is decided before any file is made: how good a file must be,
//! which formats are worth trying, and how a choice can end.

use serde::{Deserialize, Serialize};

use crate::content::ContentClass;
use crate::dense::DenseView;
use crate::edits::EditList;
use crate::encoding::{Encoding, Quality};
use crate::facts::PictureFacts;
use crate::format::Format;
use crate::grade::{Grade, Score};
use crate::source_format::SourceFormat;
use crate::units::Bytes;

/// How good a file must be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "by", content = "value", rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum QualityTarget {
    /// As faithful as a grade says, and no heavier than that takes.
    Grade(Grade),
    /// At a quality, whatever comes of it.
    Quality(Quality),
    /// The same pixels.
    Lossless,
}

/// How a choice ended.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ChoiceOutcome {
    /// It is as it was asked to be.
    Met,
    /// The grade is out of reach in this format: this is the best there is.
    Short {
        /// The score that was asked for.
        target: Score,
    },
    /// The byte cap forced a lower score than the grade's.
    Capped {
        /// The score that was asked for.
        target: Score,
    },
    /// Even the smallest file is above the cap: this is it.
    OverCap {
        /// The bytes that were allowed.
        cap: Bytes,
    },
}

/// The formats of `allowed` that are worth trying for such a picture, in the same order.
///
/// JPEG keeps no transparency and blurs letters, PNG is heavy for photographs: either is tried
/// only where nothing else is allowed, or as what every browser can read. What moves is tried in the
/// formats that do, GIF last of them.
///
/// ```
/// use brisk_margin_core::choice::worth_trying;
/// use brisk_margin_core::content::ContentClass;
/// use brisk_margin_core::format::Format;
///
/// let all = [Format::Avif, Format::Webp, Format::Jpeg, Format::Png];
/// let tried = worth_trying(&all, ContentClass::Photograph, false);
/// assert_eq!(tried, [Format::Avif, Format::Webp, Format::Jpeg]);
/// ```
pub fn worth_trying(allowed: &[Format], class: ContentClass, is_transparent: bool) -> Vec<Format> {
    if class == ContentClass::Animation {
        let mut moving: Vec<Format> = allowed.iter().copied().filter(|f| f.moves()).collect();
        // Everything that moves everywhere.
        if !moving.contains(&Format::Gif) {
            moving.push(Format::Gif);
        }
        return moving;
    }
    let suits = |format: Format| match format {
        Format::Jpeg => !is_transparent && class == ContentClass::Photograph,
        Format::Png => is_transparent || class != ContentClass::Photograph,
        Format::Gif => false,
        Format::Webp | Format::Avif | Format::Jxl => true,
    };
    let keeps = |format: Format| !is_transparent || format.has_alpha();
    let mut worth: Vec<Format> = allowed.iter().copied().filter(|&format| suits(format)).collect();
    // Something must be there for browsers that read neither.
    if !worth.iter().any(|format| format.is_universal()) {
        let fallback = allowed.iter().copied().find(|&f| f.is_universal() && keeps(f));
        worth.extend(fallback);
    }
    if worth.is_empty() {
        worth.extend(allowed.iter().copied().filter(|&format| keeps(format)));
    }
    worth
}

/// What is asked of an encoder for some pixels.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum EncodeRequest {
    /// The smallest file in a format that is as good as it must be.
    Best(Format, QualityTarget, Option<Bytes>),
    /// The smallest file in a format that has a grade as it is seen on a dense screen.
    Dense(Format, Grade, DenseView, Option<Bytes>),
    /// The most faithful file in a format that has at most so many bytes.
    Under(Format, Bytes),
    /// One encoding.
    One(Encoding),
}

impl EncodeRequest {
    /// `format` at `quality`, by whoever makes it.
    pub const fn at(format: Format, quality: Quality) -> Self {
        match Encoding::new(format, quality) {
            Some(encoding) => Self::One(encoding),
            None => Self::Best(format, QualityTarget::Quality(quality), None),
        }
    }

    /// Its format.
    pub const fn format(self) -> Format {
        match self {
            Self::Best(format, ..) | Self::Dense(format, ..) | Self::Under(format, _) => format,
            Self::One(encoding) => encoding.format(),
        }
    }
}

/// Whether a file of `served` bytes is left alone beside another of `other`: that one is not at
/// least 3 % smaller.
pub const fn is_lean(served: Bytes, other: Bytes) -> bool {
    other.get() * 100 > served.get() * 97
}

/// What kind of picture an encoder is given: of one with `facts` and of `class`, as far as it was
/// analysed, rendered with `edits`.
pub fn rendered_class(
    facts: &PictureFacts,
    class: Option<ContentClass>,
    edits: &EditList,
) -> ContentClass {
    // Edits are laid on one picture: of what moves, on the first. PNG's frames are not read.
    if facts.frames > 1 && edits.is_plain() && facts.format != SourceFormat::Png {
        return ContentClass::Animation;
    }
    match class.unwrap_or(ContentClass::Photograph) {
        ContentClass::Animation => ContentClass::Photograph,
        // Drawn to pixels, a drawing is a graphic.
        ContentClass::Drawing => ContentClass::Graphic,
        other => other,
    }
}

/// Those of `formats`, the best first, that are worth offering: one whose files came out heavier than
/// those of a format behind it would only make pages slower. `weight` is that of a format's files, where
/// they are all made.
///
/// ```
/// use brisk_margin_core::choice::worth_offering;
/// use brisk_margin_core::format::Format;
/// use brisk_margin_core::units::Bytes;
///
/// let weight = |format| Some(Bytes(if format == Format::Avif { 900 } else { 800 }));
/// assert_eq!(worth_offering(&[Format::Avif, Format::Jpeg], weight), [Format::Jpeg]);
/// ```
pub fn worth_offering(formats: &[Format], weight: impl Fn(Format) -> Option<Bytes>) -> Vec<Format> {
    let lighter = |n: usize, format: Format| {
        let behind = formats[n + 1..].iter().filter_map(|&other| weight(other)).min();
        weight(format).zip(behind).is_none_or(|(own, behind)| own < behind)
    };
    let formats = formats.iter().copied().enumerate();
    formats.filter(|&(n, format)| lighter(n, format)).map(|(_, format)| format).collect()
}
