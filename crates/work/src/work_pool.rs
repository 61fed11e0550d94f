//! The work pool: where pictures are decoded and encoded, off the async runtime and within bounds.

use std::sync::Arc;

use brisk_margin_archive::ArchiveReader;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use thiserror::Error;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Memory is handed out in pieces of this size.
const PIECE: u64 = 1 << 20;

/// Bounded room for work on pictures. Clones share the same room.
///
/// Work waits for its estimated memory first, in the order of arrival, and then for one of as
/// many workers as there are cores. What meets untrusted bytes goes to the pool's readers. Of the work
/// in the background, one piece at a time stands in each line, and one worker more than there are
/// cores is left to whoever waits for something: they are never behind what takes long.
#[derive(Clone)]
pub struct WorkPool {
    memory: Line,
    pieces: u32,
    workers: Line,
    threads: usize,
    readers: Readers,
    is_background: bool,
}

/// Where bytes from outside are read.
#[derive(Clone)]
pub struct Readers {
    /// Pictures.
    pub codecs: Codecs,
    /// Archives.
    pub archives: ArchiveReader,
}

impl Readers {
    /// In this process: for tests.
    pub const fn in_process() -> Self {
        Self { codecs: Codecs::in_process(), archives: ArchiveReader::in_process() }
    }
}

/// Something that is handed out in the order of arrival.
#[derive(Clone)]
struct Line {
    handed_out: Arc<Semaphore>,
    /// Who of the background may stand in the line.
    background: Arc<Semaphore>,
    /// What the background may have of it.
    for_background: Arc<Semaphore>,
}

/// What was handed out of a line.
struct Handed {
    _all: OwnedSemaphorePermit,
    _of_background: Option<OwnedSemaphorePermit>,
}

impl Line {
    /// A line that hands out `count`, of which the background may have `for_background` at once.
    fn new(count: usize, for_background: usize) -> Self {
        let of = |count| Arc::new(Semaphore::new(count));
        Self { handed_out: of(count), background: of(1), for_background: of(for_background) }
    }

    async fn take(&self, count: u32, is_background: bool) -> Handed {
        let some = |of: &Arc<Semaphore>| Arc::clone(of).acquire_many_owned(count);
        let mut turn = None;
        let mut of_background = None;
        if is_background {
            turn = Some(self.background.acquire().await);
            of_background = Some(some(&self.for_background).await);
        }
        let all = some(&self.handed_out).await.expect("the semaphore is never closed");
        drop(turn);
        let of_background = of_background.transpose().expect("the semaphore is never closed");
        Handed { _all: all, _of_background: of_background }
    }
}

/// Memory that is set aside for one piece of work, given back when dropped.
pub struct MemoryPermit {
    _memory: Handed,
}

impl WorkPool {
    /// A pool of `workers` threads and `memory` in all, whose work reads files in `readers`.
    pub fn new(workers: usize, memory: Bytes, readers: Readers) -> Self {
        let pieces = (memory.get() / PIECE).clamp(1, u64::from(u32::MAX)) as u32;
        Self {
            memory: Line::new(pieces as usize, pieces as usize),
            pieces,
            workers: Line::new(workers.max(1) + 1, workers.max(1)),
            threads: workers.max(1),
            readers,
            is_background: false,
        }
    }

    /// The same room for work that nobody waits for.
    pub fn in_background(&self) -> Self {
        Self { is_background: true, ..self.clone() }
    }

    /// Where pictures are read.
    pub const fn codecs(&self) -> &Codecs {
        &self.readers.codecs
    }

