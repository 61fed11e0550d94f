//! Measuring pages: everything that is there, as the browser lays it out, and nothing else.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use axum::Router;
use axum::body::Body;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect};
use axum::routing::get;
use brisk_margin_core::place::MeasuredPlace;
use brisk_margin_core::units::Density;
use brisk_margin_demo::site;
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::processes::kill_browsers_of;
use brisk_margin_e2e::web_host::{serve, tarnlight};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::crawl::{Crawl, PageDone};
use brisk_margin_site::error::{MeasureError, PageError};
use brisk_margin_site::file_reader::FileReader;
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::plan::Plan;
use brisk_margin_testing::pictures::gradient_jpeg;
use brisk_margin_work::measuring;
use serde_json::json;

/// One browser after the other: several at once on two cores would only wait for each other.
pub static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

fn reader() -> FileReader {
    measuring::file_reader(Codecs::in_process())
}

async fn measure(address: &str) -> Result<MeasuredPage, MeasureError> {
    Measurer::start(Plan::for_page(address, reader())?).await?.page(address).await
}

/// Measuring an unchanged page again changes nothing; says which places differ, not everything.
fn assert_same_places(again: &MeasuredPage, before: &MeasuredPage) {
    let changed = again.places.iter().zip(&before.places).filter(|(now, then)| now != then);
    let told = |of: &MeasuredPlace| {
        let mut of = of.clone();
        of.boxes.clear();
        format!("{of:?}")
    };
    let changed: Vec<_> = changed
        .map(|(now, then)| format!("{}\n{}", told(&now.details), told(&then.details)))
        .collect();
    assert!(changed.is_empty(), "{}", changed.join("\n"));
    assert_eq!(again.places.len(), before.places.len());
}

#[tokio::test(flavor = "multi_thread")]
async fn the_whole_site_is_found_as_it_was_written_and_as_it_is_laid_out() {
    let _turn = TURN.lock().await;
    let folder = tempfile::tempdir().unwrap();
    let address = tarnlight(folder.path()).await;
    let start = format!("{address}/index.html");
    let measurer = Measurer::start(Plan::for_page(&start, reader()).unwrap()).await.unwrap();
    let mut measured = BTreeMap::new();
    for done in crawled(&measurer, &start, Crawl::default()).await {
        let page = done.outcome.unwrap();
        measured.insert(name_of(&page.address).to_owned(), page);
    }
    // A picture with another shape for narrow screens is waited for at each viewport.
    let again = measurer.page(&start).await.unwrap();
    assert_same_places(&again, &measured["index.html"]);
    let pages = site::pages();
    assert_eq!(measured.len(), pages.len(), "{:?}", measured.keys());
    for page in &pages {
        check_found(page, &measured[page.file]);
    }

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    for page in &pages {
        let found = &measured[page.file];
        browser.client.goto(&format!("{address}/{}", page.file)).await.unwrap();
        for (width, height) in [(390, 844), (820, 1180), (1280, 800), (1920, 1080)] {
            browser.viewport(width, height).await;
            check_boxes(&browser, found, width).await;
        }
    }
    browser.close().await;
}

/// Every picture that the generator wrote is there, with a file that it named.
fn check_found(page: &site::Page, found: &MeasuredPage) {
    assert_eq!(found.places.len(), page.shown.len(), "on {}", page.file);
    let icons: Vec<_> = found
        .icons
        .iter()
        .map(|icon| (icon.rel.as_str(), icon.file.size.map(|(width, _)| width)))
        .collect();
    assert_eq!(icons, [("icon", Some(1200))], "on {}", page.file);
    // Backgrounds are listed after the pictures of the markup.
    let (behind, before): (Vec<_>, Vec<_>) =
        page.shown.iter().partition(|shown| shown.element == "background");
    for (shown, place) in before.into_iter().chain(behind).zip(&found.places) {
        for (viewport, files) in &place.details.files {
            for (density, file) in files.iter() {
                let name = file.url.rsplit('/').next().unwrap();
                let what = format!("{} at {viewport}, {density}x on {}", file.url, page.file);
                assert!(shown.files.contains(&name), "{what}, not {:?}", shown.files);
                assert_eq!(file.size.is_some(), shown.loads, "{what}");
            }
        }
        assert_eq!(place.details.files.len(), 4, "{} on {}", place.selector, page.file);
    }
}

