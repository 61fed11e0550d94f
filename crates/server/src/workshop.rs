//! The workshop: where pictures are decoded and encoded, off the async runtime and within bounds.

use std::sync::Arc;

use brisk_margin_core::units::Bytes;
use thiserror::Error;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Memory is handed out in pieces of this size.
const PIECE: u64 = 1 << 20;

/// Bounded room for work on pictures. Clones share the same room.
///
/// Work waits for its estimated memory first, in the order of arrival, and then for one of as
/// many seats as there are cores. A child process per seat can take the thread's place.
#[derive(Clone)]
pub struct Workshop {
    memory: Arc<Semaphore>,
    pieces: u32,
    seats: Arc<Semaphore>,
    threads: usize,
}

/// Memory that is set aside for one piece of work, given back when dropped.
pub struct Admission {
    _memory: OwnedSemaphorePermit,
}

impl Workshop {
    /// A workshop with `seats` threads at once and `memory` in all.
    pub fn new(seats: usize, memory: Bytes) -> Self {
        let pieces = (memory.get() / PIECE).clamp(1, u64::from(u32::MAX)) as u32;
        Self {
            memory: Arc::new(Semaphore::new(pieces as usize)),
            pieces,
            seats: Arc::new(Semaphore::new(seats.max(1))),
            threads: seats.max(1),
        }
    }

    /// How many threads work at once.
    pub const fn seats(&self) -> usize {
        self.threads
    }

    /// Waits until `memory` is free. Work that wants more than there is gets all of it, so that
    /// it runs alone.
    pub async fn admit(&self, memory: Bytes) -> Admission {
        let pieces = memory.get().div_ceil(PIECE).clamp(1, u64::from(self.pieces)) as u32;
        let permit = Arc::clone(&self.memory).acquire_many_owned(pieces).await;
        Admission { _memory: permit.expect("the semaphore is never closed") }
    }

    /// Runs `work` on a thread of its own. The admission is held until the work ends, even where
    /// nobody waits for it any more.
    ///
    /// # Errors
    /// [`WorkFailed`] where the work panicked: that costs this picture only.
    pub async fn run<T: Send + 'static>(
        &self,
        admission: Admission,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WorkFailed> {
        let seat = Arc::clone(&self.seats).acquire_owned().await;
        let seat = seat.expect("the semaphore is never closed");
        let task = tokio::task::spawn_blocking(move || {
            let _held = (admission, seat);
            work()
        });
        task.await.map_err(|_| WorkFailed)
    }
}

/// Work on one picture broke down.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
#[error("working on this picture failed inside the codec; nothing was kept of it")]
pub struct WorkFailed;

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;

    #[tokio::test]
    async fn a_panic_costs_one_piece_of_work_only() {
        let workshop = Workshop::new(1, Bytes::mb(8));
        let admission = workshop.admit(Bytes::mb(8)).await;
        let broken = workshop.run(admission, || panic!("codec")).await;
        assert_eq!(broken, Err(WorkFailed));
        let admission = workshop.admit(Bytes::mb(8)).await;
        assert_eq!(workshop.run(admission, || 7).await, Ok(7));
    }

    #[tokio::test]
    async fn work_waits_for_memory_and_the_largest_runs_alone() {
        let workshop = Workshop::new(4, Bytes(8 * PIECE));
        let most = workshop.admit(Bytes(600 * PIECE)).await;
        let next = tokio::time::timeout(Duration::from_millis(20), workshop.admit(Bytes(1)));
        assert!(next.await.is_err(), "admitted beside work that needs everything");
        drop(most);
        let next = tokio::time::timeout(Duration::from_secs(5), workshop.admit(Bytes(1)));
        assert!(next.await.is_ok());
    }

    #[tokio::test]
    async fn what_nobody_waits_for_still_holds_its_memory() {
        let workshop = Workshop::new(4, Bytes(2 * PIECE));
        let admission = workshop.admit(Bytes(2 * PIECE)).await;
        let (release, wait) = std::sync::mpsc::channel::<()>();
        let abandoned = workshop.run(admission, move || wait.recv().ok());
        let _ = tokio::time::timeout(Duration::from_millis(20), abandoned).await;
        let next = tokio::time::timeout(Duration::from_millis(20), workshop.admit(Bytes(1)));
        assert!(next.await.is_err());
        release.send(()).unwrap();
        let next = tokio::time::timeout(Duration::from_secs(5), workshop.admit(Bytes(1)));
        assert!(next.await.is_ok());
    }
}
