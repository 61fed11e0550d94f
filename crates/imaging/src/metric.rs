//! Judging: how a file differs from the pixels it was made from, in all and by place.
//!
//! SSIMULACRA2, with what concerns the reference computed once. What is transparent is judged on
//! black and on white, and the lower score counts.

use brisk_margin_core::grade::WorstSpot;
use fast_ssim2::{
    PixelDescriptor, PixelSlice, Ssimulacra2Config, Ssimulacra2Error, Ssimulacra2Reference,
};
use thiserror::Error;

use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::Score;

/// Above so many pixels nothing is kept of the reference, which takes some 50 bytes a pixel, and
/// the comparison goes in strips: the same score, more slowly.
const KEPT: u64 = 4_000_000;
/// Rows of a strip.
const STRIP: usize = 512;
/// Maps of differences are made of bands of at most so many pixels.
const MAPPED: u64 = 2_000_000;
/// The side of a tile, in pixels: what the eye takes in at once at true size.
pub const TILE: u32 = 256;

/// Files cannot be compared.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum MetricError {
    /// The file has other pixels than the reference.
    #[error("the file has {file} and its reference {reference}: they cannot be compared")]
    Size {
        /// The file's size.
        file: Size,
        /// The reference's.
        reference: Size,
    },
    /// The measure failed.
    #[error("the file could not be judged ({0})")]
    Measure(String),
}

impl From<Ssimulacra2Error> for MetricError {
    fn from(error: Ssimulacra2Error) -> Self {
        Self::Measure(error.to_string())
    }
}

/// Pixels that files are held against.
pub struct QualityMetric {
    raster: Raster,
    grounds: Vec<Ground>,
}

/// The reference as it looks on one ground.
struct Ground {
    colour: [u8; 3],
    opaque: Raster,
    /// Nothing where it would take too much memory.
    reference: Option<Ssimulacra2Reference>,
    /// The same at half the width and height, for a rough look; nothing where little would be left.
    half: Option<Box<Ground>>,
}

impl Ground {
    fn new(raster: &Raster, colour: [u8; 3]) -> Result<Self, MetricError> {
        const LEAST: u32 = 128;
        let whole = Self::of(raster.flattened(colour), colour)?;
        let Size { width, height } = whole.opaque.size();
        let half = width.min(height) >= LEAST;
        let half = half.then(|| Self::of(halved(&whole.opaque), colour)).transpose()?;
        Ok(Self { half: half.map(Box::new), ..whole })
    }

    fn of(opaque: Raster, colour: [u8; 3]) -> Result<Self, MetricError> {
        let small = opaque.size().pixels() <= KEPT;
        let reference = small.then(|| Ssimulacra2Reference::new(&slice(&opaque))).transpose()?;
        Ok(Self { colour, opaque, reference, half: None })
    }

    fn score(&self, file: &Raster) -> Result<f64, MetricError> {
        let file = file.flattened(self.colour);
        Ok(match &self.reference {
            Some(reference) => reference.compare(&slice(&file))?,
            None => fast_ssim2::compute_ssimulacra2_with_config(
                &slice(&self.opaque),
                &slice(&file),
                &Ssimulacra2Config::strips(STRIP),
            )?,
        })
    }

    /// The differences of `file` at every second pixel along both sides, or at each of a small one.
    fn rough_differences(&self, file: &Raster) -> Result<Values, MetricError> {
        match &self.half {
            Some(half) => {
                let of = half.differences(halved(&file.flattened(self.colour)))?;
                Ok(Values { step: 2, ..of })
            }
            None => self.differences(file.flattened(self.colour)),
        }
    }

    /// The differences of `file`, which is opaque, at each pixel.
    fn differences(&self, file: Raster) -> Result<Values, MetricError> {
        let own = &self.opaque;
        let Size { width, height } = own.size();
        let of = |values| Values { width: width as usize, step: 1, values };
        if *own == file {
            return Ok(of(vec![0.0; own.size().pixels() as usize]));
        }
        if own.size().pixels() <= MAPPED
            && let Some(reference) = &self.reference
        {
            return Ok(of(reference.compare_with_maps(&slice(&file))?.diffmap()));
        }
        let rows = (MAPPED / u64::from(width)).clamp(64, u64::from(u32::MAX)) as u32;
        let mut values = Vec::with_capacity(own.size().pixels() as usize);
        let mut y = 0;
        while y < height {
            // A last band of a few rows goes with the one before.
            let left = height - y;
            let height = if left < rows.saturating_mul(2) { left } else { rows };
            let band = Rect { x: 0, y, width, height };
            let (own, other) = (own.crop(band), file.crop(band));
            values.extend(
                fast_ssim2::compute_ssimulacra2_maps(&slice(&own), &slice(&other))?.diffmap(),
            );
            y += height;
        }
        Ok(of(values))
    }
}

