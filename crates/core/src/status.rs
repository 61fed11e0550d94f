//! A picture's status in the library: what it weighs, what it could weigh, and what is worth
//! doing with it.

use serde::{Deserialize, Serialize};

use crate::content::{ContentClass, WeightSample};
use crate::geometry::Size;
use crate::issue::{Evidence, Issue, IssueKind};
use crate::source_format::SourceFormat;
use crate::units::Bytes;

/// The true weight lies so much above or below an estimate in nine of ten cases, as a factor;
/// measured on the demo's pictures (docs/performance.md).
const SPREAD: f64 = 1.25;
/// A saving counts from this share of today's bytes…
const WORTH_SHARE: f64 = 0.10;
/// …and from this many bytes.
const WORTH_BYTES: u64 = 2_000;

impl Use {
    /// More pixels that it asks for, in percent; nothing where it has enough, or nearly.
    pub fn short(&self) -> Option<f64> {
        match Evidence::too_small(self.shortfall)? {
            Evidence::TooSmall { percent } => Some(percent),
            _ => None,
        }
    }
}

/// One place that shows a picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Use {
    /// The pixels that a file for it has on the most demanding screen, never more than the
    /// picture gives.
    pub output: Size,
    /// Needed over available pixels; above 1 the picture is too small.
    pub shortfall: f64,
}

/// What is known of a picture.
#[derive(Debug, Clone, Copy)]
pub struct StatusInputs<'a> {
    /// Its format.
    pub format: SourceFormat,
    /// Its size as shown.
    pub size: Size,
    /// Whether its metadata tell where it was taken.
    pub has_location: bool,
    /// What kind it is and how heavy to encode, once it was looked at.
    pub analysis: Option<(ContentClass, WeightSample)>,
    /// What a page that shows it transfers today: the original where nothing better is known.
    pub today: Bytes,
    /// Where it is shown.
    pub uses: &'a [Use],
    /// The long side that is made of it at most where no slot says more, in pixels.
    pub ceiling: u32,
    /// Whether its alt text is written or not wanted.
    pub has_alt: bool,
    /// Whether somebody is credited.
    pub has_credit: bool,
    /// Whether another picture is the same or looks the same.
    pub is_duplicate: bool,
    /// Whether its file in the site's folder was replaced.
    pub is_replaced: bool,
    /// Whether it came by the site's folder.
    pub is_from_folder: bool,
}

/// A weight before it is measured: about so much, and between which bounds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// The lower bound.
    pub low: Bytes,
    /// The likeliest.
    pub about: Bytes,
    /// The upper bound.
    pub high: Bytes,
}

/// What a picture could weigh, and what is worth doing with it.
#[derive(Debug, Clone, PartialEq)]
pub struct PictureStatus {
    /// What it could weigh; nothing before it was looked at, or where its class is not estimated.
    pub possible: Option<Estimate>,
    /// More pixels that its most demanding slot asks for, in percent.
    pub short: Option<f64>,
    /// What is to be mended, the most serious first.
    pub issues: Vec<Issue>,
}

impl Estimate {
    /// An estimate of which the likeliest weight is `about`, and no bound above `most`.
    fn about(about: Bytes, most: Bytes) -> Self {
        let at = |factor: f64| Bytes((about.get() as f64 * factor).round() as u64).min(most);
        Self { low: at(1.0 / SPREAD), about: at(1.0), high: at(SPREAD) }
    }
}

