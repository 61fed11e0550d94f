//! Responsive sets: the files of a picture for a slot, made as its rules say, and their markup.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::choice::ChoiceOutcome;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;
use brisk_margin_core::layout::Cropping;
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::rule::EffectiveRule;
use brisk_margin_core::set_plan::{SetPart, SetPlanError, SetWidth};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::jobs::Job;
use brisk_margin_store::pictures::Picture;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::issues::IssueBody;
use super::jobs::JobBody;
use super::served::Served;
use crate::find::find;
use crate::state::App;
use brisk_margin_work::making::MakeError;
use brisk_margin_work::making::previews;
use brisk_margin_work::making::sets::making;
use brisk_margin_work::making::sets::{Made, ResponsiveSet, SetError, SetFile};

/// Which set is asked for.
#[derive(Deserialize, ToSchema)]
pub(super) struct SetAsked {
    /// The slot that it is for.
    slot: Uuid,
    /// How the picture is framed and finished; as it holds where nothing is given.
    #[serde(alias = "work")]
    adjustments: Option<Adjustments>,
}

/// All files of a picture for a slot.
#[derive(Serialize, ToSchema)]
pub(super) struct SetBody {
    /// The slot's number.
    slot: Uuid,
    /// Its name.
    name: String,
    /// Its byte budget.
    budget: Bytes,
    /// Who crops.
    cropping: Cropping,
    /// What holds for the picture there, and who decided that.
    decision: EffectiveRule,
    /// The encodings that were settled by eye, in words.
    settled: Vec<String>,
    /// The profile that files stay in; nothing for sRGB.
    profile: Option<String>,
    /// Whether the markup is style rules, for a background.
    is_background: bool,
    /// The formats, those that only some browsers read first.
    formats: Vec<Format>,
    /// The shapes, the widest viewports first.
    parts: Vec<SetPartBody>,
    /// How many files the set has.
    files: usize,
    /// How many of them are made.
    made: usize,
    /// What those weigh.
    bytes: Bytes,
    /// What each screen downloads, where the browser reads every format.
    downloads: Vec<DownloadBody>,
    /// The markup of the whole set, or the style rules of a background; nothing for a picture that
    /// is excluded.
    markup: Option<String>,
    /// What is worth mending before it goes into a page, the most serious first.
    issues: Vec<IssueBody>,
    /// The picture as the drawing that it is, instead of all files.
    drawing: Option<DrawingBody>,
    /// The job that makes its files, or made them last.
    job: Option<JobBody>,
}

/// A drawing as one file, which is sharp on every screen.
#[derive(Serialize, ToSchema)]
struct DrawingBody {
    /// Its weight under the slot's budget, once cleaned and in fewer bytes.
    margin: Margin,
    /// What that saves of the original.
    saving: Saving,
    /// What it is called.
    name: String,
    /// Its markup.
    markup: String,
}

/// The files for one shape of a slot.
#[derive(Serialize, ToSchema)]
struct SetPartBody {
    /// Its media condition; nothing where it holds for any viewport.
    media: Option<String>,
    /// How wide it is shown.
    sizes: String,
    /// Its widths, the smallest first.
    steps: Vec<SetStepBody>,
}

/// The files of one width.
#[derive(Serialize, ToSchema)]
struct SetStepBody {
    /// Pixels across.
    width: u32,
    /// Pixels down.
    height: u32,
    /// One for each format.
    files: Vec<SetFileBody>,
}

/// A file of a set.
#[derive(Serialize, ToSchema)]
struct SetFileBody {
    /// What it is called.
    name: String,
    /// Its format.
    format: Format,
    /// The file; nothing where it was not made yet.
    made: Option<SetMadeBody>,
}

/// A file of a set that was made.
#[derive(Serialize, ToSchema)]
struct SetMadeBody {
    /// Its number.
    variant: Uuid,
    /// How it is encoded, in words.
    encoding: String,
    /// Whether it is the original's own file, which was lean already.
    is_copy: bool,
    /// Its weight under the slot's budget.
    margin: Margin,
    /// How faithful it is, 100 for no difference.
    score: Option<Score>,
    /// In a word.
    word: Option<&'static str>,
    /// How the search for it ended.
    outcome: ChoiceOutcome,
}

