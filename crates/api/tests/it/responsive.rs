//! Responsive sets, as a client meets them.

use crate::support::{Answer, Api};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Rect;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::colour::Profile;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_testing::pictures::{encoded, gradient, gradient_jpeg, profiled_png};
use serde_json::{Value, json};

/// A slot typed by hand that is `width` CSS px wide and half as high, at every layout width.
async fn slot(api: &Api, width: u32) -> String {
    let size = json!([width, width / 2]);
    let boxes = json!({"390": size, "1280": size});
    let new = json!({"name": "teaser", "kind": "card", "fit": "cover", "boxes": boxes});
    api.post("/api/slots", &new).await.json()["id"].as_str().unwrap().to_owned()
}

async fn rule(api: &Api, of: &str, rule: Value) -> Answer {
    api.put(&format!("/api/output-rules{of}"), &rule).await
}

fn files(set: &Value) -> Vec<&Value> {
    let steps =
        set["parts"].as_array().unwrap().iter().flat_map(|p| p["steps"].as_array().unwrap());
    steps.flat_map(|step| step["files"].as_array().unwrap()).collect()
}

/// The set after a job made its files.
async fn made_set(api: &Api, id: &str, asked: &Value) -> Value {
    let begun = api.post(&format!("/api/pictures/{id}/set/files"), asked).await;
    assert_eq!(begun.status, 202, "{}", begun.text());
    api.work().await;
    let set = api.post(&format!("/api/pictures/{id}/set"), asked).await.json();
    assert_eq!(set["job"]["state"], "done", "{set:#}");
    set
}

fn kinds(set: &Value) -> Vec<&str> {
    let issues = set["issues"].as_array().unwrap();
    issues.iter().map(|issue| issue["kind"].as_str().unwrap()).collect()
}

#[tokio::test]
async fn a_set_is_made_once_as_the_rules_say_with_its_credit_in_it() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(600, 400)).await;
    let described = json!({"pictures": {&id: {"creator": "Ada Fenn"}}});
    assert_eq!(api.patch("/api/pictures", &described).await.status, 200);
    let slot = slot(&api, 200).await;
    rule(&api, "", json!({"formats": ["webp", "jpeg"], "name_pattern": "{title}"})).await;
    rule(&api, &format!("?slot={slot}"), json!({"densities": [1, 1.5]})).await;
    let asked = json!({"slot": slot});
    let planned = api.post(&format!("/api/pictures/{id}/set"), &asked).await.json();
    assert_eq!((&planned["files"], &planned["made"]), (&json!(4), &json!(0)), "{planned:#}");
    let set = made_set(&api, &id, &asked).await;
    assert_eq!(set["made"], 4);
    let names: Vec<&str> = files(&set).iter().map(|file| file["name"].as_str().unwrap()).collect();
    let wanted = ["dome-200.webp", "dome-200.jpg", "dome-300.webp", "dome-300.jpg"];
    assert_eq!(names, wanted, "each width has a name of its own");
    for file in files(&set) {
        let made = &file["made"];
        assert!(made["score"].as_f64().unwrap() >= 70.0, "{file}");
        let variant = made["variant"].as_str().unwrap();
        let bytes = api.get(&format!("/api/variants/{variant}/file")).await.body;
        assert_eq!(bytes.len() as u64, made["margin"]["weight"].as_u64().unwrap());
        assert_eq!(
            Original::open(&Codecs::in_process(), &bytes).unwrap().told().creator,
            "Ada Fenn"
        );
    }

    // The same again costs nothing: the same files, and no trial more.
    let trials = async || {
        let place = json!({"slot": {"width": 200, "height": 100, "fit": "cover"}, "density": 1});
        let proof = api.post(&format!("/api/pictures/{id}/proof"), &place).await.json();
        proof["trials"].as_array().unwrap().len()
    };
    let before = trials().await;
    let again = made_set(&api, &id, &asked).await;
    assert_eq!(files(&again), files(&set));
    assert_eq!(trials().await, before);

    // Another picture's files are never called the same.
    let other = api.taken("dome.jpg", &gradient_jpeg(700, 500)).await;
    let set = api.post(&format!("/api/pictures/{other}/set"), &asked).await.json();
    let names: Vec<&str> = files(&set).iter().map(|file| file["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["dome-200-2.webp", "dome-200-2.jpg", "dome-300-2.webp", "dome-300-2.jpg"]);

    // Without credit they are other files.
    rule(&api, &format!("?picture={id}"), json!({"keeps_credit": false})).await;
    let bare = api.post(&format!("/api/pictures/{id}/set"), &asked).await.json();
    assert_eq!(bare["made"], 0);
}

#[tokio::test]
async fn layout_widths_with_the_same_box_share_their_files() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(900, 450)).await;
    let boxes = json!({
        "390": [200, 100], "820": [100, 50], "1280": [200, 100], "1920": [200, 100],
    });
    let new = json!({"name": "teaser", "kind": "card", "fit": "cover", "boxes": boxes});
    let slot = api.post("/api/slots", &new).await.json()["id"].clone();
    rule(&api, "", json!({"formats": ["jpeg"], "densities": [1]})).await;
    // A border as wide on every screen: each layout width has files of its own.
    let mut adjustments =
        api.get(&format!("/api/pictures/{id}/bench")).await.json()["adjustments"].clone();
    let border = json!({"kind": "border", "width": {"px": 4, "of": "css"}, "colour": "#ffffff"});
    adjustments["edits"] = json!({"version": 1, "steps": [border]});
    let asked = json!({"slot": slot, "adjustments": adjustments});
    let set = made_set(&api, &id, &asked).await;
    let parts = set["parts"].as_array().unwrap();
    assert_eq!(parts.len(), 3, "the widest two have the same box: {set:#}");
    assert_eq!((&set["files"], &set["made"]), (&json!(3), &json!(3)));
    let names: Vec<&Value> = files(&set).iter().map(|file| &file["name"]).collect();
    assert_eq!(names[0], names[2], "the narrowest has the same box as well");
    assert_ne!(names[0], names[1]);
}

