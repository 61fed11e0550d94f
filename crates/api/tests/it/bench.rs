//! The bench through the API: framed, finished, stepped back and forth, saved, laid on many.

use crate::support::Api;
use crate::support::pages::{card, page, serving};
use axum::http::StatusCode;
use brisk_margin_core::edits::values::Colour;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};

/// A picture of 1600 × 1000 px, placed in a slot with two boxes.
struct Placed {
    api: Api,
    picture: String,
    slot: String,
    place: String,
}

impl Placed {
    async fn new() -> Self {
        let api = Api::start().await;
        api.store.keep_page(page("walks.html", vec![card("a", 365.0)])).await.unwrap();
        let picture = api.taken("dome.jpg", &gradient_jpeg(1600, 1000)).await;
        let places = api.get("/api/occurrences").await.json();
        let (place, slot) = (text(&places[0]["id"]), text(&places[0]["slot_id"]));
        let put = json!({"picture_id": picture, "places": [place]});
        let put = api.post(&format!("/api/slots/{slot}/placement"), &put).await;
        assert!(put.status.is_success(), "{}", put.text());
        Self { api, picture, slot, place }
    }

    async fn bench(&self) -> Value {
        self.api.get(&format!("/api/pictures/{}/bench", self.picture)).await.json()
    }

    async fn post(&self, what: &str, body: Value) -> crate::support::Answer {
        self.api.post(&format!("/api/pictures/{}/{what}", self.picture), &body).await
    }

    /// Notes a step and returns its number.
    async fn step(&self, after: &Value, summary: &str, work: &Value) -> Value {
        let step = self
            .post("steps", json!({"after": after, "summary": summary, "adjustments": work}))
            .await;
        assert_eq!(step.status, StatusCode::CREATED, "{}", step.text());
        step.json()["id"].clone()
    }

    /// The pixels of the whole picture with that work, 100 px wide.
    async fn seen(&self, work: &Value) -> Raster {
        let sheet =
            self.post("sheet", json!({"adjustments": work, "views": [{"width": 100}]})).await;
        assert_eq!(sheet.status, StatusCode::OK, "{}", sheet.text());
        let image = text(&sheet.json()["image"]);
        let file = self.api.get(&format!("/api/sheets/{image}")).await;
        png::decode(&file.body).unwrap()
    }
}

fn text(value: &Value) -> String {
    value.as_str().unwrap_or_else(|| panic!("no text: {value}")).to_owned()
}

fn with(edits: Value) -> Value {
    json!({"focal": {"x": 0.5, "y": 0.5}, "edits": {"version": 1, "steps": edits}})
}

fn red() -> Value {
    json!({"kind": "wash", "from": "#ff0000", "to": null, "degrees": 0, "percent": 100})
}

#[tokio::test]
async fn one_answer_frames_every_slot_and_says_what_it_lacks() {
    let on = Placed::new().await;
    let work = json!({
        "focal": {"x": 0.0, "y": 0.5},
        "keep_area": {"x": 0.1, "y": 0.0, "width": 0.8, "height": 1.0},
    });
    let framings = on.post("framings", json!({"adjustments": work})).await.json();
    let widths = framings["slots"][0]["widths"].as_array().unwrap();
    assert_eq!(widths.len(), 2);
    let phone = &widths[0];
    assert_eq!((&phone["viewport"], &phone["needed"]["width"]), (&json!(390), &json!(716)));
    // 358 × 220 of 1600 × 1000: 1600 × 983, and 17 px of the keep area are cut.
    assert_eq!(phone["crop"], json!({"x": 0, "y": 9, "width": 1600, "height": 983}));
    let cut = &phone["keep_cut"];
    assert_eq!((&cut["top"], &cut["bottom"], &cut["left"]), (&json!(9), &json!(8), &json!(0)));

    let part = json!({"x": 1500, "y": 10, "width": 400, "height": 300});
    let crop = json!({
        "adjustments": work, "crop": part, "slot": on.slot, "viewport": 390,
        "aspect": 358.0 / 220.0, "holding": "size",
    });
    let made = on.post("crop", crop).await.json();
    assert_eq!(made["crop"], json!({"x": 1200, "y": 10, "width": 400, "height": 246}));
    let framings = on.post("framings", json!({"adjustments": made["adjustments"]})).await.json();
    let slot = &framings["slots"][0];
    assert_eq!(slot["widths"][0]["crop"], made["crop"]);
    assert_eq!(
        (&slot["widths"][0]["by_hand"], &slot["widths"][1]["by_hand"]),
        (&json!(true), &json!(false))
    );
    let short = slot["widths"][0]["shortfall"].as_f64().unwrap();
    assert!((short - 716.0 / 400.0).abs() < 1e-9, "{short}");

    let none = json!({"adjustments": work, "crop": {"x": 0, "y": 0, "width": 0, "height": 9}, "slot": on.slot, "viewport": 390});
    let refused = on.post("crop", none).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().contains("at least 1 px"), "{}", refused.text());
}

