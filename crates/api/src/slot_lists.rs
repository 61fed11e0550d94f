//! Lists of slots: out and in as CSV and JSON.
//!
//! A CSV row is one box of a slot: `name, kind, fit, viewport, width, height, budget`, sizes in
//! CSS px and the budget in bytes, empty for the default.

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use brisk_margin_core::layout::{BoxSize, Boxes};
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::slot_shape::{Fit, SlotShape};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::NewSlot;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Problem;
use crate::state::App;
use brisk_margin_spreadsheet::{as_written, harmless};

/// A slot in a list.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub(super) struct ListedSlot {
    name: String,
    kind: PlaceKind,
    fit: Fit,
    #[schema(value_type = BTreeMap<u32, Vec<f64>>)]
    boxes: Boxes,
    /// Bytes; nothing for the default by area.
    budget: Option<Bytes>,
}

impl From<Slot> for ListedSlot {
    fn from(slot: Slot) -> Self {
        let boxes = slot.boxes().clone();
        let Slot { name, kind, fit, budget, .. } = slot;
        Self { name, kind, fit, boxes, budget }
    }
}

impl From<ListedSlot> for NewSlot {
    fn from(slot: ListedSlot) -> Self {
        let ListedSlot { name, kind, fit, boxes, budget } = slot;
        Self { name: name.trim().to_owned(), kind, fit, boxes, budget }
    }
}

/// One row of a CSV list.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    kind: PlaceKind,
    fit: Fit,
    viewport: u32,
    width: f64,
    height: f64,
    budget: Option<u64>,
}

/// All slots as JSON.
#[utoipa::path(get, path = "/slots.json", responses((status = 200, body = [ListedSlot])))]
pub(super) async fn as_json(State(app): State<App>) -> Result<Json<Vec<ListedSlot>>, Problem> {
    Ok(Json(app.store.slots().await?.into_iter().map(ListedSlot::from).collect()))
}

/// All slots as CSV, one row a box.
#[utoipa::path(get, path = "/slots.csv", responses(
    (status = 200, content_type = "text/csv", body = String),
))]
pub(super) async fn as_csv(State(app): State<App>) -> Result<Response, Problem> {
    let slots = app.store.slots().await?.into_iter().map(ListedSlot::from);
    let text = write_csv(slots)?;
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], text).into_response())
}

/// How many slots a list brought.
#[derive(Serialize, ToSchema)]
pub(super) struct Imported {
    /// Slots that were added.
    added: usize,
}

/// Adds the slots of a list, as CSV or JSON by the request's content type. All of them, or none
/// where one cannot be used.
#[utoipa::path(post, path = "/slots/import",
    request_body(content = [ListedSlot], description = "JSON, or the same as CSV"),
    responses(
        (status = 200, body = Imported),
        (status = 422, body = Problem, content_type = "application/problem+json"),
    ))]
pub(super) async fn import(
    State(app): State<App>,
    headers: HeaderMap,
    body: bytes::Bytes,
) -> Result<Json<Imported>, Problem> {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|value| value.to_str().ok());
    let slots = match kind {
        Some(kind) if kind.starts_with("text/csv") => read_csv(&body)?,
        _ => serde_json::from_slice(&body).map_err(Problem::invalid)?,
    };
    for slot in &slots {
        check(slot)?;
    }
    let new = slots.into_iter().map(NewSlot::from).collect();
    let added = app.store.add_slots(new).await?.len();
    Ok(Json(Imported { added }))
}

fn check(slot: &ListedSlot) -> Result<(), Problem> {
    if slot.name.trim().is_empty() || slot.boxes.is_empty() {
        return Err(Problem::invalid("every slot has a name and at least one box"));
    }
    for size in slot.boxes.values().filter(|size| size.is_shown()) {
        let checked = SlotShape::new(size.width, size.height, slot.fit);
        checked.map_err(|error| Problem::invalid(format!("{}: {error}", slot.name)))?;
    }
    Ok(())
}

fn write_csv(slots: impl Iterator<Item = ListedSlot>) -> Result<Vec<u8>, Problem> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    for slot in slots {
        for (&viewport, &BoxSize { width, height }) in &slot.boxes {
            let row = Row {
                name: harmless(&slot.name),
                kind: slot.kind,
                fit: slot.fit,
                viewport,
                width,
                height,
                budget: slot.budget.map(Bytes::get),
            };
            writer.serialize(row).map_err(Problem::invalid)?;
        }
    }
    writer.into_inner().map_err(Problem::invalid)
}

fn read_csv(text: &[u8]) -> Result<Vec<ListedSlot>, Problem> {
    let text = std::str::from_utf8(text)
        .map_err(|_| Problem::invalid("the list is not in UTF-8: save it as CSV in UTF-8"))?;
    let mut slots: Vec<ListedSlot> = Vec::new();
    for row in
        csv::Reader::from_reader(text.trim_start_matches('\u{FEFF}').as_bytes()).deserialize()
    {
        let row: Row = row.map_err(|error| Problem::invalid(format!("in the list: {error}")))?;
        let size = BoxSize { width: row.width, height: row.height };
        let name = as_written(&row.name);
        match slots.iter_mut().find(|slot| slot.name == name) {
            Some(slot) => {
                slot.boxes.insert(row.viewport, size);
            }
            None => slots.push(ListedSlot {
                name,
                kind: row.kind,
                fit: row.fit,
                boxes: [(row.viewport, size)].into(),
                budget: row.budget.map(Bytes),
            }),
        }
    }
    Ok(slots)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn slot(name: &str) -> ListedSlot {
        let size = |width, height| BoxSize { width, height };
        ListedSlot {
            name: name.to_owned(),
            kind: PlaceKind::Card,
            fit: Fit::Cover,
            boxes: [(390, size(358.0, 201.375)), (1280, size(365.33, 205.5))].into(),
            budget: Some(Bytes(40_000)),
        }
    }

    #[test]
    fn a_list_comes_back_as_it_went_out_and_no_name_is_a_formula() {
        let slots = vec![slot("cards"), slot("=1+1")];
        let text = write_csv(slots.clone().into_iter()).unwrap();
        assert!(String::from_utf8_lossy(&text).contains("\n'=1+1,card,cover,390"));
        assert_eq!(read_csv(&text).unwrap(), slots);
    }

    #[test]
    fn unknown_columns_and_wrong_encodings_are_told() {
        let unknown = read_csv(b"name,colour\ncards,red\n").unwrap_err();
        assert!(unknown.detail.contains("colour"), "{}", unknown.detail);
        let latin =
            read_csv(b"name,kind,fit,viewport,width,height,budget\nd\xF4me,x,cover,1,1,1,\n");
        assert!(latin.unwrap_err().detail.contains("UTF-8"));
    }
}
