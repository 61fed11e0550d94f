//! Showings: files where a page shows them, and what is to be mended there.
//!
//! All is judged by the rendered size, not by the box, since the browser may cut a part.

use crate::geometry::Size;
use crate::issue::{Evidence, Issue, IssuePlace};
use crate::layout::BoxSize;
use crate::needs::device;
use crate::object_fit::ObjectFit;
use crate::slot_shape::Fit;
use crate::units::{Bytes, Density};

/// A file where a page shows it, at one layout width and density.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Showing {
    /// The box in CSS pixels.
    pub size: BoxSize,
    /// How the file is put into it.
    pub painting: ObjectFit,
    /// Device pixels per CSS pixel.
    pub density: Density,
    /// The file's pixels.
    pub file: Size,
    /// The file's weight.
    pub bytes: Bytes,
}

/// Shapes may differ by so much before it is called squashed.
const SQUASH: f64 = 0.02;
/// File pixels over needed ones from which a file is too large.
const TOO_LARGE: f64 = 1.6;
/// The part that may be cut before the shape is called wrong.
const WRONG_SHAPE: f64 = 0.10;

impl Showing {
    /// The file's rendered size in CSS pixels, cut parts included.
    fn rendered(&self) -> BoxSize {
        let aspect = self.file.aspect();
        match self.painting {
            ObjectFit::Fill => self.size,
            ObjectFit::Cover => self.size.rendered(Fit::Cover, aspect),
            ObjectFit::Contain => self.size.rendered(Fit::Contain, aspect),
            ObjectFit::Natural => {
                BoxSize { width: self.file.width.into(), height: self.file.height.into() }
            }
        }
    }

    /// The pixels that a file just for this box has: those that the screen shows of it, and no more than this one.
    pub fn pixels_wanted(&self) -> u64 {
        let shown = device(self.size.width, self.size.height, self.density).pixels();
        shown.min(self.needed().pixels()).min(self.file.pixels())
    }

    /// Device pixels that the screen has for the rendered file.
    fn needed(&self) -> Size {
        let rendered = self.rendered();
        device(rendered.width, rendered.height, self.density)
    }

    /// How much less one side is stretched than the other, from 0 to 1.
    fn squash(&self) -> f64 {
        let rendered = self.rendered();
        let ratio = rendered.aspect() / self.file.aspect();
        1.0 - ratio.min(1.0 / ratio)
    }

    /// The part of the file that is cut away, from 0 to 1.
    fn cut(&self) -> f64 {
        let rendered = self.rendered();
        let seen = self.size.width.min(rendered.width) * self.size.height.min(rendered.height);
        1.0 - seen / (rendered.width * rendered.height)
    }
}

/// What is to be mended of the picture in a slot, the most serious first; nothing where it fits.
/// Showings whose box is not shown do not count.
pub fn issues(showings: &[Showing]) -> Vec<Issue> {
    let shown: Vec<&Showing> = showings.iter().filter(|s| s.size.is_shown()).collect();
    let mut found = if shown.is_empty() { vec![Evidence::Empty] } else { found(&shown) };
    found.sort_by_key(Evidence::kind);
    found.into_iter().map(|evidence| Issue { place: IssuePlace::Slot, evidence }).collect()
}

fn found(shown: &[&Showing]) -> Vec<Evidence> {
    let most = |of: &dyn Fn(&Showing) -> f64| shown.iter().map(|s| of(s)).fold(0.0, f64::max);
    let least =
        |of: &dyn Fn(&Showing) -> f64| shown.iter().map(|s| of(s)).fold(f64::INFINITY, f64::min);
    let mut found = Vec::new();
    let squash = most(&Showing::squash);
    if squash > SQUASH {
        found.push(Evidence::Squashed { percent: 100.0 * squash });
    }
    let enlarged = most(&|s| s.rendered().width / f64::from(s.file.width));
    let short = most(&|s| f64::from(s.needed().width) / f64::from(s.file.width));
    found.extend(Evidence::enlarged(enlarged).or_else(|| Evidence::too_small(short)));
    found.extend(too_large(shown));
    let cut = least(&Showing::cut);
    if cut > WRONG_SHAPE {
        found.push(Evidence::WrongShape { percent: 100.0 * cut });
    }
    found
}

