//! Measured pages, and which slots the places on them belong to.

use super::{PlaceFilter, row_of};
use std::collections::BTreeSet;

use brisk_margin_core::markup::picture::Loading;
use brisk_margin_core::page_name::{TitledPage, page_names};
use brisk_margin_core::recognise::{Likeness, Signature};
use brisk_margin_core::shown_by::FixedPicture;
use chrono::Utc;
use sea_orm::sea_query::OnConflict;
use sea_orm::{
    ActiveModelTrait,
    ActiveValue::{NotSet, Set},
    ColumnTrait, ConnectionTrait, DbBackend, EntityTrait, FromQueryResult, QueryFilter, QueryOrder,
    Statement, TransactionTrait,
};
use uuid::Uuid;

use super::names;
use super::{
    Changes, MeasuredPlace, Named, NewPage, NewPlace, Page, Place, Slot, SlotUses, json, read,
};
use crate::entities::{page, place, slot};
use crate::page_loads::keep_loads;
use crate::publications::shown::note_published;
use crate::{Store, StoreError};

impl Store {
    /// Keeps a measured page: places that were known keep their slot and their picture, new ones
    /// are joined to the slot they are the same as, or get one of their own.
    pub async fn keep_page(&self, new: NewPage) -> Result<Changes, StoreError> {
        let transaction = self.db.begin().await?;
        let page_id = upsert_page(&transaction, &new).await?;
        let is_heavier = keep_loads(self, &transaction, page_id, &new.requests).await?;
        let known = place::Entity::find()
            .filter(place::Column::PageId.eq(page_id))
            .all(&transaction)
            .await?;
        let mut slots: Vec<Slot> = slot::Entity::find()
            .order_by_asc(slot::Column::Id)
            .all(&transaction)
            .await?
            .into_iter()
            .map(Slot::try_from)
            .collect::<Result<_, _>>()?;
        let mut changes = Changes { is_heavier, ..Changes::default() };
        let mut touched: BTreeSet<Uuid> = known.iter().map(|row| row.slot_id).collect();
        let matched = matched(&new.places, &known)?;
        for (at, row) in known.iter().enumerate() {
            if !matched.contains(&Some(at)) {
                changes.gone += 1;
                place::Entity::delete_by_id(row.id).exec(&transaction).await?;
            }
        }
        free_selectors(&transaction, &new.places, &known, &matched).await?;
        for (place, matched) in new.places.iter().zip(&matched) {
            match matched.map(|at| &known[at]) {
                Some(row) => {
                    let before: MeasuredPlace = read(row.details.clone())?;
                    let now = match place.details.stands_as(&before) {
                        true => place.details.clone().on_the_spot_of(&before),
                        false => place.details.clone(),
                    };
                    if before != now || row.selector != place.selector {
                        let is_resized =
                            (&before.boxes, &before.rendered) != (&now.boxes, &now.rendered);
                        // What only tells more than before is no change of the page.
                        let surroundings = now.surroundings.clone();
                        let same = MeasuredPlace { surroundings, ..before };
                        changes.changed += usize::from(same != now);
                        let mut update: place::ActiveModel = row.clone().into();
                        update.details = Set(json(&now));
                        update.selector = Set(place.selector.clone());
                        update.update(&transaction).await?;
                        if is_resized {
                            follow(&transaction, &mut slots, row.slot_id, &now).await?;
                        }
                    }
                }
                None => {
                    changes.new += 1;
                    let (slot_id, uncertain) = join(&transaction, &mut slots, place).await?;
                    touched.insert(slot_id);
                    let row = place::ActiveModel {
                        id: Set(Uuid::now_v7()),
                        slot_id: Set(slot_id),
                        page_id: Set(page_id),
                        selector: Set(place.selector.clone()),
                        uncertain: Set(uncertain),
                        details: Set(json(&place.details)),
                        picture_id: Set(None),
                    };
                    place::Entity::insert(row).exec_without_returning(&transaction).await?;
                }
            }
        }
        note_published(&transaction, page_id, self).await?;
        names::name_slots(&transaction, Some(&touched)).await?;
        transaction.commit().await?;
        Ok(changes)
    }

