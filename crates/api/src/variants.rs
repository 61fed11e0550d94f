//! Variants: making the files for slots, and fetching them.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::budget;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::name_pattern::NameWish;
use brisk_margin_core::naming;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::rule::EffectiveRule;
use brisk_margin_core::slot_shape::{Resize, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_core::variant_spec::VariantSpec;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::Variant;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::served::Served;
use crate::find::find;
use crate::state::App;
use brisk_margin_work::making::MakeError;
use brisk_margin_work::making::files::{self, FileWish};
use brisk_margin_work::making::references;

/// A file that was made.
#[derive(Serialize, ToSchema)]
pub(super) struct VariantBody {
    /// Its number, in order of making.
    id: Uuid,
    /// The picture it was made from.
    picture_id: Uuid,
    /// The name it is saved under.
    file_name: String,
    /// The slot it fills.
    slot: SlotShape,
    /// At which density.
    density: Density,
    /// Framed around this point.
    focal: FocalPoint,
    /// Its format.
    format: Format,
    /// Its quality, where the format has one.
    quality: Option<Quality>,
    /// Pixels across.
    width: u32,
    /// Pixels down.
    height: u32,
    /// Its weight under its slot's budget.
    margin: Margin,
    /// Its weight beside the original's.
    saving: Saving,
    /// When it was made.
    created_at: DateTime<Utc>,
}

impl VariantBody {
    pub(super) fn new(variant: Variant, original: Bytes) -> Self {
        let VariantSpec { framing, encoding, .. } = variant.spec;
        Self {
            id: variant.id,
            picture_id: variant.picture_id,
            file_name: variant.file_name,
            slot: framing.slot,
            density: framing.density,
            focal: framing.aim.focal,
            format: encoding.format(),
            quality: encoding.quality(),
            width: variant.size.width,
            height: variant.size.height,
            margin: Margin::new(variant.budget, variant.bytes),
            saving: Saving::new(original, variant.bytes),
            created_at: variant.created_at,
        }
    }
}

/// A slot at a layout width.
#[derive(Clone, Copy, Deserialize, ToSchema)]
pub(super) struct PlaceAt {
    /// The slot's number.
    pub slot: Uuid,
    /// The viewport's width in CSS pixels.
    viewport: u32,
}

/// What decides the pixels of a file.
#[derive(Deserialize, ToSchema)]
pub(super) struct Shown {
    /// The slot to fill.
    slot: Option<SlotShape>,
    /// The size of the whole picture instead of a slot.
    resize: Option<Resize>,
    /// Device pixels per CSS pixel.
    density: Density,
    /// Around which point; the picture's own where none is given.
    focal: Option<FocalPoint>,
    /// How the picture is framed and finished; as it holds where nothing is given.
    #[serde(alias = "work")]
    adjustments: Option<Adjustments>,
    /// The slot and the layout width of which a crop made by hand counts.
    pub place: Option<PlaceAt>,
}

impl Shown {
    /// The framing that it means for `picture`.
    pub(super) fn framing(&self, picture: &Picture) -> Result<RenderSpec, Problem> {
        let adjustments = self.adjustments.as_ref().unwrap_or(&picture.adjustments);
        let mut aim = adjustments.crop_spec(self.place.map(|place| (place.slot, place.viewport)));
        if let Some(focal) = self.focal {
            aim.focal = focal;
        }
        let canvas =
            Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?;
        let slot = slot_or_size(self.slot, self.resize, canvas.size())?;
        Ok(RenderSpec::new(slot, self.density, aim, &adjustments.edits))
    }
}

/// A file to be made.
#[derive(Deserialize, ToSchema)]
pub(super) struct Wish {
    #[serde(flatten)]
    shown: Shown,
    /// In which format.
    format: Format,
    /// At which quality, from 1 to 100; PNG ignores it.
    quality: Option<Quality>,
}

/// Makes the file of a picture for a slot. What was made before for the same wish is answered
/// with 200 and costs nothing.
#[utoipa::path(post, path = "/pictures/{id}/variants", request_body = Wish, responses(
    (status = 201, description = "Made", body = VariantBody),
    (status = 200, description = "Made before", body = VariantBody),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(super) async fn make(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(wish): extract::Json<Wish>,
) -> Result<(StatusCode, Json<VariantBody>), Problem> {
    let picture = find(&app, id).await?;
    let slot = wish.shown.place.map(|place| place.slot);
    let decision = app.store.decision(id, slot).await?;
    let spec = wish.shown.framing(&picture)?.in_colours(decision.colours(&picture.facts));
    let request = EncodeRequest::at(wish.format, wish.quality.unwrap_or(Quality::USUAL));
    make_file(&app, &picture, &spec, request, &decision).await
}

/// The file of a picture as `spec` and `request` say, with the credit that `decision` keeps; 201
/// where it is new, 200 where it was made before.
pub(super) async fn make_file(
    app: &App,
    picture: &Picture,
    spec: &RenderSpec,
    request: EncodeRequest,
    decision: &EffectiveRule,
) -> Result<(StatusCode, Json<VariantBody>), Problem> {
    let (_, plan) = spec.plan(picture.facts.size).map_err(MakeError::from)?;
    let credit = decision.credit(&picture.description);
    let name = NameWish::Stem(naming::propose_stem(&picture.name, spec.slot, spec.density));
    let wish = FileWish {
        picture,
        spec,
        fitting: &plan.fitting,
        reference: None,
        hints: Hints::NONE,
        request,
        credit: credit.as_ref(),
        cap: None,
        budget: budget::default_budget(plan.fitting.needed),
        name: &name,
    };
    let made = files::make(&app.maker, wish).await?;
    app.store.keep_variants(&[made.variant.id]).await?;
    let status = if made.is_new { StatusCode::CREATED } else { StatusCode::OK };
    Ok((status, Json(VariantBody::new(made.variant, picture.bytes))))
}

/// The slot that was given, or the one that gives a picture of size `canvas` the size asked for.
pub(super) fn slot_or_size(
    slot: Option<SlotShape>,
    resize: Option<Resize>,
    canvas: Size,
) -> Result<SlotShape, Problem> {
    match (slot, resize) {
        (Some(slot), None) => Ok(slot),
        (None, Some(resize)) => resize.slot(canvas).map_err(Problem::invalid),
        _ => Err(Problem::invalid("give either a slot or a size")),
    }
}

#[derive(Deserialize, IntoParams)]
pub(super) struct Delivery {
    /// Whether the browser should save it instead of showing it.
    #[serde(default)]
    save: bool,
}

/// The file itself.
#[utoipa::path(get, path = "/variants/{id}/file", params(
    ("id" = Uuid, Path, description = "The variant's number"), Delivery,
), responses(
    (status = 200, content_type = "image/*", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
))]
pub(super) async fn file(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(delivery): Query<Delivery>,
) -> Result<Served, Problem> {
    let (variant, _) = find_variant(&app, id).await?;
    Ok(Served {
        bytes: app.store.blobs().get(&variant.hash).await?,
        media_type: variant.spec.encoding.format().media_type(),
        save_as: delivery.save.then_some(variant.file_name),
    })
}

/// The same pixels before they were encoded, as PNG: what the file is judged against.
#[utoipa::path(get, path = "/variants/{id}/reference", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The variant's number")))]
pub(super) async fn reference(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let (variant, picture) = find_variant(&app, id).await?;
    let bytes = references::reference_file(&app.maker, &picture, &variant.spec.framing).await?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

async fn find_variant(app: &App, id: Uuid) -> Result<(Variant, Picture), Problem> {
    let variant = app.store.variant(id).await?.ok_or_else(|| Problem::not_found("file"))?;
    let picture = find(app, variant.picture_id).await?;
    Ok((variant, picture))
}
