//! Every way in which a page can show a picture: found, with the file that the browser loads, the
//! box that it fills, and why it cannot be replaced where it cannot.

use std::collections::{BTreeMap, BTreeSet};

use brisk_margin_core::object_fit::ObjectFit;
use brisk_margin_core::shown_by::{Fixed, ShownBy};
use brisk_margin_core::units::Density;
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::web_host::serve_page;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring::file_reader;

const PAGE: &str = r#"<!doctype html><html><head><meta charset="utf-8"><title>Ways</title><style>
body { margin: 0; }
div, video, input, svg, object, ul { display: block; width: 300px; height: 200px; margin: 0; }
#veiled { padding: 10px; border: 5px solid; background: linear-gradient(#0008, #0000), url(veiled-600x400.jpg) center / cover; }
#two { background: url(above-100x50.jpg) 0 0 / 50px auto no-repeat, url(below-300x300.jpg) center / contain no-repeat; }
#window { background: url(window-800x600.jpg) fixed center / cover; }
#set { background-image: image-set(url(set-300x200.jpg) 1x, url(set-600x400.jpg) 2x); background-size: 100% 100%; }
#inner { padding: 10px; background: url(inner-40x30.jpg) content-box; background-size: 50% 50%; }
#before { position: relative; }
#before::before { content: ""; position: absolute; inset: 20px 30px; background: url(before-400x300.jpg) center / cover; }
#after::after { content: url(after-120x80.jpg); }
#mask { background: #456; mask-image: url(mask-200x200.jpg); mask-size: contain; }
#edge { box-sizing: border-box; border: 30px solid; border-image: url(edge-90x90.jpg) 30 round; }
li { list-style-image: url(marker-16x16.jpg); margin-left: 60px; }
#content { content: url(content-150x100.jpg); object-fit: cover; }
#sheet { width: 24px; height: 24px; background: url(sheet-96x24.jpg) -48px 0; }
#inline { background: url(data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7); }
#wide { background: none; }
@media (min-width: 1000px) { #wide { background: url(wide-900x300.jpg) center / contain; } }
#both { width: 300px; height: 200px; object-fit: contain; background: url(behind-30x20.jpg); }
video, input { object-fit: cover; }
</style></head><body>
<div id="veiled"></div><div id="two"></div><div id="window"></div><div id="set"></div><div id="inner"></div>
<div id="before"></div><div id="after"></div><div id="mask"></div><div id="edge"></div>
<ul><li>One</li></ul><div id="content"></div><div id="sheet"></div><div id="inline"></div><div id="wide"></div>
<img id="both" src="both-640x480.jpg" alt="Both">
<video poster="poster-500x300.jpg"></video>
<input type="image" src="button-100x60.jpg" alt="Go">
<svg viewBox="0 0 300 200"><image href="drawn-50x50.jpg" x="0" y="0" width="300" height="200" preserveAspectRatio="xMinYMax slice"/></svg>
<object data="object-70x70.jpg" type="image/jpeg"></object>
<img id="own" src="data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7" alt="">
</body></html>"#;

/// The layout widths and their heights, and the densities.
const SCREENS: [(u32, u32); 4] = [(390, 844), (820, 1180), (1280, 800), (1920, 1080)];
const DENSITIES: [f64; 2] = [1.0, 2.0];

fn name_of(url: &str) -> &str {
    url.rsplit('/').next().unwrap()
}

/// How a place is shown, its file at the widest layout and 1x, its box and fit at 1280 px.
type Told<'a> = (ShownBy, &'a str, (f64, f64), ObjectFit);