/// The file that is most too large for the screen that needs most of it.
fn too_large(shown: &[&Showing]) -> Option<Evidence> {
    // A file served to several screens is as large as the most demanding of them wants it.
    let worst = shown
        .iter()
        .map(|showing| {
            let same = shown.iter().filter(|s| s.file == showing.file && s.bytes == showing.bytes);
            let needed = same.map(|s| s.needed().pixels()).max().unwrap_or(1);
            (showing.file.pixels() as f64 / needed.max(1) as f64, showing.bytes)
        })
        .max_by(|a, b| a.0.total_cmp(&b.0))?;
    let (times, bytes) = worst;
    let wasted = Bytes((bytes.get() as f64 * (1.0 - 1.0 / times)).round() as u64);
    (times > TOO_LARGE).then_some(Evidence::TooLarge { times, wasted })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn showing(size: (f64, f64), painting: ObjectFit, density: f64, file: (u32, u32)) -> Showing {
        Showing {
            size: BoxSize { width: size.0, height: size.1 },
            painting,
            density: Density::new(density).unwrap(),
            file: Size::new(file.0, file.1),
            bytes: Bytes::mb(1),
        }
    }

    fn words(showings: &[Showing]) -> Vec<String> {
        issues(showings).iter().map(ToString::to_string).collect()
    }

    #[test]
    fn a_camera_file_in_a_small_slot_wastes_almost_all_of_it() {
        let large = showing((400.0, 300.0), ObjectFit::Cover, 2.0, (6000, 4500));
        assert_eq!(words(&[large]), ["56.2× more pixels than any screen uses, 982 KB wasted"]);
    }

    #[test]
    fn one_screen_that_needs_the_pixels_justifies_them() {
        let phone = showing((390.0, 260.0), ObjectFit::Cover, 1.0, (1800, 1200));
        let wide = showing((900.0, 600.0), ObjectFit::Cover, 2.0, (1800, 1200));
        assert_eq!(words(&[phone, wide]), [""; 0]);
        assert_eq!(words(&[phone]).len(), 1);
    }

    #[test]
    fn enlarged_and_short_are_told_apart() {
        let at = |density| showing((400.0, 300.0), ObjectFit::Fill, density, (600, 450));
        assert_eq!(words(&[at(1.0)]), ["2.2× more pixels than any screen uses, 556 KB wasted"]);
        assert_eq!(words(&[at(1.0), at(2.0)]), ["needs 33 % more pixels"]);
        let grainy = showing((900.0, 675.0), ObjectFit::Fill, 1.0, (600, 450));
        assert_eq!(words(&[grainy]), ["enlarged 1.5×"]);
    }

    #[test]
    fn a_stretched_picture_is_squashed_and_a_cut_one_has_the_wrong_shape() {
        let stretched = showing((400.0, 200.0), ObjectFit::Fill, 1.0, (400, 300));
        assert_eq!(words(&[stretched]), ["squashed by 33 %"]);
        let cut = showing((300.0, 300.0), ObjectFit::Cover, 1.0, (450, 300));
        assert_eq!(words(&[cut]), ["wrong shape by 33 %"]);
    }

    #[test]
    fn hidden_boxes_say_nothing() {
        let hidden = showing((0.0, 0.0), ObjectFit::Fill, 1.0, (4, 300));
        assert_eq!(words(&[hidden]), ["empty"]);
        assert_eq!(words(&[]), ["empty"]);
        let seen = showing((400.0, 300.0), ObjectFit::Fill, 1.0, (400, 300));
        assert_eq!(words(&[hidden, seen]), [""; 0]);
    }

    proptest! {
        #[test]
        fn the_most_serious_comes_first_and_every_figure_is_a_number(
            list in prop::collection::vec(
                (0.0..2_000.0f64, 0.0..2_000.0f64, 0.5..4.0f64, 1u32..8_000, 1u32..8_000,
                 prop::sample::select(vec![
                    ObjectFit::Fill, ObjectFit::Cover, ObjectFit::Contain, ObjectFit::Natural,
                 ])), 0..6),
        ) {
            let showings: Vec<_> = list
                .into_iter()
                .map(|(w, h, d, fw, fh, painting)| showing((w, h), painting, d, (fw, fh)))
                .collect();
            let issues = issues(&showings);
            prop_assert!(issues.iter().map(Issue::kind).is_sorted_by(|a, b| a < b));
            for issue in issues {
                let text = issue.to_string();
                prop_assert!(!text.contains("NaN") && !text.contains("inf"), "{text}");
            }
        }
    }
}
