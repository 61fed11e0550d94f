//! Layouts: measured pages, the slots recognised on them, and where those occur.

use std::collections::BTreeMap;

use brisk_margin_core::layout::Boxes;
use brisk_margin_core::recognise::{Likeness, Signature};
use brisk_margin_core::slot::Fit;
use brisk_margin_core::state::Painting;
use brisk_margin_core::units::{Bytes, Density};
use chrono::{DateTime, Utc};
use sea_orm::sea_query::OnConflict;
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter,
    QueryOrder, TransactionTrait,
};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::entities::{occurrence, page, slot};
use crate::{Store, StoreError};

/// A page that was measured.
#[derive(Debug, Clone, PartialEq)]
pub struct Page {
    /// Its number.
    pub id: Uuid,
    /// Its address.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height in CSS px, by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Viewport widths at which its style sheets change.
    pub breakpoints: Vec<u32>,
    /// When.
    pub measured_at: DateTime<Utc>,
}

/// A slot, used once or often.
#[derive(Debug, Clone, PartialEq)]
pub struct SlotRow {
    /// Its number.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: String,
    /// Its selector without positions; nothing for one that was typed by hand.
    pub selector: Option<String>,
    /// How a picture fills it.
    pub fit: Fit,
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Its boxes at every viewport that was looked at.
    pub rendered: Boxes,
    /// The densities it is made for.
    pub densities: Vec<Density>,
    /// Its byte budget where it was set by hand.
    pub budget: Option<Bytes>,
}

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Served {
    /// Where it is.
    pub url: String,
    /// Its pixels across and down, where it could be read.
    pub size: Option<(u32, u32)>,
    /// Its format by content.
    pub format: Option<String>,
    /// Its weight.
    pub bytes: Bytes,
    /// The hash of its copy in the blob store, where one is kept.
    pub hash: Option<String>,
}

/// All that was measured of a place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Details {
    /// Its boxes by layout width.
    pub boxes: Boxes,
    /// Its boxes at every viewport that was looked at.
    pub rendered: Boxes,
    /// Where it stands on the page, by layout width, in CSS px from the left and the top.
    pub positions: BTreeMap<u32, (f64, f64)>,
    /// The file at each layout width and density.
    pub files: BTreeMap<u32, BTreeMap<String, Served>>,
    /// How the file is put into the box.
    pub painting: Painting,
    /// Which part stays where some is cut.
    pub position: String,
    /// Its `srcset`.
    pub srcset: Option<String>,
    /// Its `sizes`.
    pub sizes: Option<String>,
    /// Its alternative text.
    pub alt: Option<String>,
    /// Whether it loads only when scrolled to.
    pub lazy: bool,
    /// Whether a part of it is seen without scrolling.
    pub above_fold: bool,
    /// Whether it is the largest contentful paint.
    pub lcp: bool,
}

/// A slot on a page.
#[derive(Debug, Clone, PartialEq)]
pub struct Occurrence {
    /// Its number.
    pub id: Uuid,
    /// Its slot.
    pub slot_id: Uuid,
    /// Its page.
    pub page_id: Uuid,
    /// Finds it on the page.
    pub selector: String,
    /// Whether it was joined to no slot although one is alike in the markup.
    pub doubtful: bool,
    /// What was measured.
    pub details: Details,
    /// The picture placed in it.
    pub picture_id: Option<Uuid>,
}

/// A page about to be kept.
pub struct NewPage {
    /// Its address.
    pub address: String,
    /// Its title.
    pub title: String,
    /// Its height by layout width.
    pub heights: BTreeMap<u32, f64>,
    /// Where its style sheets change.
    pub breakpoints: Vec<u32>,
    /// What shows pictures on it.
    pub places: Vec<NewPlace>,
}

/// A place on it.
pub struct NewPlace {
    /// Finds it alone.
    pub selector: String,
    /// The same without positions.
    pub loose: String,
    /// What it is for.
    pub kind: String,
    /// What was measured.
    pub details: Details,
}

/// What measuring again changed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Changes {
    /// Places that were not there before.
    pub new: usize,
    /// Places whose boxes or files changed.
    pub changed: usize,
    /// Places that are not there any more.
    pub gone: usize,
}

/// What may be set by hand about a slot; nothing leaves it as it is.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct SlotEdit {
    /// Its name.
    pub name: Option<String>,
    /// Its fit.
    pub fit: Option<Fit>,
    /// Its budget; an empty one goes back to the default.
    pub budget: Option<Option<Bytes>>,
    /// Its densities.
    pub densities: Option<Vec<Density>>,
}