/// What is told of each place.
fn told(page: &MeasuredPage) -> BTreeMap<&str, Told<'_>> {
    let places = page.places.iter().map(|place| {
        let details = &place.details;
        let file = details.files.values().next_back().unwrap().get(&Density::ONE).unwrap();
        let size = details.boxes[&1280];
        let way = details.shown_by.unwrap();
        let told = (way, name_of(&file.url), (size.width, size.height), details.painting);
        (place.selector.as_str(), told)
    });
    places.collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_way_to_show_a_picture_is_found_with_its_file_and_its_box() {
    use ObjectFit::{Contain, Cover, Fill, Natural};
    let _turn = crate::measuring::TURN.lock().await;
    let address = serve_page(PAGE).await;
    let plan = Plan::for_page(&address, file_reader(Codecs::in_process())).unwrap();
    let measurer = Measurer::start(plan).await.unwrap();
    let page = measurer.page(&address).await.unwrap();
    drop(measurer);

    let all = (300.0, 200.0);
    let padded = (320.0, 220.0);
    let expected = BTreeMap::from([
        ("img#both", (ShownBy::Img, "both-640x480.jpg", all, Contain)),
        ("video", (ShownBy::Poster, "poster-500x300.jpg", all, Cover)),
        ("input", (ShownBy::Input, "button-100x60.jpg", all, Cover)),
        ("svg > image", (ShownBy::SvgImage, "drawn-50x50.jpg", all, Cover)),
        ("object", (ShownBy::Object, "object-70x70.jpg", all, Fill)),
        ("div#veiled", (ShownBy::Background, "veiled-600x400.jpg", padded, Cover)),
        ("div#two", (ShownBy::Background, "above-100x50.jpg", (50.0, 25.0), Fill)),
        ("div#two/* layer 2 */", (ShownBy::Background, "below-300x300.jpg", all, Contain)),
        ("div#window", (ShownBy::Background, "window-800x600.jpg", (1280.0, 800.0), Cover)),
        ("div#set", (ShownBy::Background, "set-300x200.jpg", all, Fill)),
        ("div#inner", (ShownBy::Background, "inner-40x30.jpg", (150.0, 100.0), Fill)),
        ("div#before::before", (ShownBy::Background, "before-400x300.jpg", (240.0, 160.0), Cover)),
        ("div#after::after", (ShownBy::Content, "after-120x80.jpg", (120.0, 80.0), Natural)),
        ("div#mask/* mask */", (ShownBy::Mask, "mask-200x200.jpg", all, Contain)),
        ("ul > li::marker", (ShownBy::ListMarker, "marker-16x16.jpg", (16.0, 16.0), Natural)),
        ("div#content", (ShownBy::Content, "content-150x100.jpg", all, Cover)),
        ("div#wide", (ShownBy::Background, "wide-900x300.jpg", all, Contain)),
        ("img#both/* background */", (ShownBy::Background, "behind-30x20.jpg", all, Natural)),
    ]);
    let found = told(&page);
    let of = |selector: &str| selector.replace("body > ", "");
    let found: BTreeMap<String, _> =
        found.into_iter().map(|(selector, told)| (of(selector), told)).collect();
    for (selector, expected) in &expected {
        assert_eq!(found.get(*selector), Some(expected), "{selector}");
    }
    assert_eq!(found.len(), expected.len(), "{found:#?}");

    let fixed: BTreeMap<String, (ShownBy, Fixed)> =
        page.fixed.iter().map(|one| (of(&one.selector), (one.shown_by, one.reason))).collect();
    let cannot = BTreeMap::from([
        ("div#edge/* border */".to_owned(), (ShownBy::BorderImage, Fixed::Sliced)),
        ("div#sheet".to_owned(), (ShownBy::Background, Fixed::Part)),
        ("div#inline".to_owned(), (ShownBy::Background, Fixed::Inline)),
        ("img#own".to_owned(), (ShownBy::Img, Fixed::Inline)),
    ]);
    assert_eq!(fixed, cannot);
    let drawn = page.places.iter().find(|place| place.selector.ends_with("image")).unwrap();
    assert_eq!(drawn.details.position, "0% 100%");
    assert_eq!(page.fixed.iter().filter(|one| one.bytes.get() == 0).count(), 0);

    check_loaded(&address, &page).await;
}

/// At every layout width and density, what is told is what the browser says that it loaded.
async fn check_loaded(address: &str, page: &MeasuredPage) {
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    for (width, height) in SCREENS {
        for density in DENSITIES {
            browser.screen(width, height, density).await;
            browser.client.goto(address).await.unwrap();
            let script =
                "const names = performance.getEntriesByType('resource').map((e) => e.name);
                return names.filter((name) => name.endsWith('.jpg'));";
            let loaded = browser.run(script, vec![]).await;
            let loaded: BTreeSet<&str> = loaded
                .as_array()
                .unwrap()
                .iter()
                .map(|url| name_of(url.as_str().unwrap()))
                .collect();
            let at = Density::new(density).unwrap();
            let files = page.places.iter().filter_map(|place| {
                place.details.files.get(&width)?.get(&at).map(|file| name_of(&file.url))
            });
            let fixed = page.fixed.iter().filter(|one| !one.url.starts_with("data:"));
            let told: BTreeSet<&str> = files.chain(fixed.map(|one| name_of(&one.url))).collect();
            assert_eq!(told, loaded, "at {width} px, {density}x");
        }
    }
    browser.close().await;
}
