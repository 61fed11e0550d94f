//! Overruns: which pages went over a budget, noted when something decides that anew.

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::Connection;
use brisk_margin_core::load::margin::PageMargins;
use brisk_margin_core::units::{Bytes, Millis};
use brisk_margin_store::overruns::Overrun;
use brisk_margin_store::{Store, StoreError};
use uuid::Uuid;

use super::{View, of_site};

/// The layout width that is told of where nobody chose one, of those that pages were measured at: the narrowest
/// that phones have.
pub fn usual_width(widths: &[u32]) -> Option<u32> {
    let usual = widths.iter().find(|&&width| width >= LayoutWidth::USUAL[0].width);
    usual.or(widths.last()).copied()
}

/// Notes how all pages stand to their budgets at the usual width and connection.
///
/// # Errors
/// Those of the database.
pub async fn note(store: &Store) -> Result<(), StoreError> {
    let Some(width) = usual_width(&store.load_widths().await?) else { return Ok(()) };
    let margins = of_site(store, View { width, connection: Connection::USUAL }).await?;
    let overruns = margins.pages.iter().map(|(page, margins)| overrun(page.id, margins));
    store.note_overruns(&overruns.collect::<Vec<_>>()).await
}

fn overrun(page: Uuid, PageMargins { bytes, time, .. }: &PageMargins) -> Overrun {
    let over = |margin: f64| (margin < 0.0).then_some(-margin);
    Overrun {
        page,
        bytes: (bytes.margin < 0).then(|| Bytes(bytes.margin.unsigned_abs())),
        time: over(time.margin).and_then(|ms| Millis::new(ms).ok()),
    }
}