#[tokio::test]
async fn steps_lead_back_to_the_same_bytes_and_are_there_after_a_restart() {
    let on = Placed::new().await;
    let fresh = on.bench().await;
    assert_eq!((&fresh["at"], &fresh["steps"]), (&Value::Null, &json!([])));
    let before = on.seen(&fresh["adjustments"]).await;
    let first = on.step(&Value::Null, "washed it red", &with(json!([red()]))).await;
    let second =
        on.step(&first, "turned it", &with(json!([red(), {"kind": "turn", "quarters": 1}]))).await;

    let Placed { api, picture, slot, place } = on;
    let on = Placed { api: api.restart().await, picture, slot, place };
    let bench = on.bench().await;
    assert_eq!(bench["at"], second, "it lies on the bench as it was left");
    let steps = bench["steps"].as_array().unwrap();
    let parents: Vec<&Value> = steps.iter().map(|step| &step["parent"]).collect();
    assert_eq!(parents, [&Value::Null, &steps[0]["id"], &steps[1]["id"]]);
    assert_eq!(steps[0]["summary"], "as it arrived");
    let go = |step: &Value| format!("/api/steps/{}/go", text(step));
    let back = on.api.post(&go(&steps[1]["parent"]), &Value::Null).await.json();
    assert_eq!(on.seen(&back).await, before, "undone twice, every byte is as before");
    assert_eq!(on.bench().await["at"], steps[0]["id"]);
    let again = on.api.post(&go(&second), &Value::Null).await.json();
    let size = on.seen(&again).await.size();
    assert_eq!((size.width, size.height), (100, 160));

    let name = |step: &Value| format!("/api/steps/{}", text(step));
    let named = on.api.patch(&name(&first), &json!({"name": "For the winter page"})).await;
    assert_eq!(named.status, StatusCode::NO_CONTENT);
    on.api.patch(&name(&second), &json!({"name": "For the winter page"})).await;
    let steps = on.bench().await["steps"].clone();
    assert_eq!(
        (&steps[1]["name"], &steps[2]["name"]),
        (&Value::Null, &json!("For the winter page"))
    );
}

/// Any sequence of changes, undos and redos shows what a plain list of states would.
#[tokio::test]
async fn any_way_back_and_forth_shows_the_same_bytes() {
    let on = Placed::new().await;
    let first = on.bench().await["adjustments"].clone();
    let mut random = 7u32;
    let mut next = |below: u32| {
        random = random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (random >> 16) % below
    };
    // The steps by number, each with its work and the one that it came from.
    let noted =
        on.step(&Value::Null, "stop", &with(json!([{"kind": "exposure", "stops": 0.1}]))).await;
    let steps = on.bench().await["steps"].clone();
    let root = steps[0]["id"].clone();
    let mut tree = vec![(root.clone(), first.clone(), None)];
    tree.push((noted, with(json!([{"kind": "exposure", "stops": 0.1}])), Some(0)));
    let mut at = 1;
    for _ in 0..40 {
        match next(3) {
            0 => {
                let work =
                    with(json!([{"kind": "exposure", "stops": f64::from(next(40)) / 10.0 - 2.0}]));
                let id = on.step(&tree[at].0, "light", &work).await;
                tree.push((id, work, Some(at)));
                at = tree.len() - 1;
            }
            1 => at = tree[at].2.unwrap_or(at),
            _ => at = tree.iter().rposition(|step| step.2 == Some(at)).unwrap_or(at),
        }
        let path = format!("/api/steps/{}/go", text(&tree[at].0));
        let work = on.api.post(&path, &Value::Null).await.json();
        assert_eq!(
            work["edits"],
            tree[at].1.get("edits").cloned().unwrap_or(work["edits"].clone())
        );
        assert_eq!(on.bench().await["at"], tree[at].0);
    }
    assert!(tree.len() > 8, "changes were among them");
    // All the way back, and forth to a step of long ago: every byte is as it was then.
    let then = on.seen(&tree[1].1).await;
    let back = |at: usize| format!("/api/steps/{}/go", text(&tree[at].0));
    let start = on.api.post(&back(0), &Value::Null).await.json();
    assert_eq!(on.seen(&start).await, on.seen(&first).await);
    let again = on.api.post(&back(1), &Value::Null).await.json();
    assert_eq!(on.seen(&again).await, then);
}