impl StatusInputs<'_> {
    /// Judges the picture.
    pub fn status(&self) -> PictureStatus {
        let possible = self.possible();
        // A drawing has enough pixels for any slot.
        let uses = if self.format == SourceFormat::Svg { &[] } else { self.uses };
        let short = uses.iter().filter_map(Use::short).reduce(f64::max);
        let is_heavier = possible.is_some_and(|estimate| {
            let saved = self.today.get().saturating_sub(estimate.high.get());
            saved >= WORTH_BYTES && saved as f64 >= WORTH_SHARE * self.today.get() as f64
        });
        let holds = |kind: &IssueKind| match kind {
            IssueKind::TooSmall => short.is_some(),
            IssueKind::Replaced => self.is_replaced,
            IssueKind::Heavier => is_heavier,
            IssueKind::WrongFormat => self.has_wrong_format(),
            IssueKind::Duplicate => self.is_duplicate,
            IssueKind::Location => self.has_location,
            IssueKind::NoAlt => !self.has_alt,
            IssueKind::NoCredit => !self.has_credit,
            IssueKind::NotUsed => self.uses.is_empty(),
            IssueKind::FromFolder => self.is_from_folder,
            _ => false,
        };
        let issues = IssueKind::OF_PICTURES.into_iter().filter(holds);
        let issues = issues.filter_map(|kind| Issue::of_picture(kind, short)).collect();
        PictureStatus { possible, short, issues }
    }

    /// What its largest use needs, or what the ceiling leaves of it, and never more than today.
    fn possible(&self) -> Option<Estimate> {
        let (class, sample) = self.analysis?;
        let largest = self.uses.iter().map(|place| place.output.pixels()).max();
        let pixels = largest.unwrap_or_else(|| {
            let long = self.size.width.max(self.size.height);
            let factor = (f64::from(self.ceiling) / f64::from(long)).min(1.0);
            (self.size.pixels() as f64 * factor * factor).round() as u64
        });
        Some(Estimate::about(class.weight(&sample, pixels)?, self.today))
    }

    fn has_wrong_format(&self) -> bool {
        let Some((class, _)) = self.analysis else { return !self.format.is_for_the_web() };
        match class {
            _ if !self.format.is_for_the_web() => true,
            ContentClass::Photograph => {
                matches!(self.format, SourceFormat::Png | SourceFormat::Gif)
            }
            ContentClass::Graphic | ContentClass::Text => self.format == SourceFormat::Jpeg,
            ContentClass::Animation => self.format == SourceFormat::Gif,
            ContentClass::Drawing => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SAMPLE: WeightSample = WeightSample::even(1_000_000, 200_000);

    fn known(format: SourceFormat, class: ContentClass) -> StatusInputs<'static> {
        StatusInputs {
            format,
            size: Size::new(6_000, 4_000),
            has_location: false,
            analysis: Some((class, SAMPLE)),
            today: Bytes::mb(9),
            uses: &[],
            ceiling: 2_560,
            has_alt: true,
            has_credit: true,
            is_duplicate: false,
            is_replaced: false,
            is_from_folder: false,
        }
    }

    fn kinds(picture: StatusInputs<'_>) -> Vec<IssueKind> {
        picture.status().issues.iter().map(Issue::kind).collect()
    }

    #[test]
    fn a_camera_file_in_a_small_slot_is_heavier_than_needed() {
        let place = Use { output: Size::new(800, 600), shortfall: 0.2 };
        let uses = &[place];
        let camera = StatusInputs { uses, ..known(SourceFormat::Jpeg, ContentClass::Photograph) };
        assert_eq!(kinds(camera), [IssueKind::Heavier]);
        let possible = camera.status().possible.unwrap();
        assert_eq!(possible.about, SAMPLE.weight(480_000));
        assert!(possible.low < possible.about && possible.about < possible.high);
    }

    #[test]
    fn what_is_lean_already_is_left_alone() {
        let lean = StatusInputs {
            today: Bytes::kb(100),
            uses: &[Use { output: Size::new(800, 600), shortfall: 0.2 }],
            ..known(SourceFormat::Webp, ContentClass::Photograph)
        };
        assert_eq!(kinds(lean), []);
        assert!(lean.status().possible.unwrap().high <= Bytes::kb(100));
    }

    #[test]
    fn the_format_is_judged_by_the_content() {
        let wrong = |format, class| kinds(known(format, class)).contains(&IssueKind::WrongFormat);
        assert!(wrong(SourceFormat::Png, ContentClass::Photograph));
        assert!(wrong(SourceFormat::Jpeg, ContentClass::Text));
        assert!(wrong(SourceFormat::Tiff, ContentClass::Photograph));
        assert!(!wrong(SourceFormat::Png, ContentClass::Graphic));
        assert!(!wrong(SourceFormat::Jpeg, ContentClass::Photograph));
    }

    #[test]
    fn too_few_pixels_come_first_but_a_drawing_has_enough_for_any_slot() {
        let places = [Use { output: Size::new(640, 480), shortfall: 1.4 }];
        let photograph = StatusInputs {
            uses: &places,
            has_alt: false,
            ..known(SourceFormat::Jpeg, ContentClass::Photograph)
        };
        assert_eq!(kinds(photograph), [IssueKind::TooSmall, IssueKind::Heavier, IssueKind::NoAlt]);
        assert!((photograph.status().short.unwrap() - 40.0).abs() < 1e-9);
        let drawing =
            StatusInputs { uses: &places, ..known(SourceFormat::Svg, ContentClass::Drawing) };
        assert_eq!(kinds(drawing), []);
    }

    proptest! {
        #[test]
        fn an_estimate_is_never_above_what_there_is(
            bytes in 1u64..10_000_000, width in 1u32..9_000, height in 1u32..9_000,
            sampled in 1u64..1_000_000,
        ) {
            let sample = WeightSample::even(500_000, sampled);
            let picture = StatusInputs {
                size: Size::new(width, height),
                today: Bytes(bytes),
                analysis: Some((ContentClass::Photograph, sample)),
                ..known(SourceFormat::Jpeg, ContentClass::Photograph)
            };
            let estimate = picture.status().possible.unwrap();
            prop_assert!(estimate.low <= estimate.about && estimate.about <= estimate.high);
            prop_assert!(estimate.high <= Bytes(bytes));
        }
    }
}
