//! A folder of camera files, brought in, described by keyboard, found again, removed and brought
//! back.

use std::collections::BTreeMap;

use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::{Browser, shows};
use brisk_margin_testing::made_up;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png};
use serde_json::{Value, json};

const ENTER: &str = "\u{E007}";
const ESCAPE: &str = "\u{E00C}";

#[tokio::test(flavor = "multi_thread")]
async fn a_folder_is_dropped_described_by_keyboard_and_partly_removed() {
    let home = Home::empty().await;
    let application = home.serve();
    let folder = tempfile::tempdir().unwrap();
    let walks = folder.path().join("walks");
    std::fs::create_dir(&walks).unwrap();
    for (n, name) in ["a.jpg", "b.jpg", "c.jpg", "d.jpg"].into_iter().enumerate() {
        std::fs::write(walks.join(name), gradient_jpeg(300 + n as u32, 200)).unwrap();
    }
    std::fs::write(walks.join("e.png"), gradient_png(90, 60)).unwrap();
    std::fs::write(walks.join("note.txt"), "bring red lamps").unwrap();

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.labelled("Uploads").await.click().await.unwrap();
    let chooser = browser.find("input[data-testid=folder]").await;
    chooser.send_keys(&folder.path().display().to_string()).await.unwrap();
    browser.until("five are taken, one is not", &shows("5 added · 1 not added")).await;
    browser.find(".ant-drawer-close").await.click().await.unwrap();
    browser.until("all were looked at", &shows("no alt text 5")).await;

    // Filter, then write three alt texts with the keyboard alone.
    click_word(&browser, "no alt text").await;
    browser.segment("Edit details").await;
    browser
        .until("writing has the focus", "return document.activeElement.matches('.describe')")
        .await;
    let grid = browser.find(".describe").await;
    for text in ["The first walk", "The dome", "Red lamps"] {
        grid.send_keys(&text[..1]).await.unwrap();
        let field = browser.find(".describe input").await;
        field.send_keys(&format!("{}{ENTER}", &text[1..])).await.unwrap();
        browser.until("it was kept", "return !document.querySelector('.describe input')").await;
    }
    browser.until("what was written stays in view", &shows("Red lamps")).await;
    browser.until("two are left", &shows("no alt text 2")).await;
    grid.send_keys(ESCAPE).await.unwrap();
    browser
        .until("the filter holds", "return document.querySelectorAll('.grid-row').length === 2")
        .await;

    browser.labelled("Save this filter…").await.click().await.unwrap();
    let name = browser.find("input[aria-label='Name of the filter']").await;
    name.send_keys(&format!("To be described{ENTER}")).await.unwrap();
    browser.until("it is saved", &shows("Saved the filter “To be described”.")).await;
    let shelves = application.json("/api/shelves").await;
    assert_eq!(shelves["filters"][0]["filter"]["issues"], json!(["no-alt"]));

    remove_the_first(&browser).await;
    browser
        .until("one is left", "return document.querySelectorAll('.grid-row').length === 1")
        .await;
    browser.run("document.activeElement.blur()", vec![]).await;
    browser.find("body").await.send_keys("u").await.unwrap();
    browser
        .until("it is taken back", "return document.querySelectorAll('.grid-row').length === 2")
        .await;

    // And by the list of what was removed.
    remove_the_first(&browser).await;
    browser
        .until("one is left", "return document.querySelectorAll('.grid-row').length === 1")
        .await;
    browser.click(".side-list a[href*=removed]").await;
    // The list before is shown until this one has come.
    let listed = "const grid = document.querySelector('.grid');
        return location.search.includes('removed') && grid?.ariaBusy === 'false'";
    browser.until("it is listed there", listed).await;
    browser.click(".grid-row input[type=checkbox]").await;
    browser.labelled("Restore 1 picture").await.click().await.unwrap();
    browser.until("nothing is removed", &shows("Nothing was removed")).await;
    let all = application.json("/api/pictures").await;
    assert_eq!(all["pictures"].as_array().unwrap().len(), 5);
    assert!(all["pictures"][0]["folder"].as_str().unwrap().ends_with("walks"));
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_thousand_rows_scroll_without_gaps() {
    // Made-up pictures have no originals to be shown.
    let mut home = Home::empty().await;
    home.says_little = true;
    let application = home.serve();
    made_up::add_pictures(&home.site_database().await, 2_000).await.unwrap();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.until("the rows are there", &shows("2,000 pictures")).await;
    browser.labelled("Name").await.click().await.unwrap();
    // The old order is shown until the new one has come.
    let sorted =
        "return document.querySelector('.grid-row')?.dataset.name.startsWith('dome-close')";
    browser.until("they are sorted", sorted).await;
    // What was passed before it had come is passed again.
    let script = "const grid = document.querySelector('.grid');
        const isAtEnd = grid.scrollTop + grid.clientHeight >= grid.scrollHeight - 1;
        grid.scrollTop = isAtEnd ? 0 : grid.scrollTop + 600;
        return [...document.querySelectorAll('.grid-row')].map((row) => [+row.ariaRowIndex, row.dataset.name]);";
    let mut seen: BTreeMap<u64, String> = BTreeMap::new();
    let in_order =
        |seen: &BTreeMap<u64, String>| seen.values().is_sorted_by_key(|name| name.to_lowercase());
    for _ in 0..400 {
        for row in browser.run(script, vec![]).await.as_array().unwrap() {
            seen.insert(row[0].as_u64().unwrap(), row[1].as_str().unwrap().to_owned());
        }
        if seen.len() == 2_000 && in_order(&seen) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(40)).await;
    }
    assert_eq!(seen.len(), 2_000, "rows are missing");
    assert!(in_order(&seen), "they stand in their order");
    browser.close().await;
}

async fn remove_the_first(browser: &Browser) {
    browser.click(".grid-row input[type=checkbox]").await;
    browser.labelled("Remove…").await.click().await.unwrap();
    browser.labelled("Remove 1 picture").await.click().await.unwrap();
    browser.until("it is told", &shows("Removed 1 picture.")).await;
}

async fn click_word(browser: &Browser, word: &str) {
    let script = "const word = [...document.querySelectorAll('.filter-word')]
        .find((one) => one.textContent.startsWith(arguments[0]));
        word?.click(); return Boolean(word);";
    assert_eq!(browser.run(script, vec![json!(word)]).await, Value::Bool(true), "{word}");
}
