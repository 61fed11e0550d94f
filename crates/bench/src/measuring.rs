//! `measuring`: pages measured, against the same browser opening them as often.

use std::time::Instant;

use brisk_margin_cli::home::{Failure, own_codecs};
use brisk_margin_site::crawl::{Crawl, PageDone};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring::file_reader;
use tokio::sync::mpsc;

use crate::library::ms;

/// Measures the pages at `addresses`, and with `site` all that the first one links to.
pub async fn run(addresses: Vec<String>, site: bool) -> Result<(), Failure> {
    if site {
        return whole_site(&addresses[0]).await;
    }
    println!(
        "page | loads | opened as often, until loaded | until painted | measured | ratio to painted"
    );
    println!("---|---|---|---|---|---");
    for address in addresses {
        let plan = Plan::for_page(&address, file_reader(own_codecs()?))?;
        let measurer = Measurer::start(plan.clone()).await?;
        let start = Instant::now();
        let page = measurer.page(&address).await?;
        let (measured, loads) = (start.elapsed(), measurer.loads());
        drop(measurer);
        let mut visited = Vec::new();
        for painted in [false, true] {
            let visitor = Measurer::start(plan.clone()).await?;
            let start = Instant::now();
            visitor.visit(&address, loads, painted).await?;
            visited.push(start.elapsed());
        }
        let ratio = measured.as_secs_f64() / visited[1].as_secs_f64();
        let (loaded, painted, measured) = (ms(visited[0]), ms(visited[1]), ms(measured));
        println!(
            "{} | {loads} | {loaded:.0} ms | {painted:.0} ms | {measured:.0} ms | {ratio:.2}",
            page.title
        );
    }
    Ok(())
}

async fn whole_site(address: &str) -> Result<(), Failure> {
    let start = Instant::now();
    let plan = Plan::for_page(address, file_reader(own_codecs()?))?;
    let measurer = Measurer::start(plan).await?;
    let (pages, mut done) = mpsc::channel::<PageDone>(2);
    let keeping = async {
        let (mut pages, mut places) = (0, 0);
        while let Some(page) = done.recv().await {
            pages += 1;
            places += page.outcome.map_or(0, |page| page.places.len());
        }
        (pages, places)
    };
    let measuring = measurer.site(address, Crawl::default(), pages);
    let (measured, (pages, places)) = tokio::join!(measuring, keeping);
    measured?;
    println!("{pages} pages with {places} places: {:.1} s", start.elapsed().as_secs_f64());
    Ok(())
}