    /// Every measured page, by address.
    pub async fn pages(&self) -> Result<Vec<Page>, StoreError> {
        let query = page::Entity::find().order_by_asc(page::Column::Address);
        query.all(&self.db).await?.into_iter().map(Page::try_from).collect()
    }

    /// The page `id`.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn page(&self, id: Uuid) -> Result<Option<Page>, StoreError> {
        page::Entity::find_by_id(id).one(&self.db).await?.map(Page::try_from).transpose()
    }

    /// The slot `id`.
    pub async fn slot(&self, id: Uuid) -> Result<Option<Slot>, StoreError> {
        slot::Entity::find_by_id(id).one(&self.db).await?.map(Slot::try_from).transpose()
    }

    /// Every slot, in the order of recognition.
    pub async fn slots(&self) -> Result<Vec<Slot>, StoreError> {
        let query = slot::Entity::find().order_by_asc(slot::Column::Id);
        query.all(&self.db).await?.into_iter().map(Slot::try_from).collect()
    }

    /// The places that `which` names.
    pub async fn places(&self, which: &PlaceFilter) -> Result<Vec<Place>, StoreError> {
        let mut query = place::Entity::find().order_by_asc(place::Column::Id);
        if let Some(page) = which.page {
            query = query.filter(place::Column::PageId.eq(page));
        }
        if let Some(slot) = which.slot {
            query = query.filter(place::Column::SlotId.eq(slot));
        }
        if let Some(uncertain) = which.uncertain {
            query = query.filter(place::Column::Uncertain.eq(uncertain));
        }
        query.all(&self.db).await?.into_iter().map(Place::try_from).collect()
    }

    /// What the places of the slot `slot` have in common, however many there are.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn slot_uses(&self, slot: Uuid) -> Result<SlotUses, StoreError> {
        let sql = "SELECT
            (SELECT coalesce(jsonb_agg(DISTINCT b.breakpoint), '[]') FROM pages p
             CROSS JOIN jsonb_array_elements(p.breakpoints) AS b (breakpoint)
             WHERE p.id IN (SELECT page_id FROM places WHERE slot_id = $1)) AS breakpoints,
            coalesce(bool_or((details ->> 'lcp')::boolean), false) AS is_largest,
            coalesce(bool_or((details ->> 'above_fold')::boolean), false) AS is_seen_first
            FROM places WHERE slot_id = $1";
        let row = UsesRow::find_by_statement(self.statement(sql, [slot.into()]));
        let row = row.one(&self.db).await?;
        let row = row.ok_or_else(|| StoreError::Corrupt("a sum of nothing".to_owned()))?;
        let loading = Loading::where_seen(row.is_largest, row.is_seen_first);
        Ok(SlotUses { breakpoints: read(row.breakpoints)?, loading })
    }

    /// Where the slot `slot` occurs, and the pages that it is on.
    pub async fn places_of(&self, slot: Uuid) -> Result<(Vec<Place>, Vec<Page>), StoreError> {
        let places = place::Entity::find().filter(place::Column::SlotId.eq(slot));
        let places = places.order_by_asc(place::Column::Id).all(&self.db).await?;
        let on: BTreeSet<Uuid> = places.iter().map(|place| place.page_id).collect();
        let pages = page::Entity::find().filter(page::Column::Id.is_in(on)).all(&self.db).await?;
        let places: Result<_, StoreError> = places.into_iter().map(Place::try_from).collect();
        let pages: Result<_, StoreError> = pages.into_iter().map(Page::try_from).collect();
        Ok((places?, pages?))
    }
}

#[derive(FromQueryResult)]
struct UsesRow {
    breakpoints: serde_json::Value,
    is_largest: bool,
    is_seen_first: bool,
}

#[derive(FromQueryResult)]
struct FixedRow {
    fixed: serde_json::Value,
}

impl Store {
    /// The pictures on page `id` that cannot be replaced; nothing where there is no such page.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn fixed_pictures(&self, id: Uuid) -> Result<Option<Vec<FixedPicture>>, StoreError> {
        let sql = "SELECT fixed FROM pages WHERE id = $1";
        let row = FixedRow::find_by_statement(self.statement(sql, [id.into()]));
        row.one(&self.db).await?.map(|row| read(row.fixed)).transpose()
    }
}

