//! Measured pages, and which slots the places on them belong to.

use std::collections::BTreeSet;

use brisk_margin_core::recognise::{Likeness, Signature};
use brisk_margin_core::slot::Fit;
use brisk_margin_core::state::Painting;
use brisk_margin_core::units::Density;
use chrono::Utc;
use sea_orm::sea_query::OnConflict;
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter,
    QueryOrder, TransactionTrait,
};
use uuid::Uuid;

use super::{Changes, Details, NewPage, NewPlace, Occurrence, Page, SlotRow, json, read};
use crate::entities::{occurrence, page, slot};
use crate::{Store, StoreError};

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

    /// The slot `id`.
    pub async fn slot(&self, id: Uuid) -> Result<Option<SlotRow>, StoreError> {
        slot::Entity::find_by_id(id).one(&self.db).await?.map(SlotRow::try_from).transpose()
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

    /// Where the slot `slot` occurs, and the pages that it is on.
    pub async fn places_of(&self, slot: Uuid) -> Result<(Vec<Occurrence>, Vec<Page>), StoreError> {
        let places = occurrence::Entity::find().filter(occurrence::Column::SlotId.eq(slot));
        let places = places.order_by_asc(occurrence::Column::Id).all(&self.db).await?;
        let on: BTreeSet<Uuid> = places.iter().map(|place| place.page_id).collect();
        let pages = page::Entity::find().filter(page::Column::Id.is_in(on)).all(&self.db).await?;
        let places: Result<_, StoreError> = places.into_iter().map(Occurrence::try_from).collect();
        let pages: Result<_, StoreError> = pages.into_iter().map(Page::try_from).collect();
        Ok((places?, pages?))
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
        measured: place.details.boxes.clone(),
        looked_at: place.details.rendered.clone(),
        hand_boxes: None,
        cropping: None,
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
        known.measured.clone_from(&details.boxes);
        known.looked_at.clone_from(&details.rendered);
        let row = slot::ActiveModel {
            id: Set(id),
            boxes: Set(json(&known.measured)),
            rendered: Set(json(&known.looked_at)),
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
