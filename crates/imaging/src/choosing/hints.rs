//! Hints: what files of a picture tell of others of it, so that a search begins near its end.

use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;

use super::Chosen;
use super::prior::Prior;

/// By how much a picture lacks more of a score of 100 than others of its kind, in each format, as the logarithm of
/// the factor; nothing where no file told.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Hints {
    jpeg: Option<f64>,
    webp: Option<f64>,
    avif: Option<f64>,
}

impl Hints {
    /// Nothing is known.
    pub const NONE: Self = Self { jpeg: None, webp: None, avif: None };

    /// With what a file of `encoding` of a picture of `class` told: `counted` is what counted of its score.
    pub fn and(mut self, class: ContentClass, encoding: Encoding, counted: Score) -> Self {
        let format = encoding.format();
        if let Some(quality) = encoding.quality() {
            let lack = Prior::of(format, class).lack(quality.get());
            self.set(format, bend(counted.0, lack));
        }
        self
    }

    /// With what `chosen`, of a picture of `class`, told.
    pub fn and_of(self, class: ContentClass, chosen: &Chosen) -> Self {
        self.and(class, chosen.trial.encoding, chosen.counted)
    }

    fn set(&mut self, format: Format, bend: f64) {
        match format {
            Format::Jpeg => self.jpeg = Some(bend),
            Format::Webp => self.webp = Some(bend),
            Format::Avif => self.avif = Some(bend),
            Format::Png | Format::Gif => {}
        }
    }

    /// What is known of `format`.
    pub(super) const fn of(self, format: Format) -> Option<f64> {
        match format {
            Format::Jpeg => self.jpeg,
            Format::Webp => self.webp,
            Format::Avif => self.avif,
            Format::Png | Format::Gif => None,
        }
    }
}

/// In which order a picture's files, each given by its format and its pixels, take the least time together, by their
/// places: first those that tell of the others, in each format the one of a middling size, then the others. Of each round,
/// what takes longest is begun first, so that no core is left with it at the end.
pub fn rounds(files: &[(Format, u64)]) -> [Vec<usize>; 2] {
    let mut tellers = Vec::new();
    for format in [Format::Jpeg, Format::Webp, Format::Avif] {
        let own = |n: &usize| files[*n].0 == format;
        let mut own: Vec<usize> = (0..files.len()).filter(own).collect();
        own.sort_by_key(|&n| files[n].1);
        tellers.extend(own.get(own.len() / 2));
    }
    let others = (0..files.len()).filter(|n| !tellers.contains(n)).collect();
    [tellers, others].map(|mut round: Vec<usize>| {
        round.sort_by_key(|&n| {
            std::cmp::Reverse((files[n].1 * patience(files[n].0), files.len() - n))
        });
        round
    })
}

/// How long a search takes for each pixel, roughly, beside one for JPEG.
const fn patience(format: Format) -> u64 {
    match format {
        Format::Avif => 3,
        Format::Png => 2,
        Format::Jpeg | Format::Webp | Format::Gif => 1,
    }
}

/// The logarithm of what is lacking at `score` beside the `lack` that is usual.
pub(super) fn bend(score: f64, lack: f64) -> f64 {
    ((100.0 - score).max(0.05) / lack).ln()
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::encoding::Quality;

    #[test]
    fn a_file_of_a_middling_size_tells_in_each_format_and_the_longest_goes_first() {
        let sizes = [900, 100, 400];
        let all =
            [Format::Avif, Format::Png, Format::Jpeg].map(|format| sizes.map(|s| (format, s)));
        let [tellers, others] = rounds(all.as_flattened());
        assert_eq!(tellers, [2, 8], "of PNG, none tells");
        assert_eq!(others, [0, 3, 6, 5, 1, 4, 7]);
        assert_eq!(rounds(&[(Format::Webp, 7)]), [vec![0], vec![]]);
    }

    #[test]
    fn a_hint_is_by_how_much_more_is_lacking() {
        let quality = Quality::new(60).unwrap();
        let class = ContentClass::Photograph;
        let lack = Prior::of(Format::Avif, class).lack(60);
        let hints = Hints::NONE.and(class, Encoding::Avif(quality), Score(100.0 - 2.0 * lack));
        assert!((hints.of(Format::Avif).unwrap() - 2f64.ln()).abs() < 1e-9);
        assert_eq!(hints.of(Format::Webp), None);
        assert_eq!(hints.and(class, Encoding::Png, Score::SAME), hints);
    }
}
