//! The edits that can be added, with their ranges and what they start as.

use axum::Json;
use brisk_margin_core::edits::text::Behind;
use brisk_margin_core::edits::{EditKind, behind_texts, edit_kinds as all_kinds};
use serde::Serialize;
use utoipa::ToSchema;

/// What can be added to a picture's edits.
#[derive(Serialize, ToSchema)]
pub(crate) struct EditKinds {
    /// In the order in which they are offered; those of a group stand together.
    kinds: Vec<EditKind>,
    /// What can lie behind a text, each as it starts.
    behind: [Behind; 3],
}

/// The edits that can be added: their names, their numbers with ranges, and what they start as.
#[utoipa::path(get, path = "/edit-kinds", responses((status = 200, body = EditKinds)))]
pub(crate) async fn edit_kinds() -> Json<EditKinds> {
    Json(EditKinds { kinds: all_kinds(), behind: behind_texts() })
}
