//! Watched folders: each site's own one, for as long as its settings say so.

use brisk_margin_store::StoreError;
use brisk_margin_store::changes::{ChangeKind, RowsChanged, Told};
use tokio::sync::broadcast::error::RecvError;

use crate::sites::Sites;

/// Watches for as long as the application runs, and follows the settings of all sites.
pub fn spawn(sites: &Sites) {
    let sites = sites.clone();
    tokio::spawn(async move {
        let mut heard = sites.events().listen();
        loop {
            if let Err(error) = follow(&sites).await {
                tracing::warn!(
                    "the folders of sites are not watched as their settings say: {error}"
                );
            }
            loop {
                match heard.recv().await {
                    Ok(Told::Changed(RowsChanged {
                        kind: ChangeKind::Site | ChangeKind::Sites,
                        ..
                    })) => break,
                    Ok(Told::MissedSome) | Err(RecvError::Lagged(_)) => break,
                    Ok(_) => {}
                    Err(RecvError::Closed) => return,
                }
            }
        }
    });
}

async fn follow(sites: &Sites) -> Result<(), StoreError> {
    for site in sites.installation().sites().await? {
        let services = sites.services(&site).await?;
        let settings = services.store.site().await?;
        let is_watched = settings.watches && site.removed_at.is_none();
        services.folder_watch.watch(settings.folder.filter(|_| is_watched).map(Into::into));
    }
    Ok(())
}
