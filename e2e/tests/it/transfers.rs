//! What a page transfers, as measuring notes it: in which order, what made the browser ask, and what each weighs, also
//! where the browser has it already.

use std::path::Path;

use brisk_margin_core::load::{Discovery, PageRequests, PageWeight, Request, RequestKind};
use brisk_margin_e2e::web_host::serve;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::plan::Plan;
use brisk_margin_testing::pictures::gradient_jpeg;
use brisk_margin_work::measuring::file_reader;

const PAGE: &str = r#"<!doctype html><html><head><meta charset="utf-8"><title>Hut</title>
<link rel="icon" href="icon.jpg"><link rel="stylesheet" href="hut.css"></head><body>
<img id="hero" src="hero.jpg" width="360" height="240" alt="The hut">
<img src="small.jpg" width="60" height="40" alt=""><img src="small.jpg" width="30" height="20" alt="">
<img src="http://127.0.0.1:1/elsewhere.jpg" width="60" height="40" alt="">
<div id="band"></div><div style="height: 20000px"></div>
<img loading="lazy" src="low.jpg" width="60" height="40" alt="">
</body></html>"#;

/// Writes the page, its style sheet and its pictures, and returns what each file weighs.
fn write(folder: &Path) -> impl Fn(&str) -> u64 {
    std::fs::write(folder.join("index.html"), PAGE).unwrap();
    let style = "#band { height: 60px; background: url(band.jpg) }";
    std::fs::write(folder.join("hut.css"), style).unwrap();
    let pictures = [("hero", 1_200), ("small", 120), ("band", 400), ("low", 300), ("icon", 64)];
    for (name, width) in pictures {
        let bytes = gradient_jpeg(width, width * 2 / 3);
        std::fs::write(folder.join(format!("{name}.jpg")), bytes).unwrap();
    }
    let folder = folder.to_owned();
    move |name| std::fs::metadata(folder.join(name)).unwrap().len()
}

fn of<'a>(requests: &'a PageRequests, name: &str) -> (usize, &'a Request) {
    let found = requests.0.iter().enumerate().find(|(_, one)| one.address.ends_with(name));
    found.unwrap_or_else(|| panic!("{name} is not in {requests:#?}"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pages_requests_are_noted_with_what_named_them_and_weigh_the_same_when_measured_again() {
    let _turn = crate::measuring::TURN.lock().await;
    let folder = tempfile::tempdir().unwrap();
    let weight = write(folder.path());
    let address = serve(host::router(folder.path(), Faults::default())).await;
    let page = format!("{address}/index.html");
    let plan = Plan::for_page(&page, file_reader(Codecs::in_process())).unwrap();
    let measurer = Measurer::start(plan).await.unwrap();
    let first = measurer.page(&page).await.unwrap();
    let requests = &first.requests[&390];

    let names: Vec<&str> =
        requests.0.iter().map(|one| one.address.rsplit('/').next().unwrap()).collect();
    let expected = ["index.html", "hut.css", "hero.jpg", "small.jpg", "band.jpg", "low.jpg"];
    assert_eq!(names, expected, "each file once, nothing of the other host, and no icon");
    assert_eq!(requests.0[0].kind, RequestKind::Document);
    let (style, sheet) = of(requests, "hut.css");
    assert!(sheet.blocks);
    let (_, hero) = of(requests, "hero.jpg");
    assert!(hero.lcp && !hero.lazy && hero.pixels == 1_200 * 800);
    // The document names the picture behind its head; only the sheet names the band.
    let Discovery::Within { by: 0, share } = hero.discovery else { panic!("{hero:?}") };
    assert!((0.15..0.6).contains(&share), "{share}");
    assert_eq!(of(requests, "band.jpg").1.discovery, Discovery::Layout { by: style });
    assert!(of(requests, "low.jpg").1.lazy);
    for name in ["hero.jpg", "small.jpg", "band.jpg", "low.jpg", "hut.css"] {
        let (body, wire) = (weight(name), of(requests, name).1.bytes.get());
        assert!((body..body + 1_000).contains(&wire), "{name}: {wire} for {body}");
    }

    // The browser has the pictures by now, and only asks whether they changed.
    let again = measurer.page(&page).await.unwrap();
    for (width, requests) in &first.requests {
        let again = &again.requests[width];
        assert_eq!(PageWeight::of(again), PageWeight::of(requests), "at {width} px");
    }
}
