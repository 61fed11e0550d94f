//! How long it takes from a moved focal point to the previews of all slots.

use std::time::Instant;

use axum::Router;
use axum::body::Body;
use axum::http::{Request, header};
use brisk_margin_api::App;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::site::ImportAction;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::{Channels, Raster};
use brisk_margin_store::layouts::NewSlot;
use brisk_margin_store::pictures::{Arrival, NewPicture, Origin, Picture};
use serde_json::{Value, json};
use tower::ServiceExt;

use crate::library::{ms, p95};
use brisk_margin_cli::home::{Failure, Home};

const SLOTS: u32 = 12;
const WIDTHS: [u32; 4] = [390, 820, 1280, 1920];

pub async fn run(home: Home, times: usize) -> Result<(), Failure> {
    let app = home.open_first().await?;
    let file = app.maker.pool.codecs().encode(
        &scene(),
        Encoding::Jpeg(Quality::new(85)?),
        &Extras::default(),
    )?;
    let picture = taken_in(&app, "bench.jpg", file).await?;
    let slots = app.store.add_slots((0..SLOTS).map(slot).collect()).await?;
    let slots: Vec<_> = slots.iter().map(|slot| slot.id).collect();
    let router = brisk_margin_api::site_router(app.clone());
    let start = Instant::now();
    ask(&router, "GET", &format!("/pictures/{}/bench", picture.id), None).await?;
    println!("reduced copy of {}: {:.0} ms, once", picture.facts.size, ms(start.elapsed()));

    for (name, edits) in [
        ("no edit", json!([])),
        ("five edits", edits()),
        ("five edits, one of the frame", framed()),
    ] {
        let (mut rectangles, mut previews) = (Vec::new(), Vec::new());
        for n in 0..times {
            let focal = json!({"x": n as f64 / times as f64, "y": 0.4});
            let work = json!({"focal": focal, "edits": {"version": 1, "steps": edits}});
            let start = Instant::now();
            let path = format!("/pictures/{}/framings", picture.id);
            let answer =
                ask(&router, "POST", &path, Some(json!({"adjustments": work, "slots": slots})))
                    .await?;
            rectangles.push(start.elapsed());
            let answer: Value = serde_json::from_slice(&answer)?;
            let views = views(&answer);
            let path = format!("/pictures/{}/sheet", picture.id);
            let sheet =
                ask(&router, "POST", &path, Some(json!({"adjustments": work, "views": views})))
                    .await?;
            let sheet: Value = serde_json::from_slice(&sheet)?;
            let image = sheet["image"].as_str().ok_or("no view was made")?;
            ask(&router, "GET", &format!("/sheets/{image}"), None).await?;
            previews.push(start.elapsed());
        }
        println!(
            "{name}: rectangles of {SLOTS} slots x 4 widths {:.1} ms (p95), with all previews {:.0} ms (p95)",
            ms(p95(rectangles)),
            ms(p95(previews)),
        );
    }
    Ok(())
}

/// Adds a picture to the library.
pub async fn taken_in(app: &App, name: &str, file: Vec<u8>) -> Result<Picture, Failure> {
    let facts = Original::open(app.maker.pool.codecs(), &file)?.facts().clone();
    let new = NewPicture {
        name,
        folder: "",
        origin: Origin::Upload,
        facts: &facts,
        embedded: &Default::default(),
        import_action: &ImportAction::List,
    };
    let (Arrival::New(picture) | Arrival::There(picture) | Arrival::Back(picture)) =
        app.store.add_picture(file.into(), new).await?;
    Ok(picture)
}

/// 8,660 × 5,773 pixels of soft shades and grain.
fn scene() -> Raster {
    let size = Size::new(8_660, 5_773);
    let mut grain = 7u32;
    let mut data = Vec::with_capacity(size.pixels() as usize * 3);
    for y in 0..size.height {
        for x in 0..size.width {
            grain = grain.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let noise = (grain >> 29) as u8;
            data.extend([(x / 40) as u8 / 2 + noise, (y / 30) as u8 / 2 + noise, 90 + noise]);
        }
    }
    Raster::new(size, Channels::Rgb, data)
}

fn slot(n: u32) -> NewSlot {
    let size = |&viewport: &u32| {
        let width = f64::from(viewport) * (0.3 + 0.05 * f64::from(n));
        (viewport, BoxSize { width, height: width * (0.4 + 0.1 * f64::from(n % 5)) })
    };
    NewSlot {
        name: format!("bench slot {n}"),
        kind: PlaceKind::Text,
        fit: Fit::Cover,
        boxes: WIDTHS.iter().map(size).collect(),
        budget: None,
    }
}

fn edits() -> Value {
    json!([
        {"kind": "straighten", "degrees": 1.5, "corners": "cut"},
        {"kind": "exposure", "stops": 0.3},
        {"kind": "contrast", "percent": 12},
        {"kind": "saturation", "percent": 15},
        {"kind": "temperature", "mireds": 12},
    ])
}

fn framed() -> Value {
    json!([
        {"kind": "straighten", "degrees": 1.5, "corners": "cut"},
        {"kind": "exposure", "stops": 0.3},
        {"kind": "contrast", "percent": 12},
        {"kind": "saturation", "percent": 15},
        {"kind": "border", "width": {"px": 4, "of": "css"}, "colour": "#ffffff"},
    ])
}

/// Every framing at the size of the bench's own views, on the longest row of 520 px.
fn views(framings: &Value) -> Vec<Value> {
    let all = framings["slots"].as_array().into_iter().flatten().flat_map(|slot| {
        slot["widths"].as_array().into_iter().flatten().map(move |width| (slot, width))
    });
    all.map(|(slot, width)| {
        let across = width["size"][0].as_f64().unwrap_or(1.0) * 0.11;
        json!({
            "place": {"slot": slot["slot"], "viewport": width["viewport"], "density": 2},
            "width": across.ceil() as u32,
        })
    })
    .collect()
}

async fn ask(
    router: &Router,
    method: &str,
    path: &str,
    body: Option<Value>,
) -> Result<Vec<u8>, Failure> {
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::HOST, "127.0.0.1")
        .header(header::CONTENT_TYPE, "application/json")
        .body(body.map_or_else(Body::empty, |body| Body::from(body.to_string())))?;
    let answer = router.clone().oneshot(request).await?;
    let status = answer.status();
    let bytes = axum::body::to_bytes(answer.into_body(), usize::MAX).await?.to_vec();
    if status.is_success() {
        Ok(bytes)
    } else {
        Err(format!("{path} answered {status}: {}", String::from_utf8_lossy(&bytes)).into())
    }
}
