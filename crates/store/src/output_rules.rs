//! Output rules as they are kept: for the site, for slots and for pictures.

use brisk_margin_core::rule::{Decision, Level, OutputRule};
use sea_orm::{ConnectionTrait, FromQueryResult};
use uuid::Uuid;

use crate::layouts::{json, read};
use crate::{Store, StoreError};

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
    const fn key(self) -> (&'static str, Uuid) {
        match self {
            Self::Site => ("site", Uuid::nil()),
            Self::Slot(id) => ("slot", id),
            Self::Picture(id) => ("picture", id),
        }
    }

    /// Its level.
    pub const fn level(self) -> Level {
        match self {
            Self::Site => Level::Site,
            Self::Slot(_) => Level::Slot,
            Self::Picture(_) => Level::Picture,
        }
    }
}

#[derive(FromQueryResult)]
struct Row {
    rule: serde_json::Value,
}

impl Store {
    /// What is said of `subject`; a silent rule where nothing is.
    pub async fn output_rule(&self, subject: RuleFor) -> Result<OutputRule, StoreError> {
        let (level, id) = subject.key();
        let sql = "SELECT rule FROM output_rules WHERE level = $1 AND subject = $2";
        let row = Row::find_by_statement(self.statement(sql, [level.into(), id.into()]));
        let row = row.one(&self.db).await?;
        row.map(|row| read(row.rule)).transpose().map(Option::unwrap_or_default)
    }

    /// Says `rule` of `subject`, and returns what was said before.
    pub async fn say_output_rule(
        &self,
        subject: RuleFor,
        rule: &OutputRule,
    ) -> Result<OutputRule, StoreError> {
        let before = self.output_rule(subject).await?;
        let (level, id) = subject.key();
        let statement = match rule.is_silent() {
            true => self.statement(
                "DELETE FROM output_rules WHERE level = $1 AND subject = $2",
                [level.into(), id.into()],
            ),
            false => self.statement(
                "INSERT INTO output_rules (level, subject, rule) VALUES ($1, $2, $3)
                 ON CONFLICT (level, subject) DO UPDATE SET rule = excluded.rule",
                [level.into(), id.into(), json(rule).into()],
            ),
        };
        self.db.execute_raw(statement).await?;
        Ok(before)
    }

    /// What holds for `picture`, in `slot` where it is for one.
    pub async fn decision(
        &self,
        picture: Uuid,
        slot: Option<Uuid>,
    ) -> Result<Decision, StoreError> {
        let site = self.output_rule(RuleFor::Site).await?;
        let of_slot = match slot {
            Some(slot) => self.output_rule(RuleFor::Slot(slot)).await?,
            None => OutputRule::default(),
        };
        let of_picture = self.output_rule(RuleFor::Picture(picture)).await?;
        Ok(Decision::new(&site, &of_slot, &of_picture))
    }
}
