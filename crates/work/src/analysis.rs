//! Analysis in the background: what the pixels of pictures say by themselves.

use brisk_margin_core::content::ImageAnalysis;
use brisk_margin_imaging::analysis::analyse;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use futures::{StreamExt, stream};
use uuid::Uuid;

use crate::making::{MakeError, Maker};

/// Pictures that are analysed side by side; the work pool bounds their memory.
const AT_ONCE: usize = 2;
/// Pictures that are asked for at once.
const BATCH: u64 = 16;

/// Analyses the next pictures after `after` that were not analysed yet. Returns the last of them,
/// nothing at the end, and how many are left for later since the machine was at fault.
pub async fn next(maker: &Maker, after: Option<Uuid>) -> Result<(Option<Uuid>, usize), StoreError> {
    let pictures = maker.store.not_analysed(after, BATCH).await?;
    let last = pictures.last().map(|picture| picture.id);
    let analysed = stream::iter(pictures)
        .map(|picture| async move { analyse_one(maker, &picture).await })
        .buffer_unordered(AT_ONCE);
    let left = analysed.filter(|done| std::future::ready(!done)).count().await;
    Ok((last, left))
}

/// Analyses a picture and keeps what was found, or why nothing was; false where the machine is at
/// fault and it is left for later.
async fn analyse_one(maker: &Maker, picture: &Picture) -> bool {
    let kept = match found(maker, picture).await {
        Ok(analysis) => maker.store.keep_analysis(picture.id, &analysis).await.map_err(Into::into),
        Err(error) if error.is_transient() => Err(error),
        Err(error) => {
            let noted = maker.store.analysis_failed(picture.id, &error.to_string()).await;
            noted.map_err(MakeError::from)
        }
    };
    if let Err(error) = &kept {
        tracing::warn!("{} is analysed later: {error}", picture.name);
    }
    kept.is_ok()
}

async fn found(maker: &Maker, picture: &Picture) -> Result<ImageAnalysis, MakeError> {
    let room = maker.pool.admit(picture.facts.memory(picture.bytes)).await;
    let bytes = maker.store.blobs().get(&picture.hash).await?;
    let work = move |codecs: &Codecs| -> Result<_, MakeError> {
        Ok(analyse(&Original::open(codecs, &bytes)?)?)
    };
    maker.pool.run(room, work).await?
}
