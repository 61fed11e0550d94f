//! A site's folder, served on loopback and measured page by page.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use brisk_margin_archive as archive;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::host::{self, LocalHost};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::{FoundPlace, MeasuredPage};
use brisk_margin_site::page::Shot;
use brisk_margin_site::plan::Plan;
use futures::StreamExt;
use tempfile::TempDir;

use super::places::{LeftPlace, LeftReason, PlaceAt};
use super::{SiteError, is_own, path_of};
use crate::measuring::file_reader;

/// Pages that are measured side by side; each has as many tabs as are free.
const SIDE_BY_SIDE: usize = 3;

/// A site that is served twice, as it is and with changes, with a browser that measures both.
pub(crate) struct ServedSite {
    pages: Vec<String>,
    own: LocalHost,
    changed: LocalHost,
    /// What is changed.
    front: TempDir,
    measurer: Measurer,
}

impl ServedSite {
    /// Serves `folder`, and starts a browser; what it loads is read by `codecs`. `more` says more of how
    /// is measured.
    pub(crate) async fn start(
        folder: &Path,
        codecs: &Codecs,
        more: impl FnOnce(&mut Plan) -> Result<(), MeasureError>,
    ) -> Result<Self, SiteError> {
        let all = folder.to_owned();
        let pages = tokio::task::spawn_blocking(move || archive::pages(&all)).await??;
        let pages: Vec<String> = pages.into_iter().filter(|page| is_own(page)).collect();
        if pages.is_empty() {
            return Err(SiteError::NoPages);
        }
        let front = tempfile::tempdir()?;
        let own = LocalHost::start(host::layered(folder, folder)).await?;
        let changed = LocalHost::start(host::layered(front.path(), folder)).await?;
        let plan = |origin| Plan::for_page(&format!("{origin}/"), file_reader(codecs.clone()));
        let mut both = plan(&own.origin)?;
        both.rules.allowed.extend(plan(&changed.origin)?.rules.allowed);
        both.tells_elements = true;
        both.tells_requests = false;
        more(&mut both)?;
        let measurer = Measurer::start(both).await?;
        Ok(Self { pages, own, changed, front, measurer })
    }

    /// Where changes are laid out.
    pub(crate) fn front(&self) -> &Path {
        self.front.path()
    }

    /// Measures every page as it is.
    pub(crate) async fn measured(
        &self,
        told: impl Fn(usize, usize) + Sync,
    ) -> Result<MeasuredSite, SiteError> {
        let origin = self.own.origin.clone();
        let mut site = MeasuredSite { origin, pages: Vec::new(), unmeasured: Vec::new() };
        let pages: BTreeSet<String> = self.pages.iter().cloned().collect();
        let measured = self.each(&self.own, &pages, &told, Viewports::All);
        for (page, outcome) in measured.await? {
            match outcome {
                // A page that leads elsewhere is measured there.
                Ok(found) if path_of(&site.origin, &found.address).as_ref() != Some(&page) => {}
                Ok(found) => site.pages.push((page, found)),
                Err(error) => {
                    let words = error.to_string().replace(&site.origin, "");
                    site.unmeasured.push((page, words));
                }
            }
        }
        Ok(site)
    }

    /// Some pages at the layout widths alone, as they are.
    pub(crate) async fn again(
        &self,
        pages: &BTreeSet<String>,
    ) -> Result<BTreeMap<String, MeasuredPage>, SiteError> {
        self.at_widths(&self.own, pages, &|_, _| {}).await
    }

    /// Some pages at the layout widths alone, with the changes.
    pub(crate) async fn changed(
        &self,
        pages: &BTreeSet<String>,
        told: impl Fn(usize, usize) + Sync,
    ) -> Result<BTreeMap<String, MeasuredPage>, SiteError> {
        self.at_widths(&self.changed, pages, &told).await
    }

    /// What a page looks like before and after, at each layout width.
    pub(crate) async fn shots(&self, page: &str) -> Result<Vec<(Shot, Shot)>, SiteError> {
        let at = |server: &LocalHost| format!("{}/{}", server.origin, encoded(page));
        let (before, after) = (at(&self.own), at(&self.changed));
        let both = tokio::try_join!(self.measurer.shots(&before), self.measurer.shots(&after));
        let (before, after) = both?;
        Ok(before.into_iter().zip(after).collect())
    }

