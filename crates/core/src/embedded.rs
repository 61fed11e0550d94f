//! Embedded metadata: what a file tells of its picture.

use serde::{Deserialize, Serialize};

/// What a file tells of its picture; empty where it is silent.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EmbeddedMetadata {
    /// Its title.
    pub title: String,
    /// What it shows.
    pub caption: String,
    /// Who made it.
    pub creator: String,
    /// Under which terms it may be used.
    pub licence: String,
    /// Where it is from.
    pub source: String,
    /// When it was taken, as the camera wrote it: `2026:09:14 22:31:05`.
    pub taken: String,
    /// With which camera.
    pub camera: String,
    /// Where, as degrees north and east.
    #[cfg_attr(feature = "schema", schema(value_type = Option<Vec<f64>>))]
    pub location: Option<(f64, f64)>,
}
