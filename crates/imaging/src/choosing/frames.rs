//! Frames of a moving file, each held against the picture's own.

use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Score, WorstSpot};
use serde::{Deserialize, Serialize};

use super::moving::moving_source;
use super::{ChoiceError, Stop};
use crate::codecs::Codecs;
use crate::metric::QualityMetric;
use crate::motion::Motion;

/// A frame of a file.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct JudgedFrame {
    /// When it begins, in milliseconds from the start.
    pub begins: u64,
    /// How faithful it is.
    pub score: Score,
    /// Where it differs most.
    pub spot: WorstSpot,
}

/// How faithful each frame of `motion` is in `file`, in their order; the file shows it at the middle of
/// its time.
///
/// # Errors
/// [`ChoiceError::Cancelled`] where `stop` says so; else those of decoding and comparing.
pub fn judged_frames(
    codecs: &Codecs,
    motion: &Motion,
    format: Format,
    file: &[u8],
    stop: Stop<'_>,
) -> Result<Vec<JudgedFrame>, ChoiceError> {
    let got = codecs.decode_motion(moving_source(format), file)?;
    let mut begins = 0;
    let judge = |n: usize| {
        if stop() {
            return Err(ChoiceError::Cancelled);
        }
        let own = &motion.frames[n];
        let metric = QualityMetric::new(own.raster.clone())?;
        let shown = &got.shown_at(motion.middle_of(n)).raster;
        let score = metric.score(shown)?;
        let spot = metric.worst_tile(shown)?;
        let judged = JudgedFrame { begins, score, spot };
        begins += u64::from(own.millis);
        Ok(judged)
    };
    (0..motion.frames.len()).map(judge).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::choosing::never;
    use crate::codec::extras::Extras;
    use crate::motion::Frame;
    use crate::raster::{Channels, Raster};
    use brisk_margin_core::encoding::{Encoding, Quality};
    use brisk_margin_core::geometry::Size;

    /// Calm frames with one between them that is hard to encode.
    fn motion() -> Motion {
        let size = Size::new(96, 64);
        let calm = |n: u32| (0..96 * 64 * 3).map(|at: u32| (at / 288 + n) as u8).collect();
        let noise = || (0..96 * 64 * 3_u32).map(|at| (at.wrapping_mul(2_654_435_761) >> 24) as u8);
        let frame = |data: Vec<u8>, millis| Frame {
            raster: Raster::new(size, Channels::Rgb, data),
            millis,
        };
        Motion {
            frames: vec![frame(calm(0), 80), frame(noise().collect(), 40), frame(calm(90), 120)],
            loops: 0,
        }
    }

    #[test]
    fn each_frame_is_judged_at_its_time() {
        let (codecs, motion) = (Codecs::in_process(), motion());
        let encoding = Encoding::Webp(Quality::new(30).unwrap());
        let file = codecs.encode_motion(&motion, encoding, &Extras::default()).unwrap();
        let judged = judged_frames(&codecs, &motion, Format::Webp, &file, &never).unwrap();
        assert_eq!(judged.iter().map(|frame| frame.begins).collect::<Vec<_>>(), [0, 80, 120]);
        let score = |n: usize| judged[n].score;
        assert!(score(1) < score(0) && score(1) < score(2), "the noise is the worst: {judged:?}");

        let stopped = judged_frames(&codecs, &motion, Format::Webp, &file, &|| true);
        assert_eq!(stopped, Err(ChoiceError::Cancelled));
    }
}
