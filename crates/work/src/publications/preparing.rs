//! Preparing: what a publication would change, worked out and held against the site in a browser.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::publication::look::Look;
use brisk_margin_core::publication::report::{
    ChangedPage, FileChange, PageTrouble, PageWeight, PlaceChange, PlaceLeft, PublicationReport,
};
use brisk_margin_site::page::Shot;
use brisk_margin_store::publications::{Prepared, Publication, PublicationEnding};
use serde::{Deserialize, Serialize};
use tokio::sync::mpsc;
use uuid::Uuid;

use super::keeping::Keeping;
use super::{PublicationError, icons, library, looks};
use crate::jobs::{JobFailure, JobInHand};
use crate::making::Maker;
use crate::publishing::measuring::{MeasuredSite, ServedSite};
use crate::publishing::places::LeftPlace;
use crate::publishing::{ChangedPlace, Outcome, Progress, Rehearsal};
use crate::sites::SiteServices;

/// Pages of which pictures are taken at most, before and after; all are held against what they were.
const MOST_PICTURED: usize = 40;

/// What a job that prepares is at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Preparing {
    /// Pages are measured.
    Measuring,
    /// Pages are held against what they were.
    Comparing,
    /// Pictures of pages are taken.
    Picturing,
}

impl Preparing {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Measuring => "measuring pages",
            Self::Comparing => "comparing pages in the browser",
            Self::Picturing => "taking pictures of pages",
        }
    }
}

type Told = (Preparing, usize, usize);

/// Works out what `publication` changes.
///
/// # Errors
/// Where the job is not to be gone on with; what went wrong otherwise is told in the result.
pub(super) async fn prepare(
    site: &SiteServices,
    publication: &Publication,
    job: &JobInHand,
) -> Result<Result<PublicationEnding, PublicationError>, JobFailure> {
    let (told, mut heard) = mpsc::unbounded_channel::<Told>();
    let noting = async {
        while let Some((phase, done, all)) = heard.recv().await {
            job.keep_now_and_then(done, all, &phase).await?;
        }
        Ok::<_, JobFailure>(())
    };
    let working = async {
        let prepared = prepared(site, publication, told).await;
        Ok(prepared.map(|prepared| PublicationEnding::Prepared(Box::new(prepared))))
    };
    tokio::try_join!(working, noting).map(|(ending, ())| ending)
}

async fn prepared(
    site: &SiteServices,
    publication: &Publication,
    told: mpsc::UnboundedSender<Told>,
) -> Result<Prepared, PublicationError> {
    let tell = |phase, done, all| {
        // Whoever listens ends with this.
        let _ = told.send((phase, done, all));
    };
    let (folder, wish) = (super::folder(site).await?, &publication.wish);
    if wish.icons {
        tell(Preparing::Measuring, 0, 1);
        return icons::prepared(site, &folder, publication).await;
    }
    let (maker, settings) = (&site.maker, site.store.site().await?);
    let served = ServedSite::start(folder.root(), maker.pool.codecs(), |plan| {
        site.measuring.follow(plan, &settings)
    });
    let served = served.await?;
    let before = served.measured(|done, all| tell(Preparing::Measuring, done, all)).await?;
    let library = library::sets(maker, &before, &folder, wish).await?;
    let progress = |progress: Progress| match progress {
        Progress::Measured(done, all) | Progress::Made(done, all) => {
            tell(Preparing::Measuring, done, all);
        }
        Progress::Proved(done, all) => tell(Preparing::Comparing, done, all),
    };
    let rehearsal = Rehearsal {
        folder: &folder,
        files_in: &wish.folder,
        served: &served,
        before: &before,
        sets: &library.sets,
        may_move: wish.may_move,
    };
    let mut outcome = rehearsal.outcome(&progress).await?;
    let pictures = pictures_of(&outcome);
    let files = std::mem::take(&mut outcome.files);
    let keeping = Keeping { store: &site.store, publication: publication.id };
    let (mut pages, mut looks) = (Vec::new(), Looks::new());
    let due = outcome.pages.len().min(MOST_PICTURED);
    for (n, page) in outcome.pages.iter().enumerate() {
        tell(Preparing::Picturing, n.min(due), due);
        let shots = match n < MOST_PICTURED {
            // A page that cannot be opened any more has none.
            true => served.shots(page).await.unwrap_or_default(),
            false => Vec::new(),
        };
        looks.extend(looks_on(maker, &before, &outcome, page, &shots).await);
        let shots = keeping.shots(shots).await?;
        pages.push(ChangedPage { page: page.clone(), shots });
    }
    let (change, files) = keeping.change(&folder, files, &pictures).await?;
    let report = report(&before, outcome, library.left, pages, files, &looks);
    Ok(Prepared { report, change: serde_json::to_value(change).expect("plain values") })
}

