//! Events: what changed in the database, told to whoever listens in this process.

use std::time::Duration;

use brisk_margin_store::Installation;
use brisk_margin_store::changes::Told;
use tokio::sync::{broadcast, watch};
use uuid::Uuid;

/// How long is waited before the database is tried again.
const PAUSE: Duration = Duration::from_secs(1);
/// A listener that falls this far behind is told that it missed some.
const ROOM: usize = 1_024;

/// Hears what the database tells. Clones share one connection.
#[derive(Clone)]
pub struct Events {
    told: broadcast::Sender<Told>,
    alive: watch::Receiver<bool>,
    number: i32,
}

impl Events {
    /// Listens to what is committed at any site of `installation`, for as long as the application
    /// runs. A connection that breaks is made again, and everybody told that something was missed.
    pub fn of(installation: &Installation) -> Self {
        let (told, _) = broadcast::channel(ROOM);
        let (lives, alive) = watch::channel(false);
        let number = (Uuid::new_v4().as_u128() as u32 >> 1).max(1).cast_signed();
        let (installation, heard) = (installation.clone(), told.clone());
        tokio::spawn(async move {
            loop {
                if let Err(error) = listen(&installation, number, &heard, &lives).await {
                    tracing::warn!("changes are not heard: {error}");
                }
                if lives.is_closed() {
                    return;
                }
                tokio::time::sleep(PAUSE).await;
            }
        });
        Self { told, alive, number }
    }

    /// The number under which others see that this process lives.
    pub const fn number(&self) -> i32 {
        self.number
    }

    /// Waits until others can see that this process lives.
    pub async fn alive(&self) {
        // The sender lives as long as the task above, which ends with the runtime.
        let _ = self.alive.clone().wait_for(|alive| *alive).await;
    }

    /// Everything that is told from now on.
    pub fn listen(&self) -> broadcast::Receiver<Told> {
        self.told.subscribe()
    }
}

async fn listen(
    installation: &Installation,
    number: i32,
    heard: &broadcast::Sender<Told>,
    lives: &watch::Sender<bool>,
) -> Result<(), brisk_margin_store::StoreError> {
    let mut listener = installation.listen(number).await?;
    // What was committed before is not told. Nobody listening is fine.
    let _ = heard.send(Told::MissedSome);
    lives.send_replace(true);
    loop {
        let told = tokio::select! {
            told = listener.next() => told?,
            () = lives.closed() => return Ok(()),
        };
        let _ = heard.send(told);
    }
}