/// What a screen downloads of a set.
#[derive(Serialize, ToSchema)]
struct DownloadBody {
    /// The viewport's width in CSS pixels.
    viewport: u32,
    /// Device pixels per CSS pixel.
    density: Density,
    /// The file's name.
    file: String,
    /// Its pixels across.
    width: u32,
    /// The device pixels that it is shown in.
    needed: u32,
    /// Its weight under the slot's budget; nothing where it was not made yet.
    margin: Option<Margin>,
}

impl SetBody {
    async fn new(
        app: &App,
        set: &ResponsiveSet,
        picture: &Picture,
        job: Option<Job>,
    ) -> Result<Self, Problem> {
        let drawing = match picture.facts.format {
            // Its edits are laid on pixels.
            SourceFormat::Svg if picture.adjustments.edits.is_plain() => {
                let file = previews::drawing(&app.maker, picture).await?;
                Some(drawing_body(set, picture, Bytes::of(&file)))
            }
            _ => None,
        };
        Ok(Self { job: job.map(JobBody::of), ..Self::with(set, picture, drawing) })
    }

    fn with(set: &ResponsiveSet, picture: &Picture, drawing: Option<DrawingBody>) -> Self {
        let made = || set.files.iter().filter_map(|file| file.made.as_ref());
        Self {
            slot: set.slot.id,
            name: set.slot.name.clone(),
            budget: set.budget,
            cropping: set.cropping,
            decision: set.decision.clone(),
            settled: set.decision.settled.value.values().map(ToString::to_string).collect(),
            profile: set.profile(picture).map(str::to_owned),
            is_background: set.slot.holder() == Holder::Background,
            formats: set.formats.clone(),
            parts: set.parts.iter().enumerate().map(|(n, part)| part_body(set, n, part)).collect(),
            files: set.files.len(),
            made: made().count(),
            bytes: made().map(|made| made.variant.bytes).sum(),
            downloads: downloads(set),
            markup: set.page_text(),
            issues: set.issues(picture).into_iter().map(IssueBody::from).collect(),
            drawing,
            job: None,
        }
    }
}

fn drawing_body(set: &ResponsiveSet, picture: &Picture, bytes: Bytes) -> DrawingBody {
    let name = format!("{}.svg", set.files.first().map_or("drawing", |file| file.stem()));
    DrawingBody {
        margin: Margin::new(set.budget, bytes),
        saving: Saving::new(picture.bytes, bytes),
        markup: set.markup().drawing_html(&name, picture.facts.size),
        name,
    }
}

fn part_body(set: &ResponsiveSet, n: usize, part: &SetPart) -> SetPartBody {
    let step = |(m, width): (usize, &SetWidth)| SetStepBody {
        width: width.fitting.output.width,
        height: width.fitting.output.height,
        files: set.files.iter().filter(|f| f.part == n && f.width == m).map(file_body).collect(),
    };
    SetPartBody {
        media: (part.from > 0).then(|| format!("(min-width: {}px)", part.from)),
        sizes: part.sizes.to_string(),
        steps: part.widths.iter().enumerate().map(step).collect(),
    }
}

fn file_body(file: &SetFile) -> SetFileBody {
    let made = |made: &Made| SetMadeBody {
        variant: made.variant.id,
        encoding: made.encoding.to_string(),
        is_copy: made.variant.spec.is_copy,
        margin: Margin::new(made.variant.budget, made.variant.bytes),
        score: made.score,
        word: made.score.map(Score::word),
        outcome: made.outcome,
    };
    SetFileBody { name: file.name.clone(), format: file.format, made: file.made.as_ref().map(made) }
}

