//! Trials: encodings of a picture's pixels under comparison, and the choice of one.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::budget;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::choice::{ChoiceOutcome, QualityTarget};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::credit::Credit;
use brisk_margin_core::encoding::{Dithering, Encoding, Palette, PaletteSize, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::WorstSpot;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::load::Connection;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::rule::{EffectiveRule, OutputRule};
use brisk_margin_core::seen::Seen;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_store::output_rules::RuleFor;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::trials::TrialRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path};
use super::served::Served;
use super::variants::{self, Shown, VariantBody};
use crate::find::find;
use crate::state::App;
use brisk_margin_work::making::MakeError;
use brisk_margin_work::making::references;
use brisk_margin_work::making::trials::{self, Subject};

/// The proof of a picture in a slot: what was tried, and by which rules files are made.
#[derive(Serialize, ToSchema)]
pub(super) struct ProofBody {
    /// Pixels across.
    width: u32,
    /// Pixels down.
    height: u32,
    /// The byte budget.
    budget: Bytes,
    /// What pages transfer for it today: in the slot, or the original.
    today: Bytes,
    /// The connection that saved time is told for, by its figures.
    connection: String,
    /// What kind of picture it is.
    class: ContentClass,
    /// The profile that files stay in; nothing for sRGB.
    profile: Option<String>,
    /// What holds for it, and who decided that.
    decision: EffectiveRule,
    /// The encodings that were settled by eye, in words.
    settled: Vec<String>,
    /// The formats that are worth trying, in the order of the rule.
    formats: Vec<Format>,
    /// The score that each grade asks for.
    grades: Vec<GradeBody>,
    /// Everything that was tried, the lightest first.
    trials: Vec<TrialBody>,
}

/// A grade and its score.
#[derive(Serialize, ToSchema)]
struct GradeBody {
    grade: Grade,
    target: Score,
}

/// An encoding that was tried.
#[derive(Serialize, ToSchema)]
struct TrialBody {
    /// Its number.
    id: Uuid,
    format: Format,
    /// Its quality, where the format has one.
    quality: Option<Quality>,
    /// Its colours, where they are counted.
    colours: Option<PaletteSize>,
    /// Whether it holds exactly the pixels.
    is_lossless: bool,
    /// In words: format, and quality or colours.
    name: String,
    /// Its weight under the budget.
    margin: Margin,
    /// Its weight beside today's.
    saving: Saving,
    /// The milliseconds that it saves on the connection.
    saved_ms: f64,
    /// How faithful it is, 100 for no difference.
    score: Score,
    /// In a word.
    word: &'static str,
    /// Where it differs most, the worst first; none where it was only a step of a search.
    spots: Vec<WorstSpot>,
}

impl TrialBody {
    fn new(trial: TrialRow, budget: Bytes, today: Bytes) -> Self {
        let time = |bytes| Connection::USUAL.time_of(bytes).get();
        Self {
            saving: Saving::new(today, trial.bytes),
            saved_ms: time(today) - time(trial.bytes),
            id: trial.id,
            format: trial.encoding.format(),
            quality: trial.encoding.quality(),
            colours: trial.encoding.colours(),
            is_lossless: trial.encoding.is_lossless(),
            name: trial.encoding.to_string(),
            margin: Margin::new(budget, trial.bytes),
            score: trial.score,
            word: trial.score.word(),
            spots: trial.spots,
        }
    }
}

/// A picture in a slot, with what holds for it there.
struct Stand {
    framing: RenderSpec,
    size: Size,
    budget: Bytes,
    today: Bytes,
    decision: EffectiveRule,
}

impl Stand {
    async fn new(app: &App, picture: &Picture, shown: &Shown) -> Result<Self, Problem> {
        let framing = shown.framing(picture)?;
        let (_, plan) = framing.plan(picture.facts.size).map_err(MakeError::from)?;
        let slot = match shown.place {
            Some(place) => {
                let slot = app.store.slot(place.slot).await?;
                Some(slot.ok_or_else(|| Problem::not_found("slot"))?)
            }
            None => None,
        };
        let id = slot.as_ref().map(|slot| slot.id);
        let decision = app.store.decision(picture.id, id).await?;
        let usual = || budget::default_budget(plan.fitting.needed);
        Ok(Self {
            framing: framing.in_colours(decision.colours(&picture.facts)),
            size: plan.fitting.output,
            budget: slot.as_ref().map_or_else(usual, Slot::budget),
            today: today_in(app, picture, id).await?,
            decision,
        })
    }

