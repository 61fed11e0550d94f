//! Margins: pages ranked by what they leave under their budgets, and how each comes.

use axum::http::StatusCode;
use brisk_margin_core::load::{Discovery, PageRequests, Priority, Protocol, Request, RequestKind};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::layouts::NewPage;
use serde_json::{Value, json};

use crate::support::Api;
use crate::support::pages::{page, serving};
use brisk_margin_core::format::Format;
use brisk_margin_testing::pictures::{encoded, spots};

const PHONE: u32 = 390;

fn request(address: &str, kind: RequestKind, bytes: u64) -> Request {
    Request {
        address: format!("http://tarn.example/{address}"),
        kind,
        bytes: Bytes(bytes),
        discovery: match kind {
            RequestKind::Document => Discovery::Start,
            _ => Discovery::Within { by: 0, share: 0.5 },
        },
        priority: Priority::Medium,
        protocol: Protocol::Http2,
        blocks: false,
        lazy: false,
        lcp: kind == RequestKind::Picture,
        pixels: 540_000,
    }
}

/// A page that transfers itself and this picture.
fn loading(mut page: NewPage, picture: &str, bytes: u64) -> NewPage {
    let own = request("x.html", RequestKind::Document, 8_000);
    let picture = request(picture, RequestKind::Picture, bytes);
    page.requests = [(PHONE, PageRequests(vec![own, picture]))].into();
    page
}

/// A site whose page “walks” shows a heavy picture of the library, and whose page “visit” a light one of nobody's.
async fn site() -> (Api, String) {
    let api = Api::start().await;
    let heavy = api.taken("heavy.jpg", &encoded(&spots(1, 900, 600), Format::Jpeg, 100)).await;
    let picture = api.picture(&heavy).await;
    let (hash, bytes) = (picture["hash"].as_str().unwrap(), picture["bytes"].as_u64().unwrap());
    let walks = page("walks.html", vec![serving("a", hash, bytes, "")]);
    api.store.keep_page(loading(walks, "media/dome.jpg", bytes)).await.unwrap();
    let visit = page("visit.html", vec![]);
    api.store.keep_page(loading(visit, "media/small.jpg", 4_000)).await.unwrap();
    api.work().await;
    (api, heavy)
}

fn pages(margins: &Value) -> Vec<&str> {
    let pages = margins["pages"].as_array().unwrap().iter();
    pages.map(|page| page["address"].as_str().unwrap().rsplit('/').next().unwrap()).collect()
}

#[tokio::test]
async fn pages_are_ranked_by_what_they_leave_and_the_largest_gain_is_told() {
    let (api, heavy) = site().await;
    let margins = api.get("/api/margins?connection=400/400").await.json();
    assert_eq!(pages(&margins), ["walks.html", "visit.html"], "{margins:#}");
    assert_eq!(
        (&margins["view"]["width"], &margins["view"]["widths"]),
        (&json!(390), &json!([390]))
    );
    let [walks, visit] = [&margins["pages"][0], &margins["pages"][1]];
    let bytes = walks["today"]["weight"]["picture"].as_u64().unwrap();
    let possible = walks["possible"]["weight"]["picture"].as_u64().unwrap();
    assert!(possible < bytes / 2, "a file for its box is lighter: {possible} of {bytes}");
    assert_eq!(walks["bytes"]["weight"], json!(bytes + 8_000));
    let margin = walks["bytes"]["budget"].as_i64().unwrap() - (bytes as i64 + 8_000);
    assert_eq!(walks["bytes"]["margin"], json!(margin), "its slot's budget, and the page itself");
    assert_eq!(visit["bytes"]["margin"], json!(0), "what is in no slot is its own budget");
    let time = |page: &Value, when: &str| page[when]["times"]["lcp"].as_f64().unwrap();
    assert!(time(walks, "possible") < time(walks, "today"));
    assert_eq!(time(visit, "possible"), time(visit, "today"));
    let gain = &margins["gains"][0];
    assert_eq!((&gain["picture"], &gain["picture_name"]), (&json!(heavy), &json!("heavy.jpg")));
    assert_eq!(gain["saving"]["saved"], walks["saving"]["saved"]);

    let fast = api.get("/api/margins?connection=30000/40&order=name").await.json();
    let now = |margins: &Value| {
        let all = margins["pages"].as_array().unwrap().iter();
        let mut own = all.filter(|page| page["address"].as_str().unwrap().ends_with("walks.html"));
        time(own.next().unwrap(), "today")
    };
    assert!(now(&fast) < now(&margins));
}

