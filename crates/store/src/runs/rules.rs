//! What runs make of pictures' own rules, and how that goes again.

use std::collections::HashMap;

use brisk_margin_core::rule::OutputRule;
use brisk_margin_core::run::rule::{RuleTakenBack, RunRule, SaidRule};
use sea_orm::{ConnectionTrait, DatabaseTransaction, FromQueryResult, TransactionTrait};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};

/// Of pictures whose rule a run changed, those that it has nothing of any more.
const NOTHING_LEFT: &str = "NOT EXISTS (
    SELECT FROM run_items i WHERE i.run_id = r.run_id AND i.picture_id = r.picture_id
        AND (i.state IN ('done', 'waiting') OR i.state = 'skipped' AND i.reason = 'unchanged'))";

#[derive(FromQueryResult)]
struct OwnRule {
    picture_id: Uuid,
    rule: serde_json::Value,
}

#[derive(FromQueryResult)]
struct Said {
    run_id: Uuid,
    picture_id: Uuid,
    before: serde_json::Value,
    rule: serde_json::Value,
}

#[derive(FromQueryResult)]
struct Picture {
    picture_id: Uuid,
}

/// How many pictures have their own rule back, and how many keep the one that they have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct RulesBack {
    /// Those that have it back.
    pub back: usize,
    /// Those whose rule somebody changed meanwhile.
    pub kept: usize,
}

