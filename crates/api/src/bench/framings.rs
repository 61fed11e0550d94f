//! Framings: which part of a picture each of its slots shows at each layout width, in one answer.

use axum::Json;
use axum::extract::State;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::edits::canvas::{Canvas, HandCrop};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::framing;
use brisk_margin_core::framing::{Cuts, Holding, KeepCut};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::markup::position;
use brisk_margin_core::markup::position::Held;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::slot::{CroppingReason, Slot};
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::pictures::Picture;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::places_of;
use crate::Problem;
use crate::extract::{self, Path};
use crate::find::find;
use crate::state::App;

/// Which framings are asked for.
#[derive(Deserialize, ToSchema)]
pub(crate) struct FramingsAsked {
    /// How the picture is framed and finished.
    #[serde(alias = "work")]
    adjustments: Adjustments,
    /// Slots besides those that show it.
    #[serde(default)]
    slots: Vec<Uuid>,
}

/// A picture framed for all its slots.
#[derive(Serialize, ToSchema)]
pub(crate) struct Framings {
    /// The picture with its geometry changed, in pixels of the original.
    canvas: Size,
    /// The focal point there, in pixels.
    #[schema(value_type = Vec<f64>)]
    focal: [f64; 2],
    /// The keep area there: left, top, right and bottom, in pixels.
    #[schema(value_type = Option<Vec<f64>>)]
    keep: Option<[f64; 4]>,
    /// Its slots, those that show it first.
    slots: Vec<SlotFraming>,
    /// Whether a length of its edits keeps its size in CSS pixels, so that each layout width gets a
    /// source of its own.
    keeps_css_size: bool,
    /// Whether an edit depends on the frame, so that it is not seen on the whole picture.
    has_frame: bool,
}

/// A picture framed for one slot.
#[derive(Serialize, ToSchema)]
pub(crate) struct SlotFraming {
    /// The slot's number.
    slot: Uuid,
    /// Its name.
    name: String,
    fit: Fit,
    /// Who crops.
    cropping: Cropping,
    /// Why somebody else than the shape of its boxes would have it crops.
    cropping_reason: Option<&'static str>,
    /// Its byte budget.
    budget: Bytes,
    /// Whether a place of it shows the picture.
    shows: bool,
    /// At each layout width where it is shown, the narrowest first.
    widths: Vec<WidthFraming>,
    /// The part of the canvas that the one file holds, where the browser crops.
    file: Option<Rect>,
    /// The style rules that hold the file so, where the browser crops.
    css: Option<String>,
    /// How far the focal point is off in CSS pixels between the layout widths at most, where the
    /// browser crops.
    focal_error: Option<f64>,
}

/// A picture framed for a slot at a layout width.
#[derive(Serialize, ToSchema)]
pub(crate) struct WidthFraming {
    /// The viewport's width in CSS pixels.
    viewport: u32,
    /// The box, in CSS pixels across and down.
    #[schema(value_type = Vec<f64>)]
    size: BoxSize,
    /// The density that is told of: the slot's highest.
    density: Density,
    /// What is cut, scaled and short.
    #[serde(flatten)]
    fitting: Fitting,
    /// The percentage of the canvas that stays, by area.
    kept_percent: f64,
    /// What is cut of the keep area.
    keep_cut: Option<KeepCut>,
    /// Whether it was framed by hand.
    by_hand: bool,
    /// Why no file can be made.
    refusal: Option<String>,
    /// Where the browser holds the file, in percent across and down, where it crops.
    #[schema(value_type = Option<Vec<f64>>)]
    object_position: Option<[f64; 2]>,
}

