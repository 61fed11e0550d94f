//! What a run would do: which pictures for which slots, in which order, and what that costs.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;
use std::time::{Duration, Instant};

use brisk_margin_core::placement;
use brisk_margin_core::run::StartedBy;
use brisk_margin_core::run::forecast::{Candidate, CandidateSet, Forecast, Sample, judged};
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::run::skip::SkipReason;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::status::Use;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::StoreError;
use brisk_margin_store::output_rules::RuleFor;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::runs::items::NewRunItem;
use brisk_margin_store::runs::{MadeSet, NewRun};
use chrono::Local;
use tokio::sync::Semaphore;
use tokio::task::JoinSet;
use uuid::Uuid;

use super::AT_ONCE;
use super::sample::{Sampled, sample};
use super::slots::RunSlot;
use crate::making::Maker;

/// Pictures are read so many at a time.
const AT_A_TIME: usize = 500;
/// …and so many parts of them side by side, fewer than a site has connections.
const PARTS_AT_ONCE: usize = 4;
/// How long somebody waits for a plan.
const PATIENCE: Duration = Duration::from_millis(2_700);

/// For which slots files are made.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum RunOver {
    /// For every slot that shows a picture.
    #[default]
    Uses,
    /// For those that show it on this page.
    Page(Uuid),
    /// For these, whether they show it or not.
    Slots(Vec<RunSlot>),
}

impl RunOver {
    /// Those that were chosen, whatever they show.
    fn slots(&self) -> &[RunSlot] {
        match self {
            Self::Slots(slots) => slots,
            Self::Uses | Self::Page(_) => &[],
        }
    }
}

/// What a run is asked for.
#[derive(Debug, Clone, Default)]
pub struct RunWish {
    /// Of which pictures.
    pub pictures: Vec<Uuid>,
    /// For which slots.
    pub over: RunOver,
    /// What is left for later.
    pub limits: RunLimits,
    /// How files are made, where that is chosen for it.
    pub rule: Option<RunRule>,
}

/// What a run would do.
pub struct Plan {
    /// Told before it starts.
    pub forecast: Forecast,
    limits: RunLimits,
    items: Vec<NewRunItem>,
    /// Slots of size presets, which it keeps.
    presets: Vec<Slot>,
    /// Its own rule.
    rule: Option<RunRule>,
}

impl Plan {
    /// Starts it. Returns its id.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn start(
        self,
        maker: &Maker,
        name: String,
        started_by: StartedBy,
    ) -> Result<Uuid, StoreError> {
        for slot in &self.presets {
            maker.store.keep_slot(slot).await?;
        }
        maker.store.add_run(&self.run(maker, name, started_by).await?).await
    }

    async fn run(
        self,
        maker: &Maker,
        name: String,
        started_by: StartedBy,
    ) -> Result<NewRun, StoreError> {
        let rule = maker.store.output_rule(RuleFor::Site).await?;
        let Self { forecast, limits, items, rule: own_rule, presets: _ } = self;
        Ok(NewRun { name, started_by, forecast, limits, rule, own_rule, items })
    }

    /// What would be done with `found`, in that order, where a file takes `pace` seconds.
    fn of(found: &[Found], sample: &Sample, pace: Option<f64>, limits: RunLimits) -> Self {
        let factor = sample.factor();
        let candidates: Vec<Candidate> = found.iter().map(|one| one.candidate.clone()).collect();
        let judged = judged(&candidates, factor, &limits);
        let forecast = Forecast::of(&candidates, &judged, sample, pace, &limits);
        let items = items(found, &judged, factor);
        Self { forecast, limits, items, presets: Vec::new(), rule: None }
    }
}

/// Adds the sets of a picture that arrived to the run over those that arrive, or starts that; nothing
/// where no slot would gain by it.
///
/// # Errors
/// Those of the database.
pub(crate) async fn add_arrival(maker: &Maker, picture: Uuid) -> Result<(), StoreError> {
    let found = found_of(maker, &[picture], &RunOver::Uses, None).await?;
    let plan = Plan::of(&found, &Sample::new(Vec::new()), None, RunLimits::default());
    if plan.forecast.sets > 0 {
        let name = format!("Arrivals, {}", Local::now().format("%-d %B %Y"));
        maker.store.add_to_run(&plan.run(maker, name, StartedBy::Intake).await?).await?;
    }
    Ok(())
}