impl Store {
    /// Keeps a measured page: places that were known keep their slot and their picture, new ones
    /// are joined to the slot they are the same as, or get one of their own.
    pub async fn keep_page(&self, new: NewPage) -> Result<Changes, StoreError> {
        let transaction = self.db.begin().await?;
        let page_id = upsert_page(&transaction, &new).await?;
        let known = occurrence::Entity::find()
            .filter(occurrence::Column::PageId.eq(page_id))
            .all(&transaction)
            .await?;
        let mut slots: Vec<SlotRow> = slot::Entity::find()
            .order_by_asc(slot::Column::Id)
            .all(&transaction)
            .await?
            .into_iter()
            .map(SlotRow::try_from)
            .collect::<Result<_, _>>()?;
        let mut changes = Changes::default();
        for place in &new.places {
            match known.iter().find(|row| row.selector == place.selector) {
                Some(row) => {
                    let before: Details = read(row.details.clone())?;
                    if before != place.details {
                        changes.changed += 1;
                        let mut update: occurrence::ActiveModel = row.clone().into();
                        update.details = Set(json(&place.details));
                        update.update(&transaction).await?;
                        follow(&transaction, &mut slots, row.slot_id, &place.details).await?;
                    }
                }
                None => {
                    changes.new += 1;
                    let (slot_id, doubtful) =
                        join(&transaction, &mut slots, place, &new.title).await?;
                    let row = occurrence::ActiveModel {
                        id: Set(Uuid::now_v7()),
                        slot_id: Set(slot_id),
                        page_id: Set(page_id),
                        selector: Set(place.selector.clone()),
                        doubtful: Set(doubtful),
                        details: Set(json(&place.details)),
                        picture_id: Set(None),
                    };
                    occurrence::Entity::insert(row).exec_without_returning(&transaction).await?;
                }
            }
        }
        for row in known {
            if !new.places.iter().any(|place| place.selector == row.selector) {
                changes.gone += 1;
                occurrence::Entity::delete_by_id(row.id).exec(&transaction).await?;
            }
        }
        transaction.commit().await?;
        Ok(changes)
    }

    /// Every measured page, by address.
    pub async fn pages(&self) -> Result<Vec<Page>, StoreError> {
        let query = page::Entity::find().order_by_asc(page::Column::Address);
        query.all(&self.db).await?.into_iter().map(Page::try_from).collect()
    }

    /// Every slot, in the order of recognition.
    pub async fn slots(&self) -> Result<Vec<SlotRow>, StoreError> {
        let query = slot::Entity::find().order_by_asc(slot::Column::Id);
        query.all(&self.db).await?.into_iter().map(SlotRow::try_from).collect()
    }

    /// Where slots occur, on one page or everywhere.
    pub async fn occurrences(&self, page: Option<Uuid>) -> Result<Vec<Occurrence>, StoreError> {
        let mut query = occurrence::Entity::find().order_by_asc(occurrence::Column::Id);
        if let Some(page) = page {
            query = query.filter(occurrence::Column::PageId.eq(page));
        }
        query.all(&self.db).await?.into_iter().map(Occurrence::try_from).collect()
    }

    /// Adds a slot that was typed by hand.
    pub async fn add_slot(
        &self,
        name: &str,
        kind: &str,
        fit: Fit,
        boxes: &Boxes,
        densities: &[Density],
    ) -> Result<SlotRow, StoreError> {
        let row = SlotRow {
            id: Uuid::now_v7(),
            name: name.to_owned(),
            kind: kind.to_owned(),
            selector: None,
            fit,
            boxes: boxes.clone(),
            rendered: boxes.clone(),
            densities: densities.to_vec(),
            budget: None,
        };
        slot::Entity::insert(row.active()).exec_without_returning(&self.db).await?;
        Ok(row)
    }

    /// Sets by hand what `edit` holds; `None` where there is no such slot.
    pub async fn edit_slot(&self, id: Uuid, edit: SlotEdit) -> Result<Option<SlotRow>, StoreError> {
        let Some(found) = slot::Entity::find_by_id(id).one(&self.db).await? else {
            return Ok(None);
        };
        let mut row: slot::ActiveModel = found.into();
        if let Some(name) = edit.name {
            row.name = Set(name);
        }
        if let Some(fit) = edit.fit {
            row.fit = Set(fit.name().to_owned());
        }
        if let Some(budget) = edit.budget {
            row.budget = Set(budget.map(|bytes| bytes.get() as i64));
        }
        if let Some(densities) = edit.densities {
            row.densities = Set(json(&densities));
        }
        Ok(Some(row.update(&self.db).await?.try_into()?))
    }

