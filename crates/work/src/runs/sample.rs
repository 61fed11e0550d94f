//! A sample of a run's sets: planned exactly, and one file of some really made, so that the forecast
//! follows the rule that holds and the pictures that there are.

use std::time::{Duration, Instant};

use brisk_margin_core::run::forecast::{MeasuredFile, Sample, SampledSet};
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::set_plan::{SetPlanner, SetSource};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use futures::{StreamExt, TryStreamExt};
use uuid::Uuid;

use super::making::downloaded;
use super::slots::RunSlot;
use crate::making::Maker;
use crate::making::references::reference;
use crate::making::sets::{ResponsiveSet, SetFile};
use crate::making::trials::{self, Subject};

/// So many sets are planned to know how many files the others have.
const PLANNED: usize = 24;
/// Files are made for so long, also where little time is left…
const LEAST: Duration = Duration::from_millis(400);
/// …and of so many sets at most.
const MEASURED: usize = 12;

/// Pixels of a file that is quickly made: by how much it differs from its estimate tells the same of
/// larger ones.
const QUICKLY_MADE: u64 = 120_000;

/// A set that may be taken as a sample.
#[derive(Clone, Copy)]
pub(super) struct Sampled {
    pub(super) picture: Uuid,
    pub(super) slot: Uuid,
    /// What it was estimated to weigh.
    pub(super) possible: Option<Bytes>,
}

/// What some of `sets`, spread evenly over all, tell of the others. What is made is kept as a trial: the
/// run does not make it again. `slots` are those that were chosen, which may not be kept yet, and `rule` is the
/// run's own, which holds nowhere yet. Ends at about `until`.
pub(super) async fn sample(
    maker: &Maker,
    sets: &[Sampled],
    slots: &[RunSlot],
    rule: Option<&RunRule>,
    until: Instant,
) -> Result<Sample, StoreError> {
    let until = until.max(Instant::now() + LEAST);
    let step = sets.len().div_ceil(PLANNED).max(1);
    let chosen = sets.iter().step_by(step).copied();
    let planned: Vec<Planned> = futures::stream::iter(chosen)
        .map(|one| Planned::new(maker, one, slots, rule))
        .buffered(4)
        .try_filter_map(|planned| async move { Ok(planned) })
        .try_collect()
        .await?;
    let every = planned.len().div_ceil(MEASURED).max(1);
    let sampled = planned.into_iter().enumerate().map(|(n, one)| async move {
        let wait = tokio::time::timeout_at(until.into(), one.measured(maker));
        let measured = if n % every == 0 { wait.await.ok().flatten() } else { None };
        SampledSet { measured, ..one.facts() }
    });
    let sampled = futures::stream::iter(sampled).buffered(maker.pool.workers());
    Ok(Sample::new(sampled.collect().await))
}

/// A set of the sample, planned.
struct Planned {
    picture: Picture,
    set: ResponsiveSet,
    /// What it was estimated to weigh.
    possible: Option<Bytes>,
}

impl Planned {
    /// Nothing where it cannot be planned: it fails alone when it has its turn.
    async fn new(
        maker: &Maker,
        of: Sampled,
        slots: &[RunSlot],
        rule: Option<&RunRule>,
    ) -> Result<Option<Self>, StoreError> {
        let Some(picture) = maker.store.picture(of.picture).await? else { return Ok(None) };
        let chosen = slots.iter().find(|chosen| chosen.slot.id == of.slot);
        let slot = match chosen {
            Some(chosen) => Some(chosen.slot.clone()),
            None => maker.store.slot(of.slot).await?,
        };
        let Some(slot) = slot else { return Ok(None) };
        let decision = maker.store.decision_in_run(picture.id, Some(slot.id), rule).await?;
        let adjustments = &picture.adjustments;
        let set = ResponsiveSet::decided(maker, &picture, adjustments, slot, decision).await.ok();
        Ok(set.map(|set| Self { picture, set, possible: of.possible }))
    }

