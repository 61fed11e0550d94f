//! Publications: what was made goes to the site's own folder, and back.
//!
//! - [`acting`]: preparing one, publishing it, taking it back, forgetting it.
//! - [`contents`]: what one changes: lines of its files, and pictures of its pages.

pub(super) mod acting;
pub(super) mod contents;
pub(super) mod films;

use std::collections::{BTreeSet, HashMap};

use axum::Json;
use axum::extract::State;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::publication::host::{HostNote, LeftFormat, how_to_serve};
use brisk_margin_core::publication::report::{
    ChangedPage, PageShots, PublicationReport, PublicationSums, ScreenWeight,
};
use brisk_margin_core::publication::state::{
    PublicationAct, PublicationState, PublicationWish, USUAL_FOLDER,
};
use brisk_margin_store::StoreError;
use brisk_margin_store::jobs::Job;
use brisk_margin_store::publications::shown::ReadySets;
use brisk_margin_store::publications::{Publication, publication_key};
use brisk_margin_work::publications::preparing::Preparing;
use chrono::{DateTime, Utc};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::Path;
use crate::state::App;

/// Publications that are listed.
const MOST: u64 = 200;

/// A publication, and how far it is.
#[derive(Serialize, ToSchema)]
pub(super) struct PublicationBody {
    id: Uuid,
    name: String,
    /// What is to be published.
    wish: PublicationWish,
    state: PublicationState,
    /// Whether a job is at it.
    is_under_way: bool,
    /// What may be done with it now.
    acts: Vec<PublicationAct>,
    /// Whether it can be forgotten: nothing of it is or was on the site.
    can_be_forgotten: bool,
    /// Why it stands there, where that is no success.
    reason: Option<String>,
    /// How far what is under way has come.
    progress: Option<PublicationProgress>,
    /// What it changes; nothing before it was prepared.
    sums: Option<PublicationSums>,
    /// Why somebody should look before it goes to the site, in words; nothing where it does not wait for that.
    doubts: Option<String>,
    /// Files that somebody changed since, and that were left alone when it was taken back.
    left_alone: Vec<String>,
    /// Who asked for it, as they called themselves; empty where nobody said.
    asked_by: String,
    created_at: DateTime<Utc>,
    published_at: Option<DateTime<Utc>>,
    taken_back_at: Option<DateTime<Utc>>,
}

/// How far a publication that is under way has come.
#[derive(Serialize, ToSchema)]
struct PublicationProgress {
    /// What is done now, in words.
    words: &'static str,
    done: u64,
    total: Option<u64>,
    /// Why the last attempt failed; it is tried again.
    reason: Option<String>,
}

/// A publication with all that it changes.
#[derive(Serialize, ToSchema)]
pub(super) struct WholePublication {
    #[serde(flatten)]
    publication: PublicationBody,
    /// Nothing before it was prepared.
    report: Option<PublicationReport>,
    /// The pages that look otherwise, with what they weigh.
    pages: Vec<PublicationPage>,
    /// Formats that it does without, and how servers are told to serve them.
    left_formats: Vec<LeftFormatBody>,
    /// What the site's host could do better with the files, as it was when they came there.
    host_notes: Vec<HostNoteBody>,
    /// What the pictures and slots are called that its report speaks of.
    names: HashMap<Uuid, String>,
}

/// A format that the site's host does not serve as it should.
#[derive(Serialize, ToSchema)]
struct LeftFormatBody {
    #[serde(flatten)]
    left: LeftFormat,
    /// How common servers are told to serve it, as lines of text.
    mend: String,
}

/// What the site's host could do better.
#[derive(Serialize, ToSchema)]
struct HostNoteBody {
    #[serde(flatten)]
    note: HostNote,
    /// In words.
    words: String,
    /// How common servers are told to, as lines of text; empty where there is no such line.
    mend: String,
}

/// A page that looks otherwise.
#[derive(Serialize, ToSchema)]
struct PublicationPage {
    /// Its path.
    page: String,
    /// What it weighs on the two screens that stand for all.
    screens: Vec<ScreenWeight>,
    /// Pictures of it before and after.
    shots: Vec<PageShots>,
    /// How many of its places offer other files.
    places: usize,
}

impl PublicationPage {
    fn all(report: &PublicationReport) -> Vec<Self> {
        let page = |ChangedPage { page, shots }: &ChangedPage| Self {
            page: page.clone(),
            screens: report.screens_of(page),
            shots: shots.clone(),
            places: report.places.iter().filter(|place| place.page == *page).count(),
        };
        report.pages.iter().map(page).collect()
    }
}