/// Frames a picture for all its slots at all their layout widths. Nothing is made.
#[utoipa::path(post, path = "/pictures/{id}/framings", request_body = FramingsAsked, responses(
    (status = 200, body = Framings),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn framings(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<FramingsAsked>,
) -> Result<Json<Framings>, Problem> {
    let picture = find(&app, id).await?;
    let adjustments = asked.adjustments;
    let canvas = Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?;
    let (_, shown) = places_of(&app, &picture).await?;
    let others = app.store.slots().await?;
    let others = others
        .iter()
        .filter(|slot| asked.slots.contains(&slot.id) && !shown.contains_key(&slot.id));
    let frame = |slot: &Slot, shows| slot_framing(&picture, &adjustments, &canvas, slot, shows);
    let slots =
        shown.values().map(|slot| frame(slot, true)).chain(others.map(|slot| frame(slot, false)));
    let (x, y) = canvas.focal(adjustments.focal);
    Ok(Json(Framings {
        canvas: canvas.size(),
        focal: [x, y],
        keep: adjustments.keep_area.and_then(|keep| canvas.keep(keep)),
        slots: slots.collect(),
        keeps_css_size: adjustments.edits.keeps_css_size(),
        has_frame: adjustments.edits.has_frame(),
    }))
}

fn slot_framing(
    picture: &Picture,
    adjustments: &Adjustments,
    canvas: &Canvas,
    slot: &Slot,
    shows: bool,
) -> SlotFraming {
    let boxes = slot.boxes().iter().filter(|(_, size)| size.is_shown());
    let widths = boxes.filter_map(|(&viewport, &size)| {
        width_framing(picture, adjustments, canvas, slot, viewport, size)
    });
    let mut widths: Vec<WidthFraming> = widths.collect();
    let (cropping, cropping_reason) = slot.who_crops(adjustments);
    let mut framing = SlotFraming {
        slot: slot.id,
        name: slot.name.clone(),
        fit: slot.fit,
        cropping,
        cropping_reason: cropping_reason.map(CroppingReason::words),
        budget: slot.budget(),
        shows,
        widths: Vec::new(),
        file: None,
        css: None,
        focal_error: None,
    };
    if cropping == Cropping::Browser {
        hold(&mut framing, &mut widths, adjustments, canvas, slot);
    }
    framing.widths = widths;
    framing
}

fn width_framing(
    picture: &Picture,
    adjustments: &Adjustments,
    canvas: &Canvas,
    slot: &Slot,
    viewport: u32,
    size: BoxSize,
) -> Option<WidthFraming> {
    let shape = SlotShape::new(size.width, size.height, slot.fit).ok()?;
    let densities = slot.densities.iter().copied();
    let density = densities.reduce(|a, b| if b > a { b } else { a }).unwrap_or(Density::ONE);
    let aim = adjustments.crop_spec(Some((slot.id, viewport)));
    let framing = RenderSpec::new(shape, density, aim, &adjustments.edits);
    let fitting = framing.fitting(picture.facts.size)?;
    let keep = adjustments.keep_area.and_then(|keep| canvas.keep(keep));
    Some(WidthFraming {
        viewport,
        size,
        density,
        kept_percent: fitting.cuts.kept_percent(canvas.size()),
        keep_cut: keep.and_then(|keep| KeepCut::of(keep, fitting.crop)),
        by_hand: aim.by_hand.is_some(),
        refusal: framing.plan(picture.facts.size).err().map(|error| error.to_string()),
        object_position: None,
        fitting,
    })
}

/// Says where the browser holds the one file at each layout width, and how exact that is between.
fn hold(
    framing: &mut SlotFraming,
    widths: &mut [WidthFraming],
    adjustments: &Adjustments,
    canvas: &Canvas,
    slot: &Slot,
) {
    let Some(file) = framing::union(widths.iter().map(|width| width.fitting.crop)) else { return };
    let mut held = Vec::new();
    for width in widths.iter_mut() {
        let position = framing::object_position(file, width.fitting.crop);
        width.object_position = Some([position.0, position.1]);
        held.push(Held { from: width.viewport, position });
    }
    let keep = adjustments.keep_area.and_then(|keep| canvas.keep(keep));
    let focal = canvas.focal(adjustments.focal);
    let error =
        slot.rendered().iter().filter(|(_, size)| size.is_shown()).map(|(&viewport, size)| {
            let ideal = framing::frame(canvas.size(), size.aspect(), focal, keep);
            let position = position::position_at(&held, viewport);
            let shown = framing::shown_at(file, size.aspect(), position);
            let scale = size.width / shown[2];
            (shown[0] - f64::from(ideal.x)).abs().max((shown[1] - f64::from(ideal.y)).abs()) * scale
        });
    framing.focal_error = Some(error.fold(0.0, f64::max));
    let (holder, selector) = (slot.holder(), slot.selector_or_default());
    framing.css = Some(position::position_rules(holder, selector, &held));
    framing.file = Some(file);
}

