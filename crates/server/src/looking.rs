//! Looking: pictures that arrived are looked at in the background, and what became stale is
//! judged again. Nothing is lost when the process ends: the rows say what is still to be done.

use brisk_margin_core::look::Look;
use brisk_margin_core::picture::Picture as Original;
use brisk_margin_store::StoreError;
use brisk_margin_store::pictures::Picture;
use tokio::sync::broadcast::error::RecvError;
use tokio::task::{JoinError, JoinSet};

use crate::app::{App, Change};
use crate::judging::{self, judge_pictures};
use crate::treating;

/// Pictures that are looked at side by side; the workshop bounds their memory.
const AT_ONCE: usize = 2;
/// Pictures that are judged with one question to the database.
const BATCH: u64 = 500;

/// Looks and judges for as long as the application runs.
pub fn spawn(app: &App) {
    let app = app.clone();
    tokio::spawn(async move {
        loop {
            if let Err(error) = catch_up(&app).await {
                tracing::error!("looking at pictures failed: {error}");
                tokio::time::sleep(std::time::Duration::from_secs(5)).await;
                continue;
            }
            app.to_look_at.notified().await;
        }
    });
}

/// Has pictures judged again whenever slots, or what is placed in them, changed.
pub fn follow_layouts(app: &App) {
    let app = app.clone();
    let mut changes = app.listen();
    tokio::spawn(async move {
        loop {
            match changes.recv().await {
                Ok(Change::Layouts) | Err(RecvError::Lagged(_)) => {
                    if let Err(error) = judging::used_changed(&app).await {
                        tracing::error!("pictures are not judged again: {error}");
                    }
                }
                Ok(_) => {}
                Err(RecvError::Closed) => return,
            }
        }
    });
}

/// Looks at every picture that nobody looked at, and judges whatever is stale.
pub async fn catch_up(app: &App) -> Result<(), StoreError> {
    loop {
        let pictures = app.store.not_looked_at(16).await?;
        let more = !pictures.is_empty();
        let mut looks = JoinSet::new();
        for picture in pictures {
            if looks.len() >= AT_ONCE {
                looks.join_next().await.transpose().map_err(gone)?.transpose()?;
            }
            let app = app.clone();
            looks.spawn(async move { look_at(&app, &picture).await });
        }
        while let Some(looked) = looks.join_next().await {
            looked.map_err(gone)??;
        }
        let judged = judge_stale(app).await?;
        treating::catch_up(app).await?;
        if judged {
            app.tell(Change::Pictures);
        }
        if !more && !judged {
            return Ok(());
        }
    }
}

fn gone(error: JoinError) -> StoreError {
    StoreError::Corrupt(format!("looking at a picture broke down: {error}"))
}

async fn judge_stale(app: &App) -> Result<bool, StoreError> {
    let stale = app.store.stale_pictures(BATCH).await?;
    judge_pictures(app, &stale).await?;
    Ok(!stale.is_empty())
}

async fn look_at(app: &App, picture: &Picture) -> Result<(), StoreError> {
    let room = app.workshop.admit(picture.facts.memory(picture.bytes)).await;
    let bytes = match app.store.blobs().get(&picture.hash).await {
        Ok(bytes) => bytes,
        // Nothing will bring it back, and the others are not to wait for it.
        Err(error) if error.is_missing() => {
            return app.store.look_failed(picture.id, &error.to_string()).await;
        }
        Err(error) => return Err(error.into()),
    };
    let look = move || {
        let original = Original::open(&bytes).map_err(|error| error.to_string())?;
        Look::at(&original).map_err(|error| error.to_string())
    };
    let looked = app.workshop.run(room, look).await.map_err(|error| error.to_string());
    match looked.flatten() {
        Ok(look) => app.store.keep_look(picture.id, &look).await,
        Err(reason) => app.store.look_failed(picture.id, &reason).await,
    }
}
