//! Crawling: every page that a site's map names, or that its pages link to, measured one after the other.

use std::collections::{BTreeSet, VecDeque};

use futures::StreamExt;
use futures::stream::FuturesUnordered;
use serde::{Deserialize, Serialize};
use tokio::sync::mpsc;
use url::Url;

use crate::error::MeasureError;
use crate::gate::Authority;
use crate::measure::Measurer;
use crate::measured::MeasuredPage;
use crate::page_requests::plain;

impl Measurer {
    /// Measures `start`, what the site's map names, and what those link to on the same host, from
    /// where `crawl` has come to, and sends each page as it is done. Ends early where nobody receives
    /// them any more.
    ///
    /// # Errors
    /// Why the first page could not be measured; another page's trouble is sent.
    pub async fn site(
        &self,
        start: &str,
        mut crawl: Crawl,
        pages: mpsc::Sender<PageDone>,
    ) -> Result<(), MeasureError> {
        crawl.add(plain(start), self.plan.pages);
        if self.plan.pages > 1 && crawl.done.is_empty() {
            for address in self.sitemap(start).await? {
                crawl.add(address, self.plan.pages);
            }
        }
        let mut waiting: VecDeque<String> =
            crawl.known.iter().filter(|known| !crawl.done.contains(*known)).cloned().collect();
        let mut under_way = FuturesUnordered::new();
        loop {
            // The widths of a page have their turn before those of the next.
            while under_way.len() < self.tabs.count()
                && let Some(address) = waiting.pop_front()
            {
                under_way.push(async move {
                    let outcome = self.page(&address).await;
                    (address, outcome)
                });
            }
            let Some((address, outcome)) = under_way.next().await else { break };
            if let Ok(page) = &outcome {
                for link in self.same_site(start, &page.links) {
                    if crawl.add(link.clone(), self.plan.pages) {
                        waiting.push_back(link);
                    }
                }
            }
            if crawl.done.is_empty()
                && let Err(error) = outcome
            {
                return Err(error);
            }
            crawl.done.insert(address);
            if pages.send(PageDone { crawl: crawl.clone(), outcome }).await.is_err() {
                break;
            }
        }
        Ok(())
    }

    /// The pages that the site's own map names, where it has one.
    ///
    /// # Errors
    /// Those of the machine.
    async fn sitemap(&self, start: &str) -> Result<Vec<String>, MeasureError> {
        let Ok(address) = Url::parse(start).and_then(|url| url.join("/sitemap.xml")) else {
            return Ok(Vec::new());
        };
        match self.twice(|| self.locations(address.as_str())).await {
            Ok(found) => Ok(self.same_site(start, &found)),
            Err(error) if error.is_transient() => Err(error),
            // A site without a map answers with an error, which says nothing about its pages.
            Err(_) => Ok(Vec::new()),
        }
    }

    async fn locations(&self, sitemap: &str) -> Result<Vec<String>, MeasureError> {
        let tab = self.tabs.free().await?;
        Ok(tab.within(self.plan.budget, sitemap, tab.locations(sitemap)).await?)
    }

    fn same_site(&self, start: &str, links: &[String]) -> Vec<String> {
        let home = Url::parse(start).ok().and_then(|url| Authority::of(&url));
        links
            .iter()
            .filter(|link| Url::parse(link).ok().and_then(|url| Authority::of(&url)) == home)
            .map(|link| plain(link))
            .filter(|link| !leads_to_a_file(link))
            .collect()
    }
}

fn leads_to_a_file(address: &str) -> bool {
    let path = Url::parse(address).map(|url| url.path().to_ascii_lowercase()).unwrap_or_default();
    let name = path.rsplit('/').next().unwrap_or_default();
    match name.rsplit_once('.') {
        Some((_, extension)) => !matches!(extension, "html" | "htm" | "xhtml" | "php" | "aspx"),
        None => false,
    }
}

/// How far a site was measured: enough to go on after an end in the middle.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Crawl {
    /// Pages that are known of, in the order in which they were found.
    pub known: Vec<String>,
    /// Those of them that are done.
    pub done: BTreeSet<String>,
}

impl Crawl {
    /// The same with other addresses.
    pub fn with(self, address: impl Fn(&str) -> String) -> Self {
        Self {
            known: self.known.iter().map(|known| address(known)).collect(),
            done: self.done.iter().map(|done| address(done)).collect(),
        }
    }

    /// Adds a page; false where it is known, or `most` are.
    fn add(&mut self, address: String, most: usize) -> bool {
        let is_new = self.known.len() < most && !self.known.contains(&address);
        if is_new {
            self.known.push(address);
        }
        is_new
    }
}

/// A page that is done.
pub struct PageDone {
    /// How far the site is with it.
    pub crawl: Crawl,
    /// What was found on it.
    pub outcome: Result<MeasuredPage, MeasureError>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_pages_are_followed() {
        assert!(leads_to_a_file("http://tarn.example/media/dome.jpg"));
        for page in
            ["http://tarn.example/", "http://tarn.example/visit.html", "http://tarn.example/a/b"]
        {
            assert!(!leads_to_a_file(page), "{page}");
        }
        assert_eq!(plain("http://tarn.example/visit.html#map"), "http://tarn.example/visit.html");
    }
}
