//! Acting on publications: preparing one, publishing it, taking it back, forgetting it.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::publication::state::{
    PublicationAct, PublicationState, PublicationWish, USUAL_FOLDER, files_folder,
};
use brisk_margin_store::publications::{PublicationEnding, publication_key};
use brisk_margin_work::icons::IconsError;
use brisk_margin_work::publications;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{WholePublication, doubts, find, known};
use crate::Problem;
use crate::extract::{self, Path};
use crate::state::App;

/// Letters of a name.
const MOST_NAME: usize = 200;

/// A publication that is asked for.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewPublication {
    /// On these pages alone; on all where nothing is given.
    pages: Option<Vec<Uuid>>,
    /// These pictures alone; all where nothing is given.
    pictures: Option<Vec<Uuid>>,
    /// What this run made alone.
    run: Option<Uuid>,
    /// The folder of the site that files go to; the usual one where nothing is given.
    folder: Option<String>,
    /// Whether other things on a page may stand elsewhere afterwards.
    #[serde(default)]
    may_move: bool,
    /// The icons that were made, and nothing else.
    #[serde(default)]
    icons: bool,
    /// What it is called.
    #[serde(default)]
    name: String,
    /// Who asks for it, as they call themselves.
    #[serde(default)]
    asked_by: String,
}

/// What of a publication is taken back.
#[derive(Deserialize, ToSchema)]
pub(crate) struct TakingSiteBack {
    /// Also what somebody else changed since; that is lost.
    #[serde(default)]
    changed_since: bool,
}

/// Prepares a publication: works out what it would change, and holds that against the site in a browser.
/// Nothing is written yet.
#[utoipa::path(post, path = "/publications", request_body = NewPublication, responses(
    (status = 202, body = WholePublication),
    (status = 409, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn prepare(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewPublication>,
) -> Result<(StatusCode, Json<WholePublication>), Problem> {
    let asked_by = new.asked_by.trim();
    if [&new.name[..], asked_by].iter().any(|name| name.chars().count() > MOST_NAME) {
        return Err(Problem::invalid(format!("a name has {MOST_NAME} letters at most")));
    }
    let folder = new.folder.as_deref().unwrap_or(USUAL_FOLDER);
    let folder = match new.icons {
        // They are where pages will look for them.
        true => {
            let (design, _) = app.store.icons().await?.made.ok_or(IconsError::NothingMade)?;
            design.prefix.trim_matches('/').to_owned()
        }
        false => files_folder(folder).map_err(Problem::invalid)?,
    };
    publications::folder(&app).await.map_err(Problem::invalid)?;
    let pictures = match (new.pictures, new.run) {
        (Some(_), Some(_)) => return Err(Problem::invalid("choose pictures or a run, not both")),
        (pictures, None) => pictures,
        (None, Some(run)) => {
            app.store.run(run).await?.ok_or_else(|| Problem::not_found("run"))?;
            Some(app.store.pictures_of_run(run).await?)
        }
    };
    let (pages, may_move) = (new.pages, new.may_move);
    let (icons, without) = (new.icons, Vec::new());
    let wish = PublicationWish { pages, pictures, folder, may_move, icons, without };
    app.store.settle_publications().await?;
    let id = app.store.add_publication(&new.name, asked_by, &wish).await?;
    let id =
        id.ok_or_else(|| refused("another publication is under way; wait until that has ended"))?;
    Ok((StatusCode::ACCEPTED, Json(find(&app, id).await?)))
}

/// Prepares a publication once more: the site or the library changed since.
#[utoipa::path(post, path = "/publications/{id}/prepare", responses(
    (status = 202, body = WholePublication),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn prepare_again(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<(StatusCode, Json<WholePublication>), Problem> {
    act(&app, id, PublicationAct::Prepare).await
}

/// How a publication goes to the site.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct HowToPublish {
    /// Also where places look otherwise than they did, or pages jump more.
    #[serde(default)]
    anyway: bool,
}

/// Writes a publication to the site: files first, then style sheets, then pages.
#[utoipa::path(post, path = "/publications/{id}/publish", responses(
    (status = 202, body = WholePublication),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id"), HowToPublish))]
pub(crate) async fn publish(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Query(how): extract::Query<HowToPublish>,
) -> Result<(StatusCode, Json<WholePublication>), Problem> {
    let doubts = doubts(&known(&app, id).await?);
    if let Some(doubts) = doubts.filter(|_| !how.anyway) {
        return Err(refused(&format!("{doubts}: look at that first, then publish it anyway")));
    }
    act(&app, id, PublicationAct::Publish).await
}

/// Takes a publication back: what it replaced is as it was, and what it added is gone. What somebody
/// else changed since is left alone and told; asked again with that, it goes as well.
#[utoipa::path(post, path = "/publications/{id}/take-back", request_body = TakingSiteBack, responses(
    (status = 202, body = WholePublication),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn take_publication_back(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(back): extract::Json<TakingSiteBack>,
) -> Result<(StatusCode, Json<WholePublication>), Problem> {
    let all = back.changed_since;
    act(&app, id, if all { PublicationAct::TakeAllBack } else { PublicationAct::TakeBack }).await
}

/// Ends the preparing of a publication.
#[utoipa::path(post, path = "/publications/{id}/cancel", responses(
    (status = 200, body = WholePublication),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn cancel_preparing(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<WholePublication>, Problem> {
    if known(&app, id).await?.state != PublicationState::Preparing {
        return Err(refused("it is not being prepared; what is written can be taken back"));
    }
    if let Some(job) = app.store.latest_job_of(JobKind::Publish, &publication_key(id)).await? {
        app.store.cancel_job(job.id).await?;
    }
    let ending = PublicationEnding::At(PublicationState::Failed, "it was cancelled".to_owned());
    app.store.end_publication(id, &ending).await?;
    Ok(Json(find(&app, id).await?))
}

/// Forgets a publication of which nothing is on the site.
#[utoipa::path(delete, path = "/publications/{id}", responses(
    (status = 204),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 409, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The publication's id")))]
pub(crate) async fn forget_publication(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    known(&app, id).await?;
    match app.store.forget_publication(id).await? {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(refused("it is or was on the site; its history stays")),
    }
}

async fn act(
    app: &App,
    id: Uuid,
    act: PublicationAct,
) -> Result<(StatusCode, Json<WholePublication>), Problem> {
    let state = known(app, id).await?.state;
    if !act.from().contains(&state) {
        return Err(refused(act.refusal(state)));
    }
    match app.store.act_on_publication(id, act).await? {
        true => Ok((StatusCode::ACCEPTED, Json(find(app, id).await?))),
        false => Err(refused("another publication is under way; wait until that has ended")),
    }
}

fn refused(why: &str) -> Problem {
    let title = "The publication cannot do this now";
    Problem::new(StatusCode::CONFLICT, "publication-state", title, why)
}
