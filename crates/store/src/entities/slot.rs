//! The table `slots`.

use sea_orm::entity::prelude::*;

#[derive(Debug, Clone, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "slots")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub name: String,
    pub named_by_hand: bool,
    pub kind: String,
    pub selector: Option<String>,
    pub fit: String,
    #[sea_orm(column_type = "JsonBinary")]
    pub boxes: Json,
    #[sea_orm(column_type = "JsonBinary")]
    pub rendered: Json,
    #[sea_orm(column_type = "JsonBinary")]
    pub densities: Json,
    pub budget: Option<i64>,
    #[sea_orm(column_type = "JsonBinary", nullable)]
    pub hand_boxes: Option<Json>,
    pub cropping: Option<String>,
    pub created_at: DateTimeUtc,
    #[sea_orm(column_type = "JsonBinary", nullable)]
    pub summary: Option<Json>,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
