//! What stands in sheets beside a screen: tables of descriptions, output rules, names of collections;
//! and what is done with arrow keys alone.

use std::time::Duration;

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::{Browser, ENTER, shows};
use brisk_margin_testing::pictures::{encoded, gradient_jpeg, spots};
use serde_json::{Value, json};

const RIGHT: &str = "\u{E014}";
const DELETE: &str = "\u{E017}";

#[tokio::test(flavor = "multi_thread")]
async fn a_table_of_descriptions_goes_out_and_comes_back() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    for (seed, name) in ["dome.jpg", "moor.jpg"].into_iter().enumerate() {
        let jpeg = encoded(&spots(seed as u32, 300, 200), Format::Jpeg, 90);
        application.upload(name, jpeg).await;
    }
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.labelled("Table…").await.click().await.unwrap();
    browser.labelled("Export the list as CSV").await.click().await.unwrap();
    let path = downloads.path().join("descriptions.csv");
    let mut table = String::new();
    for _ in 0..200 {
        table = std::fs::read_to_string(&path).unwrap_or_default();
        if table.lines().count() == 3 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let mut rows = table.lines().map(str::to_owned);
    let head: Vec<String> = rows.next().unwrap().split(',').map(str::to_owned).collect();
    let at = |column: &str| head.iter().position(|one| one == column).unwrap();
    let (name, alt) = (at("name"), at("alt"));
    let mut written = vec![head.join(",")];
    for row in rows {
        let mut cells: Vec<&str> = row.split(',').collect();
        if cells[name] == "moor.jpg" {
            cells[alt] = "The moor at night";
        }
        written.push(cells.join(","));
    }
    written.push(
        head.iter()
            .map(|column| if column == "name" { "gone.jpg" } else { "" })
            .collect::<Vec<_>>()
            .join(","),
    );
    let changed = downloads.path().join("changed.csv");
    std::fs::write(&changed, written.join("\n")).unwrap();
    let input = browser.find("[data-testid=table]").await;
    input.send_keys(changed.to_str().unwrap()).await.unwrap();

    // What would change is shown before it does.
    browser.until("it is told", &shows("1 cell of 1 picture would change")).await;
    browser.until("the row without a picture, too", &shows("1 row has no picture")).await;
    let before = application.json("/api/pictures?search=moor").await;
    assert_eq!(before["pictures"][0]["description"]["alt"], "");
    browser.labelled("Change 1 picture").await.click().await.unwrap();
    browser.click(".notice.done .quiet-button").await;
    let alt = |words: &str| {
        let list = application.url("/api/pictures?search=moor");
        format!(
            "return fetch('{list}').then((answer) => answer.json())
                .then((all) => all.pictures[0].description.alt === '{words}')"
        )
    };
    browser.until("it is taken back", &alt("")).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn collections_are_renamed_deleted_and_come_back() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let id = application.upload("dome.jpg", gradient_jpeg(300, 200)).await;
    browser.client.goto(&application.url("/library")).await.unwrap();
    browser.click(".grid-row input[type=checkbox]").await;
    browser.choose_in_menu("More…", "Collect…").await;
    browser.type_into("Collection", "Wintr").await;
    browser.labelled("Collect").await.click().await.unwrap();
    browser.labelled("Wintr1").await.click().await.unwrap();
    browser.choose_in_menu("Collection…", "Rename…").await;
    browser.type_into("Name of the collection", "Winter").await;
    browser.labelled("Rename").await.click().await.unwrap();
    browser.until("it is renamed", &shows("“Wintr” is called “Winter” now")).await;
    browser.choose_in_menu("Collection…", "Delete the collection (its pictures stay)").await;
    browser.until("it is gone", &shows("Deleted the collection “Winter”")).await;
    assert_eq!(application.json("/api/shelves").await["collections"], json!([]));
    browser.click(".notice.done .quiet-button").await;
    // With its picture in it.
    browser.labelled("Winter1").await;
    let shelves = application.json("/api/shelves").await;
    let collection = shelves["collections"][0]["id"].as_str().unwrap().to_owned();
    let list = application.json(&format!("/api/pictures?collection={collection}")).await;
    assert_eq!(list["pictures"][0]["id"], json!(id));
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rule_of_a_picture_changes_its_trials_and_is_inherited_again() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let jpeg = encoded(&spots(5, 900, 600), Format::Jpeg, 92);
    let picture = application.upload("dome.jpg", jpeg).await;
    let slot =
        json!({"name": "Card", "kind": "card", "fit": "cover", "boxes": {"1280": [300, 200]}});
    let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();
    let address = format!("/bench/{picture}?step=encode&for={slot}");
    browser.client.goto(&application.url(&address)).await.unwrap();
    let trials = "const all = [...document.querySelectorAll('.band')].map((one) => one.dataset.trial);
        return all.length >= 2 && !document.querySelector('[data-testid=trial-progress]').textContent
            ? all : null";
    let before = browser.until_within(Duration::from_secs(60), "trials are there", trials).await;

    // A trial is asked for at a weight, by arrow keys on the byte ruler.
    let ruler = browser.find(".byte-ruler").await;
    ruler.send_keys(&RIGHT.repeat(3)).await.unwrap();
    let asked =
        browser.run("return document.querySelector('.byte-ruler').ariaValueNow", vec![]).await;
    ruler.send_keys(ENTER).await.unwrap();
    let count = before.as_array().unwrap().len();
    let more = format!("return document.querySelectorAll('.band').length > {count}");
    browser.until_within(Duration::from_secs(60), "it is tried", &more).await;
    let weights =
        "return [...document.querySelectorAll('.band')].map((one) => Number(one.dataset.bytes))";
    let weights: Vec<f64> = serde_json::from_value(browser.run(weights, vec![]).await).unwrap();
    let asked: f64 = asked.as_str().unwrap().parse().unwrap();
    assert!(weights.iter().all(|&bytes| bytes <= asked), "{asked} in {weights:?}");

    browser.labelled("Rules…").await.click().await.unwrap();
    browser.choose("Quality target", "grade lean").await;
    let lean =
        "return document.querySelector('[data-testid=rule-words]')?.textContent.includes('lean')";
    browser.until_within(Duration::from_secs(60), "the trials follow it", lean).await;
    let rule = application.json(&format!("/api/output-rules?picture={picture}")).await;
    assert_ne!(rule, Value::Null);
    browser.choose("Quality target", "inherited").await;
    let good = lean.replace("lean", "grade good");
    browser.until_within(Duration::from_secs(60), "it is as before", &good).await;
    assert_eq!(browser.complaints().await, [""; 0]);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_guide_is_added_moved_and_removed_by_keyboard() {
    let home = Home::empty().await;
    let application = home.serve();
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    let picture = application.upload("dome.jpg", gradient_jpeg(900, 600)).await;
    let slot =
        json!({"name": "Card", "kind": "card", "fit": "cover", "boxes": {"1280": [300, 200]}});
    let slot = application.post("/api/slots", &slot).await["id"].as_str().unwrap().to_owned();
    let address = format!("/bench/{picture}?step=frame&slot={slot}");
    browser.client.goto(&application.url(&address)).await.unwrap();
    browser.find(".plate canvas").await;
    browser.find(".ruler.down").await.send_keys(ENTER).await.unwrap();
    let guide = "return document.activeElement.matches('.guide.down') && document.activeElement.ariaValueNow";
    assert_eq!(browser.until("it is there, with the focus", guide).await, "450");
    let keys = browser.client.active_element().await.unwrap();
    keys.send_keys(&RIGHT.repeat(2)).await.unwrap();
    let moved = "return document.activeElement.ariaValueNow === '452'";
    browser.until("it moved by two pixels", moved).await;
    keys.send_keys(DELETE).await.unwrap();
    browser.until("it is gone", "return !document.querySelector('.guide')").await;
    browser.close().await;
}