    fn proof(self, picture: &Picture, trials: Vec<TrialRow>) -> ProofBody {
        let class = trials::class_of(picture, &self.framing);
        let Self { framing, size, budget, today, decision } = self;
        let profile = (!framing.colours.is_srgb()).then(|| picture.facts.profile.clone());
        let grade = |grade: Grade| GradeBody { grade, target: grade.target() };
        let settled = decision.settled.value.values();
        ProofBody {
            width: size.width,
            height: size.height,
            budget,
            today,
            connection: Connection::USUAL.to_string(),
            class,
            profile: profile.flatten(),
            formats: decision.worth_trying(class, picture.is_transparent()),
            settled: settled.map(ToString::to_string).collect(),
            decision,
            grades: Grade::ALL.map(grade).into(),
            trials: trials.into_iter().map(|t| TrialBody::new(t, budget, today)).collect(),
        }
    }
}

/// What pages transfer for `picture` today at most, in one slot or in any; its original where none
/// is known to show it.
async fn today_in(app: &App, picture: &Picture, slot: Option<Uuid>) -> Result<Bytes, Problem> {
    let uses = app.store.uses_of(&[picture.id]).await?.remove(&picture.id).unwrap_or_default();
    let within = uses.iter().filter(|used| slot.is_none_or(|slot| used.slot.id == slot));
    let most = within.filter_map(|used| used.today(picture.bytes)).max();
    Ok(most.unwrap_or(picture.bytes))
}

