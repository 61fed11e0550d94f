//! The table `variants`.

use sea_orm::entity::prelude::*;

#[derive(Debug, Clone, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "variants")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub picture_id: Uuid,
    /// The key of the spec, unique within the picture.
    pub cache_key: String,
    pub file_name: String,
    #[sea_orm(column_type = "JsonBinary")]
    pub spec: Json,
    pub format: String,
    pub quality: Option<f32>,
    pub width: i32,
    pub height: i32,
    pub bytes: i64,
    pub budget: i64,
    pub hash: String,
    pub created_at: DateTimeUtc,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {
    #[sea_orm(
        belongs_to = "super::picture::Entity",
        from = "Column::PictureId",
        to = "super::picture::Column::Id"
    )]
    Picture,
}

impl Related<super::picture::Entity> for Entity {
    fn to() -> RelationDef {
        Relation::Picture.def()
    }
}

impl ActiveModelBehavior for ActiveModel {}
