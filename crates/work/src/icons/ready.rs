//! Masters that were read and may be asked for again.

use std::sync::Arc;
use std::time::Duration;

use brisk_margin_imaging::icon::master::Master;
use moka::future::Cache;

/// Bytes of masters that are kept ready, of all sites together, and how long after they were last asked for.
const READY: u64 = 64 << 20;
const READY_FOR: Duration = Duration::from_secs(600);

/// Masters that may be asked for again, by the hashes of their originals and their squares. Clones share them.
#[derive(Clone)]
pub(crate) struct ReadyMasters(pub(super) Cache<(String, [u32; 3]), Arc<Master>>);

impl Default for ReadyMasters {
    fn default() -> Self {
        let weight = |_: &(String, [u32; 3]), master: &Arc<Master>| {
            u32::try_from(master.memory().get()).unwrap_or(u32::MAX)
        };
        let kept = Cache::builder().max_capacity(READY).weigher(weight);
        Self(kept.time_to_idle(READY_FOR).build())
    }
}
