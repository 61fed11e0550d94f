//! Banners: pictures begun from a slot's exact size, with a colour or another picture as ground.

use brisk_margin_imaging::original::Original;
use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::edits::values::Colour;
use brisk_margin_core::edits::{EditList, text_saying};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::naming;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Density;
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin, Picture};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::Problem;
use crate::extract;
use crate::find::find;
use crate::pictures::changes::settle;
use crate::state::App;

/// The longest side of a banner, in CSS pixels.
const LONGEST: f64 = 8_000.0;

/// Banners to be begun.
#[derive(Deserialize, ToSchema)]
pub(crate) struct NewBanners {
    /// The slots, one banner each.
    slots: Vec<Uuid>,
    /// What they are called; the slot's name is added where there are several.
    name: String,
    /// What lies under them.
    ground: BannerGround,
    /// What they say, as a text on them; nothing for none.
    #[serde(default)]
    text: Option<String>,
    /// The height that all of them are held to, in CSS pixels; nothing for each slot's own.
    height: Option<f64>,
}

/// What lies under a banner.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum BannerGround {
    /// A colour.
    Colour(Colour),
    /// A picture, of which the banner gets a crop.
    Picture(Uuid),
}

/// A banner that was begun.
#[derive(Serialize, ToSchema)]
pub(crate) struct BannerBody {
    /// Its picture's number.
    picture: Uuid,
    /// Its name.
    name: String,
    /// Its slot's number.
    slot: Uuid,
    /// Its size in CSS pixels, across and down.
    #[schema(value_type = Vec<f64>)]
    size: [f64; 2],
    /// What its height leaves free or cuts in its slot, in words; nothing where it is the slot's
    /// own.
    height_note: Option<String>,
}

/// Begins a banner for each of some slots, as large as the slot's largest box at its highest
/// density. A row of them is held to one height.
#[utoipa::path(post, path = "/banners", request_body = NewBanners, responses(
    (status = 201, body = Vec<BannerBody>),
    (status = 404, body = Problem, content_type = "application/problem+json"),
    (status = 422, body = Problem, content_type = "application/problem+json"),
))]
pub(crate) async fn begin_banners(
    State(app): State<App>,
    extract::Json(new): extract::Json<NewBanners>,
) -> Result<(StatusCode, Json<Vec<BannerBody>>), Problem> {
    if new.name.trim().is_empty() || new.slots.is_empty() {
        return Err(Problem::invalid("a banner needs a name and at least one slot"));
    }
    if new.height.is_some_and(|height| !(1.0..=LONGEST).contains(&height)) {
        let detail = format!("a banner's height must lie between 1 and {LONGEST} CSS px");
        return Err(Problem::invalid(detail));
    }
    let mut plans = Vec::new();
    for id in &new.slots {
        let slot = app.store.slot(*id).await?.ok_or_else(|| Problem::not_found("slot"))?;
        let own = slot.largest_box().ok_or_else(|| {
            Problem::invalid(format!("the slot “{}” is shown at no layout width", slot.name))
        })?;
        if own.width > LONGEST || own.height > LONGEST {
            return Err(Problem::invalid(format!(
                "the slot “{}” is larger than {LONGEST} CSS px",
                slot.name
            )));
        }
        let size = BoxSize { height: new.height.unwrap_or(own.height), ..own };
        plans.push((slot, own, size));
    }
    let ground = match new.ground {
        BannerGround::Colour(colour) => Ground::Colour(colour),
        BannerGround::Picture(id) => Ground::Picture(Box::new(find(&app, id).await?)),
    };
    let mut made = Vec::new();
    for (slot, own, size) in plans {
        let name = match new.slots.len() {
            1 => naming::tidy(&new.name),
            _ => naming::tidy(&format!("{} {}", new.name, slot.name)),
        };
        let text = new.text.as_deref().map(str::trim).filter(|words| !words.is_empty());
        let picture = begin(&app, &slot, &name, size, &ground, text).await?;
        made.push(BannerBody {
            picture,
            name,
            slot: slot.id,
            size: size.into(),
            height_note: height_note(own, size),
        });
    }
    let ids: Vec<Uuid> = made.iter().map(|banner| banner.picture).collect();
    settle(&app, &ids).await?;
    Ok((StatusCode::CREATED, Json(made)))
}

