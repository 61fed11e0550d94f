//! Making the files of a set, as a job.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_imaging::choosing::{Hints, Turn, turns};
use brisk_margin_imaging::reference::Reference;
use brisk_margin_store::jobs::{Job, NewJob};
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::MadeSet;
use brisk_margin_store::{BlobHash, Store, StoreError};
use futures::future::try_join_all;
use serde::{Deserialize, Serialize};
use tokio::sync::Semaphore;
use uuid::Uuid;

use super::{ResponsiveSet, SetError, SetFile};
use crate::jobs::{JobFailure, JobInHand};
use crate::making::Maker;
use crate::making::files::{self, FileWish};
use crate::making::references::references;
use crate::making::trials;

/// Which set a job makes.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct SetArgs {
    picture: Uuid,
    slot: Uuid,
    adjustments: Adjustments,
}

/// Adds a job that makes the files of `picture`, with `adjustments`, for `slot`; where the same one
/// waits or runs already, that one stands for it. Returns its id.
///
/// # Errors
/// Those of the database.
pub async fn start(
    store: &Store,
    picture: Uuid,
    slot: Uuid,
    adjustments: &Adjustments,
) -> Result<Uuid, StoreError> {
    let args = SetArgs { picture, slot, adjustments: adjustments.clone() };
    let (key, args) = (args.key(), serde_json::to_value(args).expect("plain values"));
    match store.open_job(JobKind::Set, &key).await? {
        Some(job) => Ok(job.id),
        None => store.push_job(&NewJob::new(JobKind::Set, key, args).awaited()).await,
    }
}

/// The job that makes, or made last, the files of `picture`, with `adjustments`, for `slot`.
///
/// # Errors
/// Those of the database.
pub async fn job(
    store: &Store,
    picture: Uuid,
    slot: Uuid,
    adjustments: &Adjustments,
) -> Result<Option<Job>, StoreError> {
    let args = SetArgs { picture, slot, adjustments: adjustments.clone() };
    store.latest_job_of(JobKind::Set, &args.key()).await
}

impl SetArgs {
    fn key(&self) -> String {
        CacheKey::versioned(1, self).into()
    }
}

/// Makes the files that a job asks for.
///
/// # Errors
/// The first file's that could not be made; those that were made stay.
pub(crate) async fn run(maker: &Maker, job: &JobInHand) -> Result<(), JobFailure> {
    let SetArgs { picture, slot, adjustments } = job.args()?;
    let made = MadeSet { picture_id: picture, slot_id: slot };
    let basis = maker.store.set_basis(made).await?;
    let picture = maker.store.picture(picture).await?;
    let picture = picture.ok_or_else(|| JobFailure::last("the picture is gone"))?;
    let slot = maker.store.slot(slot).await?;
    let slot = slot.ok_or_else(|| JobFailure::last("the slot is gone"))?;
    let plan = ResponsiveSet::plan(maker, &picture, &adjustments, slot.clone()).await?;
    plan.make(maker, &picture, Some(job)).await?;
    // Also those that were there: a run that had made them does not take them back.
    let set = ResponsiveSet::plan(maker, &picture, &adjustments, slot).await?;
    if adjustments == picture.adjustments
        && let (Some(basis), Some(files)) = (basis, set.fingerprint())
    {
        maker.store.note_made_set(made, &basis, &files).await?;
    }
    Ok(maker.store.keep_variants(&set.variants()).await?)
}

/// Files of a set that are being made.
struct Making<'a> {
    set: &'a ResponsiveSet,
    maker: &'a Maker,
    picture: &'a Picture,
    /// Those that are not there, by their places, with the pixels of what stands still.
    due: BTreeMap<usize, Option<Arc<Reference>>>,
    at_once: Semaphore,
    progress: Progress<'a>,
}

impl Making<'_> {
    /// Makes what is due of a turn: first the file that tells of the others.
    async fn turn(&self, turn: &Turn) -> Result<(), JobFailure> {
        let hints = match self.due.contains_key(&turn.first) {
            true => self.one(turn.first, Hints::NONE).await?,
            false => self.told_before(turn.first).await?,
        };
        let others = turn.others.iter().filter(|n| self.due.contains_key(n));
        try_join_all(others.map(|&n| self.one(n, hints))).await?;
        Ok(())
    }

    /// Makes the file at `n`, once fewer are made than there are workers; returns `hints` with what it told.
    async fn one(&self, n: usize, hints: Hints) -> Result<Hints, JobFailure> {
        let _place = self.at_once.acquire().await.expect("it is never closed");
        let (file, pixels) = (&self.set.files[n], self.due[&n].as_ref());
        let told = self.set.make_one(self.maker, self.picture, file, pixels, hints).await?;
        self.progress.one_more().await?;
        Ok(told)
    }

    /// What the file at `n` tells, which was made before.
    async fn told_before(&self, n: usize) -> Result<Hints, JobFailure> {
        let file = &self.set.files[n];
        let subject = self.set.subject(self.picture, file);
        let outside = self.maker.encoders().await?;
        let known = trials::known(self.maker, subject, file.request, &outside).await;
        let told =
            known.map_err(SetError::from)?.and_then(|known| Some((known.encoding, known.counted?)));
        Ok(told.map_or(Hints::NONE, |(encoding, counted)| {
            Hints::NONE.and(subject.class(), encoding, counted)
        }))
    }
}

