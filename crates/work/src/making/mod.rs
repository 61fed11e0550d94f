//! Making files of pictures, and what is looked at on the way.
//!
//! - [`files`]: the one way to a file. It takes the pixels from [`references`], which come of a
//!   [`rendering`], chooses by [`trials`], and keeps the file under a name of its own.
//! - [`sets`]: all files of a picture for a slot.
//! - [`previews`] and [`pyramids`]: what is looked at on the way.

pub mod error;
pub mod files;
pub mod previews;
pub mod pyramids;
pub mod references;
pub mod rendering;
pub mod sets;
pub mod trials;

use brisk_margin_core::units::Bytes;
use brisk_margin_store::Store;

use crate::work_pool::WorkPool;
use pyramids::PreviewPyramids;
use references::References;

pub use error::MakeError;

/// What making files needs: where pictures are, and where the work is done.
#[derive(Clone)]
pub struct Maker {
    /// Rows and blobs.
    pub store: Store,
    /// Where pictures are decoded and encoded.
    pub pool: WorkPool,
    pyramids: PreviewPyramids,
    references: References,
}

impl Maker {
    /// The same for pictures in another site's `store`, with the same memory.
    pub fn of_another_site(&self, store: Store) -> Self {
        Self { store, ..self.clone() }
    }

    /// The same for work that nobody waits for.
    pub fn in_background(&self) -> Self {
        Self { pool: self.pool.in_background(), ..self.clone() }
    }

    /// A maker of files from pictures in `store`. Beside the memory of `pool`, a quarter as much is
    /// taken for pixels that may be asked for again.
    pub fn new(store: Store, pool: WorkPool) -> Self {
        let references = References::new(Bytes(pool.memory().get() / 4));
        Self { store, pool, pyramids: PreviewPyramids::default(), references }
    }
}