/// A picture with the slots that it would be made for. Nothing else is kept of it: there may be
/// hundreds of thousands.
struct Found {
    picture: Uuid,
    candidate: Candidate,
    /// In the order of the candidate's sets.
    slots: Vec<Uuid>,
}

/// A picture in a slot, summed up over the places that show it there.
#[derive(Default)]
struct InSlot {
    today: Option<Bytes>,
    asked: Option<Use>,
    /// Whether one of them shows something else than the picture's own file.
    is_awaited: bool,
}

/// Plans a run. Nothing is made but a few trials.
///
/// # Errors
/// Those of the database.
pub async fn plan(maker: &Maker, wish: &RunWish) -> Result<Plan, StoreError> {
    let until = Instant::now() + PATIENCE;
    let mut found = all_found(maker, wish).await?;
    found.sort_by_key(|one| std::cmp::Reverse(one.candidate.saving(1.0)));
    let (slots, rule) = (wish.over.slots(), wish.rule.as_ref());
    let sample = sample(maker, &worth_sampling(&found), slots, rule, until).await?;
    let factor = sample.factor();
    // What the sample says of savings may change the order.
    found.sort_by_key(|one| std::cmp::Reverse(one.candidate.saving(factor)));
    let sampled = maker.sampled_pace(sample.pace());
    let sampled = sampled.map(|pace| pace / maker.pool.workers() as f64);
    let pace = maker.store.seconds_a_file(AT_ONCE).await?.or(sampled);
    let presets = slots.iter().filter(|chosen| chosen.is_new);
    let presets = presets.map(|chosen| chosen.slot.clone()).collect();
    Ok(Plan { presets, rule: wish.rule.clone(), ..Plan::of(&found, &sample, pace, wish.limits) })
}

/// The items of a run: what is made in its order, then what is skipped.
fn items(found: &[Found], judged: &[Option<SkipReason>], factor: f64) -> Vec<NewRunItem> {
    let (mut items, mut skipped) = (Vec::new(), Vec::new());
    for (Found { picture, candidate, slots }, reason) in found.iter().zip(judged) {
        let picture = *picture;
        if let Some(reason) = *reason {
            skipped.push(NewRunItem::Skipped { picture, reason });
            continue;
        }
        for (set, &slot) in candidate.sets.iter().zip(slots) {
            if set.skipped(factor).is_none() {
                let expected = set.possible.map(|_| set.expected(factor));
                items.push(NewRunItem::Set { picture, slot, before: Some(set.today), expected });
            }
        }
    }
    items.extend(skipped);
    items
}

fn worth_sampling(found: &[Found]) -> Vec<Sampled> {
    let worth = found.iter().filter(|one| one.candidate.skipped(1.0).is_none());
    let sets = worth.flat_map(|one| {
        let sets = one.candidate.sets.iter().zip(&one.slots);
        let sets = sets.filter(|(set, _)| set.skipped(1.0).is_none());
        sets.map(|(set, &slot)| Sampled { picture: one.picture, slot, possible: set.possible })
    });
    sets.collect()
}

/// What is known of each picture, read by several tasks at once; none goes on where nobody waits any
/// more.
async fn all_found(maker: &Maker, wish: &RunWish) -> Result<Vec<Found>, StoreError> {
    let asked = Arc::new((wish.over.clone(), wish.rule.clone()));
    // More would wait for a connection longer than one may.
    let turns = Arc::new(Semaphore::new(PARTS_AT_ONCE));
    let mut tasks = JoinSet::new();
    for (n, some) in wish.pictures.chunks(AT_A_TIME).enumerate() {
        let (maker, some, turns) = (maker.clone(), some.to_vec(), Arc::clone(&turns));
        let asked = Arc::clone(&asked);
        tasks.spawn(async move {
            let _turn = turns.acquire().await.expect("it is never closed");
            let (over, rule) = &*asked;
            (n, found_of(&maker, &some, over, rule.as_ref()).await)
        });
    }
    let mut parts = tasks.join_all().await;
    parts.sort_by_key(|(n, _)| *n);
    let mut found = Vec::with_capacity(wish.pictures.len());
    for (_, part) in parts {
        found.extend(part?);
    }
    Ok(found)
}

