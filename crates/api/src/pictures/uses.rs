//! Where a picture is used, and all that is known of one.

use crate::find::find;
use std::collections::HashMap;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::place_use::page_alt;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::units::Bytes;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{PictureBody, body_of};
use crate::Problem;
use crate::extract::Path;
use crate::state::App;

/// One picture's page.
#[derive(Serialize, ToSchema)]
pub(crate) struct PicturePage {
    /// The picture.
    picture: PictureBody,
    /// What its file tells, as proposals for its description.
    embedded: EmbeddedMetadata,
    /// The alt text that a page has for it, as a proposal; empty where none has one.
    page_alt: String,
    /// The caption and credit as the content of a `figcaption`; nothing where both are empty.
    caption_line: Option<String>,
    /// Where it is shown.
    uses: Vec<UseBody>,
}

/// A place that shows a picture.
#[derive(Serialize, ToSchema)]
pub(crate) struct UseBody {
    /// The page's number.
    page: Uuid,
    /// What it is called.
    page_name: String,
    /// Its address.
    address: String,
    /// The slot's number.
    slot: Uuid,
    /// Its name.
    slot_name: String,
    /// How a picture fills it.
    fit: Fit,
    /// The smallest and the largest box it is shown in, in CSS px across and down.
    #[schema(value_type = Vec<Vec<f64>>)]
    boxes: Vec<[f64; 2]>,
    /// Pixels across and down that a file for it has at most.
    #[schema(value_type = Option<Vec<u32>>)]
    needs: Option<[u32; 2]>,
    /// More pixels that it asks for, in percent; nothing where the picture has enough.
    short: Option<f64>,
    /// What the page transfers for it today.
    today: Option<Bytes>,
    /// The slot's byte budget.
    budget: Bytes,
    /// Whether it was placed there by hand; else the page serves it as it is.
    placed: bool,
}

/// All that is known of one picture.
#[utoipa::path(get, path = "/pictures/{id}/page", responses(
    (status = 200, body = PicturePage),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn picture_page(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<PicturePage>, Problem> {
    let picture = find(&app, id).await?;
    let pages = app.store.pages().await?;
    let pages: HashMap<Uuid, _> = pages.into_iter().map(|page| (page.id, page)).collect();
    let found = app.store.uses_of(&[id]).await?.remove(&id).unwrap_or_default();
    let page_alt = page_alt(&found).to_owned();
    let uses = found.into_iter().filter_map(|used| {
        let page = pages.get(&used.place.page_id)?;
        let asked = picture.placement(&used.slot, &used.place).asked();
        let viewports = used.slot.boxes().keys();
        let mut boxes: Vec<[f64; 2]> = viewports
            .filter_map(|&viewport| used.place.box_at(&used.slot, viewport))
            .filter(|size| size.is_shown())
            .map(Into::into)
            .collect();
        boxes.sort_by(|a, b| a[0].total_cmp(&b[0]));
        boxes.dedup();
        Some(UseBody {
            page: page.id,
            page_name: page.name.clone(),
            address: page.address.clone(),
            slot: used.slot.id,
            slot_name: used.slot.name.clone(),
            fit: used.slot.fit,
            boxes: [boxes.first(), boxes.last()].into_iter().flatten().copied().collect(),
            needs: asked.map(|asked| [asked.output.width, asked.output.height]),
            short: asked.and_then(|asked| asked.short()),
            today: used.today(picture.bytes),
            budget: used.slot.budget(),
            placed: used.placed,
        })
    });
    let uses = uses.collect();
    Ok(Json(PicturePage {
        embedded: picture.embedded.clone(),
        page_alt,
        caption_line: picture.description.caption_line(),
        uses,
        picture: body_of(&app, picture).await?,
    }))
}