fn downloads(set: &ResponsiveSet) -> Vec<DownloadBody> {
    let chosen = set.chooser();
    let screens = set.parts.iter().rev().flat_map(|part| part.boxes.iter().map(move |b| (part, b)));
    let screens = screens.flat_map(|(part, &(viewport, size))| {
        set.densities.iter().map(move |&density| (part, viewport, size, density))
    });
    let download = |(part, viewport, size, density): (&SetPart, u32, _, Density)| {
        let file = chosen(viewport, density)?;
        let made = file.made.as_ref();
        Some(DownloadBody {
            viewport,
            density,
            file: file.name.clone(),
            width: set.width(file).fitting.output.width,
            needed: set.needed(part, size, density),
            margin: made.map(|made| Margin::new(set.budget, made.variant.bytes)),
        })
    };
    screens.filter_map(download).collect()
}

/// A drawing, cleaned and in fewer bytes.
#[utoipa::path(get, path = "/pictures/{id}/drawing", params(
    ("id" = Uuid, Path, description = "The picture's number"),
), responses(
    (status = 200, content_type = "image/svg+xml", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn drawing(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let picture = find(&app, id).await?;
    if picture.facts.format != SourceFormat::Svg {
        return Err(Problem::invalid("this picture has pixels: only an SVG is a drawing"));
    }
    let bytes = previews::drawing(&app.maker, &picture).await?;
    let save_as = Some(picture.name);
    Ok(Served { bytes, media_type: SourceFormat::Svg.media_type(), save_as })
}

/// All files of a picture for a slot, with what each layout width downloads and the markup.
/// Nothing is made.
#[utoipa::path(post, path = "/pictures/{id}/set", request_body = SetAsked, responses(
    (status = 200, body = SetBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn set(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<SetAsked>,
) -> Result<Json<SetBody>, Problem> {
    let (picture, adjustments, slot) = found(&app, id, asked).await?;
    // Read before its files are: where it is done, all of them are seen.
    let job = making::job(&app.store, picture.id, slot.id, &adjustments).await?;
    let set = ResponsiveSet::plan(&app.maker, &picture, &adjustments, slot).await?;
    Ok(Json(SetBody::new(&app, &set, &picture, job).await?))
}

/// The job that makes the files of a set.
#[derive(Serialize, ToSchema)]
pub(super) struct SetJob {
    /// Its id.
    job: Uuid,
}

/// Makes the files of a set that were not made yet, as a job. Each is told as an event once it is
/// there, and stays where the job is cancelled.
#[utoipa::path(post, path = "/pictures/{id}/set/files", request_body = SetAsked, responses(
    (status = 202, body = SetJob),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
    (status = 429, description = "As many jobs wait as may", body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn make_set(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<SetAsked>,
) -> Result<(StatusCode, Json<SetJob>), Problem> {
    let (picture, adjustments, slot) = found(&app, id, asked).await?;
    let set = ResponsiveSet::plan(&app.maker, &picture, &adjustments, slot).await?;
    // Said at once, and not by a job that fails.
    if set.decision.excluded.value {
        return Err(SetError::Excluded.into());
    }
    let job = making::start(&app.store, picture.id, set.slot.id, &adjustments).await?;
    Ok((StatusCode::ACCEPTED, Json(SetJob { job })))
}

async fn found(
    app: &App,
    id: Uuid,
    asked: SetAsked,
) -> Result<(Picture, Adjustments, Slot), Problem> {
    let picture = find(app, id).await?;
    let slot = app.store.slot(asked.slot).await?.ok_or_else(|| Problem::not_found("slot"))?;
    let adjustments = asked.adjustments.unwrap_or_else(|| picture.adjustments.clone());
    Ok((picture, adjustments, slot))
}

impl From<SetError> for Problem {
    fn from(error: SetError) -> Self {
        match error {
            SetError::Make(error) => error.into(),
            SetError::Store(error) => error.into(),
            SetError::Plan(SetPlanError::Spec(error)) => MakeError::from(error).into(),
            SetError::Plan(SetPlanError::Canvas(error)) => MakeError::from(error).into(),
            SetError::Plan(_) | SetError::Pattern(_) | SetError::Excluded => Self::invalid(error),
        }
    }
}
