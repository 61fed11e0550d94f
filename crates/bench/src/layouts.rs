//! `layouts`: pages and slots of a very large site, worked out and listed.

use std::time::Instant;

use brisk_margin_cli::home::{Failure, Home};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::SlotEdit;
use brisk_margin_testing::{made_up, of_schema};

use crate::library::{ask, ms, p95};

/// Places on each page.
const PLACES: u32 = 20;

/// Measures the lists of pages and slots.
pub async fn run(home: Home, pages: u32, times: usize) -> Result<(), Failure> {
    let app = home.open_first().await?;
    if app.store.pages().await?.is_empty() {
        made_up::add_pages(&of_schema(&home.kept.database, app.store.schema()), pages, PLACES)
            .await?;
    }
    let router = brisk_margin_api::site_router(app.clone());
    println!("{pages} pages with {PLACES} places each | p95");
    println!("---|---");
    let start = Instant::now();
    ask(&router, "/layouts").await?;
    println!("all of it worked out for the first time | {:.0} ms", ms(start.elapsed()));
    let mut listed = Vec::new();
    for _ in 0..times {
        let start = Instant::now();
        ask(&router, "/layouts").await?;
        listed.push(start.elapsed());
    }
    println!("list of pages and slots | {:.0} ms", ms(p95(listed)));
    let page = app.store.pages().await?[0].id;
    let (mut opened, mut changed) = (Vec::new(), Vec::new());
    for _ in 0..times {
        let start = Instant::now();
        ask(&router, &format!("/occurrences?page={page}")).await?;
        opened.push(start.elapsed());
    }
    println!("places of one page | {:.0} ms", ms(p95(opened)));
    let slot = app.store.slots().await?[0].id;
    for n in 0..times.min(5) {
        let budget = Some(Some(Bytes::kb(20 + n as u64)));
        app.store
            .edit_slot(slot, SlotEdit { budget, ..SlotEdit::default() }, &SlotEdit::default())
            .await?;
        let start = Instant::now();
        ask(&router, "/layouts").await?;
        changed.push(start.elapsed());
    }
    println!(
        "list after a change of a slot that is on half of the pages | {:.0} ms",
        ms(p95(changed))
    );
    Ok(())
}