/// Which of the `known` places each of these is: the one that stands on the same spot, whatever finds it on
/// the page now, and else the one that is found by the same selector.
fn matched(places: &[NewPlace], known: &[place::Model]) -> Result<Vec<Option<usize>>, StoreError> {
    let details: Result<Vec<MeasuredPlace>, StoreError> =
        known.iter().map(|row| read(row.details.clone())).collect();
    let details = details?;
    let mut matched = vec![None; places.len()];
    let mut free = BTreeSet::from_iter(0..known.len());
    let mut match_by = |is_same: &dyn Fn(&NewPlace, usize) -> bool| {
        for (place, matched) in places.iter().zip(&mut matched).filter(|(_, m)| m.is_none()) {
            *matched = free.iter().copied().find(|&at| is_same(place, at));
            if let Some(at) = matched {
                free.remove(at);
            }
        }
    };
    let stands = |place: &NewPlace, at: usize| place.details.stands_as(&details[at]);
    let named = |place: &NewPlace, at: usize| place.selector == known[at].selector;
    match_by(&|place, at| named(place, at) && stands(place, at));
    match_by(&stands);
    match_by(&named);
    Ok(matched)
}

/// Has no place be found by a selector that another one is found by from now on.
async fn free_selectors(
    db: &impl ConnectionTrait,
    places: &[NewPlace],
    known: &[place::Model],
    matched: &[Option<usize>],
) -> Result<(), StoreError> {
    let rows = places.iter().zip(matched).filter_map(|(place, at)| Some((place, &known[(*at)?])));
    for (_, row) in rows.filter(|(place, row)| place.selector != row.selector) {
        let mut update: place::ActiveModel = row.clone().into();
        update.selector = Set(row.id.to_string());
        update.update(db).await?;
    }
    Ok(())
}

async fn upsert_page(db: &impl ConnectionTrait, new: &NewPage) -> Result<Uuid, StoreError> {
    let titled = TitledPage { title: &new.title, address: &new.address };
    let row = page::ActiveModel {
        id: Set(Uuid::now_v7()),
        address: Set(new.address.clone()),
        title: Set(new.title.clone()),
        // Until all are known, and with them what tells this one apart.
        name: Set(page_names(&[titled]).remove(0)),
        heights: Set(json(&new.heights)),
        breakpoints: Set(json(&new.breakpoints)),
        measured_at: Set(Utc::now()),
        summary: NotSet,
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
    let id = found.map(|row| row.id);
    let id = id.ok_or_else(|| StoreError::Corrupt("a page vanished".to_owned()))?;
    // Of its own, so that lists of pages do not bring them along.
    let fixed = Statement::from_sql_and_values(
        DbBackend::Postgres,
        "UPDATE pages SET fixed = $2 WHERE id = $1",
        [id.into(), json(&new.fixed).into()],
    );
    db.execute_raw(fixed).await?;
    Ok(id)
}

/// The slot that a new place belongs to, and whether that is uncertain.
async fn join(
    db: &impl ConnectionTrait,
    slots: &mut Vec<Slot>,
    place: &NewPlace,
) -> Result<(Uuid, bool), StoreError> {
    let signature = Signature {
        selector: place.loose.clone(),
        kind: place.kind,
        boxes: place.details.boxes.clone(),
    };
    let mut uncertain = false;
    for known in slots.iter() {
        match known.signature().map(|there| there.likeness(&signature)) {
            Some(Likeness::Same) => return Ok((known.id, false)),
            Some(Likeness::Doubtful) => uncertain = true,
            Some(Likeness::Different) | None => {}
        }
    }
    let details = &place.details;
    let row = Slot::recognised(
        Uuid::now_v7(),
        place.kind,
        &place.loose,
        details.painting.into(),
        details.boxes.clone(),
        details.rendered.clone(),
    );
    slot::Entity::insert(row_of(&row, Named::BySurroundings)).exec_without_returning(db).await?;
    slots.push(row);
    Ok((slots[slots.len() - 1].id, uncertain))
}

/// A slot is laid out as its places are; what was set by hand stays.
async fn follow(
    db: &impl ConnectionTrait,
    slots: &mut [Slot],
    id: Uuid,
    details: &MeasuredPlace,
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