/// What was tried of a picture in a slot. Nothing is made.
#[utoipa::path(post, path = "/pictures/{id}/proof", request_body = Shown, responses(
    (status = 200, body = ProofBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn proof(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(shown): extract::Json<Shown>,
) -> Result<Json<ProofBody>, Problem> {
    let picture = find(&app, id).await?;
    let stand = Stand::new(&app, &picture, &shown).await?;
    let trials = app.store.trials_of(id, &stand.framing).await?;
    Ok(Json(stand.proof(&picture, trials)))
}

/// What is to be tried.
#[derive(Deserialize, ToSchema)]
#[serde(tag = "by", rename_all = "lowercase")]
enum By {
    /// As good as the rules, or these words, say.
    Rule { want: Option<QualityTarget> },
    /// A quality; PNG is tried in so many colours.
    Quality { quality: Quality },
    /// So many colours, as PNG.
    PaletteSize { colours: PaletteSize },
    /// At most so many bytes.
    Bytes { bytes: Bytes },
}

/// A trial that is wished for.
#[derive(Deserialize, ToSchema)]
pub(super) struct TrialWish {
    #[serde(flatten)]
    shown: Shown,
    /// In which format.
    format: Format,
    /// How.
    how: By,
}

/// What came of a trial.
#[derive(Serialize, ToSchema)]
pub(super) struct TriedBody {
    /// The trial that it came to.
    settled: Option<Uuid>,
    /// How that ended.
    outcome: ChoiceOutcome,
    /// How many files were made for it; none where it was kept from before.
    encodes: u32,
    /// How everything stands now.
    proof: ProofBody,
}

/// Tries an encoding, or searches for one; what was tried before is answered at once. Whoever
/// hangs up ends the search.
#[utoipa::path(post, path = "/pictures/{id}/trials", request_body = TrialWish, responses(
    (status = 200, body = TriedBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn try_out(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(wish): extract::Json<TrialWish>,
) -> Result<Json<TriedBody>, Problem> {
    let picture = find(&app, id).await?;
    let stand = Stand::new(&app, &picture, &wish.shown).await?;
    let format = wish.format;
    let ask = match wish.how {
        By::Rule { want } => {
            stand.decision.request(format, want, stand.budget, stand.framing.density)
        }
        By::Quality { quality } => EncodeRequest::at(format, quality),
        By::PaletteSize { colours } => {
            let palette = Palette { colours, dithering: Dithering::On };
            EncodeRequest::One(Encoding::PngPalette(palette))
        }
        By::Bytes { bytes } => EncodeRequest::Under(format, bytes),
    };
    let credit = stand.decision.credit(&picture.description);
    let of = Subject {
        picture: &picture,
        spec: &stand.framing,
        credit: credit.as_ref(),
        reference: None,
        hints: Hints::NONE,
    };
    let tried = trials::run(&app.maker, of, ask).await?;
    let trials = app.store.trials_of(id, &stand.framing).await?;
    let settled = trials.iter().find(|trial| trial.encoding == tried.encoding);
    Ok(Json(TriedBody {
        settled: settled.map(|trial| trial.id),
        outcome: tried.outcome,
        encodes: tried.encodes,
        proof: stand.proof(&picture, trials),
    }))
}

pub(super) async fn find_trial(app: &App, id: Uuid) -> Result<(TrialRow, Picture), Problem> {
    let trial = app.store.trial(id).await?.ok_or_else(|| Problem::not_found("trial"))?;
    let picture = find(app, trial.picture_id).await?;
    Ok((trial, picture))
}

/// The pixels that a trial was made of. Who looks at it does not read who made it.
pub(super) const fn of<'a>(picture: &'a Picture, trial: &'a TrialRow) -> Subject<'a> {
    Subject { picture, spec: &trial.spec, credit: None, reference: None, hints: Hints::NONE }
}

/// A trial's file.
#[utoipa::path(get, path = "/trials/{id}/file", responses(
    (status = 200, content_type = "image/*", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's number")))]
pub(super) async fn trial_file(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let (of, encoding) = (of(&picture, &trial), trial.encoding);
    let credit = Credit::of(&picture.description);
    let credited = Subject { credit: credit.as_ref(), ..of };
    let bytes = match credited.kept_file(&app.maker, encoding).await? {
        Some(kept) => kept,
        None => trials::file(&app.maker, of, encoding).await?,
    };
    Ok(Served { bytes, media_type: trial.encoding.format().media_type(), save_as: None })
}

/// The pixels that a trial was made from, as PNG.
#[utoipa::path(get, path = "/trials/{id}/reference", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's number")))]
pub(super) async fn trial_reference(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let bytes = references::reference_file(&app.maker, &picture, &trial.spec).await?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

/// Where a trial differs from its pixels, as PNG: the lighter, the more.
#[utoipa::path(get, path = "/trials/{id}/differences", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's number")))]
pub(super) async fn trial_differences(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let bytes = trials::differences(&app.maker, of(&picture, &trial), trial.encoding).await?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

/// For what a trial is chosen.
#[derive(Deserialize, ToSchema)]
pub(super) struct ChosenFor {
    /// The slot whose rule it becomes or follows; the picture's where none is given.
    slot: Option<Uuid>,
}

/// Makes the file of a trial, framed and encoded as it was judged.
#[utoipa::path(post, path = "/trials/{id}/variant", request_body = ChosenFor, responses(
    (status = 201, description = "Made", body = VariantBody),
    (status = 200, description = "Made before", body = VariantBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's id")))]
pub(super) async fn make_variant(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(chosen): extract::Json<ChosenFor>,
) -> Result<(StatusCode, Json<VariantBody>), Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let decision = app.store.decision(picture.id, chosen.slot).await?;
    variants::make_file(&app, &picture, &trial.spec, EncodeRequest::One(trial.encoding), &decision)
        .await
}

/// Makes a trial the rule for its picture, or for a slot: its format goes first, at its quality.
/// The answer is the rule as it was, with which this is taken back.
#[utoipa::path(post, path = "/trials/{id}/choose", request_body = ChosenFor, responses(
    (status = 200, body = OutputRule),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The trial's number")))]
pub(super) async fn choose_trial(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(chosen): extract::Json<ChosenFor>,
) -> Result<Json<OutputRule>, Problem> {
    let (trial, picture) = find_trial(&app, id).await?;
    let subject = chosen.slot.map_or(RuleFor::Picture(picture.id), RuleFor::Slot);
    let decision = app.store.decision(picture.id, chosen.slot).await?;
    let rule = app.store.output_rule(subject).await?;
    let rule = rule.with_trial(trial.encoding, &decision.formats.value);
    let before = app.store.say_output_rule(subject, &rule, &Seen::Unsaid).await?;
    Ok(Json(before))
}
