//! Pictures that are hidden until a visitor opens something: found, said to be hidden, and measured
//! as they are when it is open.

use std::collections::BTreeMap;

use brisk_margin_core::hidden::HiddenIn;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_e2e::web_host::serve_page;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring::file_reader;

/// A page that changes for good when it is told that something opened or closed.
const PAGE: &str = r#"<!doctype html><html><head><meta charset="utf-8"><title>Hidden</title><style>
body { margin: 0; }
img { display: block; }
dialog { width: 50vw; padding: 0; border: 0; }
dialog img { width: 100%; }
[role=tabpanel] { display: none; }
[role=tabpanel].on { display: flex; }
[role=tabpanel] img { flex: none; width: 240px; height: 160px; }
.slide { display: none; }
.slide.on { display: block; width: 320px; transition: width 9s; }
.slide img { width: 100%; height: 90px; }
.behind { width: 200px; height: 120px; background: url(behind-400x240.jpg) center / cover; }
.veiled { visibility: hidden; }
.only-wide { display: none; }
@media (min-width: 1000px) { .only-wide { display: block; } }
</style></head><body>
<img id="seen" src="seen-300x200.jpg" width="300" height="200">
<dialog><h2>Enlarged</h2><img id="dialog" src="dialog-800x400.jpg"></dialog>
<div popover><img id="popover" src="popover-80x60.jpg" width="80" height="60"></div>
<details><summary>More <img id="summary" src="summary-16x16.jpg"></summary><img id="details" src="details-120x90.jpg"></details>
<div role="tabpanel" class="on"><img id="first-tab" src="tab-480x320.jpg"></div>
<div role="tabpanel"><img id="second-tab" src="tab-480x320.jpg" loading="lazy"></div>
<div class="slide on"><img id="first-slide" src="slide-640x180.jpg"></div>
<div class="slide"><img id="second-slide" src="slide-640x180.jpg"></div>
<div hidden><div class="behind" id="behind"></div></div>
<p class="veiled"><img id="veiled" src="veiled-50x40.jpg"></p>
<img id="only-wide" class="only-wide" src="wide-400x100.jpg">
<img id="empty" src="empty-10x10.jpg" style="width: 0; height: 0">
<script>
for (const type of ["toggle", "close"]) addEventListener(type, () => document.body.append(new Image()), true);
new MutationObserver(() => {
  if (!document.querySelector("[role=tabpanel].on")) document.body.append(new Image());
}).observe(document.body, { subtree: true, attributes: true });
</script>
</body></html>"#;

/// In what a place is hidden, and its box at a phone's and at a laptop's width.
type Seen = (Option<HiddenIn>, [(f64, f64); 2]);

fn told(page: &MeasuredPage) -> BTreeMap<String, Seen> {
    let places = page.places.iter().map(|place| {
        let details = &place.details;
        let at = |viewport| {
            let size = details.boxes[&viewport];
            (size.width, size.height)
        };
        let id = place.selector.rsplit('#').next().unwrap().to_owned();
        (id, (details.hidden_in, [at(390), at(1280)]))
    });
    places.collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_hidden_until_it_opens_is_measured_as_it_is_when_open() {
    let _turn = crate::measuring::TURN.lock().await;
    let address = serve_page(PAGE).await;
    let plan = Plan::for_page(&address, file_reader(Codecs::in_process())).unwrap();
    let measurer = Measurer::start(plan).await.unwrap();
    let page = measurer.page(&address).await.unwrap();

    let same = |width, height| [(width, height); 2];
    let shown = |width, height| (None, same(width, height));
    let hidden = |how, width, height| (Some(how), same(width, height));
    let expected: [(&str, Seen); 12] = [
        ("seen", shown(300.0, 200.0)),
        // Half as wide as the window.
        ("dialog", (Some(HiddenIn::Dialog), [(195.0, 97.5), (640.0, 320.0)])),
        ("popover", hidden(HiddenIn::Popover, 80.0, 60.0)),
        ("summary", shown(16.0, 16.0)),
        ("details", hidden(HiddenIn::Details, 120.0, 90.0)),
        ("first-tab", shown(240.0, 160.0)),
        ("second-tab", hidden(HiddenIn::Tab, 240.0, 160.0)),
        ("first-slide", shown(320.0, 90.0)),
        ("second-slide", hidden(HiddenIn::Slide, 320.0, 90.0)),
        ("behind", hidden(HiddenIn::Part, 200.0, 120.0)),
        ("veiled", hidden(HiddenIn::Part, 50.0, 40.0)),
        // A layout width shows it: where none does, it is not hidden but left out.
        ("only-wide", (None, [(0.0, 0.0), (400.0, 100.0)])),
    ];
    let mut found = told(&page);
    assert_eq!(found.remove("empty"), Some(shown(0.0, 0.0)), "nothing hides it");
    for (id, expected) in expected {
        assert_eq!(found.remove(id), Some(expected), "{id}");
    }
    assert!(found.is_empty(), "the page was told and changed: {found:?}");

    let place = |id: &str| page.places.iter().find(|one| one.selector.ends_with(id)).unwrap();
    let behind = &place("#behind").details;
    let file = behind.files[&1280].values().next().unwrap();
    assert_eq!(file.size, Some((400, 240)), "its file does not come before it opens by itself");
    // Between the layout widths, too, which is what `sizes` is worked out of.
    let dialog = &place("#dialog").details;
    let grows =
        |(&viewport, size): (&u32, &BoxSize)| (size.width - f64::from(viewport) / 2.0).abs() < 0.1;
    assert!(
        dialog.rendered.len() > 4 && dialog.rendered.iter().all(grows),
        "{:?}",
        dialog.rendered
    );
    assert!(dialog.positions.is_empty(), "it stands nowhere on the page");
}
