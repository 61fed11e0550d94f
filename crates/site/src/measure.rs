//! Measuring: what is found on a page at every layout width and density.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::atomic::{AtomicUsize, Ordering};

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::{Connection, PageRequests};
use brisk_margin_core::units::{Bytes, Density};
use futures::TryStreamExt;
use futures::stream::FuturesOrdered;
use tokio::sync::Mutex;
use url::Url;

use crate::elements::ElementBox;
use crate::error::{MeasureError, PageError};
use crate::fetched::{Files, KnownFiles};
use crate::film::Film;
use crate::gate::{Authority, Gate};
use crate::measured::{MeasuredPage, Sheet};
use crate::page::{Came, Opening, Shot, Tab, Told};
use crate::page_budget::{Excess, PageBudget};
use crate::plan::Plan;
use crate::reading::Reading;
use crate::tabs::{TabInUse, Tabs};

/// Viewports between the layout widths at which only boxes are read, besides those at the page's
/// own breakpoints.
const EDGES: [u32; 2] = [320, 2_560];
/// Most viewports that are read for boxes alone, at breakpoints and again between them.
const MOST_BETWEEN: usize = 60;

/// A browser with a gate, ready to measure.
pub struct Measurer {
    pub(crate) tabs: Tabs,
    pub(crate) plan: Plan,
    known: KnownFiles,
    loads: AtomicUsize,
    /// Held by a page that is tried once more, so that no two of them end each other's browser.
    once_more: Mutex<()>,
}

impl Measurer {
    /// Starts a browser for `plan`.
    pub async fn start(plan: Plan) -> Result<Self, MeasureError> {
        let gate = Gate::open(plan.rules.clone()).await?;
        let tabs = Tabs::open(gate, &plan.reader).await?;
        Ok(Self {
            tabs,
            plan,
            known: KnownFiles::new(),
            loads: AtomicUsize::new(0),
            once_more: Mutex::default(),
        })
    }

    /// The hosts that pages asked for and that were not entered, each with one of the addresses.
    pub fn refused(&self) -> BTreeMap<Authority, String> {
        let asked = self.tabs.asked();
        let mut refused = self.tabs.gate().refused();
        refused.retain(|authority, _| asked.contains(authority));
        refused
    }