    /// Moves the occurrences of slot `from` to slot `into` and takes `from` away; false where one
    /// of them is not there.
    pub async fn join_slots(&self, from: Uuid, into: Uuid) -> Result<bool, StoreError> {
        let transaction = self.db.begin().await?;
        let both = slot::Entity::find()
            .filter(slot::Column::Id.is_in([from, into]))
            .all(&transaction)
            .await?;
        if both.len() != 2 {
            return Ok(false);
        }
        occurrence::Entity::update_many()
            .col_expr(occurrence::Column::SlotId, sea_orm::sea_query::Expr::value(into))
            .col_expr(occurrence::Column::Doubtful, sea_orm::sea_query::Expr::value(false))
            .filter(occurrence::Column::SlotId.eq(from))
            .exec(&transaction)
            .await?;
        slot::Entity::delete_by_id(from).exec(&transaction).await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// Gives an occurrence a slot of its own, laid out as it is there; `None` where it is gone.
    pub async fn split_slot(&self, id: Uuid) -> Result<Option<Uuid>, StoreError> {
        let transaction = self.db.begin().await?;
        let Some(row) = occurrence::Entity::find_by_id(id).one(&transaction).await? else {
            return Ok(None);
        };
        let Some(slot) = slot::Entity::find_by_id(row.slot_id).one(&transaction).await? else {
            return Ok(None);
        };
        let details: Details = read(row.details.clone())?;
        let own = SlotRow {
            id: Uuid::now_v7(),
            boxes: details.boxes,
            rendered: details.rendered,
            ..SlotRow::try_from(slot)?
        };
        let own = SlotRow { name: format!("{}, on its own", own.name), ..own };
        slot::Entity::insert(own.active()).exec_without_returning(&transaction).await?;
        let mut row: occurrence::ActiveModel = row.into();
        row.slot_id = Set(own.id);
        row.doubtful = Set(false);
        row.update(&transaction).await?;
        transaction.commit().await?;
        Ok(Some(own.id))
    }

    /// Places a picture in occurrences of a slot, or takes it out; tells how many there were.
    pub async fn place(
        &self,
        slot: Uuid,
        occurrences: Option<&[Uuid]>,
        picture: Option<Uuid>,
    ) -> Result<u64, StoreError> {
        let mut query = occurrence::Entity::update_many()
            .col_expr(occurrence::Column::PictureId, sea_orm::sea_query::Expr::value(picture))
            .filter(occurrence::Column::SlotId.eq(slot));
        if let Some(ids) = occurrences {
            query = query.filter(occurrence::Column::Id.is_in(ids.iter().copied()));
        }
        Ok(query.exec(&self.db).await?.rows_affected)
    }
}

async fn upsert_page(db: &impl ConnectionTrait, new: &NewPage) -> Result<Uuid, StoreError> {
    let row = page::ActiveModel {
        id: Set(Uuid::now_v7()),
        address: Set(new.address.clone()),
        title: Set(new.title.clone()),
        heights: Set(json(&new.heights)),
        breakpoints: Set(json(&new.breakpoints)),
        measured_at: Set(Utc::now()),
    };
    let again = OnConflict::column(page::Column::Address)
        .update_columns([
            page::Column::Title,
            page::Column::Heights,
            page::Column::Breakpoints,
            page::Column::MeasuredAt,
        ])
        .to_owned();
    page::Entity::insert(row).on_conflict(again).exec_without_returning(db).await?;
    let found = page::Entity::find().filter(page::Column::Address.eq(&new.address)).one(db).await?;
    found.map(|row| row.id).ok_or_else(|| StoreError::Corrupt("a page vanished".to_owned()))
}

/// The slot that a new place belongs to, and whether that is doubtful.
async fn join(
    db: &impl ConnectionTrait,
    slots: &mut Vec<SlotRow>,
    place: &NewPlace,
    title: &str,
) -> Result<(Uuid, bool), StoreError> {
    let signature = Signature {
        selector: place.loose.clone(),
        kind: place.kind.clone(),
        boxes: place.details.boxes.clone(),
    };
    let mut doubtful = false;
    for known in slots.iter() {
        match known.signature().map(|there| there.likeness(&signature)) {
            Some(Likeness::Same) => return Ok((known.id, false)),
            Some(Likeness::Doubtful) => doubtful = true,
            Some(Likeness::Different) | None => {}
        }
    }
    let row = SlotRow {
        id: Uuid::now_v7(),
        name: name(place, title, slots),
        kind: place.kind.clone(),
        selector: Some(place.loose.clone()),
        fit: match place.details.painting {
            Painting::Cover => Fit::Cover,
            Painting::Contain => Fit::Contain,
            Painting::Fill | Painting::Natural => Fit::Width,
        },
        boxes: place.details.boxes.clone(),
        rendered: place.details.rendered.clone(),
        densities: vec![Density::ONE, Density::new(2.0).expect("within range")],
        budget: None,
    };
    slot::Entity::insert(row.active()).exec_without_returning(db).await?;
    slots.push(row);
    Ok((slots[slots.len() - 1].id, doubtful))
}

/// A slot is laid out as its places are; what was set by hand stays.
async fn follow(
    db: &impl ConnectionTrait,
    slots: &mut [SlotRow],
    id: Uuid,
    details: &Details,
) -> Result<(), StoreError> {
    if let Some(known) = slots.iter_mut().find(|slot| slot.id == id) {
        known.boxes.clone_from(&details.boxes);
        known.rendered.clone_from(&details.rendered);
        let row = slot::ActiveModel {
            id: Set(id),
            boxes: Set(json(&known.boxes)),
            rendered: Set(json(&known.rendered)),
            ..Default::default()
        };
        row.update(db).await?;
    }
    Ok(())
}

/// A name to begin with: the last class that tells something, the kind, and a number where that
/// is taken.
fn name(place: &NewPlace, title: &str, slots: &[SlotRow]) -> String {
    let class = place.loose.rsplit(" > ").find_map(|part| part.split('.').nth(1));
    let page = title.split(" · ").next().unwrap_or(title);
    let stem = match class {
        Some(class) => format!("{class} {}", place.kind),
        None => format!("{page} {}", place.kind),
    };
    let taken = |name: &str| slots.iter().any(|slot| slot.name == name);
    let numbered = (2..).map(|n| format!("{stem} {n}")).find(|name| !taken(name));
    if taken(&stem) { numbered.expect("numbers do not end") } else { stem }
}

fn json(value: &impl Serialize) -> serde_json::Value {
    serde_json::to_value(value).expect("plain values")
}

fn read<T: for<'a> Deserialize<'a>>(value: serde_json::Value) -> Result<T, StoreError> {
    serde_json::from_value(value).map_err(|error| StoreError::Corrupt(error.to_string()))
}

impl SlotRow {
    fn signature(&self) -> Option<Signature> {
        let selector = self.selector.clone()?;
        Some(Signature { selector, kind: self.kind.clone(), boxes: self.boxes.clone() })
    }

