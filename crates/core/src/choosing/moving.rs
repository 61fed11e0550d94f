//! Moving pictures, held against some of their frames.

use super::{ChoiceError, same};
use crate::codec::extras::Extras;
use crate::codec::{animation, elsewhere};
use crate::encode::{EncodeError, Encoding};
use crate::format::Format;
use crate::geometry::Size;
use crate::grade::Score;
use crate::judge::{Judge, JudgeError};
use crate::motion::Motion;
use crate::raster::Raster;
use crate::source::Source;
use crate::units::Bytes;

/// The most frames that a file is judged by, the first and the last among them.
const SAMPLED: usize = 5;

/// Frames that files are held against.
pub struct Moving {
    motion: Motion,
    /// When each sampled frame is shown, in milliseconds from the start; the first one first.
    sampled: Vec<(u64, Judge)>,
}

impl Moving {
    /// Holds what is needed to judge files of `motion`.
    ///
    /// # Errors
    /// [`JudgeError`].
    pub fn new(motion: Motion) -> Result<Self, JudgeError> {
        let mut sampled = Vec::new();
        for n in motion.sampled(SAMPLED) {
            let judge = Judge::new(motion.frames[n].raster.clone())?;
            sampled.push((motion.middle_of(n), judge));
        }
        Ok(Self { motion, sampled })
    }

    /// The memory that judging `frames` frames of `size` takes at most.
    pub fn memory(size: Size, frames: u32) -> Bytes {
        Bytes(Judge::memory(size).get() * SAMPLED as u64 + size.pixels() * 8 * u64::from(frames))
    }

    /// Holds the first frame.
    pub fn first(&self) -> &Judge {
        &self.sampled[0].1
    }

    pub(super) fn encode(
        &self,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, EncodeError> {
        encoding.format().check_size(self.motion.size())?;
        Ok(elsewhere::encode_motion(&self.motion, encoding, extras)?)
    }

    /// Whether `file` shows every frame exactly as it is.
    pub(super) fn is_same(&self, format: Format, file: &[u8]) -> Result<bool, ChoiceError> {
        let got = animation::decode(source(format), file)?;
        let mut frames = self.motion.frames.iter().enumerate();
        Ok(frames
            .all(|(n, frame)| same(&frame.raster, &got.shown_at(self.motion.middle_of(n)).raster)))
    }

    /// How the first frame of `file` looks, and the score of its worst sampled frame.
    pub(super) fn judged(
        &self,
        format: Format,
        file: &[u8],
    ) -> Result<(Raster, Score), ChoiceError> {
        let got = animation::decode(source(format), file)?;
        let mut worst = Score::SAME;
        for (at, judge) in &self.sampled {
            let score = judge.score(&got.shown_at(*at).raster)?;
            worst = if score < worst { score } else { worst };
        }
        let first = got.shown_at(self.sampled[0].0).raster.clone();
        Ok((first, worst))
    }
}

/// What files in a format that moves are read as.
fn source(format: Format) -> Source {
    if format == Format::Gif { Source::Gif } else { Source::Webp }
}
