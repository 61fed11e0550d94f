//! Removal for good: removed pictures whose time is over, and bytes that no row speaks of.

use std::time::Duration;

use brisk_margin_store::{Store, StoreError};
use chrono::{TimeDelta, Utc};

use crate::events::{Event, Events};

/// How often is looked for pictures whose time is over.
const EVERY: Duration = Duration::from_secs(60 * 60);

/// Bytes are left for so long after their last row.
const HOURS_LEFT: i64 = 24;

/// Forgets for as long as the application runs.
pub fn spawn(store: &Store, events: &Events) {
    let (store, events) = (store.clone(), events.clone());
    tokio::spawn(async move {
        loop {
            match once(&store).await {
                Ok(0) => {}
                Ok(_) => events.tell(Event::Pictures),
                Err(error) => tracing::error!("forgetting removed pictures failed: {error}"),
            }
            tokio::time::sleep(EVERY).await;
        }
    });
}

/// Forgets every picture that was removed longer ago than the site keeps them, and deletes bytes
/// of which no row has spoken for a day; returns how many pictures.
pub async fn once(store: &Store) -> Result<usize, StoreError> {
    let days = store.site().await?.keep_days;
    let forgotten = store.forget_removed(Utc::now() - TimeDelta::days(days.into())).await?;
    store.delete_orphans(Utc::now() - TimeDelta::hours(HOURS_LEFT)).await?;
    Ok(forgotten)
}