/// The mean of each 2 × 2 pixels of `opaque`; a last odd row or column is left out.
fn halved(opaque: &Raster) -> Raster {
    let size = Size::new(opaque.size().width / 2, opaque.size().height / 2);
    let (upper, lower) = (opaque.data(), &opaque.data()[opaque.stride()..]);
    let mut data = Vec::with_capacity(size.pixels() as usize * 3);
    for y in 0..size.height as usize {
        let row = 2 * y * opaque.stride()..;
        let (upper, lower) = (&upper[row.clone()], &lower[row]);
        for x in (0..size.width as usize).map(|x| 6 * x) {
            data.extend([x, x + 1, x + 2].map(|n| {
                let of = |row: &[u8]| u16::from(row[n]) + u16::from(row[n + 3]);
                ((of(upper) + of(lower) + 2) / 4) as u8
            }));
        }
    }
    Raster::new(size, Channels::Rgb, data)
}

fn slice(opaque: &Raster) -> PixelSlice<'_> {
    let Size { width, height } = opaque.size();
    let srgb = PixelDescriptor::RGB8_SRGB;
    PixelSlice::new(opaque.data(), width, height, opaque.stride(), srgb)
        .expect("a raster holds the bytes of its size")
}

impl QualityMetric {
    /// A judge of files that were made of `raster`.
    ///
    /// # Errors
    /// [`MetricError::Measure`] where it is too large for the measure.
    pub fn new(raster: Raster) -> Result<Self, MetricError> {
        const WHITE: [u8; 3] = [255; 3];
        const BLACK: [u8; 3] = [0; 3];
        let grounds = if raster.is_transparent() { &[WHITE, BLACK][..] } else { &[WHITE] };
        let grounds =
            grounds.iter().map(|&ground| Ground::new(&raster, ground)).collect::<Result<_, _>>()?;
        Ok(Self { raster, grounds })
    }

    /// The memory that judging pixels of `size` takes at most.
    pub fn memory(size: Size) -> brisk_margin_core::units::Bytes {
        // Guessed with room: 65 bytes a pixel for the reference and its half, and 130 for a comparison.
        brisk_margin_core::units::Bytes(size.pixels().min(KEPT) * 195 + size.pixels() * 11)
    }

    /// What files are held against.
    pub fn raster(&self) -> &Raster {
        &self.raster
    }

    /// How faithful `file` is.
    ///
    /// # Errors
    /// [`MetricError::Size`] where it has another size.
    ///
    /// ```
    /// use brisk_margin_core::geometry::Size;
    /// use brisk_margin_imaging::metric::QualityMetric;
    /// use brisk_margin_imaging::raster::{Channels, Raster};
    ///
    /// let grey = |shade| Raster::new(Size::new(64, 64), Channels::Rgb, vec![shade; 64 * 64 * 3]);
    /// let reference = QualityMetric::new(grey(120))?;
    /// assert_eq!(reference.score(&grey(120))?.0, 100.0);
    /// assert!(reference.score(&grey(160))?.0 < 85.0);
    /// # Ok::<_, Box<dyn std::error::Error>>(())
    /// ```
    pub fn score(&self, file: &Raster) -> Result<Score, MetricError> {
        self.check_size(file)?;
        if *file == self.raster {
            return Ok(Score::SAME);
        }
        let scores = self.grounds.iter().map(|ground| ground.score(file));
        let lowest = scores.reduce(|a, b| Ok(a?.min(b?))).expect("at least one ground")?;
        Ok(Score(lowest))
    }

    fn check_size(&self, file: &Raster) -> Result<(), MetricError> {
        let (file, reference) = (file.size(), self.raster.size());
        if file == reference { Ok(()) } else { Err(MetricError::Size { file, reference }) }
    }

    /// The tile in which `file` differs most, with its own score.
    ///
    /// # Errors
    /// As [`QualityMetric::score`].
    pub fn worst_tile(&self, file: &Raster) -> Result<WorstSpot, MetricError> {
        self.worst_tile_of(&self.rough_differences(file)?, file)
    }

    /// The same where the `differences` of `file` are known.
    ///
    /// # Errors
    /// As [`QualityMetric::score`].
    pub fn worst_tile_of(
        &self,
        differences: &Differences,
        file: &Raster,
    ) -> Result<WorstSpot, MetricError> {
        let spots = self.worst_spots(differences, file, Size::new(TILE, TILE), 1)?;
        Ok(spots[0])
    }