#[tokio::test]
async fn a_picture_in_no_slot_is_made_at_a_size_in_proportion() {
    let on = Placed::new().await;
    let wish = |resize: Value| json!({"resize": resize, "density": 1, "format": "png"});
    for (resize, size) in [
        (json!({"by": "width", "px": 800}), (800, 500)),
        (json!({"by": "height", "px": 250}), (400, 250)),
        (json!({"by": "long-side", "px": 320}), (320, 200)),
        (json!({"by": "percent", "percent": 10}), (160, 100)),
    ] {
        let made = on.post("variants", wish(resize)).await.json();
        assert_eq!((&made["width"], &made["height"]), (&json!(size.0), &json!(size.1)), "{made}");
    }
    let refused = on.post("variants", wish(json!({"by": "width", "px": 0}))).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{}", refused.text());
    let neither = on.post("variants", json!({"density": 1, "format": "png"})).await;
    assert!(neither.text().contains("either a slot or a size"), "{}", neither.text());
}

#[tokio::test]
async fn the_second_of_two_who_save_is_told_and_nothing_is_overwritten() {
    let on = Placed::new().await;
    let mine = on.step(&Value::Null, "mine", &with(json!([red()]))).await;
    let holds = on.bench().await["holds"].clone();
    let grey = json!([{"kind": "greyscale", "percent": 100}]);
    let theirs = on.step(&holds, "theirs", &with(grey)).await;
    let saved = on.post("save", json!({"step": theirs, "over": holds})).await;
    assert_eq!(saved.status, StatusCode::OK, "{}", saved.text());

    let refused = on.post("save", json!({"step": mine, "over": holds})).await;
    assert_eq!(refused.status, StatusCode::CONFLICT);
    assert!(refused.text().contains("nothing was overwritten"), "{}", refused.text());
    assert_eq!(on.bench().await["holds"], theirs);
    assert_eq!(on.api.picture(&on.picture).await["step"], theirs);

    // Seen and chosen, it is saved over theirs, and can be taken back.
    let saved = on.post("save", json!({"step": mine, "over": theirs})).await.json();
    assert_eq!(saved["picture"]["step"], mine);
    let back = format!("/api/changes/{}/back", text(&saved["change"]["id"]));
    assert_eq!(on.api.post(&back, &Value::Null).await.status, StatusCode::OK);
    assert_eq!(on.api.picture(&on.picture).await["step"], theirs);
}

