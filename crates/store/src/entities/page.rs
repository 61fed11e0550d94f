//! The table `pages`.

use sea_orm::entity::prelude::*;

#[derive(Debug, Clone, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "pages")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub address: String,
    pub title: String,
    pub name: String,
    #[sea_orm(column_type = "JsonBinary")]
    pub heights: Json,
    #[sea_orm(column_type = "JsonBinary")]
    pub breakpoints: Json,
    pub measured_at: DateTimeUtc,
    #[sea_orm(column_type = "JsonBinary", nullable)]
    pub summary: Option<Json>,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