#[tokio::test]
async fn a_page_tells_its_requests_with_their_times_and_takes_budgets() {
    let (api, _) = site().await;
    let margins = api.get("/api/margins").await.json();
    let id = margins["pages"][0]["id"].as_str().unwrap().to_owned();
    let one = format!("/api/margins/{id}");
    let coming = api.get(&format!("{one}?connection=1600/150")).await.json();
    assert_eq!(coming["view"]["connection"]["words"], "1.6 Mbit/s · 150 ms");
    let requests = coming["today"].as_array().unwrap();
    assert_eq!(requests.len(), 2);
    let at = |request: &Value, stage: &str| request["timing"][stage].as_f64().unwrap();
    assert!(at(&requests[1], "discovered") > at(&requests[0], "first_byte"));
    assert_eq!(
        at(&requests[0], "sent"),
        475.0,
        "a browser begins; name, TCP and TLS take a round trip each"
    );
    assert_eq!(coming["page"]["time"]["budget"], 2_500.0);

    let budgets = json!({"bytes": 12_000, "time": 900.0});
    assert_eq!(api.put(&format!("{one}/budgets"), &budgets).await.status, StatusCode::NO_CONTENT);
    let said = api.get(&one).await.json();
    assert_eq!(
        (&said["page"]["bytes"]["budget"], &said["page"]["time"]["budget"]),
        (&json!(12_000), &json!(900.0))
    );
    assert!(said["page"]["bytes"]["margin"].as_i64().unwrap() < 0, "an overrun");
    let ranked = api.get("/api/margins").await.json();
    assert_eq!(ranked["over"], json!({"bytes": 1, "time": 1}));
    api.put(&format!("{one}/budgets"), &json!({"bytes": null, "time": null})).await;
    assert_eq!(api.get(&one).await.json()["page"], coming["page"], "back to the usual");
}

#[tokio::test]
async fn budgets_of_all_pages_hold_where_a_page_has_none_and_weights_are_told_by_slot_and_format() {
    let (api, heavy) = site().await;
    let all = json!({"page_budgets": {"bytes": 5_000, "time": null}});
    assert_eq!(api.patch("/api/site", &all).await.json()["page_budgets"], all["page_budgets"]);
    let margins = api.get("/api/margins?order=name").await.json();
    assert_eq!(margins["budgets"], all["page_budgets"]);
    assert_eq!(margins["over"]["bytes"], 2, "both pages weigh more than 5,000 bytes");
    let id = margins["pages"][0]["id"].as_str().unwrap();
    let own = json!({"bytes": 900_000_000, "time": null});
    api.put(&format!("/api/margins/{id}/budgets"), &own).await;
    assert_eq!(api.get("/api/margins").await.json()["over"]["bytes"], 1, "its own goes before");

    let picture = api.picture(&heavy).await;
    let [slot] = &margins["by_slot"].as_array().unwrap()[..] else { panic!("{margins:#}") };
    assert_eq!((&slot["files"], &slot["saving"]["before"]), (&json!(1), &picture["bytes"]));
    assert_eq!(margins["by_format"][0]["format"], "jpeg");
    assert!(slot["saving"]["saved"].as_i64().unwrap() > 0);
    for refused in [
        json!({"page_budgets": {"bytes": 2_000_000_000, "time": null}}),
        json!({"page_budgets": {"bytes": null, "time": -4.0}}),
        json!({"watch": {"is_on": true, "at": 1440, "days": 1}}),
        json!({"watch": {"is_on": true, "at": 0, "days": 32}}),
    ] {
        let answer = api.patch("/api/site", &refused).await;
        assert_eq!(answer.status, StatusCode::UNPROCESSABLE_ENTITY, "{refused}");
    }
}