/// A part of a picture with its edits, framed by hand.
#[derive(Deserialize, ToSchema)]
pub(crate) struct CropAsked {
    /// How the picture is framed and finished.
    #[serde(alias = "work")]
    adjustments: Adjustments,
    /// The part, in pixels of the picture with its geometry changed.
    crop: Rect,
    /// The slot and the layout width that it is for.
    slot: Uuid,
    /// The viewport's width in CSS pixels.
    viewport: u32,
    /// The shape that it keeps, width over height; nothing for any.
    aspect: Option<f64>,
    /// What stays as it is while it is drawn.
    #[serde(default)]
    holding: Holding,
}

/// A crop that was made by hand.
#[derive(Serialize, ToSchema)]
pub(crate) struct CropMade {
    /// The work with it.
    adjustments: Adjustments,
    /// The crop as it came out: inside the picture and of the shape that was asked for.
    crop: Rect,
    /// What it cuts from each side.
    cuts: Cuts,
}

/// Refuses what is no shape.
pub(super) fn check_shape(aspect: Option<f64>) -> Result<(), Problem> {
    match aspect.is_none_or(|aspect| aspect.is_finite() && aspect > 0.0) {
        true => Ok(()),
        false => Err(Problem::invalid("a shape is a number above 0, width over height")),
    }
}

/// Frames a slot at a layout width by hand: the part that was dragged or typed is brought inside
/// the picture and to its shape. Nothing is kept; the answer is the work with it.
#[utoipa::path(post, path = "/pictures/{id}/crop", request_body = CropAsked, responses(
    (status = 200, body = CropMade),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn crop(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<CropAsked>,
) -> Result<Json<CropMade>, Problem> {
    let picture = find(&app, id).await?;
    let mut adjustments = asked.adjustments;
    let canvas = Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?;
    check_shape(asked.aspect)?;
    let crop = framing::drawn(canvas.size(), asked.crop, asked.aspect, asked.holding)
        .ok_or_else(|| Problem::invalid("a crop must be at least 1 px wide and high"))?;
    let by_hand: HandCrop = canvas.hand_crop(crop).map_err(Problem::invalid)?;
    adjustments.crops.entry(asked.slot).or_default().insert(asked.viewport, by_hand);
    Ok(Json(CropMade { adjustments, crop, cuts: Cuts::of(canvas.size(), crop) }))
}

/// Where the focal point or the keep area shall lie.
#[derive(Deserialize, ToSchema)]
pub(crate) struct PointAsked {
    /// How the picture is framed and finished.
    #[serde(alias = "work")]
    adjustments: Adjustments,
    /// A point of the picture with its geometry changed, in pixels across and down: the focal point.
    #[schema(value_type = Option<Vec<f64>>)]
    focal: Option<[f64; 2]>,
    /// A part of it in pixels: the keep area. An empty one takes it away.
    keep: Option<Rect>,
}

/// The work with another focal point or keep area, given where they lie on the picture with its
/// geometry changed. Nothing is kept.
#[utoipa::path(post, path = "/pictures/{id}/aim", request_body = PointAsked, responses(
    (status = 200, body = Adjustments),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn aim(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<PointAsked>,
) -> Result<Json<Adjustments>, Problem> {
    let picture = find(&app, id).await?;
    let mut adjustments = asked.adjustments;
    let canvas = Canvas::new(picture.facts.size, &adjustments.edits).map_err(Problem::invalid)?;
    if let Some([x, y]) = asked.focal {
        adjustments.focal = canvas.focal_at(x, y);
    }
    if let Some(keep) = asked.keep {
        adjustments.keep_area = match (keep.width, keep.height) {
            (0, _) | (_, 0) => None,
            _ => Some(canvas.keep_at(keep).map_err(Problem::invalid)?),
        };
    }
    Ok(Json(adjustments))
}
