//! Frames of trials that move: how faithful each is, and how it looks.

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
pub use brisk_margin_imaging::choosing::JudgedFrame;
use brisk_margin_imaging::choosing::{ChoiceError, Moving, judged_frames, moving_source};
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::render::render_motion;
use brisk_margin_store::Keep;

use super::Maker;
use super::error::MakeError;
use super::rendering::with_original;
use super::trials::{self, StopWhenDropped, Subject};

/// What of a frame is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The file.
    File,
    /// The picture's own pixels.
    Own,
    /// Where they differ: the lighter, the more.
    Differences,
}

/// How faithful each frame of the file is that `encoding` makes of some pixels, in their order. It is
/// worked out once; when the caller goes away, that ends after the frame in hand.
///
/// # Errors
/// [`MakeError`] where the file cannot be made or read.
pub async fn judged(
    maker: &Maker,
    of: Subject<'_>,
    encoding: Encoding,
) -> Result<Vec<JudgedFrame>, MakeError> {
    let (blobs, hash) = (maker.store.blobs(), &of.picture.hash);
    let kind = of.kind("frames", encoding.format(), &encoding);
    let kept = blobs.derived(hash, &kind, Keep::ForAWhile).await?;
    if let Some(judged) = kept.and_then(|kept| serde_json::from_slice(&kept).ok()) {
        return Ok(judged);
    }
    let file = trials::file(maker, of, encoding).await?;
    let fitting = of.spec.plan(of.picture.facts.size)?.1.fitting;
    let room = Moving::memory(fitting.output, of.picture.facts.frames);
    let stop = StopWhenDropped::default();
    let stopped = stop.asked();
    let judged = with_original(maker, of.picture, room, move |original| {
        let motion = render_motion(original, &fitting)?;
        let codecs = original.codecs();
        Ok(judged_frames(codecs, &motion, encoding.format(), &file, &stopped)?)
    });
    let judged = judged.await?;
    let words = serde_json::to_vec(&judged).expect("plain values");
    blobs.put_derived(hash, &kind, Keep::ForAWhile, words.into()).await?;
    Ok(judged)
}

/// Frame `n` of the file that `encoding` makes of some pixels, as PNG; nothing where there are not so
/// many. Frames are read all at once: as many as are not too heavy are kept beside it, in the order of time.
///
/// # Errors
/// [`MakeError`] where the file cannot be made or read.
pub async fn shown(
    maker: &Maker,
    of: Subject<'_>,
    encoding: Encoding,
    n: usize,
    side: Side,
) -> Result<Option<bytes::Bytes>, MakeError> {
    let (blobs, hash) = (maker.store.blobs(), &of.picture.hash);
    let kind = |n: usize| match side {
        Side::Own => of.own_kind(&format!("frame {n}")),
        _ => of.kind(&format!("frame {n} {side:?}"), encoding.format(), &encoding),
    };
    if let Some(kept) = blobs.derived(hash, &kind(n), Keep::ForAWhile).await? {
        return Ok(Some(kept));
    }
    let file = match side {
        Side::Own => bytes::Bytes::new(),
        Side::File | Side::Differences => trials::file(maker, of, encoding).await?,
    };
    let fitting = of.spec.plan(of.picture.facts.size)?.1.fitting;
    let room = Moving::memory(fitting.output, of.picture.facts.frames);
    let drawn = with_original(maker, of.picture, room, move |original| {
        drawn(original, &fitting, encoding.format(), &file, n, side)
    });
    let mut wanted = None;
    for (place, frame) in drawn.await? {
        let frame = bytes::Bytes::from(frame);
        blobs.put_derived(hash, &kind(place), Keep::ForAWhile, frame.clone()).await?;
        if place == n {
            wanted = Some(frame);
        }
    }
    Ok(wanted)
}

/// Frame `n` and those after it, as PNGs with their places; past the last one it goes on with the first. None
/// where there are not so many.
fn drawn(
    original: &Original<'_>,
    fitting: &Fitting,
    format: Format,
    file: &[u8],
    n: usize,
    side: Side,
) -> Result<Vec<(usize, Vec<u8>)>, MakeError> {
    // So many pixels take about half a second.
    let at_once: u64 = if side == Side::Differences { 2_000_000 } else { 32_000_000 };
    let motion = render_motion(original, fitting)?;
    let count = motion.frames.len();
    if n >= count {
        return Ok(Vec::new());
    }
    let made = match side {
        Side::Own => None,
        Side::File | Side::Differences => {
            Some(original.codecs().decode_motion(moving_source(format), file)?)
        }
    };
    let draw = |place: usize| -> Result<(usize, Vec<u8>), MakeError> {
        let own = &motion.frames[place].raster;
        let of_file = made.as_ref().map(|made| &made.shown_at(motion.middle_of(place)).raster);
        let png = match (side, of_file) {
            (Side::Differences, Some(of_file)) => {
                let metric = QualityMetric::new(own.clone()).map_err(ChoiceError::from)?;
                let differences = metric.differences(of_file).map_err(ChoiceError::from)?;
                png::encode_fast(&differences.drawn())?
            }
            (_, of_file) => png::encode_fast(of_file.unwrap_or(own))?,
        };
        Ok((place, png))
    };
    let together = (at_once / fitting.output.pixels().max(1)).clamp(1, count as u64) as usize;
    (n..n + together).map(|place| draw(place % count)).collect()
}
