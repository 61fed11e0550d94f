//! `brisk-margin apply` on sites of different kinds: a page stands as it stood, its browser loads what the
//! markup promises, and all of it goes back to the byte.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{program, workspace};
use brisk_margin_e2e::browser::Browser;
use brisk_margin_e2e::files::seen;
use brisk_margin_e2e::web_host::serve;
use brisk_margin_site::host::{self, Faults};
use brisk_margin_testing::pictures::{encoded, spots};
use serde_json::{Value, json};
use tempfile::TempDir;

/// A site that is drawn for a test.
struct DrawnSite {
    home: TempDir,
}

impl DrawnSite {
    /// The pages called `name`, with `pictures` by path and size.
    fn new(name: &str, pictures: &[(&str, u32, u32)]) -> Self {
        let home = tempfile::tempdir().unwrap();
        let from = workspace().join("e2e/sites").join(name);
        let site = Self { home };
        copy(&from, &site.folder());
        for (n, &(path, width, height)) in pictures.iter().enumerate() {
            let format = match path.rsplit('.').next().unwrap() {
                "png" => Format::Png,
                "webp" => Format::Webp,
                _ => Format::Jpeg,
            };
            let file = site.folder().join(path);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(&file, encoded(&spots(n as u32, width, height), format, 95)).unwrap();
            fs::set_permissions(&file, fs::Permissions::from_mode(0o640)).unwrap();
        }
        site
    }

    fn folder(&self) -> PathBuf {
        self.home.path().join("site")
    }

    fn out(&self) -> PathBuf {
        self.home.path().join("out")
    }

    async fn apply(&self, arguments: &[&str]) -> Applied {
        let mut command = Command::new(program());
        command.arg("apply").arg(self.folder()).arg("--cache").arg(self.home.path().join("cache"));
        command.args(arguments);
        let output = tokio::task::spawn_blocking(move || command.output().unwrap()).await.unwrap();
        Applied(output)
    }

    /// With the formats that are made quickly.
    async fn to_out(&self) -> Applied {
        let out = self.out();
        let formats = ["--formats", "webp,jpeg,png", "--density", "1"];
        self.apply(&[&formats[..], &["--json", "--out", out.to_str().unwrap()]].concat()).await
    }
}

fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let to = to.join(entry.file_name());
        match entry.path().is_dir() {
            true => copy(&entry.path(), &to),
            false => drop(fs::copy(entry.path(), to).unwrap()),
        }
    }
}

struct Applied(Output);

impl Applied {
    fn lines(&self) -> Vec<Value> {
        let text = std::str::from_utf8(&self.0.stdout).unwrap();
        text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    }

    fn sum(&self) -> Value {
        self.lines().pop().unwrap_or_else(|| panic!("{}", self.said()))
    }

    fn changed(&self) -> Vec<Value> {
        self.lines().into_iter().filter(|line| line["files"].is_array()).collect()
    }

    /// Why places were left, by how often.
    fn left(&self) -> BTreeMap<String, usize> {
        let mut left = BTreeMap::new();
        for line in self.lines() {
            if let Some(reason) = line["left"].as_str() {
                *left.entry(reason.to_owned()).or_default() += 1;
            }
        }
        left
    }

    fn said(&self) -> String {
        String::from_utf8_lossy(&self.0.stderr).into_owned()
    }

    fn code(&self) -> i32 {
        self.0.status.code().unwrap()
    }
}

/// The boxes of all elements but those that only offer files, at a phone's and a desktop's width, as a
/// browser that knows nothing of this program tells them.
async fn boxes(folder: &Path, page: &str) -> Vec<Value> {
    let address = serve(host::router(folder, Faults::default())).await;
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 900, downloads.path()).await;
    let mut boxes = Vec::new();
    for width in [390, 1_280] {
        browser.viewport(width, 900).await;
        browser.client.goto(&format!("{address}/{page}")).await.unwrap();
        let script = "for (const image of document.images) image.loading = 'eager';
            await Promise.all([...document.images].map((image) => image.decode().catch(() => 0)));
            return [...document.querySelectorAll('body *')]
                .filter((e) => !['picture', 'source', 'template', 'script', 'noscript'].includes(e.localName) && e.id !== 'clock')
                .map((e) => { const r = e.getBoundingClientRect();
                    return [e.localName, r.x, r.y, r.width, r.height]; })";
        let script = format!("return (async () => {{ {script} }})()");
        boxes.push(browser.run(&script, vec![]).await);
    }
    browser.close().await;
    boxes
}

