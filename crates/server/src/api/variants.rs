//! Variants: making the files for slots, and fetching them.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::budget::{Margin, Saving};
use brisk_margin_core::encode::{Encoding, Quality};
use brisk_margin_core::finish::canvas::Canvas;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::slot::{Resize, Slot};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::pictures::{Picture, Work};
use brisk_margin_store::variants::{Framing, Order, Variant};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::Problem;
use super::extract::{self, Path, Query};
use super::pictures::find;
use super::served::Served;
use crate::app::App;
use crate::variants::{self, Made};

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
    slot: Slot,
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
        let Order { framing, encoding, .. } = variant.order;
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
    slot: Option<Slot>,
    /// The size of the whole picture instead of a slot.
    resize: Option<Resize>,
    /// Device pixels per CSS pixel.
    density: Density,
    /// Around which point; the picture's own where none is given.
    focal: Option<FocalPoint>,
    /// How the picture is framed and finished; as it holds where nothing is given.
    work: Option<Work>,
    /// The slot and the layout width of which a crop made by hand counts.
    pub place: Option<PlaceAt>,
}

impl Shown {
    /// The framing that it means for `picture`.
    pub(super) fn framing(&self, picture: &Picture) -> Result<Framing, Problem> {
        let work = self.work.as_ref().unwrap_or(&picture.work);
        let mut aim = work.aim(self.place.map(|place| (place.slot, place.viewport)));
        if let Some(focal) = self.focal {
            aim.focal = focal;
        }
        let canvas = Canvas::new(picture.facts.size, &work.finish).map_err(Problem::invalid)?;
        let slot = slot_or_size(self.slot, self.resize, canvas.size())?;
        Ok(Framing::new(slot, self.density, aim, &work.finish))
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
#[utoipa::path(post, path = "/api/pictures/{id}/variants", request_body = Wish, responses(
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
    let colours = decision.colours(&picture.facts);
    let order = Order {
        framing: wish.shown.framing(&picture)?.in_colours(colours),
        encoding: Encoding::new(wish.format, wish.quality.unwrap_or(Quality::USUAL)),
        credit: decision.credit(&picture.description),
        is_copy: false,
    };
    let (status, variant) = match variants::make(&app, &picture, order).await? {
        Made::New(variant) => (StatusCode::CREATED, variant),
        Made::Kept(variant) => (StatusCode::OK, variant),
    };
    Ok((status, Json(VariantBody::new(variant, picture.bytes))))
}

/// The slot that was given, or the one that gives a picture of size `canvas` the size asked for.
pub(super) fn slot_or_size(
    slot: Option<Slot>,
    resize: Option<Resize>,
    canvas: Size,
) -> Result<Slot, Problem> {
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
#[utoipa::path(get, path = "/api/variants/{id}/file", params(
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
        media_type: variant.order.encoding.format().media_type(),
        save_as: delivery.save.then_some(variant.file_name),
    })
}

/// The same pixels before they were encoded, as PNG: what the file is judged against.
#[utoipa::path(get, path = "/api/variants/{id}/reference", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The variant's number")))]
pub(super) async fn reference(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let (variant, picture) = find_variant(&app, id).await?;
    let bytes = variants::reference(&app, &picture, variant.order.framing).await?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

async fn find_variant(app: &App, id: Uuid) -> Result<(Variant, Picture), Problem> {
    let variant = app.store.variant(id).await?.ok_or_else(|| Problem::not_found("file"))?;
    let picture = find(app, variant.picture_id).await?;
    Ok((variant, picture))
}
