//! The table `places`.

use sea_orm::entity::prelude::*;

#[derive(Debug, Clone, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "places")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub slot_id: Uuid,
    pub page_id: Uuid,
    pub selector: String,
    pub uncertain: bool,
    #[sea_orm(column_type = "JsonBinary")]
    pub details: Json,
    pub picture_id: Option<Uuid>,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