    /// What the plan tells.
    fn facts(&self) -> SampledSet {
        let Self { picture, set, .. } = self;
        let about = |file: &SetFile| {
            let analysis = picture.analysis.as_ref()?;
            Some(analysis.sample.weight(self.pixels(file)).get() as f64)
        };
        let all: f64 = set.files.iter().filter_map(about).sum();
        let one = downloaded(set).into_iter().filter_map(about).fold(0.0, f64::max);
        SampledSet {
            files: set.files.len(),
            made: set.files.iter().filter(|file| file.made.is_some()).count(),
            formats: set.formats.len(),
            denser: self.files_with_one_more_density().unwrap_or(set.files.len()),
            all_over_one: if one > 0.0 { all / one } else { set.files.len() as f64 },
            measured: None,
        }
    }

    fn pixels(&self, file: &SetFile) -> u64 {
        self.set.width(file).fitting.output.pixels()
    }

    /// Half as dense again as the densest.
    fn files_with_one_more_density(&self) -> Option<usize> {
        let Self { picture, set, .. } = self;
        let densest = set.densities.iter().map(|density| density.get()).fold(1.0, f64::max);
        let mut densities = set.densities.clone();
        densities.push(Density::new(densest * 1.5).ok()?);
        let source = SetSource {
            size: picture.facts.size,
            sample: picture.analysis.as_ref().map(|analysis| analysis.sample),
            adjustments: &picture.adjustments,
        };
        let colours = set.decision.colours(&picture.facts);
        let planner = SetPlanner::new(source, &set.slot, &densities, set.cropping, colours).ok()?;
        let breakpoints: Vec<u32> = set.parts.iter().map(|part| part.from).collect();
        let parts = planner.parts(&breakpoints).ok()?;
        let widths: usize = parts.iter().map(|part| part.widths.len()).sum();
        Some(widths * set.formats.len())
    }

    /// Makes one of the files that pages download, of a size that is quickly made, and tells what the
    /// heaviest of them comes to by it; nothing where it cannot be made, or no estimate is to be compared
    /// with it.
    async fn measured(&self, maker: &Maker) -> Option<MeasuredFile> {
        let Self { picture, set, .. } = self;
        let downloaded = downloaded(set);
        let format = downloaded.first()?.format;
        let own = set.files.iter().filter(|file| file.format == format);
        let file = own.min_by_key(|file| self.pixels(file).abs_diff(QUICKLY_MADE))?;
        let known = picture.analysis?;
        let weight = |file: &SetFile| known.class.weight(&known.sample, self.pixels(file));
        let heaviest = downloaded.into_iter().filter_map(weight).max()?;
        let (bytes, seconds) = self.made(maker, file).await?;
        // Its own estimate is off by as much as that of the heaviest.
        let off = bytes.get() as f64 / weight(file)?.get().max(1) as f64;
        let bytes = Bytes((heaviest.get() as f64 * off).round() as u64);
        Some(MeasuredFile { possible: self.possible?, bytes, seconds })
    }

    /// What a file weighs, made now where it was not before, and then also how long a file of the set's
    /// mean size takes, with its part of reading the picture.
    async fn made(&self, maker: &Maker, file: &SetFile) -> Option<(Bytes, Option<f64>)> {
        let Self { picture, set, .. } = self;
        if let Some(made) = &file.made {
            return Some((made.variant.bytes, None));
        }
        let begun = Instant::now();
        let spec = &set.width(file).spec;
        let reference = reference(maker, picture, spec).await.ok()?;
        // The picture is read once for all files of its set; each is searched by itself.
        let reading = begun.elapsed().as_secs_f64() / set.files.len() as f64;
        let begun = Instant::now();
        let subject = Subject { reference: Some(&reference), ..set.subject(picture, file) };
        let settled = trials::run(maker, subject, file.request).await.ok()?;
        let share = self.pixels(file) as f64 / self.mean_pixels();
        let searching = begun.elapsed().as_secs_f64() / share;
        let seconds = (settled.encodes > 0).then_some(reading + searching);
        if let Some(made) = settled.file {
            return Some((Bytes::of(&made), seconds));
        }
        let trial = maker.store.trial_of(picture.id, spec, settled.encoding).await.ok()??;
        Some((trial.bytes, seconds))
    }

    fn mean_pixels(&self) -> f64 {
        let files = &self.set.files;
        let all: u64 = files.iter().map(|file| self.pixels(file)).sum();
        all as f64 / files.len().max(1) as f64
    }
}
