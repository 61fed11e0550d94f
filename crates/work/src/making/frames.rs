//! Frames of trials that move: how faithful each is, and how it looks.

use brisk_margin_core::encoding::Encoding;
pub use brisk_margin_imaging::choosing::JudgedFrame;
use brisk_margin_imaging::choosing::{ChoiceError, Moving, judged_frames, moving_source};
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::raster::Raster;
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
    let kind = of.kind("frames", &encoding);
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
/// many.
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
    let file = match side {
        Side::Own => bytes::Bytes::new(),
        Side::File | Side::Differences => trials::file(maker, of, encoding).await?,
    };
    let fitting = of.spec.plan(of.picture.facts.size)?.1.fitting;
    let room = Moving::memory(fitting.output, of.picture.facts.frames);
    let shown = with_original(maker, of.picture, room, move |original| {
        let motion = render_motion(original, &fitting)?;
        let Some(own) = motion.frames.get(n) else { return Ok(None) };
        let own = own.raster.clone();
        let of_file = || -> Result<Raster, MakeError> {
            let source = moving_source(encoding.format());
            let got = original.codecs().decode_motion(source, &file)?;
            Ok(got.shown_at(motion.middle_of(n)).raster.clone())
        };
        let raster = match side {
            Side::Own => own,
            Side::File => of_file()?,
            Side::Differences => {
                let metric = QualityMetric::new(own).map_err(ChoiceError::from)?;
                metric.differences(&of_file()?).map_err(ChoiceError::from)?.drawn()
            }
        };
        Ok(Some(png::encode_fast(&raster)?.into()))
    });
    shown.await
}
