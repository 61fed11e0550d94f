//! Making files of pictures, and what is looked at on the way.
//!
//! - [`files`]: the one way to a file. It takes the pixels from [`references`], which come of a
//!   [`rendering`], chooses by [`trials`], and keeps the file under a name of its own.
//! - [`sets`]: all files of a picture for a slot.
//! - [`frames`]: those of a trial that moves.
//! - [`encoder_tries`]: encoders from outside, before they are taken.
//! - [`previews`] and [`pyramids`]: what is looked at on the way.

pub mod encoder_tries;
pub mod error;
pub mod files;
pub mod frames;
pub mod previews;
pub mod pyramids;
pub mod references;
pub mod rendering;
pub mod sets;
pub mod trials;

use std::sync::{Arc, Mutex};

use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::{Store, StoreError};

use crate::icons::ready::ReadyMasters;
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
    pub(crate) ready_masters: ReadyMasters,
    /// Seconds of one core that a file took of the last sample that was made for a forecast: what is
    /// sampled again is there already, and tells no time.
    sampled_pace: Arc<Mutex<Option<f64>>>,
}

impl Maker {
    /// The same for pictures in another site's `store`, with the same memory.
    pub fn of_another_site(&self, store: Store) -> Self {
        Self { store, ..self.clone() }
    }

    /// The site's encoders from outside.
    pub(crate) async fn encoders(&self) -> Result<Vec<OutsideEncoder>, StoreError> {
        Ok(self.store.site().await?.encoders)
    }

    /// The same for work that nobody waits for.
    pub fn in_background(&self) -> Self {
        Self { pool: self.pool.in_background(), ..self.clone() }
    }

    /// A maker of files from pictures in `store`. Beside the memory of `pool`, a quarter as much is
    /// taken for pixels that may be asked for again.
    pub fn new(store: Store, pool: WorkPool) -> Self {
        let references = References::new(Bytes(pool.memory().get() / 4));
        let sampled_pace = Arc::default();
        let (pyramids, ready_masters) = Default::default();
        Self { store, pool, pyramids, references, ready_masters, sampled_pace }
    }

    /// Notes the pace of a sample where it has one, and tells the last one.
    pub(crate) fn sampled_pace(&self, pace: Option<f64>) -> Option<f64> {
        let mut last = self.sampled_pace.lock().expect("no panic holds the lock");
        *last = pace.or(*last);
        *last
    }
}
