//! Preview sheets: many views of one picture in one answer, as their files will look.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::edits::EditList;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::plan::Plan;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Rect;
use brisk_margin_core::render_spec::{RenderSpec, RenderSpecError};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::slot_shape::SlotShape;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::edited::histogram::Histogram;
use brisk_margin_imaging::edited::render::{self, Logos, Rendered, TextContrast, ToneCurves};
use brisk_margin_store::pictures::Picture;
use serde::{Deserialize, Serialize};
use tokio::sync::OnceCell;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::extract::{self, Path};
use crate::find::find;
use crate::issues::IssueBody;
use crate::served::Served;
use crate::state::App;
use brisk_margin_work::making::MakeError;
use brisk_margin_work::making::pyramids::{self, PreviewPyramid};
use brisk_margin_work::making::rendering::{self, Rendering};

/// The most views of one sheet.
const MOST_VIEWS: usize = 200;
/// The most pixels of one sheet.
const MOST_PIXELS: u64 = 40_000_000;

/// Views of a picture.
#[derive(Deserialize, ToSchema)]
pub(crate) struct SheetAsked {
    /// How it is framed and finished.
    #[serde(alias = "work")]
    adjustments: Adjustments,
    /// Which.
    views: Vec<ViewAsked>,
    /// Whether the shades of the first view are told, as they are and as they were before its edits
    /// of tone and colour.
    #[serde(default)]
    histograms: bool,
    /// Only edits that change the whole picture alike: what a frame adds is left out.
    #[serde(default)]
    without_frame: bool,
}

/// One view.
#[derive(Clone, Copy, Deserialize, ToSchema)]
pub(crate) struct ViewAsked {
    /// The slot and the layout width; the whole picture where they are left out.
    place: Option<ViewPlace>,
    /// At most so many pixels wide; nothing for its file's own pixels.
    width: Option<u32>,
}

/// A slot at a layout width.
#[derive(Clone, Copy, Deserialize, ToSchema)]
pub(crate) struct ViewPlace {
    /// The slot's number.
    slot: Uuid,
    /// The viewport's width in CSS pixels.
    viewport: u32,
    /// Device pixels per CSS pixel.
    density: Density,
}

/// Views of a picture, in one image.
#[derive(Serialize, ToSchema)]
pub(crate) struct Sheet {
    /// The number of the image, a PNG that is fetched once; nothing where no view can be made.
    image: Option<Uuid>,
    /// Where each view lies on it, in the order asked; nothing for one that cannot be made.
    views: Vec<Option<Rect>>,
    /// What is worth mending of the edits in each view.
    issues: Vec<Vec<IssueBody>>,
    /// How each text stands out in the first view.
    contrasts: Vec<TextContrast>,
    /// The shades of the first view.
    after: Option<Histogram>,
    /// Its shades without edits of tone and colour.
    before: Option<Histogram>,
}

/// Renders views of a picture. Nothing is kept.
#[utoipa::path(post, path = "/pictures/{id}/sheet", request_body = SheetAsked, responses(
    (status = 200, body = Sheet),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The picture's number")))]
