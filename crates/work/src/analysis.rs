//! Analysis, as a job: what the pixels of a picture say by themselves.

use brisk_margin_core::content::ImageAnalysis;
use brisk_margin_imaging::analysis::analyse;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use serde::Deserialize;
use uuid::Uuid;

use crate::jobs::{JobFailure, JobInHand};
use crate::making::{MakeError, Maker};

/// Which picture a job is about.
#[derive(Debug, Clone, Copy, Deserialize)]
pub(crate) struct OfPicture {
    /// Its id.
    pub picture: Uuid,
}

/// Analyses a picture and keeps what was found, or why nothing was.
///
/// # Errors
/// Where nothing was found.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let OfPicture { picture: id } = job.args()?;
    let outcome = analyse_one(maker, id).await;
    if let Err(JobFailure::Failed { reason, is_transient: false }) = &outcome {
        maker.store.analysis_failed(id, reason).await?;
    }
    outcome
}

async fn analyse_one(maker: &Maker, id: Uuid) -> Result<(), JobFailure> {
    let picture = match maker.store.picture(id).await {
        Ok(Some(picture)) if picture.analysis.is_none() => picture,
        // Done before, or gone.
        Ok(_) => return Ok(()),
        // A row that this version cannot read.
        Err(error @ StoreError::Corrupt(_)) => return Err(JobFailure::last(error)),
        Err(error) => return Err(error.into()),
    };
    let analysis = found(maker, &picture).await?;
    Ok(maker.store.keep_analysis(id, &analysis).await?)
}

async fn found(maker: &Maker, picture: &Picture) -> Result<ImageAnalysis, MakeError> {
    let room = maker.pool.admit(picture.facts.memory(picture.bytes)).await;
    let bytes = maker.store.blobs().get(&picture.hash).await?;
    let work = move |codecs: &Codecs| -> Result<_, MakeError> {
        Ok(analyse(&Original::open(codecs, &bytes)?)?)
    };
    maker.pool.run(room, work).await?
}
