//! From made files to a lighter live site, and back to the byte: previewed, published, changed by somebody
//! else, taken back.

use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_e2e::files::seen;
use brisk_margin_e2e::web_host::serve;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::json;

const STATE: &str = "document.querySelector('[data-testid=publication-state]')?.textContent";

/// How long a step of a publication may take where other tests run beside it.
const LONG: Duration = Duration::from_secs(120);

const STYLES: &str =
    "body{margin:0} .top{height:220px;background:#223 url('img/sky.jpg') center/cover}
.row{display:flex;gap:8px} .row img{width:50%;height:180px;object-fit:cover}";

const INDEX: &str = "<!doctype html><html lang=en><head><title>Walks</title><meta name=viewport content='width=device-width'>
<link rel=icon href='data:,'><link rel=stylesheet href=site.css></head><body><div class=top></div>
<h1>Walks</h1><div class=row><figure style='margin:0;width:50%'><img src=img/dome.jpg alt='' style='width:100%'>
<figcaption></figcaption></figure><img src='img/hall.jpg' alt='The hall'></div>
<p><a href=hall.html>The hall</a></p></body></html>\n";

const HALL: &str = "<!doctype html><html lang=en><head><title>The hall</title><meta name=viewport content='width=device-width'>
<link rel=icon href='data:,'><link rel=preload as=image href=img/hall.jpg><link rel=stylesheet href=site.css></head><body>
<div class=top></div><h1>The hall</h1><figure><img src='img/hall.jpg' alt='The hall' width=600 height=400
style='max-width:100%;height:auto'><figcaption>Built in <b>1911</b>.</figcaption></figure></body></html>\n";

fn write_site(folder: &Path) {
    fs::create_dir_all(folder.join("img")).unwrap();
    for (n, name) in ["sky", "dome", "hall"].into_iter().enumerate() {
        let picture = encoded(&spots(n as u32, 1_400, 940), Format::Jpeg, 96);
        fs::write(folder.join("img").join(format!("{name}.jpg")), picture).unwrap();
    }
    for (name, text) in [("site.css", STYLES), ("index.html", INDEX), ("hall.html", HALL)] {
        fs::write(folder.join(name), text).unwrap();
    }
}