/// How far the making of a set is, noted with the job that makes nothing else.
struct Progress<'a> {
    done: AtomicUsize,
    of: usize,
    job: Option<&'a JobInHand>,
}

impl Progress<'_> {
    async fn one_more(&self) -> Result<(), JobFailure> {
        let done = self.done.fetch_add(1, Ordering::Relaxed) + 1;
        match self.job {
            Some(job) => job.note(done, self.of).await,
            None => Ok(()),
        }
    }
}

impl ResponsiveSet {
    /// The files that are there.
    pub(crate) fn variants(&self) -> Vec<Uuid> {
        self.files.iter().filter_map(|file| Some(file.made.as_ref()?.variant.id)).collect()
    }

    /// What stands for all its files together, whatever their order; nothing where one is not there.
    pub(crate) fn fingerprint(&self) -> Option<String> {
        let hashes = self.files.iter().map(|file| Some(file.made.as_ref()?.variant.hash.as_str()));
        let hashes: BTreeSet<&str> = hashes.collect::<Option<_>>()?;
        let all = Vec::from_iter(hashes).join(" ");
        Some(BlobHash::of(all.as_bytes()).as_str().to_owned())
    }

    /// Makes every file that was not made yet, spread over the cores; whoever goes away ends it
    /// after the files in hand, and those that are made stay. The picture is decoded once, and what
    /// files are compared with is worked out once for each width. Each is noted with `job`, where that makes nothing else.
    ///
    /// # Errors
    /// The first file's that could not be made.
    pub(crate) async fn make(
        &self,
        maker: &Maker,
        picture: &Picture,
        job: Option<&JobInHand>,
    ) -> Result<(), JobFailure> {
        if self.decision.excluded.value {
            return Err(SetError::Excluded.into());
        }
        let missing: Vec<&SetFile> = self.files.iter().filter(|file| file.made.is_none()).collect();
        let specs: Vec<&RenderSpec> = missing.iter().map(|file| &self.width(file).spec).collect();
        let is_moving = missing.first().is_some_and(|file| self.subject(picture, file).is_moving());
        let pixels: Vec<Option<Arc<Reference>>> = match is_moving {
            true => vec![None; missing.len()],
            false => references(maker, picture, &specs).await?.into_iter().map(Some).collect(),
        };
        let places = (0..self.files.len()).filter(|&n| self.files[n].made.is_none());
        let due: BTreeMap<usize, _> = places.zip(pixels).collect();
        let progress = Progress { done: AtomicUsize::new(0), of: due.len(), job };
        let size = |file: &SetFile| (file.format, self.width(file).fitting.output.pixels());
        let turns = turns(&self.files.iter().map(size).collect::<Vec<_>>());
        let at_once = Semaphore::new(maker.pool.workers());
        let making = &Making { set: self, maker, picture, due, at_once, progress };
        try_join_all(turns.iter().map(|turn| making.turn(turn))).await?;
        Ok(())
    }

    /// Makes `file`; returns `hints` with what it told.
    async fn make_one(
        &self,
        maker: &Maker,
        picture: &Picture,
        file: &SetFile,
        reference: Option<&Arc<Reference>>,
        hints: Hints,
    ) -> Result<Hints, SetError> {
        let width = self.width(file);
        let wish = FileWish {
            picture,
            spec: &width.spec,
            fitting: &width.fitting,
            reference,
            hints,
            request: file.request,
            credit: self.credit.as_ref(),
            cap: self.decision.cap.value.bytes(self.budget),
            budget: self.budget,
            name: &file.wish,
        };
        let made = files::make(maker, wish).await?;
        let class = self.subject(picture, file).class();
        let encoding = made.variant.spec.encoding;
        Ok(made.counted.map_or(hints, |counted| hints.and(class, encoding, counted)))
    }
}