#[tokio::test]
async fn a_picture_that_is_excluded_is_made_into_nothing_and_says_so() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(600, 400)).await;
    let slot = slot(&api, 200).await;
    rule(&api, &format!("?picture={id}"), json!({"excluded": true})).await;
    let asked = json!({"slot": slot});
    let set = api.post(&format!("/api/pictures/{id}/set"), &asked).await.json();
    assert_eq!(set["markup"], Value::Null);
    assert_eq!(kinds(&set), ["excluded"]);
    let refused = api.post(&format!("/api/pictures/{id}/set/files"), &asked).await;
    assert_eq!(refused.status, 422);
    assert!(refused.json()["detail"].as_str().unwrap().contains("excluded"));
}

#[tokio::test]
async fn what_is_lean_already_is_left_as_it_came_and_never_gets_heavier() {
    let api = Api::start().await;
    // So poor that nothing good could be lighter.
    let lean = encoded(&gradient(400, 200), Format::Jpeg, 30);
    let id = api.taken("lean.jpg", &lean).await;
    let slot = slot(&api, 400).await;
    let want = json!({"by": "grade", "value": "fine"});
    let said = json!({"formats": ["jpeg"], "densities": [1], "want": &want});
    rule(&api, &format!("?picture={id}"), said).await;
    let asked = json!({"slot": slot});
    let set = made_set(&api, &id, &asked).await;
    let made = &files(&set)[0]["made"];
    assert_eq!(made["is_copy"], true, "{set:#}");
    assert_eq!(made["score"], 100.0);
    let weight = made["margin"]["weight"].as_u64().unwrap();
    assert!(weight <= lean.len() as u64);

    // A cap counts more.
    let cap = json!({"kind": "at", "bytes": weight - 1});
    let said = json!({"formats": ["jpeg"], "densities": [1], "want": want, "cap": cap});
    rule(&api, &format!("?picture={id}"), said).await;
    let set = made_set(&api, &id, &asked).await;
    let made = &files(&set)[0]["made"];
    assert!(made["margin"]["weight"].as_u64().unwrap() < weight, "{made}");
}

#[tokio::test]
async fn files_of_other_formats_never_get_heavier_either() {
    let api = Api::start().await;
    let slot = slot(&api, 400).await;
    for format in [Format::Webp, Format::Avif] {
        let lean = encoded(&gradient(400, 200), format, 20);
        let name = format!("lean.{}", format.extension());
        let id = api.taken(&name, &lean).await;
        let formats = json!([format.name(), "jpeg"]);
        let want = json!({"by": "grade", "value": "fine"});
        let said = json!({"formats": formats, "densities": [1], "want": want});
        rule(&api, &format!("?picture={id}"), said).await;
        let asked = json!({"slot": slot});
        let set = made_set(&api, &id, &asked).await;
        let made = &files(&set)[0]["made"];
        assert_eq!(made["is_copy"], true, "{format}: {made}");
        assert!(made["margin"]["weight"].as_u64().unwrap() <= lean.len() as u64, "{format}");
    }
}

