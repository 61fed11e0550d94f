//! The search for a quality: a model of score and bytes from the prior, bent through what was
//! tried.

mod drafts;

pub(super) use drafts::Told;

use brisk_margin_core::dense::{DenseView, Standard};
use brisk_margin_core::encoding::{self, Dithering, Encoding, Palette, PaletteSize, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::units::Bytes;

use super::hints::bend;
use super::prior::{Prior, foretold};
use super::{ChoiceError, Choosing, Point, Trial};
use crate::metric::QualityMetric;
use crate::raster::Raster;
use crate::resize::{Region, resize};

/// No search makes more files, nor does one under a byte cap.
const MOST: usize = 5;

/// Who makes the files of a search.
#[derive(Debug, Clone, Copy)]
pub(super) enum Source<'a> {
    /// Our encoder of a format.
    Ours(Format),
    /// An encoder from outside.
    Outside(&'a OutsideEncoder),
}

impl Source<'_> {
    /// How it makes a file at `quality`.
    pub(super) fn encoding(self, quality: Quality) -> Encoding {
        match self {
            Self::Ours(format) => Encoding::new(format, quality).expect("it is one of ours"),
            Self::Outside(encoder) => encoder.encoding(quality),
        }
    }

    const fn format(self) -> Format {
        match self {
            Self::Ours(format) => format,
            Self::Outside(encoder) => encoder.makes,
        }
    }

    /// Whether its qualities mean what others of the format mean.
    const fn shares_scale(self) -> bool {
        match self {
            Self::Ours(_) => true,
            Self::Outside(encoder) => !encoder.makes.is_ours(),
        }
    }

    /// The qualities that make other files than their neighbours, the lowest first.
    fn levels(self) -> Vec<Quality> {
        match self {
            Self::Ours(format) => encoding::levels(format),
            Self::Outside(encoder) => encoder.qualities().collect(),
        }
    }
}

/// A search in one format.
pub(super) struct Search<'a> {
    choosing: &'a Choosing<'a>,
    source: Source<'a>,
    /// What they are held to, where it is a standard.
    pub(super) standard: Option<Standard>,
    /// What they are held against at the size in which they are seen, and that size.
    seen: Option<(QualityMetric, Size)>,
    prior: Prior,
    /// How the picture likely differs from the prior by what is seen of it.
    foretold: f64,
    /// How it likely does by another file of it.
    hint: Option<f64>,
    levels: Vec<Quality>,
    /// What another file weighs that is good enough.
    beaten_by: Option<Bytes>,
    /// Whether its files keep colours at full resolution.
    full_chroma: bool,
    /// How many drafts were made in search of a quality.
    drafts: usize,
    /// How many were made to tell which colours to keep.
    colour_drafts: usize,
    /// How the picture likely differs from the prior at the levels of which drafts were made.
    drafted: Vec<(f64, f64)>,
    /// What counts of each trial: its level, and the score or what its worst tile makes of it.
    known: Vec<(usize, f64)>,
    /// Every trial, in order.
    pub tried: Vec<Point>,
}

impl<'a> Search<'a> {
    pub(super) fn new(choosing: &'a Choosing<'a>, source: Source<'a>) -> Self {
        let format = source.format();
        Self {
            choosing,
            source,
            standard: None,
            seen: None,
            prior: Prior::of(format, choosing.class),
            foretold: match source {
                Source::Ours(format) => foretold(format, choosing.class, choosing.metric.raster()),
                Source::Outside(_) => 0.0,
            },
            hint: choosing.hints.of(format).filter(|_| source.shares_scale()),
            levels: source.levels(),
            beaten_by: None,
            full_chroma: choosing.hints.full_chroma(format) && source.shares_scale(),
            drafts: 0,
            colour_drafts: 0,
            drafted: Vec::new(),
            known: Vec::new(),
            tried: Vec::new(),
        }
    }

    /// The same that gives up once it cannot come below so many bytes.
    pub(super) fn beaten_by(self, bytes: Option<Bytes>) -> Self {
        Self { beaten_by: bytes, ..self }
    }

    /// Whether `trial` is heavier than the file that it would have to beat.
    pub(super) fn is_beaten(&self, trial: &Trial) -> bool {
        self.beaten_by.is_some_and(|bytes| Bytes::of(&trial.bytes) > bytes)
    }

    /// Every trial, in order, and how many drafts there were.
    pub(super) fn effort(self) -> (Vec<Point>, u32) {
        (self.tried, (self.drafts + self.colour_drafts) as u32)
    }

    /// How many files and drafts were made in search of a score, the one that would have to be beaten among them. A draft
    /// for colours leaves a search as many files as it had.
    fn made(&self) -> usize {
        self.known.len() + self.drafts + usize::from(self.beaten_by.is_some())
    }