#[tokio::test]
async fn page_views_are_typed_or_come_as_a_table_and_make_a_month() {
    let (api, _) = site().await;
    let margins = api.get("/api/margins?order=name").await.json();
    assert_eq!(margins["month"], json!(null));
    let walks = pages(&margins).iter().position(|page| *page == "walks.html").unwrap();
    let id = margins["pages"][walks]["id"].as_str().unwrap();
    let views = format!("/api/margins/{id}/views");
    let typed = api.put(&views, &json!({"per_month": 1_000})).await;
    assert_eq!(typed.status, StatusCode::NO_CONTENT);
    let page = api.get(&format!("/api/margins/{id}")).await.json()["page"].clone();
    let total = page["today"]["weight"]["total"].as_u64().unwrap();
    assert_eq!(page["month"]["today"], json!(total * 1_000));

    let table = "page;views\n/visit.html;12.000\n/walks.html;400\n/walks.html;100\n/gone.html;7\n";
    let read =
        api.send_bytes("POST", "/api/margins/views.csv", "text/csv", table.as_bytes()).await.json();
    assert_eq!((&read["pages"], &read["unmatched"]), (&json!(2), &json!(["line 5: /gone.html"])));
    let margins = api.get("/api/margins?order=month").await.json();
    assert_eq!(pages(&margins)[0], "walks.html", "what is saved counts, not views alone");
    assert_eq!(margins["month"]["views"], 12_500);
    for (table, word) in
        [("page,views\n/visit.html,many\n", "line 2"), ("path,views\n/a,1\n", "column called page")]
    {
        let refused =
            api.send_bytes("POST", "/api/margins/views.csv", "text/csv", table.as_bytes()).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(refused.text().contains(word), "{}", refused.text());
    }
    assert_eq!(api.get("/api/margins").await.json()["month"]["views"], 12_500);
    api.put(&views, &json!({"per_month": null})).await;
    assert_eq!(api.get("/api/margins").await.json()["month"]["views"], 12_000);
    let stranger = "/api/margins/0198c0de-0000-7000-8000-000000000000/views";
    assert_eq!(api.put(stranger, &json!({"per_month": 1})).await.status, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn the_history_tells_what_all_pages_weighed_each_time_that_they_were_measured() {
    let (api, _) = site().await;
    let first = api.get("/api/margins/history").await.json();
    let [point] = &first["points"].as_array().unwrap()[..] else { panic!("{first:#}") };
    assert_eq!(point["pages"], 2);
    let visit = page("visit.html", vec![]);
    api.store.keep_page(loading(visit, "media/small.jpg", 64_000)).await.unwrap();
    let then = api.get("/api/margins/history").await.json();
    let total = |n: usize| then["points"][n]["total"].as_u64().unwrap();
    assert_eq!(total(1) - total(0), 60_000);
    let heavier = api.get("/api/margins").await.json()["heavier"][0].clone();
    assert_eq!(
        (&heavier["before"], &heavier["grown"][0]["before"]),
        (&json!(12_000), &json!(4_000))
    );
    let refused = api.get("/api/margins/history?width=391").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[tokio::test]
async fn what_cannot_be_looked_at_is_told() {
    let api = Api::start().await;
    let nothing = api.get("/api/margins").await.json();
    assert_eq!((&nothing["pages"], &nothing["view"]["width"]), (&json!([]), &json!(null)));
    let mut page = page("walks.html", vec![]);
    page.requests.clear();
    api.store.keep_page(page).await.unwrap();
    assert_eq!(api.get("/api/margins").await.json()["unknown"], 1, "measured before weights were");
    let (api, _) = site().await;
    for (query, word) in [
        ("connection=fast", "kbit/s"),
        ("connection=1/1", "10,000,000"),
        ("connection=1600/99999", "10,000 ms"),
        ("width=391", "390"),
        ("order=size", "order"),
    ] {
        let refused = api.get(&format!("/api/margins?{query}")).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{query}: {}", refused.text());
        assert!(refused.text().contains(word), "{query}: {}", refused.text());
    }
    let stranger = "/api/margins/0198c0de-0000-7000-8000-000000000000";
    assert_eq!(api.get(stranger).await.status, StatusCode::NOT_FOUND);
    let wish = json!({"bytes": 1, "time": 5.0});
    let refused = api.put(&format!("{stranger}/budgets"), &wish).await;
    assert_eq!(refused.status, StatusCode::NOT_FOUND);
    let id = api.get("/api/margins").await.json()["pages"][0]["id"].as_str().unwrap().to_owned();
    for wish in
        [json!({"bytes": null, "time": -1.0}), json!({"bytes": 2_000_000_000, "time": null})]
    {
        let refused = api.put(&format!("/api/margins/{id}/budgets"), &wish).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{wish}");
    }
}

#[tokio::test]
async fn the_margins_are_told_as_a_table_and_as_a_page_to_print() {
    let (api, _) = site().await;
    let table = api.get("/api/margins/pages.csv?connection=400/400&order=name").await;
    assert!(table.header("content-disposition").contains("margins.csv"));
    let text = table.text();
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(lines.len(), 3, "{text}");
    assert!(lines[0].starts_with("page,address,connection,width,bytes,possible_bytes"));
    assert!(lines.iter().skip(1).all(|line| line.contains(",400/400,390,")), "{text}");
    let margins = api.get("/api/margins?connection=400/400&order=name").await.json();
    let total = margins["pages"][0]["today"]["weight"]["total"].to_string();
    assert!(lines[1].contains(&format!(",{total},")), "{total}: {text}");

    let report = api.get("/api/margins/report.html?connection=400/400").await;
    assert!(report.header("content-type").starts_with("text/html"));
    assert!(report.header("content-security-policy").contains("default-src 'none'"));
    let text = report.text();
    let shown = "<img src=\"data:image/webp;base64,";
    for told in ["0.4 Mbit/s · 400 ms", "2 pages transfer", "heavy.jpg", "walks.html", shown] {
        assert!(text.contains(told), "{told}: {text}");
    }
    let refused = api.get("/api/margins/report.html?connection=fast").await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[tokio::test]
async fn an_overrun_that_arises_is_told_until_somebody_saw_it() {
    let (api, _) = site().await;
    let walks = id_of(&api.get("/api/margins").await.json(), "walks.html");
    let budget = async |bytes: u64| {
        let said = json!({"bytes": bytes, "time": null});
        let at = format!("/api/margins/{walks}/budgets");
        assert_eq!(api.put(&at, &said).await.status, StatusCode::NO_CONTENT);
    };
    let told = async || api.get("/api/margins/overruns").await.json();
    budget(900_000_000).await;
    assert_eq!(told().await, json!([]), "nothing arose: it is seen for the first time");
    budget(1_000).await;
    let new = told().await;
    let over = new[0]["bytes"].as_u64().unwrap();
    let weight = api.get("/api/margins").await.json()["pages"][0]["today"]["weight"].clone();
    assert_eq!(weight["total"].as_u64().unwrap() - 1_000, over, "{new:#} {weight:#}");
    assert_eq!((&new[0]["page"], new.as_array().unwrap().len()), (&json!(walks), 1));
    let seen = api.post("/api/margins/overruns/seen", &json!({})).await;
    assert_eq!(seen.status, StatusCode::NO_CONTENT);
    budget(900).await;
    assert_eq!(told().await, json!([]), "it was over before");
    // Kept to, and gone over again; this time by what the whole site may have.
    budget(900_000_000).await;
    let site = json!({"page_budgets": {"bytes": 2_000, "time": null}});
    assert_eq!(api.patch("/api/site", &site).await.status, StatusCode::OK);
    assert_eq!(
        told().await.as_array().unwrap().len(),
        1,
        "the other page, which has no own budget"
    );
}

fn id_of(margins: &Value, ending: &str) -> String {
    let mut pages = margins["pages"].as_array().unwrap().iter();
    let page = pages.find(|page| page["address"].as_str().unwrap().ends_with(ending)).unwrap();
    page["id"].as_str().unwrap().to_owned()
}

/// A form with these files.
async fn weighed(api: &Api, files: &[(&str, &[u8])], query: &str) -> crate::support::Answer {
    const BOUNDARY: &str = "archives";
    let mut body = Vec::new();
    for (field, file) in files {
        let head = format!(
            "--{BOUNDARY}\r\nContent-Disposition: form-data; name=\"{field}\"; filename=\"x.har\"\r\n\r\n"
        );
        body.extend([head.as_bytes(), file, b"\r\n"].concat());
    }
    body.extend(format!("--{BOUNDARY}--\r\n").as_bytes());
    let kind = format!("multipart/form-data; boundary={BOUNDARY}");
    api.send_bytes("POST", &format!("/api/margins/har{query}"), &kind, &body).await
}

#[tokio::test]
async fn a_page_goes_out_as_an_archive_and_two_archives_are_held_against_each_other() {
    let (api, _) = site().await;
    let margins = api.get("/api/margins").await.json();
    let archive = async |page: &str| {
        let at = format!("/api/margins/{}/requests.har", id_of(&margins, page));
        api.get(&at).await.body.to_vec()
    };
    let (walks, visit) = (archive("walks.html").await, archive("visit.html").await);
    let both = [("before", &walks[..]), ("after", &visit[..])];
    let told = weighed(&api, &both, "?connection=400/400").await.json();
    let [page] = &told["pages"].as_array().unwrap()[..] else { panic!("{told:#}") };
    let weight = |of: &Value| of["figures"]["weight"]["total"].as_u64().unwrap();
    let today = margins["pages"].as_array().unwrap();
    let today: Vec<u64> =
        today.iter().map(|page| weight(&json!({"figures": page["today"]}))).collect();
    assert_eq!([weight(&page["before"]), weight(&page["after"])], today[..], "each as it was");
    let lcp = |of: &Value| of["figures"]["times"]["lcp"].as_f64().unwrap();
    assert!(lcp(&page["before"]) > lcp(&page["after"]), "{page:#}");
    assert_eq!(page["after"]["requests"][1]["kind"], "picture");

    let alone = weighed(&api, &both[..1], "").await.json();
    assert_eq!(alone["pages"][0]["after"], Value::Null);
    let broken = [("before", &walks[..]), ("after", &b"{\"log\": 1}"[..])];
    let refused = weighed(&api, &broken, "").await;
    let detail = refused.json()["detail"].as_str().unwrap().to_owned();
    assert!(
        refused.status == 422 && detail.starts_with("the second file: this is no HAR"),
        "{detail}"
    );
    assert_eq!(weighed(&api, &[("after", &walks[..])], "").await.status, 422);
    assert_eq!(weighed(&api, &both, "?connection=0/0").await.status, 422);
}
