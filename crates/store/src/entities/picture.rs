//! The table `pictures`.

use sea_orm::entity::prelude::*;

#[derive(Debug, Clone, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "pictures")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub name: String,
    pub hash: String,
    pub format: String,
    pub width: i32,
    pub height: i32,
    pub bytes: i64,
    pub has_alpha: bool,
    pub has_location: bool,
    pub profile: Option<String>,
    pub focal_x: f64,
    pub focal_y: f64,
    pub created_at: DateTimeUtc,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {
    #[sea_orm(has_many = "super::variant::Entity")]
    Variants,
}

impl Related<super::variant::Entity> for Entity {
    fn to() -> RelationDef {
        Relation::Variants.def()
    }
}

impl ActiveModelBehavior for ActiveModel {}