enum Ground {
    Colour(Colour),
    Picture(Box<Picture>),
}

fn height_note(own: BoxSize, size: BoxSize) -> Option<String> {
    let by = (size.height - own.height).abs();
    match size.height.total_cmp(&own.height) {
        std::cmp::Ordering::Equal => None,
        std::cmp::Ordering::Less => {
            Some(format!("{by:.0} px lower than its slot, which cuts its sides"))
        }
        std::cmp::Ordering::Greater => {
            Some(format!("{by:.0} px higher than its slot, which cuts top and bottom"))
        }
    }
}

async fn begin(
    app: &App,
    slot: &Slot,
    name: &str,
    size: BoxSize,
    ground: &Ground,
    text: Option<&str>,
) -> Result<Uuid, Problem> {
    let with_text = |edits: EditList| match text {
        Some(words) => edits.with(text_saying(words)).map_err(Problem::invalid),
        None => Ok(edits),
    };
    let density =
        slot.densities.iter().copied().fold(Density::ONE, |a, b| if b > a { b } else { a });
    match ground {
        Ground::Picture(picture) => {
            let mut adjustments = picture.adjustments.clone();
            let canvas = picture.canvas().map_err(Problem::invalid)?;
            let aspect = size.width / size.height;
            let crop = adjustments.crop_spec(None).crop(&canvas, Some(aspect));
            // Its crop becomes part of its geometry: the banner is a picture of that shape.
            let edits = adjustments.edits.trimmed(&canvas, crop).map_err(Problem::invalid)?;
            adjustments.edits = with_text(edits)?;
            adjustments.crops = BTreeMap::new();
            let summary = format!("begun from {} for {}", picture.name, slot.name);
            let (id, _) =
                app.store.copy_picture(picture, name, &summary, &adjustments, &[]).await?;
            Ok(id)
        }
        Ground::Colour(colour) => {
            let edits = with_text(EditList::default())?;
            let made = even(app, name, size, density, *colour).await?;
            let id = made.id;
            if !edits.is_plain() {
                let adjustments = Adjustments { edits, ..made.adjustments.clone() };
                let summary = format!("a text on {name}");
                app.store.lay_adjustments(&summary, &[(made, adjustments)]).await?;
            }
            Ok(id)
        }
    }
}

/// An even ground as a drawing, which has any number of pixels. It carries its own name, since two
/// banners of one colour and size are still two.
async fn even(
    app: &App,
    name: &str,
    size: BoxSize,
    density: Density,
    colour: Colour,
) -> Result<Picture, Problem> {
    let px = |css: f64| (css * density.get()).ceil() as u32;
    let pixels = Size::new(px(size.width).max(1), px(size.height).max(1));
    let drawing = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" id=\"b{}\" width=\"{}\" height=\"{}\">\
         <rect width=\"100%\" height=\"100%\" fill=\"{colour}\"/></svg>",
        Uuid::new_v4().simple(),
        pixels.width,
        pixels.height
    );
    let facts = Original::open(app.maker.pool.codecs(), drawing.as_bytes())
        .map_err(Problem::invalid)?
        .facts()
        .clone();
    let new = NewPicture {
        name,
        folder: "",
        origin: Origin::Upload,
        facts: &facts,
        embedded: &Default::default(),
        import_action: &ImportAction::List,
    };
    let (Arrival::New(made) | Arrival::There(made) | Arrival::Back(made)) =
        app.store.add_picture(drawing.into(), new).await?;
    Ok(made)
}
