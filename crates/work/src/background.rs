//! What happens to pictures in the background: those that were added are analysed, import actions
//! are carried out, and status that became stale is worked out again.

use std::sync::Arc;
use std::time::Duration;

use brisk_margin_store::{Store, StoreError};
use tokio::sync::Notify;
use tokio::sync::broadcast::error::RecvError;

use crate::events::Event;
use crate::making::Maker;
use crate::{analysis, import_actions, status};

/// Wakes up whoever analyses pictures and refreshes their status. Clones wake up the same one.
#[derive(Clone, Debug, Default)]
pub struct Wake(Arc<Notify>);

impl Wake {
    /// There is something to do.
    pub fn up(&self) {
        self.0.notify_one();
    }
}

/// What was left for later is tried again after this, and after twice as long each time.
const FIRST_RETRY: Duration = Duration::from_secs(5);
/// Nothing waits longer than this.
const LONGEST_RETRY: Duration = Duration::from_secs(300);

/// Analyses and refreshes for as long as the application runs. Nothing is lost when it ends: the
/// rows say what is still to be done.
pub fn spawn(maker: &Maker, wake: &Wake) {
    let (maker, wake) = (maker.clone(), wake.clone());
    tokio::spawn(async move {
        let mut retry = FIRST_RETRY;
        loop {
            let left = catch_up(&maker).await.unwrap_or_else(|error| {
                tracing::error!("work in the background failed: {error}");
                1
            });
            if left == 0 {
                retry = FIRST_RETRY;
                wake.0.notified().await;
            } else {
                let _ = tokio::time::timeout(retry, wake.0.notified()).await;
                retry = (retry * 2).min(LONGEST_RETRY);
            }
        }
    });
}

/// Has the status of pictures refreshed whenever slots, or what is placed in them, changed.
pub fn follow_layouts(maker: &Maker, wake: &Wake) {
    let (store, wake) = (maker.store.clone(), wake.clone());
    let mut events = maker.events.listen();
    tokio::spawn(async move {
        loop {
            match events.recv().await {
                Ok(Event::Layouts) | Err(RecvError::Lagged(_)) => {
                    if let Err(error) = used_changed(&store, &wake).await {
                        tracing::error!("the status of pictures is not refreshed: {error}");
                    }
                }
                Ok(_) => {}
                Err(RecvError::Closed) => return,
            }
        }
    });
}

/// Has the status of every picture refreshed that a page shows.
async fn used_changed(store: &Store, wake: &Wake) -> Result<(), StoreError> {
    store.make_used_stale().await?;
    wake.up();
    Ok(())
}

/// Analyses every picture that was not analysed yet, carries out import actions, and refreshes
/// whatever is stale. Returns how many pictures are left for later since the machine was at fault;
/// none of them stops another.
pub async fn catch_up(maker: &Maker) -> Result<usize, StoreError> {
    let (mut after, mut left) = (None, 0);
    loop {
        let (last, failed) = analysis::next(maker, after).await?;
        left += failed;
        if status::refresh_stale(&maker.store).await? {
            maker.events.tell(Event::Pictures);
        }
        match last {
            Some(last) => after = Some(last),
            None => break,
        }
    }
    left += import_actions::catch_up(maker).await?;
    while status::refresh_stale(&maker.store).await? {
        maker.events.tell(Event::Pictures);
    }
    Ok(left)
}
