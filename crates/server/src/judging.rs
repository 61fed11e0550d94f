//! Judging: how pictures stand, computed when what it depends on changes, and kept.

use brisk_margin_core::standing::Known;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::{Judged, Origin, Picture};
use uuid::Uuid;

use crate::app::App;
use crate::slots::{today, use_of};

/// Judges the pictures `ids` now, so that whoever changed them sees it at once.
pub async fn judge(app: &App, ids: &[Uuid]) -> Result<(), StoreError> {
    for some in ids.chunks(500) {
        let pictures = app.store.pictures_with_removed(some).await?;
        judge_pictures(app, &pictures).await?;
    }
    Ok(())
}

/// Has every picture judged again that a page shows, in the background.
pub async fn used_changed(app: &App) -> Result<(), StoreError> {
    app.store.make_used_stale().await?;
    app.to_look_at.notify_one();
    Ok(())
}

/// Judges `pictures` and keeps the result.
pub async fn judge_pictures(app: &App, pictures: &[Picture]) -> Result<(), StoreError> {
    let ids: Vec<Uuid> = pictures.iter().map(|picture| picture.id).collect();
    let mut uses = app.store.uses_of(&ids).await?;
    let relations = app.store.relations_of(&ids).await?;
    let ceiling = app.store.site().await?.ceiling;
    let mut judged = Vec::with_capacity(pictures.len());
    for picture in pictures {
        let places = uses.remove(&picture.id).unwrap_or_default();
        let relation = relations.get(&picture.id).copied().unwrap_or_default();
        let today = places.iter().filter_map(|used| today(picture, used)).max();
        let today = today.unwrap_or(picture.bytes);
        let asked: Vec<_> =
            places.iter().filter_map(|used| use_of(picture, &used.slot, &used.place)).collect();
        let description = &picture.description;
        let known = Known {
            format: picture.facts.format,
            size: picture.shown_size(),
            has_location: picture.facts.has_location,
            look: picture.look.map(|look| (look.class, look.sample)),
            today,
            uses: &asked,
            ceiling,
            has_alt: description.decorative || !description.alt.trim().is_empty(),
            has_credit: !description.creator.trim().is_empty(),
            is_duplicate: relation.is_duplicate,
            is_replaced: relation.is_replaced,
            is_from_folder: picture.origin == Origin::Folder,
        };
        judged.push(Judged {
            id: picture.id,
            changed: picture.changed,
            uses: places.len() as u32,
            today,
            standing: known.standing(),
        });
    }
    app.store.keep_judged(&judged).await
}