pub(crate) async fn sheet(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    extract::Json(asked): extract::Json<SheetAsked>,
) -> Result<Json<Sheet>, Problem> {
    if asked.views.len() > MOST_VIEWS {
        return Err(Problem::invalid(format!("at most {MOST_VIEWS} views fit on a sheet")));
    }
    let picture = find(&app, id).await?;
    let edits = if asked.without_frame {
        asked.adjustments.edits.of_the_picture()
    } else {
        asked.adjustments.edits.clone()
    };
    let slots = if asked.views.iter().any(|view| view.place.is_some()) {
        app.store.slots().await?
    } else {
        Vec::new()
    };
    let mut drawings = Vec::with_capacity(asked.views.len());
    for view in &asked.views {
        drawings.push(drawn(&slots, &picture, &asked.adjustments, &edits, *view)?);
    }
    if asked.histograms
        && let Some(Some(first)) = drawings.first()
    {
        drawings.push(Some(Rendering { edits: first.edits.without_shades(), ..first.clone() }));
    }
    let pixels: u64 = drawings.iter().flatten().map(|d| d.plan.fitting.output.pixels()).sum();
    if pixels > MOST_PIXELS {
        let detail = format!(
            "a sheet of {} megapixels is too large: ask for smaller views",
            pixels / 1_000_000
        );
        return Err(Problem::invalid(detail));
    }
    let mut rendered = render_all(&app, &picture, &edits, drawings).await?;
    let before = if asked.histograms { rendered.pop().flatten() } else { None };
    let (file, views) = stacked_file(&app, &rendered).await?;
    let image = file.map(|file| app.atlases.keep(file));
    let shades = |one: Option<&Rendered>| one.map(|one| Histogram::of(&one.raster));
    Ok(Json(Sheet {
        image,
        views,
        after: asked
            .histograms
            .then(|| shades(rendered.first().and_then(Option::as_ref)))
            .flatten(),
        before: shades(before.as_ref()),
        contrasts: rendered
            .first()
            .and_then(Option::as_ref)
            .map(|first| first.contrasts.clone())
            .unwrap_or_default(),
        issues: rendered.into_iter().map(issues).collect(),
    }))
}

fn issues(rendered: Option<Rendered>) -> Vec<IssueBody> {
    rendered.into_iter().flat_map(|one| one.issues).map(IssueBody::from).collect()
}

