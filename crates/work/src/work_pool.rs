//! The work pool: where pictures are decoded and encoded, off the async runtime and within bounds.

use std::sync::Arc;

use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use thiserror::Error;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Memory is handed out in pieces of this size.
const PIECE: u64 = 1 << 20;

/// Bounded room for work on pictures. Clones share the same room.
///
/// Work waits for its estimated memory first, in the order of arrival, and then for one of as
/// many workers as there are cores. What is C code in it goes to the pool's codecs. Of the work in
/// the background, one piece at a time stands in each line: whoever waits for something is never
/// behind more than that.
#[derive(Clone)]
pub struct WorkPool {
    memory: Line,
    pieces: u32,
    workers: Line,
    threads: usize,
    codecs: Codecs,
    is_background: bool,
}

/// Something that is handed out in the order of arrival.
#[derive(Clone)]
struct Line {
    handed_out: Arc<Semaphore>,
    /// Who of the background may stand in the line.
    background: Arc<Semaphore>,
}

impl Line {
    fn new(count: usize) -> Self {
        let handed_out = Arc::new(Semaphore::new(count));
        Self { handed_out, background: Arc::new(Semaphore::new(1)) }
    }

    async fn take(&self, count: u32, is_background: bool) -> OwnedSemaphorePermit {
        let turn = match is_background {
            true => Some(self.background.acquire().await),
            false => None,
        };
        let taken = Arc::clone(&self.handed_out).acquire_many_owned(count).await;
        drop(turn);
        taken.expect("the semaphore is never closed")
    }
}

/// Memory that is set aside for one piece of work, given back when dropped.
pub struct MemoryPermit {
    _memory: OwnedSemaphorePermit,
}

impl WorkPool {
    /// A pool of `workers` threads and `memory` in all, whose work runs its C code in `codecs`.
    pub fn new(workers: usize, memory: Bytes, codecs: Codecs) -> Self {
        let pieces = (memory.get() / PIECE).clamp(1, u64::from(u32::MAX)) as u32;
        Self {
            memory: Line::new(pieces as usize),
            pieces,
            workers: Line::new(workers.max(1)),
            threads: workers.max(1),
            codecs,
            is_background: false,
        }
    }

    /// The same room for work that nobody waits for.
    pub fn in_background(&self) -> Self {
        Self { is_background: true, ..self.clone() }
    }

    /// Where its C code runs.
    pub const fn codecs(&self) -> &Codecs {
        &self.codecs
    }

    /// The memory that is handed out in all.
    pub const fn memory(&self) -> Bytes {
        Bytes(self.pieces as u64 * PIECE)
    }

    /// How many threads work at once.
    pub const fn workers(&self) -> usize {
        self.threads
    }

    /// Waits until `memory` is free. Work that wants more than there is gets all of it, so that
    /// it runs alone.
    pub async fn admit(&self, memory: Bytes) -> MemoryPermit {
        let pieces = memory.get().div_ceil(PIECE).clamp(1, u64::from(self.pieces)) as u32;
        MemoryPermit { _memory: self.memory.take(pieces, self.is_background).await }
    }

    /// Runs `work` on a thread of its own. The permit is held until the work ends, even where
    /// nobody waits for it any more.
    ///
    /// # Errors
    /// [`WorkFailed`] where the work panicked: that costs this picture only.
    pub async fn run<T: Send + 'static>(
        &self,
        permit: MemoryPermit,
        work: impl FnOnce(&Codecs) -> T + Send + 'static,
    ) -> Result<T, WorkFailed> {
        let worker = self.workers.take(1, self.is_background).await;
        let codecs = self.codecs.clone();
        let task = tokio::task::spawn_blocking(move || {
            let _held = (permit, worker);
            work(&codecs)
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
        let pool = WorkPool::new(1, Bytes::mb(8), Codecs::in_process());
        let permit = pool.admit(Bytes::mb(8)).await;
        let broken = pool.run(permit, |_| panic!("codec")).await;
        assert_eq!(broken, Err(WorkFailed));
        let permit = pool.admit(Bytes::mb(8)).await;
        assert_eq!(pool.run(permit, |_| 7).await, Ok(7));
    }

    #[tokio::test]
    async fn what_somebody_waits_for_stands_behind_one_piece_of_background_work_at_most() {
        let pool = WorkPool::new(1, Bytes(8 * PIECE), Codecs::in_process());
        let (done, mut told) = tokio::sync::mpsc::unbounded_channel();
        let start = |pool: WorkPool, name: &'static str| {
            let done = done.clone();
            tokio::spawn(async move {
                let permit = pool.admit(Bytes(PIECE)).await;
                let work = |_: &Codecs| std::thread::sleep(Duration::from_millis(5));
                pool.run(permit, work).await.unwrap();
                done.send(name).unwrap();
            })
        };
        for _ in 0..6 {
            start(pool.in_background(), "background");
            tokio::task::yield_now().await;
        }
        tokio::time::sleep(Duration::from_millis(1)).await;
        start(pool, "awaited");
        let mut before = 0;
        while told.recv().await.unwrap() == "background" {
            before += 1;
        }
        assert!(before <= 2, "one in hand and one in line, not {before}");
    }

    #[tokio::test]
    async fn work_waits_for_memory_and_the_largest_runs_alone() {
        let pool = WorkPool::new(4, Bytes(8 * PIECE), Codecs::in_process());
        let most = pool.admit(Bytes(600 * PIECE)).await;
        let next = tokio::time::timeout(Duration::from_millis(20), pool.admit(Bytes(1)));
        assert!(next.await.is_err(), "admitted beside work that needs everything");
        drop(most);
        let next = tokio::time::timeout(Duration::from_secs(5), pool.admit(Bytes(1)));
        assert!(next.await.is_ok());
    }

    #[tokio::test]
    async fn what_nobody_waits_for_still_holds_its_memory() {
        let pool = WorkPool::new(4, Bytes(2 * PIECE), Codecs::in_process());
        let permit = pool.admit(Bytes(2 * PIECE)).await;
        let (release, wait) = std::sync::mpsc::channel::<()>();
        let abandoned = pool.run(permit, move |_| wait.recv().ok());
        let _ = tokio::time::timeout(Duration::from_millis(20), abandoned).await;
        let next = tokio::time::timeout(Duration::from_millis(20), pool.admit(Bytes(1)));
        assert!(next.await.is_err());
        release.send(()).unwrap();
        let next = tokio::time::timeout(Duration::from_secs(5), pool.admit(Bytes(1)));
        assert!(next.await.is_ok());
    }
}