/// Asks the browser itself, in words of the test's own, for each element's content box.
async fn check_boxes(browser: &Browser, found: &MeasuredPage, width: u32) {
    // What is hidden has a box only while it is open.
    let places: Vec<_> =
        found.places.iter().filter(|place| place.details.hidden_in.is_none()).collect();
    let selectors: Vec<_> = places.iter().map(|place| &place.selector).collect();
    let script = "return arguments[0].map((selector) => {
        const element = document.querySelector(selector);
        const rect = element.getBoundingClientRect();
        return [rect.width, rect.height];
    })";
    // Lazy pictures have no height before they are loaded.
    browser.run("for (const img of document.images) img.loading = 'eager'", vec![]).await;
    let complete = "return [...document.images].every((img) => img.complete)";
    browser.until("the pictures are loaded", complete).await;
    let laid_out = browser.run(script, vec![json!(selectors)]).await;
    for (place, rect) in places.into_iter().zip(laid_out.as_array().unwrap()) {
        let size = place.details.boxes[&width];
        let off = (size.width - rect[0].as_f64().unwrap())
            .abs()
            .max((size.height - rect[1].as_f64().unwrap()).abs());
        assert!(off <= 1.0, "{} at {width}: {size:?}, not {rect}", place.selector);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_that_only_the_sites_map_names_are_measured_up_to_the_limit() {
    let _turn = TURN.lock().await;
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let address = serve(brisk_margin_site::host::router(folder.path(), Default::default())).await;
    let location = |name: &str| format!("<url><loc>{address}/{name}</loc></url>");
    let listed: String = ["a.html", "b.html", "c.html", "d.html"].map(location).concat();
    let space = "http://www.sitemaps.org/schemas/sitemap/0.9";
    write("sitemap.xml", &format!("<urlset xmlns='{space}'>{listed}</urlset>"));
    for name in ["index.html", "a.html", "b.html", "c.html", "d.html"] {
        write(name, "<!doctype html><title>x</title><p>Linked from nowhere.");
    }
    let start = format!("{address}/index.html");
    let mut plan = Plan::for_page(&start, reader()).unwrap();
    plan.widths.truncate(1);
    plan.pages = 3;
    let measurer = Measurer::start(plan).await.unwrap();
    let pages = crawled(&measurer, &start, Crawl::default()).await;
    let mut seen: Vec<&str> =
        pages.iter().map(|page| name_of(&page.outcome.as_ref().unwrap().address)).collect();
    seen.sort_unstable();
    assert_eq!(seen, ["a.html", "b.html", "index.html"]);

    // Broken off after the first page, it goes on with the others and does none twice.
    let crawl = pages.into_iter().next().unwrap().crawl;
    assert_eq!((crawl.known.len(), crawl.done.len()), (3, 1));
    let rest = crawled(&measurer, &start, crawl.clone()).await;
    assert_eq!(rest.len(), 2);
    let again = rest.iter().map(|page| page.outcome.as_ref().unwrap().address.clone());
    assert!(again.into_iter().all(|address| !crawl.done.contains(&address)));
}

/// Every page of a site, in the order in which they were done.
async fn crawled(measurer: &Measurer, start: &str, crawl: Crawl) -> Vec<PageDone> {
    let (pages, mut done) = tokio::sync::mpsc::channel(100);
    measurer.site(start, crawl, pages).await.unwrap();
    let mut found = Vec::new();
    while let Some(page) = done.recv().await {
        found.push(page);
    }
    found
}

fn name_of(address: &str) -> &str {
    address.rsplit('/').next().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_file_depends_on_width_and_density_as_the_markup_says() {
    let _turn = TURN.lock().await;
    let folder = tempfile::tempdir().unwrap();
    let address = tarnlight(folder.path()).await;
    for (width, bytes) in [(400, 1), (800, 2), (1600, 3)] {
        let file = gradient_jpeg(width, width / 4 * 3 + bytes);
        std::fs::write(folder.path().join(format!("media/dome-{width}.jpg")), file).unwrap();
    }
    let page = measure(&format!("{address}/index.html")).await.unwrap();
    let intro = page.places.iter().find(|place| place.loose.ends_with("img.intro")).unwrap();
    let width = |viewport: u32, density: f64| {
        intro.details.files[&viewport][&Density::new(density).unwrap()].size.map(|(width, _)| width)
    };
    assert_eq!((width(390, 1.0), width(390, 2.0)), (Some(400), Some(800)));
    assert_eq!((width(820, 1.0), width(1280, 2.0)), (Some(800), Some(1600)));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_browser_that_ends_over_a_page_costs_a_second_try_and_no_more() {
    let _turn = TURN.lock().await;
    let opened = Arc::new(AtomicUsize::new(0));
    let ends_at = Arc::new(AtomicUsize::new(usize::MAX));
    let (count, last) = (Arc::clone(&opened), Arc::clone(&ends_at));
    let page = move || async move {
        if count.fetch_add(1, Ordering::Relaxed) + 1 == last.load(Ordering::Relaxed) {
            kill_browsers_of(std::process::id());
            return std::future::pending().await;
        }
        Html("<!doctype html><title>Moor</title><h1>Moor</h1>")
    };
    let address = serve(Router::new().route("/", get(page))).await;
    let measurer = Measurer::start(Plan::for_page(&address, reader()).unwrap()).await.unwrap();
    measurer.page(&address).await.unwrap();
    // The widest has the page to itself: a tab is idle when its browser ends.
    let all = opened.load(Ordering::Relaxed);
    ends_at.store(2 * all, Ordering::Relaxed);
    let start = Instant::now();
    measurer.page(&address).await.unwrap();
    assert_eq!(opened.load(Ordering::Relaxed), 3 * all);
    assert!(start.elapsed() < Duration::from_secs(15), "it took {:?}", start.elapsed());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_hostile_page_reaches_nothing_that_was_not_entered() {
    let _turn = TURN.lock().await;
    let (reached, port) = crate::hostile_pages::counting();
    let attack = format!(
        "<!doctype html><title>Harmless</title><link rel=stylesheet href=//127.0.0.1:{port}/a.css>
         <link rel=preconnect href=http://localhost:{port}><img src=http://127.0.0.1:{port}/b.png>
         <iframe src=http://[::1]:{port}/></iframe><script src=http://127.0.0.1:{port}/c.js></script>
         <script>
           fetch('http://127.0.0.1:{port}/d', {{ method: 'POST', mode: 'no-cors', body: 'x' }});
           try {{ new WebSocket('ws://127.0.0.1:{port}/e') }} catch {{}}
           navigator.sendBeacon('http://127.0.0.1:{port}/f');
           new RTCPeerConnection({{ iceServers: [{{ urls: 'turn:127.0.0.1:{port}?transport=tcp',
             username: 'x', credential: 'y' }}] }}).createDataChannel('g');
         </script><p>Nothing to see.</p>"
    );
    let address = serve(Router::new().route("/", get(|| async { Html(attack) }))).await;
    let measurer = Measurer::start(Plan::for_page(&address, reader()).unwrap()).await.unwrap();
    measurer.page(&address).await.unwrap();
    let refused: Vec<String> = measurer.refused().keys().map(ToString::to_string).collect();
    assert!(refused.contains(&format!("127.0.0.1:{port}")), "{refused:?}");
    assert_eq!(reached.load(Ordering::SeqCst), 0, "the page reached the victim");
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_that_cannot_be_measured_say_why() {
    let _turn = TURN.lock().await;
    let elsewhere = serve(Router::new().route("/", get(|| async { "not here" }))).await;
    let target = elsewhere.clone();
    let router = Router::new()
        .route("/broken", get(|| async { StatusCode::INTERNAL_SERVER_ERROR }))
        .route("/away", get(move || async move { Redirect::temporary(&target) }))
        .route("/endless", get(|| async { Body::from_stream(dripping()) }))
        .route(
            "/file",
            get(|| async { ([(header::CONTENT_TYPE, "image/png")], "x").into_response() }),
        );
    let address = serve(router).await;
    let reason = async |path: &str| measure(&format!("{address}{path}")).await.unwrap_err();
    let broken = reason("/broken").await;
    assert!(
        matches!(broken, MeasureError::Page(PageError::Status { status: 500, .. })),
        "{broken}"
    );
    assert!(matches!(reason("/away").await, MeasureError::Elsewhere { .. }));
    let file = reason("/file").await;
    assert!(matches!(file, MeasureError::Page(PageError::NoPage { .. })), "{file}");
    let mut plan = Plan::for_page(&address, reader()).unwrap();
    plan.budget.load = Duration::from_secs(1);
    let endless = format!("{address}/endless");
    let endless = Measurer::start(plan).await.unwrap().page(&endless).await.unwrap_err();
    assert!(matches!(endless, MeasureError::Page(PageError::NeverLoads { .. })), "{endless}");
    let silent = measure("http://127.0.0.1:9/").await.unwrap_err();
    assert!(matches!(silent, MeasureError::Page(PageError::NoAnswer { .. })), "{silent}");
    assert!(matches!(measure("visit.html").await, Err(MeasureError::Address(_))));
}

/// A page that says a word a second, for ever.
pub fn dripping() -> impl futures::Stream<Item = Result<&'static str, std::convert::Infallible>> {
    futures::stream::unfold((), |()| async {
        tokio::time::sleep(Duration::from_secs(1)).await;
        Some((Ok("<p>and so on"), ()))
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_of_three_thousand_pictures_and_broken_markup_has_a_limit_that_is_told() {
    let _turn = TURN.lock().await;
    let picture = gradient_jpeg(8, 8);
    let many: String = (0..3_000).map(|n| format!("<p><img src=p.jpg?{}", n % 3)).collect();
    let page = format!("<ul><li><table>{many}<img src=p.jpg style=width:0;height:0>");
    let router = Router::new()
        .route("/", get(move || async { Html(page) }))
        .route("/p.jpg", get(move || async { ([(header::CONTENT_TYPE, "image/jpeg")], picture) }));
    let address = serve(router).await;
    let mut plan = Plan::for_page(&address, reader()).unwrap();
    plan.widths.truncate(1);
    let measured = Measurer::start(plan).await.unwrap().page(&address).await.unwrap();
    assert_eq!(measured.places.len(), 1_000);
    assert!(measured.left > 0, "what is left out is told");
}

#[tokio::test(flavor = "multi_thread")]
async fn redirects_without_end_streams_and_service_workers_cost_a_page_nothing_or_itself() {
    let _turn = TURN.lock().await;
    let picture = gradient_jpeg(600, 400);
    let weight = picture.len() as u64;
    let page = "<!doctype html><title>Tower</title><img src=p.jpg width=300 height=200 alt=''>";
    let streaming = format!(
        "{page}<script>fetch('/drip'); new EventSource('/told'); new WebSocket('ws://' + location.host + '/ws')</script>"
    );
    // Its style sheet takes so long that the worker is there before the page is.
    let working = format!(
        "<script>navigator.serviceWorker.register('/worker.js')</script>\
         <link rel=stylesheet href=slow.css>{page}"
    );
    // A worker that answers every picture with nothing, as one that keeps files for later does with its own.
    let worker = "self.addEventListener('install', () => self.skipWaiting());\
         self.addEventListener('activate', event => event.waitUntil(clients.claim()));\
         self.addEventListener('fetch', event => { if (event.request.url.endsWith('.jpg')) \
         event.respondWith(new Response('')) })";
    let jpeg = move || async move { ([(header::CONTENT_TYPE, "image/jpeg")], picture) };
    let told =
        || async { ([(header::CONTENT_TYPE, "text/event-stream")], Body::from_stream(dripping())) };
    let script = move || async move { ([(header::CONTENT_TYPE, "text/javascript")], worker) };
    let round = |to: &'static str| get(move || async move { Redirect::temporary(to) });
    let router = Router::new()
        .route("/there", round("/back"))
        .route("/back", round("/there"))
        .route("/streaming", get(move || async move { Html(streaming) }))
        .route("/working", get(move || async move { Html(working) }))
        .route("/drip", get(|| async { Body::from_stream(dripping()) }))
        .route("/told", get(told))
        .route("/worker.js", get(script))
        .route("/slow.css", get(|| tokio::time::sleep(Duration::from_secs(1))))
        .route("/p.jpg", get(jpeg));
    let address = serve(router).await;

    let mut plan = Plan::for_page(&address, reader()).unwrap();
    plan.budget.load = Duration::from_secs(20);
    let measurer = Measurer::start(plan).await.unwrap();
    let there = measurer.page(&format!("{address}/there")).await.unwrap_err();
    assert!(matches!(there, MeasureError::Page(PageError::Redirects { .. })), "{there}");
    for path in ["/streaming", "/working", "/working"] {
        let measured = measurer.page(&format!("{address}{path}")).await.unwrap();
        assert_eq!(measured.places.len(), 1, "{path}");
        for (width, requests) in &measured.requests {
            let mut pictures = requests.0.iter().filter(|one| one.address.ends_with("/p.jpg"));
            let wire = pictures.next().unwrap().bytes.get();
            assert!((weight..weight + 1_000).contains(&wire), "{path} at {width} px: {wire}");
        }
    }
}