impl Store {
    /// The own rules of the pictures `ids`, where they have one.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn rules_of(&self, ids: &[Uuid]) -> Result<HashMap<Uuid, OutputRule>, StoreError> {
        let sql = "SELECT picture_id, rule FROM output_rules WHERE picture_id = ANY ($1)";
        let rows = OwnRule::find_by_statement(self.statement(sql, [ids.to_vec().into()]));
        let rows = rows.all(&self.db).await?.into_iter();
        rows.map(|row| Ok((row.picture_id, read(row.rule)?))).collect()
    }

    /// Makes `rule` part of the own rule of `picture`, once for run `id`: what is said of it by hand afterwards
    /// stays, also while the run has more of it to make.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn say_run_rule(
        &self,
        id: Uuid,
        picture: Uuid,
        rule: &RunRule,
    ) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        let before = self.own_rules(&transaction, &[picture]).await?;
        let before = before.into_values().next().unwrap_or_default();
        let noted = self.statement(
            "INSERT INTO run_rules (run_id, picture_id, before) VALUES ($1, $2, $3)
             ON CONFLICT DO NOTHING",
            [id.into(), picture.into(), json(&before).into()],
        );
        let is_first = transaction.execute_raw(noted).await?.rows_affected() > 0;
        let after = rule.over(&before);
        if is_first && after != before {
            self.put_rules(&transaction, vec![(picture, after)]).await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Has `picture` its own rule back, where run `id` changed it and has nothing of it any more.
    ///
    /// # Errors
    /// Those of the database.
    pub async fn take_run_rule_back(&self, id: Uuid, picture: Uuid) -> Result<(), StoreError> {
        let transaction = self.db.begin().await?;
        self.take_rules_back(&transaction, id, Some(&[picture])).await?;
        transaction.commit().await?;
        Ok(())
    }

    /// The same for `pictures`, or all of the run's.
    pub(super) async fn take_rules_back(
        &self,
        transaction: &DatabaseTransaction,
        id: Uuid,
        pictures: Option<&[Uuid]>,
    ) -> Result<RulesBack, StoreError> {
        let sql = format!(
            "SELECT picture_id FROM run_rules r
             WHERE run_id = $1 AND ($2::uuid[] IS NULL OR picture_id = ANY ($2)) AND {NOTHING_LEFT}"
        );
        let which = self.statement(&sql, [id.into(), pictures.map(<[Uuid]>::to_vec).into()]);
        let which = Picture::find_by_statement(which).all(transaction).await?;
        let which: Vec<Uuid> = which.into_iter().map(|row| row.picture_id).collect();
        if which.is_empty() {
            return Ok(RulesBack::default());
        }
        // Nobody says another one meanwhile.
        let now = self.own_rules(transaction, &which).await?;
        let silent = OutputRule::default();
        let mut told = RulesBack::default();
        let (mut rules, mut earlier) = (Vec::new(), Vec::new());
        for (picture, chain) in self.said_of(transaction, &which).await? {
            let Some(at) = chain.iter().position(|(run, _)| *run == id) else { continue };
            let (_, taken) = &chain[at];
            let later: Vec<SaidRule> = chain[at + 1..].iter().map(|(_, s)| s.clone()).collect();
            let back = RuleTakenBack::of(taken, &later, now.get(&picture).unwrap_or(&silent));
            let runs = chain[at + 1..].iter().map(|(run, _)| *run);
            earlier.extend(runs.zip(back.before_later).map(|(run, rule)| (run, picture, rule)));
            match back.now {
                Some(rule) => {
                    told.back += 1;
                    rules.push((picture, rule));
                }
                None => told.kept += 1,
            }
        }
        self.put_rules(transaction, rules).await?;
        self.put_before(transaction, earlier).await?;
        let forget = self.statement(
            "DELETE FROM run_rules WHERE run_id = $1 AND picture_id = ANY ($2)",
            [id.into(), which.into()],
        );
        transaction.execute_raw(forget).await?;
        Ok(told)
    }

    /// The own rules of `pictures`, which nobody else says before the end of `transaction`.
    async fn own_rules(
        &self,
        transaction: &DatabaseTransaction,
        pictures: &[Uuid],
    ) -> Result<HashMap<Uuid, OutputRule>, StoreError> {
        // A row that is not there cannot be held.
        let silent = self.statement(
            "INSERT INTO output_rules (picture_id, rule)
             SELECT id, '{}'::jsonb FROM pictures p WHERE id = ANY ($1)
                 AND NOT EXISTS (SELECT FROM output_rules WHERE picture_id = p.id)
             ON CONFLICT DO NOTHING",
            [pictures.to_vec().into()],
        );
        transaction.execute_raw(silent).await?;
        let held = self.statement(
            "SELECT picture_id, rule FROM output_rules WHERE picture_id = ANY ($1)
             ORDER BY picture_id FOR UPDATE",
            [pictures.to_vec().into()],
        );
        let rows = OwnRule::find_by_statement(held).all(transaction).await?;
        rows.into_iter().map(|row| Ok((row.picture_id, read(row.rule)?))).collect()
    }

    /// What runs said of each of `pictures`, in their order.
    async fn said_of(
        &self,
        transaction: &DatabaseTransaction,
        pictures: &[Uuid],
    ) -> Result<HashMap<Uuid, Vec<(Uuid, SaidRule)>>, StoreError> {
        let statement = self.statement(
            "SELECT s.run_id, s.picture_id, s.before, r.own_rule AS rule
             FROM run_rules s JOIN runs r ON r.id = s.run_id
             WHERE s.picture_id = ANY ($1) AND r.own_rule IS NOT NULL ORDER BY s.number",
            [pictures.to_vec().into()],
        );
        let mut said: HashMap<Uuid, Vec<(Uuid, SaidRule)>> = HashMap::new();
        for row in Said::find_by_statement(statement).all(transaction).await? {
            let rule = SaidRule { before: read(row.before)?, rule: read(row.rule)? };
            said.entry(row.picture_id).or_default().push((row.run_id, rule));
        }
        Ok(said)
    }

    async fn put_rules(
        &self,
        transaction: &DatabaseTransaction,
        rules: Vec<(Uuid, OutputRule)>,
    ) -> Result<(), StoreError> {
        let (pictures, rules): (Vec<Uuid>, Vec<_>) =
            rules.into_iter().map(|(picture, rule)| (picture, json(&rule))).unzip();
        let statement = self.statement(
            "UPDATE output_rules o SET rule = new.rule
             FROM unnest($1::uuid[], $2::jsonb[]) AS new (picture, rule)
             WHERE o.picture_id = new.picture AND o.rule <> new.rule",
            [pictures.into(), rules.into()],
        );
        transaction.execute_raw(statement).await?;
        Ok(())
    }

    async fn put_before(
        &self,
        transaction: &DatabaseTransaction,
        before: Vec<(Uuid, Uuid, OutputRule)>,
    ) -> Result<(), StoreError> {
        let (mut runs, mut pictures, mut rules) = (Vec::new(), Vec::new(), Vec::new());
        for (run, picture, rule) in before {
            runs.push(run);
            pictures.push(picture);
            rules.push(json(&rule));
        }
        let statement = self.statement(
            "UPDATE run_rules r SET before = new.before
             FROM unnest($1::uuid[], $2::uuid[], $3::jsonb[]) AS new (run, picture, before)
             WHERE r.run_id = new.run AND r.picture_id = new.picture",
            [runs.into(), pictures.into(), rules.into()],
        );
        transaction.execute_raw(statement).await?;
        Ok(())
    }
}
