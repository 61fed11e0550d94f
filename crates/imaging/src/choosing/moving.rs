//! Moving pictures, held against some of their frames.

use super::{ChoiceError, same};
use crate::codec::extras::Extras;
use crate::codecs::Codecs;
use crate::encode::EncodeError;
use crate::metric::{MetricError, QualityMetric};
use crate::motion::Motion;
use crate::raster::Raster;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Score;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;

/// The most frames that a file is judged by, the first and the last among them.
const SAMPLED: usize = 5;

/// Frames that files are held against.
pub struct Moving {
    motion: Motion,
    /// When each sampled frame is shown, in milliseconds from the start; the first one first.
    sampled: Vec<(u64, QualityMetric)>,
}

impl Moving {
    /// Holds what is needed to judge files of `motion`.
    ///
    /// # Errors
    /// [`MetricError`].
    pub fn new(motion: Motion) -> Result<Self, MetricError> {
        let mut sampled = Vec::new();
        for n in motion.sampled(SAMPLED) {
            let metric = QualityMetric::new(motion.frames[n].raster.clone())?;
            sampled.push((motion.middle_of(n), metric));
        }
        Ok(Self { motion, sampled })
    }

    /// The memory that judging `frames` frames of `size` takes at most.
    pub fn memory(size: Size, frames: u32) -> Bytes {
        Bytes(
            QualityMetric::memory(size).get() * SAMPLED as u64
                + size.pixels() * 8 * u64::from(frames),
        )
    }

    /// Holds the first frame.
    pub fn first(&self) -> &QualityMetric {
        &self.sampled[0].1
    }

    pub(super) fn encode(
        &self,
        codecs: &Codecs,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, EncodeError> {
        encoding.format().check_size(self.motion.size())?;
        Ok(codecs.encode_motion(&self.motion, encoding, extras)?)
    }

    /// Whether `file` shows every frame exactly as it is.
    pub(super) fn is_same(
        &self,
        codecs: &Codecs,
        format: Format,
        file: &[u8],
    ) -> Result<bool, ChoiceError> {
        let got = codecs.decode_motion(moving_source(format), file)?;
        let mut frames = self.motion.frames.iter().enumerate();
        Ok(frames
            .all(|(n, frame)| same(&frame.raster, &got.shown_at(self.motion.middle_of(n)).raster)))
    }

    /// How the first frame of `file` looks, and the score of its worst sampled frame.
    pub(super) fn judged(
        &self,
        codecs: &Codecs,
        format: Format,
        file: &[u8],
    ) -> Result<(Raster, Score), ChoiceError> {
        let got = codecs.decode_motion(moving_source(format), file)?;
        let mut worst = Score::SAME;
        for (at, metric) in &self.sampled {
            let score = metric.score(&got.shown_at(*at).raster)?;
            worst = if score < worst { score } else { worst };
        }
        let first = got.shown_at(self.sampled[0].0).raster.clone();
        Ok((first, worst))
    }
}

/// What files in a format that moves are read as.
pub const fn moving_source(format: Format) -> SourceFormat {
    if matches!(format, Format::Gif) { SourceFormat::Gif } else { SourceFormat::Webp }
}