async fn stands_as_it_stood(site: &DrawnSite, page: &str) {
    let (before, after) = (boxes(&site.folder(), page).await, boxes(&site.out(), page).await);
    for (before, after) in before.iter().zip(&after) {
        let (before, after) = (before.as_array().unwrap(), after.as_array().unwrap());
        assert!(before.len() > 4 && before.len() == after.len(), "{before:?}\n{after:?}");
        for (before, after) in before.iter().zip(after) {
            assert_eq!(before[0], after[0], "{page}");
            for n in 1..5 {
                let far = (before[n].as_f64().unwrap() - after[n].as_f64().unwrap()).abs();
                // A file has whole pixels.
                assert!(far < 1.0, "{page}: {before} → {after}");
            }
        }
    }
}

fn all_as_promised(applied: &Applied) {
    for line in applied.changed() {
        assert_eq!(line["as_promised"], json!(true), "{line:#}");
        assert!(line["after"].as_u64() < line["before"].as_u64(), "{line:#}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_grid_keeps_its_selectors_and_a_second_time_costs_nothing() {
    let pictures = [
        ("img/cabin.jpg", 720, 540),
        ("img/stove.jpg", 600, 400),
        ("img/window.jpg", 600, 450),
        ("img/guide.jpg", 300, 300),
        ("img/ridge.jpg", 800, 350),
    ];
    let site = DrawnSite::new("grid", &pictures);
    let before = seen(&site.folder());
    let applied = site.to_out().await;
    assert_eq!(applied.code(), 0, "{}", applied.said());
    assert_eq!(applied.changed().len(), 5, "{:#?}", applied.lines());
    all_as_promised(&applied);
    stands_as_it_stood(&site, "index.html").await;
    assert_eq!(seen(&site.folder()), before, "the site itself is not touched");
    let page = fs::read_to_string(site.out().join("index.html")).unwrap();
    // `.tile>img+span` finds the element only where it stands alone.
    assert!(page.contains(
        "<link rel=\"preload\" as=\"image\" type=\"image/webp\" imagesrcset=\"variants/cabin-"
    ));
    let tile = page.split("class=\"tile\"").nth(1).unwrap();
    assert!(tile.contains("href=\"#book\"><img src=\"variants/window-"), "{tile}");
    assert!(
        page.contains("<picture style=\"display:contents\"><source hidden type=\"image/webp\"")
    );
    let css = fs::read_to_string(site.out().join("css/frame.css")).unwrap();
    assert!(css.contains("#223 url(\"../img/ridge.jpg\") center/cover no-repeat;background:#223 image-set(url(\"../variants/ridge-"), "{css}");

    let made = seen(&site.out());
    let again = site.to_out().await;
    assert_eq!(again.sum()["encodes"], 0, "{}", again.sum());
    assert_eq!(seen(&site.out()), made, "nothing is written again");
    let most = ["--formats", "webp,jpeg,png", "--density", "1", "--max-page-bytes", "4000"];
    let over = site.apply(&[&most[..], &["--dry-run", "--json"]].concat()).await;
    assert_eq!(over.code(), 1);
    assert!(over.said().contains("index.html loads"), "{}", over.said());
}

#[tokio::test(flavor = "multi_thread")]
async fn an_old_table_keeps_its_letters_and_lines() {
    let pictures = [
        ("img/Haus am See.JPG", 1_240, 520),
        ("img/cake.jpg", 800, 600),
        ("img/tea.jpg", 800, 600),
        ("img/paper.jpg", 40, 40),
    ];
    let site = DrawnSite::new("table", &pictures);
    let applied = site.to_out().await;
    assert_eq!(applied.code(), 0, "{} {:#?}", applied.said(), applied.lines());
    assert_eq!(applied.changed().len(), 4, "{:#?}", applied.lines());
    all_as_promised(&applied);
    stands_as_it_stood(&site, "index.htm").await;
    let page = fs::read(site.out().join("index.htm")).unwrap();
    let has = |text: &[u8]| page.windows(text.len()).any(|part| part == text);
    assert!(has(b"ALT=\"Caf\xe9\""), "letters stay as they were written");
    assert!(has(
        b"<!-- <IMG SRC=img/old.jpg> -->\r\n<!--[if IE]><IMG SRC=\"img/ie.jpg\"><![endif]-->"
    ));
    assert!(has(b"Kuchen &amp; Tee\r\n<TD>"));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_scripts_do_on_a_slider_goes_on() {
    let pictures = [
        ("img/pier.jpg", 800, 450),
        ("img/boats.jpg", 720, 480),
        ("img/late.jpg", 450, 300),
        ("img/copy.jpg", 300, 200),
    ];
    let site = DrawnSite::new("slider", &pictures);
    let applied = site.to_out().await;
    // The picture that a script puts there, and the one that it loads late, are left and told.
    assert_eq!(applied.left(), [("not-in-source".to_owned(), 2)].into(), "{:#?}", applied.lines());
    assert_eq!(applied.code(), 1);
    assert_eq!(applied.changed().len(), 4, "{:#?}", applied.lines());
    all_as_promised(&applied);
    stands_as_it_stood(&site, "index.html").await;
    let page = fs::read_to_string(site.out().join("index.html")).unwrap();
    assert!(page.contains("class=\"is-on\" alt=\"The pier\" onload=\"this.dataset.ready = '1'\""));
    assert!(page.contains("<img data-src=\"img/late.jpg\" class=\"late\""));
    assert!(page.contains("const page = \"<img src='img/none.jpg'>\";"));
}

#[tokio::test(flavor = "multi_thread")]
async fn pictures_in_a_text_are_published_and_taken_back_to_the_byte() {
    let pictures = [
        ("posts/bog pool.jpg", 800, 500),
        ("posts/Wollgräser.jpg", 420, 540),
        ("posts/ridge.jpg", 800, 400),
        ("posts/ridge.webp", 800, 400),
        ("posts/spot.jpg", 200, 200),
        ("posts/day.jpg", 600, 400),
        ("posts/night.jpg", 600, 400),
    ];
    let site = DrawnSite::new("blog", &pictures);
    let before = seen(&site.folder());
    let formats = ["--formats", "webp,jpeg,png", "--density", "1", "--json"];
    let applied = site.apply(&[&formats[..], &["--in-place"]].concat()).await;
    assert_eq!(applied.changed().len(), 3, "{:#?}", applied.lines());
    all_as_promised(&applied);
    let left = applied.left();
    assert_eq!(left.get("one-file"), Some(&1), "the image of a drawing: {left:?}");
    assert_eq!(left.get("several-pictures"), Some(&1), "one for dark screens: {left:?}");
    let page = fs::read_to_string(site.folder().join("index.html")).unwrap();
    assert!(page.contains("<template><img src=\"never.jpg\"></template>"));
    assert!(page.contains("../variants/wollgraeser-"), "from the base of the page: {page}");

    // Once more there is nothing to do, and what somebody changes is theirs.
    let again = site.apply(&[&formats[..], &["--in-place"]].concat()).await;
    assert_eq!((&again.sum()["written"], &again.sum()["encodes"]), (&json!(0), &json!(0)));
    fs::write(site.folder().join("index.html"), "theirs").unwrap();
    let refused = site.apply(&["--take-back"]).await;
    assert_eq!(refused.code(), 1);
    assert!(refused.said().contains("index.html"), "{}", refused.said());
    let forced = site.apply(&["--take-back", "--force"]).await;
    assert_eq!(forced.code(), 0, "{}", forced.said());
    assert_eq!(seen(&site.folder()), before);
    assert_eq!(site.apply(&["--take-back"]).await.code(), 1, "there is nothing any more");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shop_list_has_its_boxes_backgrounds_and_loading() {
    let pictures = [
        ("img/one.jpg", 500, 500),
        ("img/one-big.jpg", 900, 900),
        ("img/two.jpg", 540, 420),
        ("img/three.png", 300, 300),
        ("img/shelf.jpg", 960, 250),
    ];
    let site = DrawnSite::new("shop", &pictures);
    let applied = site.to_out().await;
    assert_eq!(applied.code(), 0, "{} {:#?}", applied.said(), applied.lines());
    assert_eq!(applied.changed().len(), 6, "{:#?}", applied.lines());
    all_as_promised(&applied);
    stands_as_it_stood(&site, "index.html").await;
    stands_as_it_stood(&site, "cart/index.html").await;
    let page = fs::read_to_string(site.out().join("index.html")).unwrap();
    assert!(page.contains("style=\"background-image: url('img/shelf.jpg');background-image: image-set(url('variants/shelf-"), "{page}");
    let cart = fs::read_to_string(site.out().join("cart/index.html")).unwrap();
    assert!(cart.contains("../variants/one-48x48-"), "{cart}");
    let inside = site.folder().join("light");
    let refused = site.apply(&["--out", inside.to_str().unwrap()]).await;
    assert!(refused.said().contains("lie in one another"), "{}", refused.said());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_broken_costs_itself_and_nothing_is_written_through_a_link() {
    let pictures = [("img/fine.jpg", 900, 600), ("IMG/Fine.jpg", 800, 600)];
    let site = DrawnSite::new("faults", &pictures);
    let folder = site.folder();
    fs::write(folder.join("img/broken.jpg"), "no picture").unwrap();
    let drawing = "<svg xmlns='http://www.w3.org/2000/svg' width='300' height='200'/>";
    fs::write(folder.join("img/plan.svg"), drawing).unwrap();
    let elsewhere = tempfile::tempdir().unwrap();
    fs::write(elsewhere.path().join("far.jpg"), encoded(&spots(9, 900, 600), Format::Jpeg, 95))
        .unwrap();
    std::os::unix::fs::symlink(elsewhere.path(), folder.join("out")).unwrap();
    let page =
        "\u{feff}<!doctype html><title>Wide</title><img src='img/fine.jpg' width=300 height=200>";
    let wide: Vec<u8> = page.encode_utf16().flat_map(u16::to_le_bytes).collect();
    fs::write(folder.join("wide.html"), &wide).unwrap();

    let applied = site.apply(&["--formats", "webp,jpeg,png", "--json", "--in-place"]).await;
    assert_eq!(applied.code(), 1);
    let left = applied.left();
    assert_eq!(left.get("page"), Some(&1), "UTF-16: {:#?}", applied.lines());
    assert_eq!(left.get("drawing"), Some(&1), "{left:?}");
    assert_eq!(left.get("unreadable"), Some(&3), "broken, missing and behind a link: {left:?}");
    let changed: Vec<String> =
        applied.changed().iter().map(|line| line["source"].as_str().unwrap().to_owned()).collect();
    // The last tag is closed by what follows it.
    assert_eq!(changed, ["img/fine.jpg", "IMG/Fine.jpg", "img/fine.jpg"], "{:#?}", applied.lines());
    all_as_promised(&applied);
    assert_eq!(fs::read(folder.join("wide.html")).unwrap(), wide);
    assert_eq!(fs::read_dir(elsewhere.path()).unwrap().count(), 1);
    assert!(applied.said().contains("could be mended: 4 places"), "{}", applied.said());

    let taken_back = site.apply(&["--take-back"]).await;
    assert_eq!(taken_back.code(), 0, "{}", taken_back.said());
    assert!(!folder.join("variants").exists());
    assert!(!site.home.path().join("site.brisk-margin").exists(), "the journal is gone");
    let nowhere = site.apply(&["--dry-run", "--formats", "webp,avif"]).await;
    assert!(nowhere.said().contains("some browsers read no other"), "{}", nowhere.said());
}
