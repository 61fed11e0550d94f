//! Pages that mean harm cost themselves: the rest of the site is measured, and the server goes on as before.

use std::collections::BTreeMap;
use std::io::Write;
use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use axum::Router;
use axum::body::Body;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;
use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::web_host::serve;
use brisk_margin_testing::hostile;
use brisk_margin_testing::pictures::{encoded, spots};
use flate2::Compression;
use flate2::write::GzEncoder;
use serde_json::{Value, json};

use crate::hostile_files::{MORE, held, taken_soon};
use crate::measuring::TURN;

/// What is said of a page that does not load in time.
const SLOW: &str = "did not finish loading within 20 s";

/// What becomes of a page.
enum Fate {
    /// It is measured.
    Measured,
    /// It is left out, and these words say why; nothing where it is chance which limit it meets first.
    LeftOut(&'static str),
    /// It is measured, or left out: what the browser sees first is chance.
    Either,
}

use Fate::{Either, LeftOut, Measured};

/// Pages of markup alone, by their names.
fn pages(victim: u16) -> Vec<(&'static str, Fate, String)> {
    let script = |text: &str| format!("<!doctype html><title>x</title><script>{text}</script>");
    let long = |count: usize| "wool ".repeat(count / 5);
    let rules: String =
        (0..1_000).map(|n| format!("@media (min-width:{n}px) {{ p {{ color: red }} }}")).collect();
    vec![
        ("title", Measured, format!("<title>{}</title><p>x", long(1_000_000))),
        ("alt", Measured, format!("<title>x</title><img src=p.jpg alt='{}'>", long(300_000))),
        ("id", Measured, format!("<title>x</title><img src=p.jpg id='{}'>", long(1_000_000))),
        ("heading", Measured, format!("<h1>{}</h1><img src=p.jpg>", long(1_000_000))),
        (
            "written",
            Measured,
            format!("<img src='data:image/png;base64,{}'>", "A".repeat(4_000_000)),
        ),
        ("deep", Measured, format!("{}<img src=p.jpg>", "<div>".repeat(5_000))),
        ("rules", Measured, format!("<style>{rules}</style><img src=p.jpg>")),
        ("long", LeftOut("is itself longer than 20"), format!("<!-- {} -->", long(25_000_000))),
        ("elements", LeftOut("has more than 100000 elements"), "<b>x</b>".repeat(110_000)),
        (
            "askers",
            LeftOut("asks for more than 5000 files"),
            script("for (let n = 0; n < 9000; n++) new Image().src = 'p.jpg?' + n"),
        ),
        (
            "slow-frames",
            LeftOut(""),
            script(
                "for (const n of [0, 1]) document.write(`<iframe src='?${Math.random()}'></iframe>`)",
            ),
        ),
        (
            "slow-late-loop",
            LeftOut("does not answer"),
            script("onload = () => setTimeout(() => { for (;;); })"),
        ),
        (
            "dialogs",
            Measured,
            script("for (let n = 0; n < 20; n++) { alert(n); confirm(n); prompt(n) }"),
        ),
        ("reloads", Either, script("onload = () => location.reload()")),
        ("windows", Measured, script("for (let n = 0; n < 50; n++) open('p.jpg'); print()")),
        (
            "liar",
            LeftOut("could not be read"),
            script("Array.prototype.map = Object.entries = () => { throw 'no' }"),
        ),
        (
            "leaves",
            Either,
            script(&format!("onload = () => location = 'http://127.0.0.1:{victim}/'")),
        ),
        (
            "reaches",
            Measured,
            format!("<img src=http://0.0.0.0:{victim}/a><img src=http://[::1]:{victim}/b><p>x"),
        ),
    ]
}

fn packed(piece: &str, times: usize) -> Vec<u8> {
    let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
    for _ in 0..times {
        packed.write_all(piece.as_bytes()).unwrap();
    }
    packed.finish().unwrap()
}

fn sent_packed(kind: &'static str, bytes: Vec<u8>) -> Response {
    ([(header::CONTENT_TYPE, kind), (header::CONTENT_ENCODING, "gzip")], bytes).into_response()
}

/// A site with all of them and a good page, and what is to become of each.
async fn hostile_site(victim: u16) -> (String, BTreeMap<&'static str, Fate>) {
    let picture = encoded(&spots(1, 60, 40), Format::Jpeg, 80);
    let mut drawing = hostile::files();
    drawing.retain(|file| file.name == "noise without end.svg");
    let drawing = drawing.remove(0).bytes;
    let mut router = Router::new();
    let mut fates = BTreeMap::new();
    for (name, fate, text) in pages(victim) {
        let text = axum::body::Bytes::from(text);
        router = router.route(&format!("/{name}"), get(move || async move { Html(text) }));
        fates.insert(name, fate);
    }
    let mut add = |name: &'static str, fate, of: axum::routing::MethodRouter| {
        fates.insert(name, fate);
        router = std::mem::take(&mut router).route(&format!("/{name}"), of);
    };
    let bomb = axum::body::Bytes::from(packed(&" ".repeat(1 << 20), 400));
    let style = bomb.clone();
    add(
        "packed",
        LeftOut("is itself longer"),
        get(move || async move { sent_packed("text/html", bomb.into()) }),
    );
    let styled = "<!doctype html><title>x</title><link rel=stylesheet href=bomb.css><p>x";
    add("styled", LeftOut("loads more than 300 MB"), get(move || async move { Html(styled) }));
    let drawn = "<!doctype html><title>x</title><img src=noise.svg width=300 height=200>";
    add("drawn", Measured, get(move || async move { Html(drawn) }));
    let saved = [(header::CONTENT_DISPOSITION, "attachment; filename=x.html")];
    add(
        "download",
        LeftOut("is a file to be saved"),
        get(move || async move { (saved, Html("x")) }),
    );
    add(
        "locked",
        LeftOut("answers 401"),
        get(|| async { (StatusCode::UNAUTHORIZED, [(header::WWW_AUTHENTICATE, "Basic realm=x")]) }),
    );
    add("round", LeftOut("without end"), get(|| async { Redirect::temporary("/round") }));
    add(
        "good",
        Measured,
        get(|| async { Html("<!doctype html><title>Good</title><img src=p.jpg>") }),
    );
    let links: String = fates.keys().map(|name| format!("<a href=/{name}>{name}</a>")).collect();
    let index = format!("<!doctype html><title>Index</title>{links}<img src=p.jpg>");
    let router = router
        .route("/", get(move || async move { Html(index) }))
        .route("/bomb.css", get(move || async move { sent_packed("text/css", style.into()) }))
        .route(
            "/noise.svg",
            get(move || async move { ([(header::CONTENT_TYPE, "image/svg+xml")], drawing) }),
        )
        .route(
            "/p.jpg",
            get(move || async move { ([(header::CONTENT_TYPE, "image/jpeg")], picture) }),
        );
    (serve(router).await, fates)
}

