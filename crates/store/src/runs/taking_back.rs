//! What a run made goes again, and can be made again.

use sea_orm::{ConnectionTrait, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use super::{RulesBack, run_job};
use crate::{Store, StoreError};

/// What became of taking back.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TakenBack {
    /// The sets of files that were taken back, by their places in the run.
    pub places: Vec<i32>,
    /// Files that went.
    pub files: usize,
    /// Files that stay, since another run completed a set by them, or somebody asked for them by hand.
    pub kept: usize,
    /// Files that were gone already.
    pub gone: usize,
    /// What became of the pictures' own rules.
    pub rules: RulesBack,
}

#[derive(FromQueryResult)]
struct Item {
    place: i32,
    picture_id: Uuid,
    variants: Vec<Uuid>,
}

#[derive(FromQueryResult)]
struct Id {
    id: Uuid,
}

impl Store {
    /// Takes back what run `id` made, at `places` or all of it: files that it made go, unless they are
    /// of a set that another run completed or has in hand, or somebody asked for them by hand. Pictures that it
    /// has nothing of any more have their own rule back.
    pub async fn take_run_back(
        &self,
        id: Uuid,
        places: Option<&[i32]>,
    ) -> Result<TakenBack, StoreError> {
        let transaction = self.db.begin().await?;
        let items = self.statement(
            "UPDATE run_items i SET state = 'taken-back', is_approved = false, reason = NULL
             WHERE run_id = $1 AND ($2::integer[] IS NULL OR place = ANY ($2)) AND (
                 state = 'done' OR state = 'skipped' AND reason = 'unchanged' AND EXISTS (
                     SELECT FROM run_rules WHERE run_id = $1 AND picture_id = i.picture_id))
             RETURNING place, picture_id, variants",
            [id.into(), places.map(<[i32]>::to_vec).into()],
        );
        let items = Item::find_by_statement(items).all(&transaction).await?;
        let pictures: Vec<Uuid> = items.iter().map(|item| item.picture_id).collect();
        let own: Vec<Uuid> = items.iter().flat_map(|item| item.variants.clone()).collect();
        let there =
            self.statement("SELECT id FROM variants WHERE id = ANY ($1)", [own.clone().into()]);
        let there = Id::find_by_statement(there).all(&transaction).await?;
        // Also what was left of those taken back before, since another run counted on it until now.
        let files = self.statement(
            "DELETE FROM variants WHERE id IN (
                 SELECT unnest(variants) FROM run_items
                 WHERE state = 'taken-back' AND picture_id = ANY ($1)
             ) AND id NOT IN (
                 SELECT unnest(variants || coalesce(had, ARRAY[]::uuid[])) FROM run_items
                 WHERE state IN ('done', 'waiting') AND picture_id = ANY ($1)
             ) AND NOT is_by_hand RETURNING id",
            [pictures.clone().into()],
        );
        let files = Id::find_by_statement(files).all(&transaction).await?;
        let pictures = places.map(|_| pictures.as_slice());
        let rules = self.take_rules_back(&transaction, id, pictures).await?;
        transaction.commit().await?;
        let went = files.iter().filter(|file| own.contains(&file.id)).count();
        Ok(TakenBack {
            places: items.iter().map(|item| item.place).collect(),
            files: files.len(),
            kept: there.len() - went,
            gone: own.len() - there.len(),
            rules,
        })
    }

    /// Has items of run `id` at `places` made again that failed or were taken back; returns how many.
    pub async fn make_run_items_again(&self, id: Uuid, places: &[i32]) -> Result<u64, StoreError> {
        let transaction = self.db.begin().await?;
        let statement = self.statement(
            "UPDATE run_items SET state = 'waiting', reason = NULL, job = NULL, claim = NULL,
                    begun = 0, had = NULL, variants = '{}', seconds = 0, made_bytes = 0, ended_at = NULL
             WHERE run_id = $1 AND place = ANY ($2) AND state IN ('failed', 'taken-back')
                 AND slot_id IS NOT NULL",
            [id.into(), places.to_vec().into()],
        );
        let count = transaction.execute_raw(statement).await?.rows_affected();
        if count > 0 {
            let statement = self.statement(
                // One that somebody paused stays so.
                "UPDATE runs SET state = 'running', ended_at = NULL
                 WHERE id = $1 AND state <> 'paused'",
                [id.into()],
            );
            transaction.execute_raw(statement).await?;
            transaction.execute_raw(self.push_statement(&run_job(id, 0))).await?;
        }
        transaction.commit().await?;
        Ok(count)
    }
}