    /// Runs `work`, which reads an archive, once there is memory for the process that does. It takes no worker:
    /// an archive that is slow on purpose would keep one from pictures.
    ///
    /// # Errors
    /// [`WorkFailed`] where the work panicked.
    pub async fn read_archive<T: Send + 'static>(
        &self,
        work: impl FnOnce(&ArchiveReader) -> T + Send + 'static,
    ) -> Result<T, WorkFailed> {
        let reader = self.readers.archives.clone();
        let room = self.admit(reader.memory()).await;
        let task = tokio::task::spawn_blocking(move || {
            let _held = room;
            work(&reader)
        });
        task.await.map_err(|_| WorkFailed)
    }

    /// The memory that is handed out in all.
    pub const fn memory(&self) -> Bytes {
        Bytes(self.pieces as u64 * PIECE)
    }

    /// The memory that is handed out now.
    pub fn admitted(&self) -> Bytes {
        let free = self.memory.handed_out.available_permits() as u64;
        Bytes(u64::from(self.pieces).saturating_sub(free) * PIECE)
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
        let codecs = self.readers.codecs.clone();
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
    use brisk_margin_archive::RemoteReader;
    use std::time::Duration;

    #[tokio::test]
    async fn a_panic_costs_one_piece_of_work_only() {
        let pool = WorkPool::new(1, Bytes::mb(8), Readers::in_process());
        let permit = pool.admit(Bytes::mb(8)).await;
        let broken = pool.run(permit, |_| panic!("codec")).await;
        assert_eq!(broken, Err(WorkFailed));
        let permit = pool.admit(Bytes::mb(8)).await;
        assert_eq!(pool.run(permit, |_| 7).await, Ok(7));
    }

    /// Reads nothing, and may hold 6 MB at that.
    struct Idle;

    impl RemoteReader for Idle {
        fn pieces(&self, _: std::fs::File) -> std::io::Result<Box<dyn std::io::Read + Send>> {
            Ok(Box::new(std::io::empty()))
        }

        fn memory(&self) -> Bytes {
            Bytes(6 * PIECE)
        }
    }

    #[tokio::test]
    async fn what_reads_an_archive_counts_as_memory_in_use_until_it_ends() {
        let archives = ArchiveReader::remote(Arc::new(Idle));
        let readers = Readers { archives, ..Readers::in_process() };
        let pool = WorkPool::new(1, Bytes(8 * PIECE), readers);
        let (seen, inner) = (pool.clone(), pool.clone());
        let admitted =
            tokio::spawn(
                async move { inner.read_archive(move |_| seen.admitted()).await.unwrap() },
            );
        assert_eq!(admitted.await.unwrap(), Bytes(6 * PIECE));
        assert_eq!(pool.admitted(), Bytes(0));
    }

    #[tokio::test]
    async fn what_somebody_waits_for_stands_behind_one_piece_of_background_work_at_most() {
        let pool = WorkPool::new(1, Bytes(8 * PIECE), Readers::in_process());
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
    async fn what_takes_long_in_the_background_holds_nobody_up() {
        let pool = WorkPool::new(1, Bytes(8 * PIECE), Readers::in_process());
        let background = pool.in_background();
        let permit = background.admit(Bytes(PIECE)).await;
        let (release, wait) = std::sync::mpsc::channel::<()>();
        let long = tokio::spawn(async move { background.run(permit, move |_| wait.recv()).await });
        tokio::task::yield_now().await;
        let permit = pool.admit(Bytes(PIECE)).await;
        let awaited = tokio::time::timeout(Duration::from_secs(5), pool.run(permit, |_| 7)).await;
        assert_eq!(awaited, Ok(Ok(7)));
        release.send(()).unwrap();
        assert_eq!(long.await.unwrap(), Ok(Ok(())));
    }

    #[tokio::test]
    async fn work_waits_for_memory_and_the_largest_runs_alone() {
        let pool = WorkPool::new(4, Bytes(8 * PIECE), Readers::in_process());
        let most = pool.admit(Bytes(600 * PIECE)).await;
        let next = tokio::time::timeout(Duration::from_millis(20), pool.admit(Bytes(1)));
        assert!(next.await.is_err(), "admitted beside work that needs everything");
        drop(most);
        let next = tokio::time::timeout(Duration::from_secs(5), pool.admit(Bytes(1)));
        assert!(next.await.is_ok());
    }

    #[tokio::test]
    async fn what_nobody_waits_for_still_holds_its_memory() {
        let pool = WorkPool::new(4, Bytes(2 * PIECE), Readers::in_process());
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
