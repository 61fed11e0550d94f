//! Hints: what files of a picture tell of others of it, so that a search begins near its end.

use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;

use super::Chosen;
use super::prior::Prior;

/// By how much a picture lacks more of a score of 100 than others of its kind, in each format, as the logarithm of
/// the factor; nothing where no file told. And whether its AVIFs keep their colours at full resolution.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Hints {
    jpeg: Option<f64>,
    webp: Option<f64>,
    avif: Option<f64>,
    jxl: Option<f64>,
    full_chroma: bool,
}

impl Hints {
    /// Nothing is known.
    pub const NONE: Self =
        Self { jpeg: None, webp: None, avif: None, jxl: None, full_chroma: false };

    /// With what a file of `encoding` of a picture of `class` told: `counted` is what counted of its score.
    pub fn and(mut self, class: ContentClass, encoding: Encoding, counted: Score) -> Self {
        let format = encoding.format();
        // Another encoder of a format has qualities of its own.
        let shares_scale = !format.is_ours() || !matches!(encoding, Encoding::Outside(_));
        if let Some(quality) = encoding.quality().filter(|_| shares_scale) {
            let lack = Prior::of(format, class).lack(quality);
            self.set(format, bend(counted.0, lack));
            if format == Format::Avif {
                self.full_chroma = matches!(encoding, Encoding::AvifFullChroma(_));
            }
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
            Format::Jxl => self.jxl = Some(bend),
            Format::Png | Format::Gif => {}
        }
    }

    /// Whether what is known of `format` is of files with colours at full resolution.
    pub(super) fn full_chroma(self, format: Format) -> bool {
        format == Format::Avif && self.full_chroma
    }

    /// What is known of `format`.
    pub(super) const fn of(self, format: Format) -> Option<f64> {
        match format {
            Format::Jpeg => self.jpeg,
            Format::Webp => self.webp,
            Format::Avif => self.avif,
            Format::Jxl => self.jxl,
            Format::Png | Format::Gif => None,
        }
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
    fn a_hint_is_by_how_much_more_is_lacking() {
        let quality = Quality::new(60).unwrap();
        let class = ContentClass::Photograph;
        let lack = Prior::of(Format::Avif, class).lack(quality);
        let hints = Hints::NONE.and(class, Encoding::Avif(quality), Score(100.0 - 2.0 * lack));
        assert!((hints.of(Format::Avif).unwrap() - 2f64.ln()).abs() < 1e-9);
        assert_eq!(hints.of(Format::Webp), None);
        assert_eq!(hints.and(class, Encoding::Png, Score::SAME), hints);
    }
}