    /// A page that cannot be measured is not among them.
    async fn at_widths(
        &self,
        server: &LocalHost,
        pages: &BTreeSet<String>,
        told: &(dyn Fn(usize, usize) + Sync),
    ) -> Result<BTreeMap<String, MeasuredPage>, SiteError> {
        let measured = self.each(server, pages, told, Viewports::LayoutWidths);
        let measured = measured.await?.into_iter();
        Ok(measured.filter_map(|(page, outcome)| Some((page, outcome.ok()?))).collect())
    }

    /// What is measured of each page, in their order.
    async fn each(
        &self,
        server: &LocalHost,
        pages: &BTreeSet<String>,
        told: &(dyn Fn(usize, usize) + Sync),
        viewports: Viewports,
    ) -> Result<Vec<(String, Result<MeasuredPage, MeasureError>)>, SiteError> {
        let all = pages.len();
        told(0, all);
        // Owned names: the compiler sees through no stream of borrowed ones that it can be sent.
        let pages = Vec::from_iter(pages.iter().cloned());
        let under_way = futures::stream::iter(pages).map(|page| async move {
            let address = format!("{}/{}", server.origin, encoded(&page));
            let measured = match viewports {
                Viewports::All => self.measurer.page(&address).await,
                Viewports::LayoutWidths => self.measurer.page_at_widths(&address).await,
            };
            (page, measured)
        });
        let mut under_way = std::pin::pin!(under_way.buffer_unordered(SIDE_BY_SIDE));
        let mut outcomes = Vec::new();
        while let Some((page, outcome)) = under_way.next().await {
            match outcome {
                Err(error @ (MeasureError::Browser(_) | MeasureError::Gate(_))) => {
                    return Err(error.into());
                }
                outcome => outcomes.push((page, outcome)),
            }
            told(outcomes.len(), all);
        }
        outcomes.sort_by(|a, b| a.0.cmp(&b.0));
        Ok(outcomes)
    }
}

/// At which viewports a page is measured.
#[derive(Clone, Copy)]
enum Viewports {
    All,
    LayoutWidths,
}

/// The pages of a site as they were measured.
pub(crate) struct MeasuredSite {
    pub(crate) origin: String,
    /// By their paths.
    pub(crate) pages: Vec<(String, MeasuredPage)>,
    pub(crate) unmeasured: Vec<(String, String)>,
}

impl MeasuredSite {
    pub(crate) fn page(&self, at: PlaceAt) -> &(String, MeasuredPage) {
        &self.pages[at.page]
    }

    pub(crate) fn path(&self, at: PlaceAt) -> String {
        self.page(at).0.clone()
    }

    pub(crate) fn place(&self, at: PlaceAt) -> &FoundPlace {
        &self.page(at).1.places[at.place]
    }

    /// Every place of every page.
    pub(crate) fn places(&self) -> impl Iterator<Item = PlaceAt> {
        self.pages.iter().enumerate().flat_map(|(page, (_, measured))| {
            (0..measured.places.len()).map(move |place| PlaceAt { page, place })
        })
    }

    /// Viewports at which the pages of some places change.
    pub(crate) fn breakpoints(&self, places: &[PlaceAt]) -> Vec<u32> {
        let all = places.iter().flat_map(|&at| self.page(at).1.breakpoints.iter().copied());
        Vec::from_iter(all.collect::<BTreeSet<u32>>())
    }

    pub(crate) fn left(&self, at: PlaceAt, reason: LeftReason) -> LeftPlace {
        let selector = self.place(at).selector.clone();
        LeftPlace { page: self.path(at), selector, reason }
    }
}

/// A path as it stands in an address.
pub(crate) fn encoded(path: &str) -> String {
    const KEPT: percent_encoding::AsciiSet = percent_encoding::NON_ALPHANUMERIC
        .remove(b'/')
        .remove(b'-')
        .remove(b'_')
        .remove(b'.')
        .remove(b'~');
    percent_encoding::utf8_percent_encode(path, &KEPT).to_string()
}