    /// The `count` places of `size` in which `file`, whose `differences` are known, differs most, the worst first;
    /// they do not overlap, and there may be fewer.
    ///
    /// # Errors
    /// As [`QualityMetric::score`].
    pub fn worst_spots(
        &self,
        differences: &Differences,
        file: &Raster,
        size: Size,
        count: usize,
    ) -> Result<Vec<WorstSpot>, MetricError> {
        self.check_size(file)?;
        let ground = &self.grounds[differences.ground];
        let score = |place: Rect| -> Result<WorstSpot, MetricError> {
            let own = ground.opaque.crop(place);
            let other = file.crop(place).flattened(ground.colour);
            let score = match own == other {
                true => 100.0,
                false => fast_ssim2::compute_ssimulacra2(&slice(&own), &slice(&other))?,
            };
            Ok(WorstSpot { place, score: Score(score) })
        };
        differences.worst(size, count).into_iter().map(score).collect()
    }

    /// Where `file` differs, and how much, on the ground on which it looks worse.
    ///
    /// # Errors
    /// As [`QualityMetric::score`].
    pub fn differences(&self, file: &Raster) -> Result<Differences, MetricError> {
        self.worse(file, |ground| ground.differences(file.flattened(ground.colour)))
    }

    /// The same at half the width and height, which takes a quarter of the time: enough to find the worst places.
    ///
    /// # Errors
    /// As [`QualityMetric::score`].
    pub fn rough_differences(&self, file: &Raster) -> Result<Differences, MetricError> {
        self.worse(file, |ground| ground.rough_differences(file))
    }

    fn worse(
        &self,
        file: &Raster,
        look: impl Fn(&Ground) -> Result<Values, MetricError>,
    ) -> Result<Differences, MetricError> {
        self.check_size(file)?;
        let mut worse: Option<(f64, Differences)> = None;
        for (ground, of) in self.grounds.iter().enumerate() {
            let values = look(of)?;
            // The more they come to, the lower is the score.
            let all: f64 = values.values.iter().map(|&value| f64::from(value)).sum();
            if worse.as_ref().is_none_or(|(most, _)| all > *most) {
                worse = Some((all, Differences { size: file.size(), ground, values }));
            }
        }
        Ok(worse.expect("at least one ground").1)
    }
}

/// How much a file differs by place: the place's share in what the score lacks, 0 for none.
#[derive(Debug, Clone, PartialEq)]
pub struct Differences {
    size: Size,
    /// On which of the metric's grounds.
    ground: usize,
    values: Values,
}

/// A value for each square of so many pixels, row by row.
#[derive(Debug, Clone, PartialEq)]
struct Values {
    width: usize,
    step: u32,
    values: Vec<f32>,
}

impl Values {
    /// The value at a pixel; beside the last square that of the nearest.
    fn at(&self, x: u32, y: u32) -> f32 {
        let column = ((x / self.step) as usize).min(self.width - 1);
        let row = ((y / self.step) as usize).min(self.values.len() / self.width - 1);
        self.values[row * self.width + column]
    }
}

impl Differences {
    /// A value that is drawn as the strongest difference: in the mean it would mean a score of
    /// about 30.
    const STRONG: f32 = 12.0;

    /// The differences as shades of grey, black for none.
    pub fn drawn(&self) -> Raster {
        let shade = |value: f32| ((value / Self::STRONG).clamp(0.0, 1.0).sqrt() * 255.0) as u8;
        let Size { width, height } = self.size;
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let data = pixels.flat_map(|(x, y)| [shade(self.values.at(x, y)); 3]).collect();
        Raster::new(self.size, Channels::Rgb, data)
    }

    /// The places of `size` that differ most, the worst first, apart from each other.
    fn worst(&self, size: Size, count: usize) -> Vec<Rect> {
        let size = Size::new(size.width.min(self.size.width), size.height.min(self.size.height));
        let sums = Sums::of(&self.values);
        // A quarter of the place is fine enough to find it.
        let step = |length: u32| (length / 4).max(1) as usize;
        let along = |all: u32, part: u32| {
            let last = all - part;
            (0..last).step_by(step(part)).chain([last])
        };
        let mut places: Vec<(f64, Rect)> = Vec::new();
        for y in along(self.size.height, size.height) {
            for x in along(self.size.width, size.width) {
                let place = Rect { x, y, width: size.width, height: size.height };
                places.push((sums.within(place), place));
            }
        }
        places.sort_by(|(a, _), (b, _)| b.total_cmp(a));
        let mut worst: Vec<Rect> = Vec::new();
        for (_, place) in places {
            if worst.len() == count {
                break;
            }
            if worst.iter().all(|taken| !overlap(taken, &place)) {
                worst.push(place);
            }
        }
        worst
    }
}

fn overlap(a: &Rect, b: &Rect) -> bool {
    a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height
}

/// Sums of all values above and left of a place, from which any rectangle's follows.
struct Sums {
    stride: usize,
    step: u32,
    sums: Vec<f64>,
}

