//! What is done with slots by hand: typed, edited, sized, joined, split, filled.

use super::{Named, names, row_of};
use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::layout::Boxes;
use brisk_margin_core::seen::Seen;
use sea_orm::sea_query::{Expr, OnConflict};
use sea_orm::{
    ActiveModelTrait, ActiveValue::Set, ColumnTrait, EntityTrait, QueryFilter, QuerySelect,
    TransactionTrait,
};
use uuid::Uuid;

use super::{MeasuredPlace, NewSlot, Slot, SlotEdit, json, read};
use crate::entities::{place, slot};
use crate::{Store, StoreError, saving};

impl NewSlot {
    fn row(self) -> Slot {
        let Self { name, kind, fit, boxes, budget } = self;
        Slot { budget, ..Slot::by_hand(Uuid::now_v7(), name, kind, fit, boxes) }
    }
}

impl SlotEdit {
    /// Whether `slot` has all that was seen of it.
    fn holds(&self, slot: &Slot) -> bool {
        let Self { name, fit, budget, densities, cropping } = self;
        name.as_ref().is_none_or(|name| *name == slot.name)
            && fit.is_none_or(|fit| fit == slot.fit)
            && budget.is_none_or(|budget| budget == slot.budget)
            && densities.as_ref().is_none_or(|densities| *densities == slot.densities)
            && cropping.is_none_or(|cropping| cropping == slot.cropping)
    }
}

impl Store {
    /// Adds slots that were typed by hand, all of them or none.
    pub async fn add_slots(&self, new: Vec<NewSlot>) -> Result<Vec<Slot>, StoreError> {
        let rows: Vec<Slot> = new.into_iter().map(NewSlot::row).collect();
        if !rows.is_empty() {
            let active = rows.iter().map(|slot| row_of(slot, Named::ByHand));
            slot::Entity::insert_many(active).exec_without_returning(&self.db).await?;
        }
        Ok(rows)
    }

    /// Keeps `slot`, which was typed by hand. Where it is there already, how pictures fill it and its boxes
    /// are changed, and nothing else.
    pub async fn keep_slot(&self, slot: &Slot) -> Result<(), StoreError> {
        let changed = [slot::Column::Fit, slot::Column::Boxes, slot::Column::Rendered];
        let again = OnConflict::column(slot::Column::Id).update_columns(changed).to_owned();
        let insert = slot::Entity::insert(row_of(slot, Named::ByHand)).on_conflict(again);
        insert.exec_without_returning(&self.db).await?;
        Ok(())
    }