#[tokio::test]
async fn what_is_saved_is_shown_and_made_everywhere_and_the_original_stays() {
    let on = Placed::new().await;
    let original = on.api.get(&format!("/api/pictures/{}/original", on.picture)).await.body;
    let turned = json!([{"kind": "turn", "quarters": 1}, red()]);
    let step = on.step(&Value::Null, "turned it", &with(turned)).await;
    let over = on.bench().await["holds"].clone();
    on.post("save", json!({"step": step, "over": over})).await;

    let picture = on.api.picture(&on.picture).await;
    assert_eq!((&picture["width"], &picture["shown_width"]), (&json!(1600), &json!(1000)));
    let wish = json!({
        "slot": {"width": 100, "height": 100, "fit": "exact"}, "density": 1, "format": "png",
    });
    let made = on.post("variants", wish.clone()).await.json();
    let file = on.api.get(&format!("/api/variants/{}/file", text(&made["id"]))).await.body;
    let raster = png::decode(&file).unwrap();
    assert_eq!(raster.data()[..3], [255, 0, 0]);
    // The same wish costs nothing.
    assert_eq!(on.post("variants", wish).await.status, StatusCode::OK);
    let shown = on.api.get("/api/occurrences").await.json()[0].clone();
    assert_eq!(shown["picture_step"], step);
    assert!(shown["parts"]["390"][3].as_f64().unwrap() < 1.0, "{shown}");
    assert_eq!(on.api.get(&format!("/api/pictures/{}/original", on.picture)).await.body, original);
}

#[tokio::test]
async fn a_new_picture_beside_shares_the_original_and_takes_its_place() {
    let on = Placed::new().await;
    let files = on.api.files_below("blobs");
    let new =
        json!({"adjustments": with(json!([red()])), "name": "Dome in red", "places": [on.place]});
    let made = on.post("beside", new).await;
    assert_eq!(made.status, StatusCode::CREATED, "{}", made.text());
    let made = made.json();
    let id = text(&made["picture"]["id"]);
    assert_eq!(made["picture"]["made_from"], json!(on.picture));
    assert_eq!(on.api.files_below("blobs"), files, "nothing is stored twice");
    let place = on.api.get("/api/occurrences").await.json()[0].clone();
    assert_eq!(place["picture_id"], json!(id));
    // The same file sent again is the first picture, not the second.
    let again = on.api.upload("dome.jpg", &gradient_jpeg(1600, 1000)).await.json();
    assert_eq!(again["id"], json!(on.picture));
    on.api.post(&format!("/api/changes/{}/back", text(&made["change"]["id"])), &Value::Null).await;
    let place = on.api.get("/api/occurrences").await.json()[0].clone();
    assert_eq!(place["picture_id"], json!(on.picture));
    // Nobody serves a picture that was made here: it is not in use without being placed.
    on.api.work().await;
    let made = on.api.picture(&id).await;
    assert_eq!(made["uses"], 0);
    // It looks like its original, which is no duplicate.
    assert!(
        made["analysis"].is_object()
            && on.api.get("/api/alike").await.json().as_array().is_some_and(Vec::is_empty),
        "{made}"
    );
}

#[tokio::test]
async fn a_finish_is_laid_on_many_and_taken_back_as_one() {
    let api = Api::start().await;
    let one = api.taken("one.jpg", &gradient_jpeg(600, 400)).await;
    let other = api.taken("other.jpg", &gradient_jpeg(610, 400)).await;
    let small = api.taken("small.jpg", &gradient_jpeg(60, 40)).await;
    let trim = json!({"kind": "canvas", "left": -100, "top": 0, "right": 0, "bottom": 0, "ground": "transparent"});
    let new = json!({"name": "Evening", "edits": {"version": 1, "steps": [red(), trim]}});
    assert_eq!(api.post("/api/finishes", &new).await.status, StatusCode::NO_CONTENT);
    let id = text(&api.get("/api/finishes").await.json()[0]["id"]);
    let which = json!({"which": {"ids": [one, other, small]}});
    let laid = api.post(&format!("/api/finishes/{id}/lay"), &which).await.json();
    assert_eq!(laid["change"]["pictures"], 2);
    assert!(text(&laid["refused"][0]).contains("small.jpg"), "{laid}");
    assert_eq!(api.picture(&one).await["shown_width"], 500);
    let back = format!("/api/changes/{}/back", text(&laid["change"]["id"]));
    assert_eq!(api.post(&back, &Value::Null).await.json()["pictures"], 2);
    for id in [&one, &other, &small] {
        assert_eq!(api.picture(id).await["is_edited"], false);
    }
    let gone = api.delete(&format!("/api/finishes/{id}")).await.json();
    assert_eq!(gone["name"], "Evening");
}