#[tokio::test]
async fn a_slot_that_nothing_shows_or_that_asks_for_too_much_says_so() {
    let api = Api::start().await;
    let id = api.taken("dome.jpg", &gradient_jpeg(100, 50)).await;
    let wide = slot(&api, 200).await;
    let set = api.post(&format!("/api/pictures/{id}/set"), &json!({"slot": wide})).await.json();
    let widths: Vec<&Value> =
        set["parts"][0]["steps"].as_array().unwrap().iter().map(|step| &step["width"]).collect();
    assert_eq!(widths, [100], "never enlarged");
    assert_eq!(kinds(&set), ["too-small", "no-alt"]);

    // An exact slot asks for all of its pixels: screens that have them get them.
    let size = json!([80, 40]);
    let exact = json!({
        "name": "icon", "kind": "card", "fit": "exact", "boxes": {"390": size, "1280": size},
    });
    let exact = api.post("/api/slots", &exact).await.json()["id"].clone();
    let set = api.post(&format!("/api/pictures/{id}/set"), &json!({"slot": exact})).await.json();
    let steps = set["parts"][0]["steps"].as_array().unwrap_or_else(|| panic!("{set:#}"));
    assert_eq!((&steps[0]["width"], steps.len()), (&json!(80), 2), "{set:#}");
    assert_eq!(kinds(&set)[0], "too-small");
    let size = json!([200, 100]);
    let large = json!({
        "name": "poster", "kind": "card", "fit": "exact", "boxes": {"390": size, "1280": size},
    });
    let large = api.post("/api/slots", &large).await.json()["id"].clone();
    let refused = api.post(&format!("/api/pictures/{id}/set"), &json!({"slot": large})).await;
    assert_eq!(refused.status, 422, "no screen has enough");
    let missing = json!({"slot": "01a21446-84ac-71b1-9551-e0574fdcb3ed"});
    assert_eq!(api.post(&format!("/api/pictures/{id}/set"), &missing).await.status, 404);
}

/// The first file of a set: its pixels as stored, and its profile.
async fn first_file(api: &Api, set: &Value) -> (Raster, Option<Vec<u8>>) {
    let file = files(set)[0];
    let variant = file["made"]["variant"].as_str().unwrap();
    let bytes = api.get(&format!("/api/variants/{variant}/file")).await.body;
    let icc = Original::open(&Codecs::in_process(), &bytes).unwrap().icc().map(<[u8]>::to_vec);
    (Codecs::in_process().decode(Format::Webp, &bytes).unwrap(), icc)
}

#[tokio::test]
async fn colours_become_srgb_unless_a_rule_keeps_the_profile() {
    let api = Api::start().await;
    let profile = Profile::display_p3();
    let icc = profile.icc().unwrap();
    let drawn = gradient(300, 200);
    let id = api.taken("dome.png", &profiled_png(&drawn, &icc)).await;
    let slot = slot(&api, 300).await;
    let asked = json!({"slot": slot});
    let made = async |keeps: bool, formats: Value| {
        let said = json!({
            "formats": formats, "densities": [1], "want": {"by": "lossless"},
            "keeps_profile": keeps,
        });
        rule(&api, &format!("?picture={id}"), said).await;
        made_set(&api, &id, &asked).await
    };
    let shown = drawn.crop(Rect { x: 0, y: 25, width: 300, height: 150 });
    let kept = made(true, json!(["webp", "png"])).await;
    assert_eq!(kept["profile"], "Display P3", "{kept:#}");
    assert_eq!(first_file(&api, &kept).await, (shown.clone(), Some(icc)));

    let plain = made(false, json!(["webp", "png"])).await;
    assert_eq!(plain["profile"], Value::Null);
    let mut converted = shown;
    profile.convert(&mut converted);
    assert_eq!(first_file(&api, &plain).await, (converted, None));

    // GIF has no place for a profile.
    let gif = api
        .put(
            &format!("/api/output-rules?picture={id}"),
            &json!({"formats": ["webp", "gif"], "keeps_profile": true}),
        )
        .await;
    assert_eq!(gif.status, 200);
    let set = api.post(&format!("/api/pictures/{id}/set"), &asked).await.json();
    let issues = set["issues"].as_array().unwrap();
    let lost = issues.iter().find(|issue| issue["kind"] == "profile-not-kept").unwrap();
    assert_eq!(lost["words"], "Display P3 is not kept: a rule with GIF in it is made in sRGB");
}