    /// Sets by hand what `edit` holds, in the place of what was `seen` of it; `None` where there is no such slot.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where some of that is otherwise by now.
    pub async fn edit_slot(
        &self,
        id: Uuid,
        edit: SlotEdit,
        seen: &SlotEdit,
    ) -> Result<Option<Slot>, StoreError> {
        let transaction = self.db.begin().await?;
        let found = slot::Entity::find_by_id(id).lock_exclusive().one(&transaction).await?;
        let Some(found) = found else { return Ok(None) };
        if !seen.holds(&Slot::try_from(found.clone())?) {
            return Err(StoreError::SavedMeanwhile);
        }
        // Nothing is around a slot that is on no page.
        let is_unnamed = edit.name.as_deref() == Some("") && found.selector.is_some();
        let mut row: slot::ActiveModel = found.into();
        if let Some(name) = edit.name.filter(|name| is_unnamed || !name.is_empty()) {
            row.named_by_hand = Set(!is_unnamed);
            if !is_unnamed {
                row.name = Set(name);
            }
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
        if let Some(cropping) = edit.cropping {
            row.cropping = Set(cropping.map(|cropping| cropping.name().to_owned()));
        }
        let mut row = row.update(&transaction).await?;
        if is_unnamed {
            names::name_slots(&transaction, Some(&BTreeSet::from([id]))).await?;
            row = slot::Entity::find_by_id(id).one(&transaction).await?.unwrap_or(row);
        }
        transaction.commit().await?;
        Ok(Some(row.try_into()?))
    }

    /// Sets boxes by hand, or takes that back where there are none, in the place of those that were
    /// `seen`; all of them or none. Returns what was set before, so that it can be brought back.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where a slot has others by now.
    pub async fn set_boxes(
        &self,
        boxes: BTreeMap<Uuid, Option<Boxes>>,
        seen: &BTreeMap<Uuid, Seen<Boxes>>,
    ) -> Result<BTreeMap<Uuid, Option<Boxes>>, StoreError> {
        let transaction = self.db.begin().await?;
        let found = slot::Entity::find()
            .filter(slot::Column::Id.is_in(boxes.keys().copied()))
            .lock_exclusive()
            .all(&transaction)
            .await?;
        let mut before = BTreeMap::new();
        for row in found {
            let (id, now) = (row.id, row.hand_boxes.clone().map(read).transpose()?);
            saving::check(seen.get(&id).unwrap_or(&Seen::Unsaid), now.as_ref())?;
            before.insert(id, now);
            let mut row: slot::ActiveModel = row.into();
            row.hand_boxes = Set(boxes[&id].as_ref().map(json));
            row.update(&transaction).await?;
        }
        transaction.commit().await?;
        Ok(before)
    }

    /// Says that an uncertain match is none; false where the place is gone.
    pub async fn keep_apart(&self, place: Uuid) -> Result<bool, StoreError> {
        let update = place::Entity::update_many()
            .col_expr(place::Column::Uncertain, Expr::value(false))
            .filter(place::Column::Id.eq(place));
        Ok(update.exec(&self.db).await?.rows_affected > 0)
    }

    /// Moves the places of slot `from` to slot `into` and takes `from` away; false where one
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
        place::Entity::update_many()
            .col_expr(place::Column::SlotId, Expr::value(into))
            .col_expr(place::Column::Uncertain, Expr::value(false))
            .filter(place::Column::SlotId.eq(from))
            .exec(&transaction)
            .await?;
        slot::Entity::delete_by_id(from).exec(&transaction).await?;
        names::name_slots(&transaction, Some(&BTreeSet::from([into]))).await?;
        transaction.commit().await?;
        Ok(true)
    }

    /// Gives a place a slot of its own, laid out as it is there; `None` where it is gone.
    pub async fn split_slot(&self, id: Uuid) -> Result<Option<Uuid>, StoreError> {
        let transaction = self.db.begin().await?;
        let Some(row) = place::Entity::find_by_id(id).one(&transaction).await? else {
            return Ok(None);
        };
        let Some(slot) = slot::Entity::find_by_id(row.slot_id).one(&transaction).await? else {
            return Ok(None);
        };
        let details: MeasuredPlace = read(row.details.clone())?;
        let own = Slot {
            id: Uuid::now_v7(),
            measured: details.boxes,
            looked_at: details.rendered,
            hand_boxes: None,
            ..Slot::try_from(slot)?
        };
        let own = Slot { name: format!("{}, on its own", own.name), ..own };
        let own_row = row_of(&own, Named::BySurroundings);
        slot::Entity::insert(own_row).exec_without_returning(&transaction).await?;
        let from = row.slot_id;
        let mut row: place::ActiveModel = row.into();
        row.slot_id = Set(own.id);
        row.uncertain = Set(false);
        row.update(&transaction).await?;
        names::name_slots(&transaction, Some(&BTreeSet::from([from, own.id]))).await?;
        transaction.commit().await?;
        Ok(Some(own.id))
    }

    /// Places a picture in places of a slot, or takes it out; tells how many there were.
    pub async fn place(
        &self,
        slot: Uuid,
        places: Option<&[Uuid]>,
        picture: Option<Uuid>,
    ) -> Result<u64, StoreError> {
        let mut query = place::Entity::update_many()
            .col_expr(place::Column::PictureId, Expr::value(picture))
            .filter(place::Column::SlotId.eq(slot));
        if let Some(ids) = places {
            query = query.filter(place::Column::Id.is_in(ids.iter().copied()));
        }
        Ok(query.exec(&self.db).await?.rows_affected)
    }
}