#[tokio::test]
async fn lists_that_cannot_be_used_are_refused_with_the_reason() {
    let on = Placed::new().await;
    let refused = async |work: Value| {
        let answer = on.post("steps", json!({"summary": "x", "adjustments": work})).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{}", answer.text());
        text(&answer.json()["detail"])
    };
    let newer = json!({"focal": {"x": 0.5, "y": 0.5}, "edits": {"version": 9, "steps": []}});
    assert!(refused(newer).await.contains("version 9"));
    let long = json!({
        "kind": "text", "text": "a".repeat(5_000), "size": {"px": 20, "of": "css"}, "colour": "#ffffff",
        "at": {"across": "middle", "down": "end", "x": {"px": 0, "of": "css"}, "y": {"px": 0, "of": "css"}},
    });
    assert!(refused(with(json!([long]))).await.contains("5000 letters"));
    let nothing = json!({"kind": "canvas", "left": -900, "top": 0, "right": -900, "bottom": 0, "ground": "#ffffff"});
    assert!(refused(with(json!([nothing]))).await.contains("cuts off more than there is"));
    assert_eq!(on.bench().await["steps"], json!([]), "nothing was noted");
}

#[tokio::test]
async fn text_tells_what_it_lacks_on_its_way_to_the_file() {
    let on = Placed::new().await;
    let words = json!({
        "kind": "text", "text": "Moon 🌝 שלום", "size": {"px": 40, "of": "css"}, "colour": "#ffffff",
        "at": {"across": "middle", "down": "middle", "x": {"px": 0, "of": "css"}, "y": {"px": 0, "of": "css"}},
    });
    let view = json!({"place": {"slot": on.slot, "viewport": 390, "density": 2}, "width": 300});
    let body = json!({"adjustments": with(json!([words])), "views": [view], "histograms": true});
    let sheet = on.post("sheet", body).await.json();
    let told = sheet["issues"][0].as_array().unwrap();
    let missing = told.iter().find(|issue| issue["kind"] == "missing-letters").unwrap();
    assert_eq!(missing["letters"], "🌝");
    assert_eq!(missing["place"], json!({"on": "edit", "step": 0}));
    assert_eq!(missing["mend"], "Write it with other letters.");
    let contrast = &sheet["contrasts"][0];
    assert!(contrast["weakest"].as_f64().unwrap() > 1.0 && contrast["needed"] == 3.0, "{contrast}");
    assert_eq!(sheet["views"][0]["width"], 300);
    assert_eq!(sheet["after"]["luma"].as_array().unwrap().len(), 64);
}

#[tokio::test]
async fn banners_of_a_row_are_begun_at_one_height() {
    let api = Api::start().await;
    api.store
        .keep_page(page("walks.html", vec![card("a", 365.0), serving("b", "0", 9, "")]))
        .await
        .unwrap();
    let picture = api.taken("dome.jpg", &gradient_jpeg(1600, 1000)).await;
    let slots = api.get("/api/layouts").await.json()["slots"].clone();
    let slot = text(&slots[0]["id"]);
    let new =
        |ground: Value| json!({"slots": [slot], "name": "Winter", "ground": ground, "height": 200});
    let made = api.post("/api/banners", &new(json!({"colour": "#204060"}))).await;
    assert_eq!(made.status, StatusCode::CREATED, "{}", made.text());
    let made = made.json()[0].clone();
    assert_eq!(made["size"], json!([365.0, 200.0]));
    assert!(text(&made["height_note"]).contains("20 px lower"), "{made}");
    let even = api.picture(&text(&made["picture"])).await;
    assert_eq!((&even["width"], &even["height"]), (&json!(730), &json!(400)));
    let seen =
        api.get(&format!("/api/pictures/{}/preview?size=thumbnail", text(&even["id"]))).await;
    assert_eq!(seen.status, StatusCode::OK);

    let made = api.post("/api/banners", &new(json!({"picture": picture}))).await.json()[0].clone();
    let cut = api.picture(&text(&made["picture"])).await;
    assert_eq!((&cut["shown_width"], &cut["shown_height"]), (&json!(1600), &json!(877)));
    assert_eq!(cut["made_from"], json!(picture));
    assert_eq!(Colour([0x20, 0x40, 0x60]).to_string(), "#204060");
}