/// The publications of a site, and what could be published.
#[derive(Serialize, ToSchema)]
pub(super) struct PublicationList {
    /// The newest first.
    publications: Vec<PublicationBody>,
    /// The folder that holds the site's files; nothing where it is not known.
    folder: Option<String>,
    /// The folder of the site that files went to last, or the usual one.
    files_in: String,
    /// Places whose files are all made, and that do not show them yet.
    ready: u64,
    /// Places that show files which were made of their picture.
    shown: u64,
    /// Places that show a picture of the library, some of whose files are still to be made.
    unmade: u64,
    /// Of those that show files, places for which other files were made since.
    newer: u64,
    /// Of those that show files, places that may need others: something changed since, and a run tells.
    changed: u64,
}

impl PublicationProgress {
    fn of(state: PublicationState, job: Job) -> Self {
        let phase =
            job.checkpoint.and_then(|phase| serde_json::from_value::<Preparing>(phase).ok());
        let words = match (state, phase) {
            (PublicationState::Publishing, _) => "writing files",
            (PublicationState::TakingBack, _) => "taking files back",
            (_, Some(phase)) => phase.words(),
            (_, None) => "starting the browser",
        };
        Self { words, done: job.progress.done, total: job.progress.total, reason: job.reason }
    }
}

/// Why somebody should look before it goes to the site. One that was begun with them goes on.
fn doubts(publication: &Publication) -> Option<String> {
    let sums = publication.sums.as_ref().filter(|_| publication.state == PublicationState::Ready);
    sums.and_then(PublicationSums::doubts)
}

async fn summary(app: &App, publication: &Publication) -> Result<PublicationBody, StoreError> {
    let job = match publication.state.is_under_way() {
        true => app.store.latest_job_of(JobKind::Publish, &publication_key(publication.id)).await?,
        false => None,
    };
    let state = publication.state;
    Ok(PublicationBody {
        id: publication.id,
        name: publication.name.clone(),
        wish: publication.wish.clone(),
        state,
        is_under_way: state.is_under_way(),
        acts: PublicationAct::at(state),
        can_be_forgotten: state.can_be_forgotten(),
        reason: publication.reason.clone(),
        progress: job.map(|job| PublicationProgress::of(state, job)),
        sums: publication.sums.clone(),
        doubts: doubts(publication),
        left_alone: publication.left_alone.clone(),
        asked_by: publication.asked_by.clone(),
        created_at: publication.created_at,
        published_at: publication.published_at,
        taken_back_at: publication.taken_back_at,
    })
}

/// What the pictures and slots of a report are called.
async fn names(
    app: &App,
    report: Option<&PublicationReport>,
) -> Result<HashMap<Uuid, String>, StoreError> {
    let places = report.map(|report| &report.places[..]).unwrap_or_default();
    let pictures: BTreeSet<Uuid> = places.iter().map(|place| place.picture).collect();
    let mut names = app.store.names_of(&Vec::from_iter(pictures)).await?;
    if !places.is_empty() {
        names.extend(app.store.slots().await?.into_iter().map(|slot| (slot.id, slot.name)));
    }
    Ok(names)
}

async fn known(app: &App, id: Uuid) -> Result<Publication, Problem> {
    app.store.settle_publications().await?;
    app.store.publication(id).await?.ok_or_else(|| Problem::not_found("publication"))
}

async fn find(app: &App, id: Uuid) -> Result<WholePublication, Problem> {
    let publication = known(app, id).await?;
    let report = publication.report.as_ref();
    let left_formats = publication
        .wish
        .without
        .iter()
        .map(|left| LeftFormatBody { left: left.clone(), mend: how_to_serve(left.format) });
    let host_notes = publication.host_notes.iter().map(|&note| HostNoteBody {
        note,
        words: note.words(),
        mend: note.how(&publication.wish.folder),
    });
    Ok(WholePublication {
        left_formats: left_formats.collect(),
        host_notes: host_notes.collect(),
        publication: summary(app, &publication).await?,
        pages: report.map(PublicationPage::all).unwrap_or_default(),
        names: names(app, report).await?,
        report: publication.report,
    })
}

/// The publications, the newest first, and what could be published.
#[utoipa::path(get, path = "/publications", responses((status = 200, body = PublicationList)))]
pub(super) async fn publications(State(app): State<App>) -> Result<Json<PublicationList>, Problem> {
    app.store.settle_publications().await?;
    let all = app.store.publications(MOST).await?;
    let files_in = all.first().map_or(USUAL_FOLDER, |last| &last.wish.folder).to_owned();
    let ReadySets { ready, shown, unmade, newer, changed } = app.store.ready_sets().await?;
    let mut publications = Vec::new();
    for publication in all {
        publications.push(summary(&app, &publication).await?);
    }
    let folder = app.store.site().await?.folder;
    Ok(Json(PublicationList {
        publications,
        folder,
        files_in,
        ready,
        shown,
        unmade,
        newer,
        changed,
    }))
}

/// A publication with all that it changes.
#[utoipa::path(get, path = "/publications/{id}", responses(
    (status = 200, body = WholePublication),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(super) async fn publication(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<WholePublication>, Problem> {
    Ok(Json(find(&app, id).await?))
}