    /// The same for files that are held to `standard`, as far as that can be: what moves, or would be too small to be
    /// scored as it is seen, is judged by its own pixels alone.
    pub(super) fn held_to(mut self, standard: Standard) -> Result<Self, ChoiceError> {
        const LEAST: u32 = 64;
        let raster = self.choosing.metric.raster();
        let seen_size = |dense: &DenseView| {
            let side = |side: u32| (f64::from(side) / dense.density.get()).round() as u32;
            Size::new(side(raster.size().width), side(raster.size().height))
        };
        let dense = standard.dense.filter(|dense| {
            let Size { width, height } = seen_size(dense);
            self.choosing.moving.is_none() && width.min(height) >= LEAST
        });
        if let Some(size) = dense.as_ref().map(seen_size) {
            self.seen = Some((QualityMetric::new(scaled(raster, size))?, size));
        }
        self.standard = Some(Standard { dense, ..standard });
        Ok(self)
    }

    /// How faithful `file` is at the size in which it is seen; nothing where that is its own.
    pub(super) fn seen(&self, file: &Raster) -> Result<Option<Score>, ChoiceError> {
        let seen = self.seen.as_ref();
        Ok(seen.map(|(metric, size)| metric.score(&scaled(file, *size))).transpose()?)
    }

    /// How its files are made at `quality`.
    pub(super) fn encoding(&self, quality: Quality) -> Encoding {
        let usual = self.source.encoding(quality);
        usual.with_full_chroma().filter(|_| self.full_chroma).unwrap_or(usual)
    }

    /// Makes and judges one file, and remembers it.
    pub(super) fn trial(&mut self, encoding: Encoding) -> Result<Trial, ChoiceError> {
        let trial = self.choosing.try_one(encoding)?;
        let bytes = Some(Bytes::of(&trial.bytes));
        self.tried.push(Point { encoding, bytes, score: trial.score });
        Ok(trial)
    }

    fn at_level(&mut self, level: usize) -> Result<Trial, ChoiceError> {
        self.trial(self.encoding(self.levels[level]))
    }

    /// The smallest file that reaches `goal`, or where none does, the most faithful.
    pub(super) fn run(&mut self, target: Score) -> Result<Trial, ChoiceError> {
        let target = target.0;
        if self.hint.is_none() {
            self.draft(target)?;
        }
        let mut best: Option<(Trial, f64)> = None;
        while self.made() < MOST {
            let Some(level) = self.next_level(target) else { break };
            let trial = self.at_level(level)?;
            let counts = self.counting(&trial, target)?;
            self.known.push((level, counts));
            let reaches = counts >= target;
            // What is better still is heavier still.
            let is_over = !reaches && self.is_beaten(&trial);
            let better =
                best.as_ref().is_none_or(|(kept, score)| match (reaches, *score >= target) {
                    (true, true) => trial.bytes.len() < kept.bytes.len(),
                    (false, false) => counts > *score,
                    (reaches, _) => reaches,
                });
            if better {
                best = Some((trial, counts));
            }
            if is_over || reaches && counts < target + Grade::band(self.known.len()) {
                break;
            }
        }
        Ok(best.expect("a first level is always tried").0)
    }

    /// The score of `trial`, or less where its worst tile lies under the floor.
    fn counting(&self, trial: &Trial, target: f64) -> Result<f64, ChoiceError> {
        let Some(standard) = self.standard.filter(|_| trial.score.0 >= target) else {
            return Ok(trial.score.0);
        };
        let tile = trial.worst_tile(self.choosing.metric)?.score;
        Ok(standard.counting(trial.score, tile, self.seen(&trial.raster)?).0)
    }

    /// The level to try next for `target`; nothing once neighbours part it.
    fn next_level(&self, target: f64) -> Option<usize> {
        let failed = self.known.iter().filter(|(_, score)| *score < target).map(|(l, _)| *l).max();
        let passed =
            self.known.iter().filter(|(_, score)| *score >= target).min_by_key(|(l, _)| *l);
        let (low, high) = (failed.map_or(0, |l| l + 1), passed.map_or(self.levels.len(), |p| p.0));
        if low >= high {
            return None;
        }
        // Late in a search, a miss costs more than a few bytes: the more, the farther what it has is from its target.
        let left = MOST - self.made();
        let above = match (passed, left) {
            (None, 1) => 5.0,
            (None, 2) => 2.0,
            (Some((_, score)), 1) => Grade::BAND / 2.0 + 0.3 * (score - target),
            _ => Grade::BAND / 2.0,
        };
        let level = (low..high).find(|&level| self.predicted(level) >= target + above);
        Some(level.unwrap_or(high - 1))
    }

    /// The score that a level likely has: what the prior lacks of 100, times how this picture
    /// likely differs from it, times how it does at the levels that were tried, in proportion between
    /// them.
    fn predicted(&self, level: usize) -> f64 {
        let lack = |level: usize| self.prior.lack(self.levels[level]);
        let off = |&(level, score): &(usize, f64)| {
            (level as f64, bend(score, lack(level)) - self.expected(level))
        };
        let mut off: Vec<(f64, f64)> = self.known.iter().map(off).collect();
        off.sort_by(|a, b| a.0.total_cmp(&b.0));
        100.0 - lack(level) * (self.expected(level) + between(&off, level as f64)).exp()
    }