impl Sums {
    fn of(Values { width, step, values }: &Values) -> Self {
        let stride = width + 1;
        let mut sums = vec![0.0; stride];
        for row in values.chunks_exact(*width) {
            let above = sums.len() - stride;
            let mut along = 0.0;
            sums.push(0.0);
            for (x, &value) in row.iter().enumerate() {
                along += f64::from(value);
                let sum = along + sums[above + x + 1];
                sums.push(sum);
            }
        }
        Self { stride, step: *step, sums }
    }

    /// What lies within `place`, whose sides are rounded down to whole squares.
    fn within(&self, place: Rect) -> f64 {
        let at = |x: u32, y: u32| {
            let (x, y) = ((x / self.step) as usize, (y / self.step) as usize);
            self.sums[y * self.stride + x]
        };
        let (right, bottom) = (place.x + place.width, place.y + place.height);
        at(right, bottom) - at(place.x, bottom) - at(right, place.y) + at(place.x, place.y)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn grain(width: u32, height: u32) -> Raster {
        let mut state = 7u32;
        let mut random = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        };
        let data = (0..width * height).flat_map(|n| {
            let shade = (n % width) as u8 / 2 + random() / 8;
            [shade, shade.saturating_add(20), 90]
        });
        Raster::new(Size::new(width, height), Channels::Rgb, data.collect())
    }

    fn spoilt(raster: &Raster, place: Rect) -> Raster {
        let mut spoilt = raster.clone();
        let stride = spoilt.stride();
        for y in place.y..place.y + place.height {
            let start = y as usize * stride + place.x as usize * 3;
            for (n, value) in
                spoilt.data_mut()[start..start + place.width as usize * 3].iter_mut().enumerate()
            {
                *value = if n / 24 % 2 == 0 { 40 } else { 200 };
            }
        }
        spoilt
    }

    #[test]
    fn the_worst_spots_are_where_the_picture_was_spoilt() {
        let picture = grain(600, 400);
        let [first, second] = [(420, 50, 80), (100, 300, 40)].map(|(x, y, side)| Rect {
            x,
            y,
            width: side,
            height: side,
        });
        let file = spoilt(&spoilt(&picture, second), first);
        let metric = QualityMetric::new(picture).unwrap();
        let spots = metric.differences(&file).unwrap();
        let spots = metric.worst_spots(&spots, &file, Size::new(100, 100), 2).unwrap();
        assert!(overlap(&spots[0].place, &first), "{spots:?}");
        assert!(overlap(&spots[1].place, &second), "{spots:?}");
        assert!(spots[0].score < metric.score(&file).unwrap());
        assert!(!overlap(&spots[0].place, &spots[1].place));
        assert_eq!(metric.worst_tile(metric.raster()).unwrap().score, Score::SAME);
    }

    #[test]
    fn a_rough_look_finds_the_same_places_whatever_the_size() {
        for (width, height) in [(600, 400), (601, 401), (100, 90)] {
            let picture = grain(width, height);
            let place = Rect { x: width - 61, y: height / 3, width: 50, height: 40 };
            let file = spoilt(&picture, place);
            let metric = QualityMetric::new(picture).unwrap();
            for look in [QualityMetric::differences, QualityMetric::rough_differences] {
                let differences = look(&metric, &file).unwrap();
                let spots = metric.worst_spots(&differences, &file, Size::new(60, 60), 1).unwrap();
                assert!(overlap(&spots[0].place, &place), "{width} × {height}: {spots:?}");
                assert_eq!(differences.drawn().size(), file.size());
            }
        }
    }

    #[test]
    fn strips_and_bands_tell_the_same_as_the_whole() {
        let picture = grain(700, 1_300);
        let file = spoilt(&picture, Rect { x: 10, y: 900, width: 60, height: 60 });
        let whole = QualityMetric::new(picture.clone()).unwrap();
        let mut strips = QualityMetric::new(picture).unwrap();
        strips.grounds[0].reference = None;
        let (a, b) = (whole.score(&file).unwrap().0, strips.score(&file).unwrap().0);
        assert!((a - b).abs() < 0.01, "{a} and {b}");
    }

    #[test]
    fn what_shows_only_on_black_counts() {
        let clear = |alpha: u8| {
            let data =
                (0..64 * 64).flat_map(|n| [255, 255, 255, if n % 9 < 4 { alpha } else { 255 }]);
            Raster::new(Size::new(64, 64), Channels::Rgba, data.collect())
        };
        let metric = QualityMetric::new(clear(0)).unwrap();
        let score = metric.score(&clear(120)).unwrap();
        assert!(score < Score(70.0), "{score:?}");
        assert!(metric.score(&grain(10, 10)).is_err());
    }
}