/// The image of a sheet that was rendered just now. It is forgotten once a few more were made.
#[utoipa::path(get, path = "/sheets/{id}", responses(
    (status = 200, content_type = "image/png", body = Vec<u8>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
), params(("id" = Uuid, Path, description = "The image's number")))]
pub(crate) async fn sheet_image(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Served, Problem> {
    let bytes = app.atlases.take(id).ok_or_else(|| Problem::not_found("sheet"))?;
    Ok(Served { bytes, media_type: Format::Png.media_type(), save_as: None })
}

/// What a view shows; nothing where an exact slot asks for more than the picture has.
fn drawn(
    slots: &[Slot],
    picture: &Picture,
    adjustments: &Adjustments,
    edits: &EditList,
    view: ViewAsked,
) -> Result<Option<Rendering>, Problem> {
    let (canvas, plan) = match view.place {
        None => {
            let canvas = Canvas::new(picture.facts.size, edits).map_err(Problem::invalid)?;
            (canvas, Plan::whole(&canvas, edits))
        }
        Some(place) => {
            let slot = slots.iter().find(|slot| slot.id == place.slot);
            let slot = slot.ok_or_else(|| Problem::not_found("slot"))?;
            let size = slot.boxes().get(&place.viewport).copied();
            let size = size.ok_or_else(|| Problem::not_found("layout width of this slot"))?;
            let shape =
                SlotShape::new(size.width, size.height, slot.fit).map_err(Problem::invalid)?;
            let aim = adjustments.crop_spec(Some((place.slot, place.viewport)));
            match RenderSpec::new(shape, place.density, aim, edits).plan(picture.facts.size) {
                Ok(found) => found,
                Err(RenderSpecError::TooSmall(_)) => return Ok(None),
                Err(RenderSpecError::Canvas(error)) => return Err(Problem::invalid(error)),
            }
        }
    };
    let plan = view.width.map_or(plan, |width| plan.no_wider_than(width.max(1)));
    // Issues speak of places in the list: what is set aside stays in it.
    let colours = ColourSpace::Srgb;
    Ok(Some(Rendering { edits: edits.clone(), canvas, plan, colours }))
}

/// Renders `drawings` from a reduced copy as far as it has their pixels, else from the original, on
/// as many threads as the pool has workers.
async fn render_all(
    app: &App,
    picture: &Picture,
    edits: &EditList,
    drawings: Vec<Option<Rendering>>,
) -> Result<Vec<Option<Rendered>>, MakeError> {
    let copy = pyramids::pyramid_of(&app.maker, picture).await?;
    let logos = Arc::new(rendering::logos(&app.maker, edits).await?);
    let mut rendered: Vec<Option<Rendered>> = drawings.iter().map(|_| None).collect();
    let (mut small, mut large) = (Vec::new(), Vec::new());
    for (at, drawn) in drawings.into_iter().enumerate() {
        let Some(drawn) = drawn else { continue };
        let of_copy = copy.get().is_some_and(|copy| copy.pixels(&drawn.plan).is_some());
        if of_copy { small.push((at, drawn)) } else { large.push((at, drawn)) }
    }
    // The heaviest first, dealt out in turn, so that all workers end at about the same time.
    small.sort_by_key(|(_, drawn)| std::cmp::Reverse(drawn.plan.fitting.output.pixels()));
    let workers = app.maker.pool.workers().clamp(1, small.len().max(1));
    let mut hands: Vec<Vec<(usize, Rendering)>> = (0..workers).map(|_| Vec::new()).collect();
    for (n, one) in small.into_iter().enumerate() {
        hands[n % workers].push(one);
    }
    let parts = hands.into_iter().map(|hand| from_copy(app, &copy, &logos, hand));
    for done in futures::future::try_join_all(parts).await? {
        for (at, one) in done {
            rendered[at] = Some(one);
        }
    }
    if !large.is_empty() {
        let memory = large.iter().map(|(_, drawn)| drawn.memory()).sum();
        let logos = Arc::clone(&logos);
        let done = rendering::with_original(&app.maker, picture, memory, move |original| {
            let draw = |(at, drawn): (usize, Rendering)| Ok((at, drawn.render(original, &logos)?));
            large.into_iter().map(draw).collect::<Result<Vec<_>, MakeError>>()
        });
        for (at, one) in done.await? {
            rendered[at] = Some(one);
        }
    }
    Ok(rendered)
}

async fn from_copy(
    app: &App,
    copy: &Arc<OnceCell<PreviewPyramid>>,
    logos: &Arc<Logos>,
    drawings: Vec<(usize, Rendering)>,
) -> Result<Vec<(usize, Rendered)>, MakeError> {
    let memory = drawings.iter().map(|(_, drawn)| drawn.memory()).max().unwrap_or(Bytes(0));
    let room = app.maker.pool.admit(memory).await;
    let (copy, logos) = (Arc::clone(copy), Arc::clone(logos));
    let draw = move |_: &Codecs| {
        let mut done = Vec::with_capacity(drawings.len());
        let mut tones: Option<(EditList, ToneCurves)> = None;
        for (at, Rendering { edits, canvas, plan, .. }) in drawings {
            // All views have the same edits but the one without shades.
            let tones = match &mut tones {
                Some((of, tones)) if *of == edits => tones,
                tones => &mut tones.insert((edits.clone(), ToneCurves::of(&edits))).1,
            };
            if let Some(pixels) = copy.get().and_then(|copy| copy.pixels(&plan)) {
                done.push((at, render::draw(pixels, &canvas, &edits, tones, &plan, &logos)?));
            }
        }
        Ok::<_, MakeError>(done)
    };
    app.maker.pool.run(room, draw).await?
}

/// All views below each other in one PNG.
async fn stacked_file(
    app: &App,
    rendered: &[Option<Rendered>],
) -> Result<(Option<bytes::Bytes>, Vec<Option<Rect>>), MakeError> {
    let rasters = rendered.iter().map(|one| one.as_ref().map(|one| one.raster.clone()));
    let rasters: Vec<_> = rasters.collect();
    let memory = rasters.iter().flatten().map(|raster| raster.data().len() as u64 * 3).sum();
    let room = app.maker.pool.admit(Bytes(memory)).await;
    let encode = move |_: &Codecs| {
        let (sheet, places) = brisk_margin_imaging::raster::stacked(&rasters);
        let file = sheet.map(|sheet| png::encode_fast(&sheet)).transpose()?;
        Ok::<_, MakeError>((file.map(bytes::Bytes::from), places))
    };
    app.maker.pool.run(room, encode).await?
}
