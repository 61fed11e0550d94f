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
    pub frames: i32,
    pub has_location: bool,
    pub profile: Option<String>,
    pub focal_x: f64,
    pub focal_y: f64,
    pub created_at: DateTimeUtc,
    pub folder: String,
    pub origin: String,
    pub title: String,
    pub alt: String,
    pub decorative: bool,
    pub caption: String,
    pub creator: String,
    pub licence: String,
    pub source: String,
    #[sea_orm(column_type = "JsonBinary")]
    pub embedded: Json,
    pub class: Option<String>,
    pub colours: Option<i32>,
    pub is_transparent: Option<bool>,
    pub perceptual_hash: Option<i64>,
    #[sea_orm(column_type = "JsonBinary")]
    pub sample: Option<Json>,
    pub analysis_failed: Option<String>,
    #[sea_orm(column_type = "JsonBinary")]
    pub import_action: Option<Json>,
    pub revision: i32,
    pub status_revision: i32,
    pub uses: i32,
    pub today: i64,
    pub possible_low: Option<i64>,
    pub possible: Option<i64>,
    pub possible_high: Option<i64>,
    pub short: Option<f64>,
    pub issues: Vec<String>,
    pub severity: i16,
    pub removed_at: Option<DateTimeUtc>,
    #[sea_orm(column_type = "JsonBinary")]
    pub adjustments: Option<Json>,
    pub step: Option<Uuid>,
    pub draft: Option<Uuid>,
    pub made_from: Option<Uuid>,
    pub is_copy: bool,
    pub is_public: bool,
}

#[derive(Debug, Clone, Copy, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