/// How places are seen beside how they were, by their page and what finds them there.
type Looks = BTreeMap<(String, String), Look>;

/// How the places of a page that are not meant to look otherwise are seen in pictures of it.
async fn looks_on(
    maker: &Maker,
    before: &MeasuredSite,
    outcome: &Outcome,
    page: &str,
    shots: &[(Shot, Shot)],
) -> Looks {
    let changed = outcome.changed.iter().filter(|place| place.page == page && !place.is_restyled);
    let names: BTreeSet<&str> = changed.map(|place| place.selector.as_str()).collect();
    let own = before.places().filter(|&at| before.path(at) == page);
    let places = own.map(|at| before.place(at)).filter(|one| names.contains(&one.selector[..]));
    let places: Vec<_> = places.collect();
    let looks = looks::looks(maker, &places, shots).await;
    let told = places
        .iter()
        .zip(looks)
        .filter_map(|(place, look)| Some(((page.to_owned(), place.selector.clone()), look?)));
    told.collect()
}

/// The pictures that new files were made of, by the paths of those.
fn pictures_of(outcome: &Outcome) -> BTreeMap<String, Uuid> {
    let files = outcome.changed.iter().flat_map(|place| {
        let picture = place.picture;
        place.files.iter().filter_map(move |(path, _, _)| Some((path.clone(), picture?)))
    });
    files.collect()
}

fn report(
    before: &MeasuredSite,
    outcome: Outcome,
    left: Vec<LeftPlace>,
    pages: Vec<ChangedPage>,
    files: Vec<FileChange>,
    looks: &Looks,
) -> PublicationReport {
    let mut left: Vec<PlaceLeft> = outcome.left.iter().chain(&left).map(place_left).collect();
    left.sort_by(|a, b| {
        (!a.is_failure, &a.page, &a.selector).cmp(&(!b.is_failure, &b.page, &b.selector))
    });
    let weights = outcome.weights.into_iter().map(|weight| PageWeight {
        page: weight.page,
        width: weight.width,
        density: weight.density,
        before: weight.before,
        after: weight.after,
    });
    let places = outcome.changed.into_iter().filter_map(|place| place_change(place, looks));
    let mut places: Vec<PlaceChange> = places.collect();
    // What should be looked at first, before what nobody can judge.
    let score = |place: &PlaceChange| place.look.map_or(f64::INFINITY, |look| look.score.0);
    places.sort_by(|a, b| score(a).total_cmp(&score(b)));
    let unmeasured = before
        .unmeasured
        .iter()
        .map(|(page, reason)| PageTrouble { page: page.clone(), reason: reason.clone() });
    PublicationReport {
        files,
        places,
        left,
        weights: weights.collect(),
        unmeasured: unmeasured.collect(),
        pages,
        unused: outcome.unused.into_iter().collect(),
    }
}

fn place_left(left: &LeftPlace) -> PlaceLeft {
    PlaceLeft {
        page: left.page.clone(),
        selector: left.selector.clone(),
        reason: left.reason.name().to_owned(),
        words: left.reason.words(),
        is_failure: left.reason.is_failure(),
    }
}

fn place_change(place: ChangedPlace, looks: &Looks) -> Option<PlaceChange> {
    let look = looks.get(&(place.page.clone(), place.selector.clone())).copied();
    Some(PlaceChange {
        look,
        looks_otherwise: look.is_some_and(Look::is_otherwise),
        picture: place.picture?,
        page: place.page,
        selector: place.selector,
        slot: place.slot,
        fingerprint: place.fingerprint,
        source: place.source,
        files: place.files.len(),
        before: place.weight.0,
        after: place.weight.1,
        is_single: place.is_single,
        is_as_promised: place.is_as_promised,
        is_uncaptioned: place.is_uncaptioned,
    })
}
