//! Output rules as they are kept: for the site, for slots and for pictures.

use brisk_margin_core::rule::{EffectiveRule, OutputRule};
use brisk_margin_core::run::rule::RunRule;
use brisk_margin_core::seen::Seen;
use sea_orm::FromQueryResult;
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError, saving};

/// What a rule is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleFor {
    /// The site.
    Site,
    /// A slot.
    Slot(Uuid),
    /// A picture.
    Picture(Uuid),
}

impl RuleFor {
    /// The slot and the picture, of which at most one is there.
    const fn key(self) -> (Option<Uuid>, Option<Uuid>) {
        match self {
            Self::Site => (None, None),
            Self::Slot(id) => (Some(id), None),
            Self::Picture(id) => (None, Some(id)),
        }
    }
}

#[derive(FromQueryResult)]
struct Row {
    slot_id: Option<Uuid>,
    picture_id: Option<Uuid>,
    rule: serde_json::Value,
}

/// Rules about one subject; its number, or that of nobody for the site, is told apart.
const SUBJECT: &str = "COALESCE(slot_id, picture_id, '00000000-0000-0000-0000-000000000000'::uuid)";

impl Store {
    /// What is said of `subject`; a silent rule where nothing is.
    pub async fn output_rule(&self, subject: RuleFor) -> Result<OutputRule, StoreError> {
        let (slot, picture) = subject.key();
        let sql = "SELECT slot_id, picture_id, rule FROM output_rules
             WHERE slot_id IS NOT DISTINCT FROM $1 AND picture_id IS NOT DISTINCT FROM $2";
        let row = Row::find_by_statement(self.statement(sql, [slot.into(), picture.into()]));
        let row = row.one(&self.db).await?;
        row.map(|row| read(row.rule)).transpose().map(Option::unwrap_or_default)
    }

    /// Says `rule` of `subject` in the place of what was `seen`, and returns what was said before.
    ///
    /// # Errors
    /// [`StoreError::SavedMeanwhile`] where something else is said of it by now.
    pub async fn say_output_rule(
        &self,
        subject: RuleFor,
        rule: &OutputRule,
        seen: &Seen<OutputRule>,
    ) -> Result<OutputRule, StoreError> {
        let (slot, picture) = subject.key();
        let turn = self.turn_to_save(&format!("output rule {subject:?}")).await?;
        let sql = format!(
            "WITH before AS (
                 SELECT slot_id, picture_id, rule FROM output_rules
                 WHERE slot_id IS NOT DISTINCT FROM $1 AND picture_id IS NOT DISTINCT FROM $2
             ), said AS (
                 INSERT INTO output_rules (slot_id, picture_id, rule) VALUES ($1, $2, $3)
                 ON CONFLICT ({SUBJECT}) DO UPDATE SET rule = excluded.rule
             )
             SELECT slot_id, picture_id, rule FROM before"
        );
        let values = [slot.into(), picture.into(), json(rule).into()];
        let before = Row::find_by_statement(self.statement(&sql, values)).one(&turn).await?;
        let before = before.map(|row| read(row.rule)).transpose()?.unwrap_or_default();
        saving::check(seen, Some(&before))?;
        turn.commit().await?;
        Ok(before)
    }

    /// What holds for `picture`, in `slot` where it is for one.
    pub async fn decision(
        &self,
        picture: Uuid,
        slot: Option<Uuid>,
    ) -> Result<EffectiveRule, StoreError> {
        self.decision_in_run(picture, slot, None).await
    }

    /// The same once a run with the rule `own` had it in hand.
    pub async fn decision_in_run(
        &self,
        picture: Uuid,
        slot: Option<Uuid>,
        own: Option<&RunRule>,
    ) -> Result<EffectiveRule, StoreError> {
        let sql = "SELECT slot_id, picture_id, rule FROM output_rules
             WHERE slot_id = $1 OR picture_id = $2 OR slot_id IS NULL AND picture_id IS NULL";
        let rows = Row::find_by_statement(self.statement(sql, [slot.into(), picture.into()]));
        let (mut site, mut of_slot, mut of_picture) = Default::default();
        for row in rows.all(&self.db).await? {
            let said = match (row.slot_id, row.picture_id) {
                (Some(_), _) => &mut of_slot,
                (_, Some(_)) => &mut of_picture,
                (None, None) => &mut site,
            };
            *said = read(row.rule)?;
        }
        let of_picture = match own {
            Some(own) => own.over(&of_picture),
            None => of_picture,
        };
        Ok(EffectiveRule::new(&site, &of_slot, &of_picture))
    }
}