/// A site with all its pictures in the library, measured, and every file made.
pub(crate) async fn made(folder: &Path, faults: Faults) -> (Home, Application, String) {
    write_site(folder);
    let site = serve(host::router(folder, faults)).await;
    let home = Home::empty().await;
    let application = home.serve();
    let address = format!("{site}/index.html");
    let widths = json!([{"width": 390}, {"width": 1280}]);
    let folder_path = folder.to_str().unwrap();
    let settings = json!({"folder": folder_path, "address": address, "widths": widths});
    application.change("/api/site", &settings).await;
    let measured = json!({"address": address, "whole_site": true});
    application.post("/api/measurements", &measured).await;
    application.until_measured().await;
    let mut described = serde_json::Map::new();
    for name in ["sky", "dome", "hall"] {
        let bytes = fs::read(folder.join(format!("img/{name}.jpg"))).unwrap();
        let picture = application.upload(&format!("{name}.jpg"), bytes).await;
        let alt = format!("A view of the {name}");
        described.insert(picture, json!({"alt": alt, "caption": alt, "creator": "Ida Moor"}));
    }
    application.change("/api/pictures", &json!({"pictures": described})).await;
    application
        .put("/api/output-rules", &json!({"formats": ["webp", "jpeg"], "densities": [1, 2]}))
        .await;
    application.until_all_is_done(3).await;
    application.run_to_its_end(&json!({"which": {"filter": {}}})).await;
    (home, application, site)
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_made_goes_to_the_site_after_a_preview_and_all_of_it_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let (_home, application, site) = made(folder.path(), Faults::default()).await;
    let before = seen(folder.path());

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.find(".grid-row").await;
    browser.find("body").await.send_keys("gp").await.unwrap();
    browser.until("what is ready is told", &shows("5 places ready to publish")).await;
    browser.labelled("Prepare").await.click().await.unwrap();
    let at = |state: &str| format!("return {STATE} === '{state}'");
    browser.until_within(LONG, "it can be published", &at("ready to publish")).await;
    assert_eq!(seen(folder.path()), before, "nothing is written before");

    // Each page as it was and as it would be, and its lines.
    let pictured = "const shots = [...document.querySelectorAll('.page-shots img')];
        return shots.length === 2 && shots.every((one) => one.complete && one.naturalWidth === 390)";
    browser.until("both pages are pictured", pictured).await;
    browser.segment("1280 px").await;
    browser.until("at another width", &pictured.replace("390", "1280")).await;
    browser.segment("Lines").await;
    let added = "return [...document.querySelectorAll('.lines [data-kind=added]')]
        .some((line) => line.textContent.includes('variants/hall'))";
    browser.until("a line names a new file", added).await;
    let described = "return [...document.querySelectorAll('.lines [data-kind=added]')]
        .some((line) => line.textContent.includes('A view of the dome'))";
    browser.find("body").await.send_keys("n").await.unwrap();
    browser.until("a picture without a text gets its own", described).await;
    let lines = browser.text().await;
    assert!(!lines.contains("A view of the hall"), "what the page says stays");
    assert!(
        !lines.contains("<small>Ida Moor</small></figcaption>"),
        "a caption that had no line would push what is below it"
    );
    // How the page comes before and after, at the same moments.
    browser.segment("Film strip").await;
    browser.choose("Connection", "30 Mbit/s · 40 ms").await;
    browser.labelled("Film the load").await.click().await.unwrap();
    let filmed = "const rows = [...document.querySelectorAll('.film-strip tbody tr')];
        const [first, last] = ['first', 'last'].map((which) => (row) => row.querySelector(`td:${which}-of-type img`));
        return rows.length === 2 && rows.every((row) => row.textContent.includes('LCP')
            && last(row)?.complete && last(row).naturalWidth > 0 && last(row).src !== first(row)?.src)";
    browser.until_within(LONG, "both loads are seen from blank to their end", filmed).await;
    browser.segment("Places 5").await;
    let promised = "return [...document.querySelectorAll('.done-table tbody tr')]
        .filter((row) => row.textContent.includes('loads what it should')).length === 5";
    browser.until("each loads what it should", promised).await;
    let same = "return [...document.querySelectorAll('.done-table tbody td:nth-child(6) a')]
        .filter((look) => Number(look.textContent) >= 20).length === 5";
    browser.until("each looks as it did", same).await;
    browser.until("a caption that stays is told", &shows("its caption stays")).await;

    browser.labelled("Publish now").await.click().await.unwrap();
    browser.until_within(LONG, "it is published", &at("published")).await;
    browser.until("the tally says so", &shows("5 places changed: 2 pages, 1 style sheet")).await;
    application.until_measured().await;
    let list = application.json("/api/publications").await;
    let told = ["shown", "newer", "changed", "ready", "unmade"].map(|count| list[count].as_u64());
    assert_eq!(told, [5, 0, 0, 0, 0].map(Some), "what was published is known to be what was made");
    let visitor = Browser::open(390, 800, downloads.path()).await;
    visitor.client.goto(&format!("{site}/index.html")).await.unwrap();
    let loaded = "return [...document.images].every((one) => one.complete && one.naturalWidth > 0
        && one.currentSrc.includes('/variants/') && one.currentSrc.endsWith('.webp'))";
    visitor.until("a visitor gets the new files", loaded).await;
    visitor.close().await;

    // The site is measured again, and the library knows its pictures on it.
    application.until_measured().await;
    application.until_all_is_done(3).await;
    let list = application.json("/api/publications").await;
    assert_eq!((&list["shown"], &list["ready"]), (&json!(5), &json!(0)), "{list:#}");

    // Somebody changes a page: that is told, and theirs stays.
    let page = folder.path().join("hall.html");
    let theirs = fs::read_to_string(&page).unwrap() + "<!-- closed on Monday -->\n";
    fs::write(&page, &theirs).unwrap();
    browser.client.refresh().await.unwrap();
    browser.until("that is told", &shows("Changed since by somebody else")).await;
    browser.find("body").await.send_keys("u").await.unwrap();
    browser.until_within(LONG, "it is taken back but for that", &at("partly taken back")).await;
    assert_eq!(fs::read_to_string(&page).unwrap(), theirs);
    assert_eq!(fs::read_to_string(folder.path().join("index.html")).unwrap(), INDEX);
    browser.client.goto(&format!("{site}/hall.html")).await.unwrap();
    let whole = "return [...document.images].every((one) => one.complete && one.naturalWidth > 0)";
    browser.until("their page has its pictures still", whole).await;
    browser.client.back().await.unwrap();
    browser.labelled("Take back theirs, too").await.click().await.unwrap();
    browser.until_within(LONG, "all of it is taken back", &at("taken back")).await;
    assert!(seen(folder.path()) == before, "every file is as it was, with mode and time");
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_picture_is_replaced_wherever_it_is_shown_in_formats_that_the_host_serves() {
    let folder = tempfile::tempdir().unwrap();
    let faults = Faults { mistyped: vec!["webp".to_owned()], ..Faults::default() };
    let (_home, application, _) = made(folder.path(), faults).await;
    let before = seen(folder.path());
    let list = application.json("/api/pictures").await;
    let pictures = list["pictures"].as_array().unwrap();
    let [hall, sky] = ["hall.jpg", "sky.jpg"]
        .map(|name| pictures.iter().find(|picture| picture["name"] == name).unwrap()["id"].clone());
    let wish = json!({"pictures": [hall, sky], "folder": "media/made"});
    let begin = async || {
        let begun = application.post("/api/publications", &wish).await;
        format!("/api/publications/{}", begun["id"].as_str().unwrap())
    };
    let until = async |at: &str, state: &str| {
        let end = Instant::now() + LONG;
        loop {
            let told = application.json(at).await;
            if told["state"] == state {
                return told;
            }
            let (now, why, how_far) = (&told["state"], &told["reason"], &told["progress"]);
            assert!(why.is_null() && Instant::now() < end, "{state}, not {now}: {why} {how_far}");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    };
    let at = begin().await;
    until(&at, "ready").await;
    application.post(&format!("{at}/publish"), &json!({})).await;
    let refused = until(&at, "outdated").await;
    let reason = refused["reason"].as_str().unwrap();
    assert!(
        reason.contains("WEBP: the host sends its files as application/octet-stream"),
        "{reason}"
    );
    assert!(seen(folder.path()) == before, "no page names what the host does not serve");
    let mend = refused["left_formats"][0]["mend"].as_str().unwrap();
    assert!(mend.contains("image/webp webp;"), "{mend}");

    // Without it, the pictures go to both pages that show them, and nothing else does.
    application.post(&format!("{at}/prepare"), &json!({})).await;
    until(&at, "ready").await;
    application.post(&format!("{at}/publish"), &json!({})).await;
    let told = until(&at, "published").await;
    let places = told["report"]["places"].as_array().unwrap();
    let mut pages: Vec<&str> = places.iter().map(|place| place["page"].as_str().unwrap()).collect();
    pages.sort_unstable();
    assert_eq!(pages, ["hall.html", "hall.html", "index.html", "index.html"]);
    assert_eq!(told["sums"]["left"], 0);
    let index = fs::read_to_string(folder.path().join("index.html")).unwrap();
    assert!(index.contains("media/made/") && index.contains("src=img/dome.jpg"), "{index}");
    assert!(!index.contains(".webp"), "{index}");
    let page = fs::read_to_string(folder.path().join("hall.html")).unwrap();

    // The host is mended: the next one offers the other format, too, and after that nothing is new.
    application.until_measured().await;
    application.until_all_is_done(3).await;
    let site = serve(host::router(folder.path(), Faults::default())).await;
    let address = format!("{site}/index.html");
    application.change("/api/site", &json!({"address": address})).await;
    let at = begin().await;
    until(&at, "ready").await;
    application.post(&format!("{at}/publish"), &json!({})).await;
    let told = until(&at, "published").await;
    assert_eq!(told["sums"]["places"], 4, "{:#}", told["report"]["left"]);
    let styles = || fs::read_to_string(folder.path().join("site.css")).unwrap();
    let offered = |ending: &str| styles().matches(ending).count();
    assert!(offered(".webp") > 0, "{}", styles());
    let hall_page = || fs::read_to_string(folder.path().join("hall.html")).unwrap();
    assert_ne!(hall_page(), page);
    // Its caption says who made the picture, once, behind the page's own words.
    let credit = "Built in <b>1911</b>. <small>Ida Moor</small></figcaption>";
    assert!(
        hall_page().contains(credit) && hall_page().matches("Ida Moor").count() == 1,
        "{}",
        hall_page()
    );
    assert!(
        hall_page().contains("imagesrcset=\"media/made/")
            && hall_page().matches("preload").count() == 1
    );
    application.until_measured().await;
    application.until_all_is_done(3).await;
    let again = until(&begin().await, "ready").await;
    let left = again["report"]["left"].as_array().unwrap();
    assert!(left.iter().all(|left| left["reason"] == "applied"), "{left:#?}");
    assert_eq!((&again["sums"]["places"], left.len()), (&json!(0), 4));

    // What the host could do better with the files is told with the directive for it.
    let [note] = &told["host_notes"].as_array().unwrap()[..] else { panic!("{told:#}") };
    assert_eq!((&note["kind"], &note["seconds"]), (&json!("shortly-kept"), &json!(null)));
    assert!(note["mend"].as_str().unwrap().contains("location /media/made/ { expires 30d; }"));

    // Where something changes here, what is published says so: until files are made, and until they are there.
    let since = async || {
        let list = application.json("/api/publications").await;
        ["shown", "changed", "newer"].map(|count| list[count].as_u64().unwrap())
    };
    assert_eq!(since().await, [4, 0, 0]);
    let plain = json!({"formats": ["jpeg"], "densities": [1, 2]});
    application.put("/api/output-rules", &plain).await;
    assert_eq!(since().await, [4, 4, 0]);
    application.run_to_its_end(&json!({"which": {"ids": [hall, sky]}})).await;
    assert_eq!(since().await, [4, 0, 4]);
    let at = begin().await;
    until(&at, "ready").await;
    application.post(&format!("{at}/publish"), &json!({})).await;
    until(&at, "published").await;
    application.until_measured().await;
    application.until_all_is_done(3).await;
    assert_eq!(since().await, [4, 0, 0]);
    assert!(
        !hall_page().contains(".webp") && hall_page().matches("preload").count() == 1,
        "{}",
        hall_page()
    );
    // The style sheet offers the new files in place of the earlier ones, behind what it said at first.
    assert_eq!(offered(".webp"), 0, "{}", styles());
    assert!(styles().contains("url('img/sky.jpg') center/cover;background:"), "{}", styles());
}