async fn found_of(
    maker: &Maker,
    ids: &[Uuid],
    over: &RunOver,
    rule: Option<&RunRule>,
) -> Result<Vec<Found>, StoreError> {
    let pictures = maker.store.pictures_with_removed(ids).await?;
    let mut uses = maker.store.uses_of(ids).await?;
    let excluded: HashSet<Uuid> = maker.store.excluded_of(ids).await?.into_iter().collect();
    let made = maker.store.made_sets(ids).await?;
    let own_rules = match rule {
        Some(_) => maker.store.rules_of(ids).await?,
        None => HashMap::new(),
    };
    let found = pictures.into_iter().map(|picture| {
        let mut slots: BTreeMap<Uuid, InSlot> = BTreeMap::new();
        for used in uses.remove(&picture.id).unwrap_or_default() {
            let is_meant = match over {
                RunOver::Uses => true,
                RunOver::Page(page) => used.place.page_id == *page,
                RunOver::Slots(slots) => slots.iter().any(|one| one.slot.id == used.slot.id),
            };
            if is_meant {
                let asked = picture.placement(&used.slot, &used.place).asked();
                let slot = slots.entry(used.slot.id).or_default();
                slot.is_awaited |= used.placed;
                slot.add(used.today(picture.bytes), asked);
            }
        }
        for RunSlot { slot, .. } in over.slots() {
            if slots.contains_key(&slot.id) {
                continue;
            }
            let asked = placement::asked_by(slot, &picture.adjustments, picture.facts.size);
            slots.entry(slot.id).or_default().add(Some(picture.bytes), asked);
        }
        let own = own_rules.get(&picture.id).cloned().unwrap_or_default();
        let changes_rule = rule.is_some_and(|rule| rule.over(&own) != own);
        let is_new = |id| over.slots().iter().any(|one| one.is_new && one.slot.id == id);
        let sets: Vec<(Uuid, CandidateSet)> = slots
            .into_iter()
            .map(|(slot, found)| {
                let set = MadeSet { picture_id: picture.id, slot_id: slot };
                let was_made = made.contains(&set) && !is_new(slot);
                (slot, found.candidate(&picture, was_made, changes_rule))
            })
            .collect();
        let (slots, sets) = sets.into_iter().unzip();
        let candidate = Candidate {
            is_removed: picture.removed_at.is_some(),
            is_broken: picture.analysis_failed.is_some(),
            is_excluded: excluded.contains(&picture.id),
            changes_rule,
            sets,
        };
        Found { picture: picture.id, candidate, slots }
    });
    Ok(found.collect())
}

impl InSlot {
    fn add(&mut self, today: Option<Bytes>, asked: Option<Use>) {
        self.today = self.today.max(today);
        let largest = |one: &Use| one.output.pixels();
        self.asked = [self.asked, asked].into_iter().flatten().max_by_key(largest);
    }

    /// What it comes to; `was_made` tells that its files are there, by a rule that the run may change.
    fn candidate(&self, picture: &Picture, was_made: bool, changes_rule: bool) -> CandidateSet {
        let is_drawing = picture.facts.format == SourceFormat::Svg;
        let possible = self
            .asked
            .zip(picture.analysis)
            .and_then(|(asked, known)| known.class.weight(&known.sample, asked.output.pixels()));
        CandidateSet {
            today: self.today.unwrap_or(picture.bytes),
            possible,
            // A drawing has enough pixels for any slot.
            shortfall: self.asked.filter(|_| !is_drawing).map_or(0.0, |asked| asked.shortfall),
            is_made: was_made && !changes_rule,
            // What was made by an earlier rule is made anew, whatever that saves.
            is_awaited: self.is_awaited || was_made && changes_rule,
        }
    }
}
