//! What an address names, or a problem that says there is none.

use brisk_margin_store::pictures::Picture;
use uuid::Uuid;

use crate::App;
use crate::problem::Problem;

/// The picture `id`.
pub(crate) async fn find(app: &App, id: Uuid) -> Result<Picture, Problem> {
    app.store.picture(id).await?.ok_or_else(|| Problem::not_found("picture"))
}