    /// How the picture likely differs from the prior at a level, by drafts, by other files, or by what is seen of it.
    fn expected(&self, level: usize) -> f64 {
        match self.drafted.is_empty() {
            true => self.hint.unwrap_or(self.foretold),
            false => between(&self.drafted, level as f64),
        }
    }

    /// The most faithful file of at most `cap` bytes, where `known` was made before; where even the
    /// smallest is heavier, that one.
    pub(super) fn under(&mut self, cap: Bytes, known: Trial) -> Result<Trial, ChoiceError> {
        let Some(quality) = known.encoding.quality() else {
            return self.fewer_colours(cap, known);
        };
        let first = self.level_of(quality);
        let known_weight = |point: &Point| {
            let level = self.level_of(point.encoding.quality()?);
            Some((level as f64, weight(point.bytes?.get() as usize)))
        };
        let mut weights: Vec<(f64, f64)> = self.tried.iter().filter_map(known_weight).collect();
        weights.sort_by(|a, b| a.0.total_cmp(&b.0));
        let fits = Bytes::of(&known.bytes) <= cap;
        let (mut low, mut high) = if fits { (first + 1, self.levels.len()) } else { (0, first) };
        let (mut best, mut least) = if fits { (Some(known), None) } else { (None, Some(known)) };
        for left in (1..=MOST).rev() {
            // Within 3 % of the cap nothing more is to be had.
            let near = |trial: &Trial| trial.bytes.len() as f64 >= 0.97 * cap.get() as f64;
            if low >= high || best.as_ref().is_some_and(near) {
                break;
            }
            let level = match left {
                // The last one must fit.
                1 if best.is_none() => low,
                _ => {
                    let most = weight(cap.get() as usize) - 0.01;
                    let fits = |level: &usize| self.weight(&weights, *level) <= most;
                    (low..high).rev().find(fits).unwrap_or(low)
                }
            };
            let trial = self.at_level(level)?;
            weights.push((level as f64, weight(trial.bytes.len())));
            weights.sort_by(|a, b| a.0.total_cmp(&b.0));
            if Bytes::of(&trial.bytes) <= cap {
                low = level + 1;
                best = Some(trial);
            } else {
                high = level;
                least = Some(trial);
            }
        }
        Ok(best.or(least).expect("one was known"))
    }

    fn level_of(&self, quality: Quality) -> usize {
        let level = self.levels.partition_point(|&level| level < quality);
        level.min(self.levels.len() - 1)
    }

    /// The most colours of a file of at most `cap` bytes, where `known` has all of them; the smallest
    /// there is where none is light enough.
    fn fewer_colours(&mut self, cap: Bytes, known: Trial) -> Result<Trial, ChoiceError> {
        const FEWER: [u16; MOST] = [256, 128, 64, 32, 16];
        let own = known.encoding.palette();
        let dithering = own.map_or(Dithering::On, |own| own.dithering);
        let mut lightest = known;
        let fewer = |colours: &u16| own.is_none_or(|own| *colours < own.colours.get());
        for colours in FEWER.into_iter().filter(fewer) {
            let palette = Palette { colours: PaletteSize::new(colours)?, dithering };
            let Some(encoding) = self.of_palette(palette) else { break };
            if Bytes::of(&lightest.bytes) <= cap {
                break;
            }
            let trial = self.trial(encoding)?;
            if trial.bytes.len() < lightest.bytes.len() {
                lightest = trial;
            }
        }
        Ok(lightest)
    }

    /// How its files are made in the colours of `palette`, where its format has such.
    pub(super) const fn of_palette(&self, palette: Palette) -> Option<Encoding> {
        match self.source {
            Source::Ours(format) => Encoding::of_palette(format, palette),
            Source::Outside(_) => None,
        }
    }

    /// The logarithm of the bytes that a level likely has; bytes grow with quality as in the prior.
    fn weight(&self, weights: &[(f64, f64)], level: usize) -> f64 {
        let usual = |level: usize| self.prior.weight(self.levels[level]).ln();
        let bends: Vec<(f64, f64)> =
            weights.iter().map(|&(l, weight)| (l, weight - usual(l as usize))).collect();
        usual(level) + between(&bends, level as f64)
    }
}

/// All of `raster` at another size.
fn scaled(raster: &Raster, size: Size) -> Raster {
    resize(raster, Region::whole(raster.size()), size)
}

fn weight(bytes: usize) -> f64 {
    (bytes.max(1) as f64).ln()
}

/// The value at `x` of points in order of their place: in proportion between two, flat beyond,
/// and 0 where there is none.
fn between(points: &[(f64, f64)], x: f64) -> f64 {
    let after = points.partition_point(|(place, _)| *place < x);
    match (after.checked_sub(1).map(|n| points[n]), points.get(after)) {
        (Some((x0, y0)), Some(&(x1, y1))) => y0 + (y1 - y0) * (x - x0) / (x1 - x0),
        (Some((_, y)), None) | (None, Some(&(_, y))) => y,
        (None, None) => 0.0,
    }
}