    fn active(&self) -> slot::ActiveModel {
        slot::ActiveModel {
            id: Set(self.id),
            name: Set(self.name.clone()),
            kind: Set(self.kind.clone()),
            selector: Set(self.selector.clone()),
            fit: Set(self.fit.name().to_owned()),
            boxes: Set(json(&self.boxes)),
            rendered: Set(json(&self.rendered)),
            densities: Set(json(&self.densities)),
            budget: Set(self.budget.map(|bytes| bytes.get() as i64)),
            created_at: Set(Utc::now()),
        }
    }
}

impl TryFrom<slot::Model> for SlotRow {
    type Error = StoreError;

    fn try_from(row: slot::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            name: row.name,
            kind: row.kind,
            selector: row.selector,
            fit: row
                .fit
                .parse()
                .map_err(|_| StoreError::Corrupt(format!("the fit {}", row.fit)))?,
            boxes: read(row.boxes)?,
            rendered: read(row.rendered)?,
            densities: read(row.densities)?,
            budget: row.budget.map(|bytes| Bytes(bytes.unsigned_abs())),
        })
    }
}

impl TryFrom<page::Model> for Page {
    type Error = StoreError;

    fn try_from(row: page::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            address: row.address,
            title: row.title,
            heights: read(row.heights)?,
            breakpoints: read(row.breakpoints)?,
            measured_at: row.measured_at,
        })
    }
}

impl TryFrom<occurrence::Model> for Occurrence {
    type Error = StoreError;

    fn try_from(row: occurrence::Model) -> Result<Self, StoreError> {
        Ok(Self {
            id: row.id,
            slot_id: row.slot_id,
            page_id: row.page_id,
            selector: row.selector,
            doubtful: row.doubtful,
            details: read(row.details)?,
            picture_id: row.picture_id,
        })
    }
}