#[tokio::test(flavor = "multi_thread")]
async fn hostile_pages_cost_themselves_and_the_rest_of_the_site_is_measured() {
    let _turn = TURN.lock().await;
    let (reached, victim) = counting();
    let (address, fates) = hostile_site(victim).await;
    assert!(fates.len() >= 20, "{} pages", fates.len());
    let mut home = Home::empty().await;
    home.says_little = true;
    let application = home.serve();
    for n in 0..4 {
        taken_soon(&application, n).await;
    }
    // Each page once, so that a slow one costs its time once.
    application.change("/api/site", &json!({"widths": [{"width": 1280}]})).await;
    let before = held(application.pid());
    application.post("/api/measurements", &json!({"address": address, "whole_site": true})).await;
    let report = ended(&application, 10).await;
    let after = held(application.pid());

    let problems: Vec<&str> =
        report["problems"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    let layouts = application.json("/api/layouts").await;
    let text = layouts.to_string();
    assert!(text.len() < 3_000_000, "the layouts are {} bytes long", text.len());
    let mut wrong = Vec::new();
    for (name, fate) in &fates {
        let page = format!("{address}/{name}");
        let is_measured = text.contains(&format!("\"{page}\""));
        let said: Vec<_> = problems.iter().filter(|said| said.starts_with(&page)).collect();
        let is_right = match fate {
            Measured => is_measured,
            // A busy machine may not come so far.
            LeftOut(words) => {
                !is_measured && said.iter().any(|said| said.contains(words) || said.contains(SLOW))
            }
            Either => is_measured || !said.is_empty(),
        };
        if !is_right {
            wrong.push(format!("{name}: measured {is_measured}, {said:?}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    assert_eq!(reached.load(Ordering::SeqCst), 0, "a page reached what was not entered");
    assert!(after < before + MORE, "{before} kB grew to {after} kB");
    application.terminate();
}

#[tokio::test(flavor = "multi_thread")]
async fn cancelling_does_not_wait_for_a_page() {
    let _turn = TURN.lock().await;
    let forever = get(|| async { Body::from_stream(crate::measuring::dripping()) });
    let address = serve(Router::new().route("/", forever)).await;
    let home = Home::empty().await;
    let application = home.serve();
    application.post("/api/measurements", &json!({"address": address, "whole_site": true})).await;
    // The browser is started by then, and waits for the page.
    tokio::time::sleep(Duration::from_secs(3)).await;
    assert_eq!(application.json("/api/measurements/latest").await["running"], true);
    let start = Instant::now();
    let cancel =
        brisk_margin_e2e::http::client().delete(application.url("/api/measurements/latest"));
    assert_eq!(cancel.send().await.unwrap().status(), 204);
    while application.json("/api/measurements/latest").await["cancelled"] != true {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    assert!(start.elapsed() < Duration::from_secs(2), "it took {:?}", start.elapsed());
    application.terminate();
}

/// Uploads good pictures until nothing is measured any more; how it ended.
async fn ended(application: &Application, mut seed: u32) -> Value {
    let until = Instant::now() + Duration::from_secs(400);
    loop {
        let report = application.json("/api/measurements/latest").await;
        if report["running"] == false {
            return report;
        }
        assert!(Instant::now() < until, "measuring does not end: {report:#}");
        taken_soon(application, seed).await;
        seed += 1;
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
}

/// A port where nobody may arrive, and how many did.
pub fn counting() -> (Arc<AtomicUsize>, u16) {
    let victim = TcpListener::bind(("0.0.0.0", 0)).unwrap();
    let port = victim.local_addr().unwrap().port();
    let reached = Arc::new(AtomicUsize::new(0));
    let count = Arc::clone(&reached);
    std::thread::spawn(move || {
        for _ in victim.incoming() {
            count.fetch_add(1, Ordering::SeqCst);
        }
    });
    (reached, port)
}