    /// Opens one page as often as measuring it does, `loads` times, one after the other, until it is
    /// loaded or `painted`: what the time of measuring is held against.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn visit(
        &self,
        address: &str,
        loads: usize,
        painted: bool,
    ) -> Result<(), MeasureError> {
        let plan = &self.plan;
        let screens = plan
            .widths
            .iter()
            .flat_map(|&width| plan.densities.iter().map(move |&density| (width, density)));
        let tab = self.tabs.free().await?;
        for (width, density) in screens.cycle().take(loads) {
            tab.resize(width, density).await?;
            let visit = tab.visit(address, plan.budget.load, painted);
            tab.within(plan.budget, address, visit).await?;
        }
        Ok(())
    }

    /// Opens one page `loads` times at the narrowest width and density of the plan, one after the other, each as if for
    /// the first time, by a browser that throttles itself to `connection`; tells how it came each time.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn timed(
        &self,
        address: &str,
        connection: Connection,
        loads: usize,
    ) -> Result<Vec<Came>, MeasureError> {
        let tab = self.tabs.free().await?;
        let screen = self.plan.widths.first().zip(self.plan.densities.first());
        let mut came = Vec::new();
        let mut load = async || {
            let timed = tab.timed(address, self.plan.budget.load);
            came.push(tab.within(self.plan.budget, address, timed).await?);
            Ok::<(), PageError>(())
        };
        let all = async {
            if let Some((&width, &density)) = screen {
                tab.resize(width, density).await?;
            }
            tab.throttle(Some(connection)).await?;
            for _ in 0..loads {
                load().await?;
            }
            Ok(())
        };
        let done: Result<(), PageError> = all.await;
        let freed = tab.throttle(None).await;
        done.and(freed).map_err(|error| self.explain(address, error))?;
        Ok(came)
    }

    /// Films how a page comes at the narrowest width and highest density of the plan, by a browser that throttles
    /// itself to `connection`.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn filmed(
        &self,
        address: &str,
        connection: Connection,
    ) -> Result<Film, MeasureError> {
        let tab = self.tabs.free().await?;
        let width = self.plan.widths.first().copied().unwrap_or(LayoutWidth::USUAL[0]);
        let density = self.plan.densities.last().copied().unwrap_or(Density::ONE);
        let PageBudget { load, .. } = self.plan.budget;
        let filmed = tab.filmed(address, (width, density), connection, load);
        let filmed = tab.within(self.plan.budget, address, filmed).await;
        filmed.map_err(|error| self.explain(address, error))
    }

    /// How often pages were opened until now.
    pub fn loads(&self) -> usize {
        self.loads.load(Ordering::Relaxed)
    }

    /// Measures one page: its widths side by side, as tabs are free, and the last one where the
    /// boxes between them are read after it. Where the browser ends over it, it is tried once more.
    ///
    /// # Errors
    /// Why it could not be measured.
    pub async fn page(&self, address: &str) -> Result<MeasuredPage, MeasureError> {
        let whole = self.plan.budget.whole;
        let measured =
            tokio::time::timeout(whole, async { self.twice(|| self.whole_page(address)).await });
        match measured.await {
            Ok(Err(error)) if error.is_end_of_browser() => {
                Err(PageError::BrokeDown { address: address.to_owned() }.into())
            }
            Ok(measured) => measured,
            Err(_) => {
                let excess = Excess::Time(whole);
                Err(PageError::TooMuch { address: address.to_owned(), excess }.into())
            }
        }
    }

    /// Does `work`, and once more where the browser ends over it.
    pub(crate) async fn twice<T, W>(&self, work: impl Fn() -> W) -> Result<T, MeasureError>
    where
        W: Future<Output = Result<T, MeasureError>>,
    {
        match work().await {
            Err(error) if error.is_end_of_browser() => {
                let _alone = self.once_more.lock().await;
                work().await
            }
            done => done,
        }
    }

    async fn whole_page(&self, address: &str) -> Result<MeasuredPage, MeasureError> {
        let Some((mut sheet, files, tab)) = self.at_widths(address).await? else {
            return Ok(Sheet::default().finish(Files::new()));
        };
        let mut ends: BTreeSet<u32> = EDGES.into();
        let inside = |b: &&u32| (EDGES[0]..=EDGES[1]).contains(*b);
        ends.extend(sheet.breakpoints.iter().filter(inside).flat_map(|&b| [b - 1, b]));
        let between = async {
            for &viewport in ends.iter().take(MOST_BETWEEN) {
                Self::boxes_at(&tab, viewport, &mut sheet).await?;
            }
            Self::refine(&tab, &mut sheet).await
        };
        tab.within(self.plan.budget, address, between).await?;
        Ok(sheet.finish(files))
    }

    /// Measures one page at the layout widths alone.
    ///
    /// # Errors
    /// Why it could not be measured.
    pub async fn page_at_widths(&self, address: &str) -> Result<MeasuredPage, MeasureError> {
        let measured = self.at_widths(address).await?;
        let (sheet, files) = measured.map(|(sheet, files, _)| (sheet, files)).unwrap_or_default();
        Ok(sheet.finish(files))
    }

    /// What a page looks like at each layout width, and how it came.
    ///
    /// # Errors
    /// Why it could not be opened.
    pub async fn shots(&self, address: &str) -> Result<Vec<Shot>, MeasureError> {
        let mut shots = Vec::new();
        let tab = self.tabs.free().await?;
        for &viewport in &self.plan.widths {
            let opening = Opening {
                known: &self.known,
                budget: self.plan.budget,
                watches_paint: true,
                largest: None,
                tells_requests: Told::Never,
            };
            let shot = async {
                tab.resize(viewport, Density::ONE).await?;
                tab.open(address, opening).await?;
                tab.shot(viewport.width).await
            };
            let shot = tab.within(self.plan.budget, address, shot).await;
            shots.push(shot.map_err(|error| self.explain(address, error))?);
        }
        Ok(shots)
    }

    /// What is on a page at the layout widths, its files, and the tab that has the widest open; nothing
    /// where there are no widths.
    async fn at_widths(
        &self,
        address: &str,
    ) -> Result<Option<(Sheet, Files, TabInUse<'_>)>, MeasureError> {
        let Some((widest, others)) = self.plan.widths.split_last() else { return Ok(None) };
        let mut under_way = FuturesOrdered::new();
        for &viewport in others {
            under_way.push_back(self.at_free_tab(address, viewport));
        }
        let others: Vec<Vec<Opened>> = under_way.try_collect().await?;
        let tab = self.tabs.free().await?;
        let last = self.at(&tab, address, *widest).await?;
        let mut files = Files::new();
        let mut sheet = Sheet::default();
        for Opened { viewport, density, reading, files: new, requests, elements } in
            others.into_iter().chain([last]).flatten()
        {
            files.extend(new);
            if let Some(requests) = requests {
                sheet.add_requests(viewport, self.as_sent(requests).await);
            }
            sheet.add_elements(viewport, density, elements);
            sheet.add(viewport, density, &reading, &files);
        }
        sheet.open_hidden();
        Ok(Some((sheet, files, tab)))
    }

    /// `requests` with what each transfers where the browser has nothing, and without those that the gate refused, of
    /// which nobody knows what they weigh.
    async fn as_sent(&self, requests: PageRequests) -> PageRequests {
        let refused = self.tabs.gate().refused();
        let is_refused = |address: &str| {
            let authority = Url::parse(address).ok().and_then(|url| Authority::of(&url));
            authority.is_some_and(|authority| refused.contains_key(&authority))
        };
        let mut sent = requests.without(|request| is_refused(&request.address));
        for request in &mut sent.0 {
            let wire = Bytes(self.known.wire(&request.address).await);
            // What came goes before an estimate; that nothing changed is told in far less.
            if 2 * wire.get() > request.bytes.get() {
                request.bytes = wire;
            }
        }
        sent
    }

    async fn at_free_tab(
        &self,
        address: &str,
        viewport: LayoutWidth,
    ) -> Result<Vec<Opened>, MeasureError> {
        let tab = self.tabs.free().await?;
        self.at(&tab, address, viewport).await
    }

    async fn boxes_at(tab: &Tab, viewport: u32, sheet: &mut Sheet) -> Result<(), PageError> {
        tab.resize(LayoutWidth::of(viewport), Density::ONE).await?;
        let boxes = tab.boxes(&sheet.known()).await?;
        sheet.add_boxes(viewport, &boxes);
        Ok(())
    }

    /// Looks at the middle of each stretch between known viewports, and again at the middles of
    /// its halves where a box does not grow evenly: so limits in the layout that no media query
    /// tells are found to a pixel or two.
    async fn refine(tab: &Tab, sheet: &mut Sheet) -> Result<(), PageError> {
        let known = sheet.viewports();
        let mut stretches: VecDeque<(u32, u32)> =
            known.iter().zip(known.iter().skip(1)).map(|(&a, &b)| (a, b)).collect();
        let mut reads = 0;
        while let Some((from, to)) = stretches.pop_front() {
            let middle = from.midpoint(to);
            if middle == from || reads >= MOST_BETWEEN {
                continue;
            }
            reads += 1;
            Self::boxes_at(tab, middle, sheet).await?;
            if !sheet.grows_evenly(from, middle, to) {
                stretches.extend([(from, middle), (middle, to)]);
            }
        }
        Ok(())
    }

    /// Opens `address` at `viewport`, once for all densities where they cannot matter.
    async fn at(
        &self,
        tab: &TabInUse<'_>,
        address: &str,
        viewport: LayoutWidth,
    ) -> Result<Vec<Opened>, MeasureError> {
        let mut opened: Vec<Opened> = Vec::new();
        for &density in &self.plan.densities {
            let same = opened.first().filter(|first| !first.reading.depends_on_density);
            if let Some(same) = same {
                let same = Opened { density, elements: Vec::new(), ..same.clone() };
                opened.push(same);
                continue;
            }
            let largest = opened.first().and_then(|first| first.reading.lcp.clone());
            let opening = Opening {
                largest: largest.as_deref(),
                tells_requests: match self.plan.tells_requests {
                    false => Told::Never,
                    true if Some(&density) == self.plan.densities.last() => Told::Always,
                    true => Told::WhereLast,
                },
                known: &self.known,
                budget: self.plan.budget,
                // The same element at every density.
                watches_paint: opened.is_empty(),
            };
            self.loads.fetch_add(1, Ordering::Relaxed);
            let open = async {
                tab.resize(viewport, density).await?;
                let found = tab.open(address, opening).await?;
                // Files of other densities may have other shapes by a part of a pixel, which can move much.
                let elements = match self.plan.tells_elements {
                    true => tab.elements().await?,
                    false => Vec::new(),
                };
                Ok((found, elements))
            };
            let opened_here = tab.within(self.plan.budget, address, open).await;
            let ((reading, files, requests), elements) =
                opened_here.map_err(|error| self.explain(address, error))?;
            self.check_stayed(address, &reading)?;
            opened.push(Opened { viewport, density, reading, files, requests, elements });
        }
        Ok(opened)
    }

    /// A script may have gone to a host that was not entered, whose answer is the gate's own refusal.
    fn check_stayed(&self, address: &str, reading: &Reading) -> Result<(), MeasureError> {
        let now = Url::parse(&reading.address).ok().and_then(|url| Authority::of(&url));
        let Some(now) = now else {
            let reason = "a script on it leaves for where nobody answers".to_owned();
            return Err(PageError::NoAnswer { address: address.to_owned(), reason }.into());
        };
        match self.tabs.gate().refused().contains_key(&now) {
            false => Ok(()),
            true => Err(MeasureError::Elsewhere { from: address.to_owned(), to: now.to_string() }),
        }
    }

    /// A redirect to a host that was not entered shows as the gate's own refusal.
    fn explain(&self, address: &str, error: PageError) -> MeasureError {
        let home = Url::parse(address).ok().and_then(|url| Authority::of(&url));
        let refused = self.refused();
        let elsewhere = refused.keys().find(|authority| Some(*authority) != home.as_ref());
        let silent = home.as_ref().is_some_and(|home| self.tabs.gate().is_unreachable(home));
        match (&error, elsewhere) {
            (PageError::Status { status: 502, .. }, _) if silent => PageError::NoAnswer {
                address: address.to_owned(),
                reason: "nobody listens at that host and port".to_owned(),
            }
            .into(),
            (PageError::Status { status: 403, .. }, Some(to)) => {
                MeasureError::Elsewhere { from: address.to_owned(), to: to.to_string() }
            }
            _ => error.into(),
        }
    }
}

/// A page as it was read at a layout width and density.
#[derive(Clone)]
struct Opened {
    viewport: LayoutWidth,
    density: Density,
    reading: Reading,
    files: Files,
    requests: Option<PageRequests>,
    elements: Vec<ElementBox>,
}
