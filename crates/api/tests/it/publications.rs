//! Publications, as a client meets them. What one would change is worked out by a browser, in the journeys;
//! here it is given.

use std::collections::BTreeMap;
use std::fs;

use axum::http::StatusCode;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::publication::StepKind;
use brisk_margin_core::publication::report::{BothWays, ChangedPage, PageShots, PublicationReport};
use brisk_margin_core::publication::state::PublicationState;
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use brisk_margin_site::publishing::site_change::{NewFile, SiteChange};
use brisk_margin_site::publishing::turn::SiteTurn;
use brisk_margin_store::BlobHash;
use brisk_margin_store::publications::{Prepared, PublicationEnding};
use brisk_margin_testing::pictures::gradient_jpeg;
use serde_json::{Value, json};
use tempfile::TempDir;
use uuid::Uuid;

use crate::support::Api;
use crate::support::pages::{page, serving};

const OLD: &str = "<title>Walks</title>\n<img src=\"dome.jpg\">\n";
const NEW: &str = "<title>Walks</title>\n<img src=\"variants/dome.webp\">\n";

/// A site whose folder has a page, and an application that knows it.
struct Site {
    api: Api,
    folder: TempDir,
}

impl Site {
    async fn start() -> Self {
        let (api, folder) = (Api::start().await, tempfile::tempdir().unwrap());
        fs::write(folder.path().join("walks.html"), OLD).unwrap();
        let settings = json!({"folder": folder.path().to_str().unwrap()});
        let told = api.patch("/api/site", &settings).await;
        assert_eq!(told.status, StatusCode::OK, "{}", told.text());
        Self { api, folder }
    }

    fn page(&self) -> String {
        fs::read_to_string(self.folder.path().join("walks.html")).unwrap()
    }

    fn write(&self, text: &str) {
        fs::write(self.folder.path().join("walks.html"), text).unwrap();
    }

    /// A publication that is being prepared.
    async fn begun(&self) -> String {
        let wish = json!({"name": "Walks", "asked_by": " Mira "});
        let begun = self.api.post("/api/publications", &wish).await;
        assert_eq!(begun.status, StatusCode::ACCEPTED, "{}", begun.text());
        assert_eq!(begun.json()["state"], "preparing");
        begun.json()["id"].as_str().unwrap().to_owned()
    }

    /// One that writes the page and a file of `picture`.
    async fn prepared(&self, picture: Option<Uuid>) -> String {
        self.prepared_with(picture, BothWays::default()).await
    }

    /// The same, whose page jumps so far while it comes.
    async fn prepared_with(&self, picture: Option<Uuid>, shift: BothWays) -> String {
        let id = self.begun().await;
        let site = SiteFolder::open(self.folder.path()).unwrap();
        let file = |path: &str, kind, seen: Option<&str>, text: &str| NewFile {
            path: path.to_owned(),
            kind,
            seen: seen.map(|text| hash_of(text.as_bytes())),
            bytes: text.as_bytes().to_vec(),
        };
        let now = self.page();
        let files = vec![
            file("walks.html", StepKind::Page, Some(&now), NEW),
            file("variants/dome.webp", StepKind::File, None, "a picture"),
        ];
        let change = SiteChange::new(&site, files, &|_, _| Ok(())).unwrap();
        let number = id.parse().unwrap();
        let mut bytes = BTreeMap::new();
        for text in [&now, NEW, "a picture", "before", "after"] {
            let hash = self.api.store.blobs().put(text.to_owned().into()).await.unwrap();
            let of = picture.filter(|_| text == "a picture");
            bytes.insert(hash, of);
        }
        self.api.store.note_publication_bytes(number, &bytes).await.unwrap();
        let [before, after] = ["before", "after"].map(|text| hash_of(text.as_bytes()));
        let shots = vec![PageShots { width: 390, before, after, shift, largest: None }];
        let report = PublicationReport {
            pages: vec![ChangedPage { page: "walks.html".to_owned(), shots }],
            ..PublicationReport::default()
        };
        let change = serde_json::to_value(change).unwrap();
        let prepared = Prepared { report, change };
        let ending = PublicationEnding::Prepared(Box::new(prepared));
        self.api.store.end_publication(number, &ending).await.unwrap();
        id
    }

    /// Does something with a publication and, where it is taken, has it done; tells where it stands.
    async fn act(&self, id: &str, what: &str, body: Value) -> Result<String, String> {
        let told = self.api.post(&format!("/api/publications/{id}/{what}"), &body).await;
        if told.status != StatusCode::ACCEPTED {
            assert_eq!(told.status, StatusCode::CONFLICT, "{}", told.text());
            return Err(told.json()["detail"].as_str().unwrap().to_owned());
        }
        self.api.work().await;
        Ok(self.told(id).await["state"].as_str().unwrap().to_owned())
    }

    async fn told(&self, id: &str) -> Value {
        self.api.get(&format!("/api/publications/{id}")).await.json()
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn one_goes_to_the_site_and_back_and_keeps_what_others_wrote() {
    let site = Site::start().await;
    let id = site.prepared(None).await;
    let told = site.told(&id).await;
    assert_eq!((&told["state"], &told["asked_by"]), (&json!("ready"), &json!("Mira")));
    assert_eq!(site.page(), OLD, "nothing is written before it is published");
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "published");
    assert_eq!(site.page(), NEW);
    let again = site.act(&id, "publish", json!({})).await.unwrap_err();
    assert!(again.contains("on the site already"), "{again}");
    let kept = site.api.delete(&format!("/api/publications/{id}")).await;
    assert_eq!(kept.status, StatusCode::CONFLICT, "its history stays: {}", kept.text());

    let since = format!("/api/publications/{id}/changed-since");
    assert_eq!(site.api.get(&since).await.json()["paths"], json!([]));
    let theirs = format!("{NEW}<p>Closed on Monday</p>\n");
    site.write(&theirs);
    assert_eq!(site.api.get(&since).await.json()["paths"], json!(["walks.html"]));
    let file = site.api.get(&format!("/api/publications/{id}/file?path=walks.html")).await.json();
    let lines = file["since"][0]["lines"].as_array().unwrap();
    let added: Vec<&Value> = lines.iter().filter(|line| line["kind"] == "added").collect();
    assert_eq!(added.len(), 1, "{file:#}");
    assert_eq!(
        added[0]["parts"]
            .as_array()
            .unwrap()
            .iter()
            .map(|part| part.as_str().unwrap())
            .collect::<String>(),
        "<p>Closed on Monday</p>"
    );
    assert_eq!(file["own"].as_array().unwrap().len(), 1);

    // Their page names the file, which stays with it.
    let back = json!({});
    assert_eq!(site.act(&id, "take-back", back.clone()).await.unwrap(), "partly-back");
    assert_eq!(site.told(&id).await["left_alone"], json!(["walks.html", "variants/dome.webp"]));
    assert_eq!(site.page(), theirs);
    assert!(site.folder.path().join("variants/dome.webp").exists());
    let once_more = site.act(&id, "take-back", back).await.unwrap_err();
    assert!(once_more.contains("changed by somebody else"), "{once_more}");
    let all = json!({"changed_since": true});
    assert_eq!(site.act(&id, "take-back", all).await.unwrap(), "taken-back");
    assert_eq!(site.page(), OLD);
    assert!(!site.folder.path().join("variants").exists());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_that_was_changed_since_is_not_written_over() {
    let site = Site::start().await;
    let id = site.prepared(None).await;
    site.write("theirs");
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "outdated");
    let told = site.told(&id).await;
    assert!(told["reason"].as_str().unwrap().contains("walks.html"), "{told:#}");
    assert_eq!(site.page(), "theirs");
    assert!(!site.folder.path().join("variants").exists(), "nothing of it was written");
    let refused = site.act(&id, "publish", json!({})).await.unwrap_err();
    assert!(refused.contains("prepare it again"), "{refused}");
    assert_eq!(
        site.api.delete(&format!("/api/publications/{id}")).await.status,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        site.api.get(&format!("/api/publications/{id}")).await.status,
        StatusCode::NOT_FOUND
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn one_at_a_time_and_only_into_a_folder_of_the_site() {
    let site = Site::start().await;
    let id = site.begun().await;
    let second = site.api.post("/api/publications", &json!({})).await;
    assert_eq!(second.status, StatusCode::CONFLICT, "{}", second.text());
    let published = site.act(&id, "publish", json!({})).await.unwrap_err();
    assert!(published.contains("being prepared"), "{published}");
    let cancelled = site.api.post(&format!("/api/publications/{id}/cancel"), &json!({})).await;
    assert_eq!(cancelled.json()["state"], "failed");
    assert_eq!(cancelled.json()["reason"], "it was cancelled");
    for folder in ["../up", "a b", ""] {
        let refused = site.api.post("/api/publications", &json!({"folder": folder})).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY, "{folder}");
    }
    fs::remove_dir_all(site.folder.path()).unwrap();
    let gone = site.api.post("/api/publications", &json!({})).await;
    assert_eq!(gone.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(gone.text().contains("cannot be opened"), "{}", gone.text());
    site.api.patch("/api/site", &json!({"folder": ""})).await;
    let none = site.api.post("/api/publications", &json!({})).await;
    assert!(none.text().contains("no folder on this machine"), "{}", none.text());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_ended_in_the_middle_goes_on_or_back() {
    let site = Site::start().await;
    // A file stands where a folder is needed.
    let id = site.prepared(None).await;
    fs::write(site.folder.path().join("variants"), "theirs").unwrap();
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "ready");
    let reason = site.told(&id).await["reason"].as_str().unwrap().to_owned();
    assert!(reason.contains("variants/dome.webp"), "{reason}");
    assert_eq!(site.page(), OLD, "no page names a file that is not there");
    fs::remove_file(site.folder.path().join("variants")).unwrap();
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "published");
    assert_eq!(site.page(), NEW);
    assert_eq!(site.act(&id, "take-back", json!({})).await.unwrap(), "taken-back");
    assert_eq!(site.page(), OLD);

    // A process that ended while it wrote: whoever finds the job goes on with it.
    let id = site.prepared(None).await;
    let begun = site.api.post(&format!("/api/publications/{id}/publish"), &json!({})).await;
    assert_eq!(begun.json()["state"], "publishing");
    fs::create_dir(site.folder.path().join("variants")).unwrap();
    fs::write(site.folder.path().join("variants/dome.webp"), "a picture").unwrap();
    let Site { api, folder } = site;
    let site = Site { api: api.restart().await, folder };
    site.api.work().await;
    assert_eq!(site.told(&id).await["state"], "published");
    assert_eq!(site.page(), NEW);
}

#[tokio::test(flavor = "multi_thread")]
async fn bytes_and_pictures_of_a_publication_are_kept_as_long_as_it_is() {
    let site = Site::start().await;
    let id = site.prepared(None).await;
    let shot = |hash: &str| format!("/api/publications/{id}/shots/{hash}");
    let before = site.api.get(&shot(&hash_of(b"before"))).await;
    assert_eq!((before.text().as_str(), before.header("content-type")), ("before", "image/webp"));
    let other = site.api.get(&shot(&hash_of(OLD.as_bytes()))).await;
    assert_eq!(other.status, StatusCode::NOT_FOUND, "only pictures of its pages");

    let later = chrono::Utc::now() + chrono::TimeDelta::days(10);
    let hash = BlobHash::parse(&hash_of(OLD.as_bytes())).unwrap();
    let sweep = async || {
        let installation = site.api.sites.installation();
        for part in 0..=255 {
            installation.note_unused_bytes(part, later).await.unwrap();
        }
        installation.delete_unused_bytes(later).await.unwrap();
        site.api.store.blobs().length(&hash).await.unwrap().is_some()
    };
    assert!(sweep().await, "what was there before is needed to take it back");
    site.api.delete(&format!("/api/publications/{id}")).await;
    assert!(!sweep().await, "nothing speaks of it any more");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_place_that_shows_a_published_file_shows_its_picture() {
    let site = Site::start().await;
    let api = &site.api;
    let picture = api.taken("dome.jpg", &gradient_jpeg(900, 600)).await;
    let hash = api.picture(&picture).await["hash"].as_str().unwrap().to_owned();
    let measured = |hash: &str| page("walks.html", vec![serving("main > img", hash, 9_000, "")]);
    api.store.keep_page(measured(&hash)).await.unwrap();
    api.work().await;
    let uses = async || api.picture(&picture).await["uses"].as_u64();
    assert_eq!(uses().await, Some(1));

    let id = site.prepared(Some(picture.parse().unwrap())).await;
    site.act(&id, "publish", json!({})).await.unwrap();
    let published = hash_of(b"a picture");
    api.store.keep_page(measured(&published)).await.unwrap();
    api.work().await;
    assert_eq!(uses().await, Some(1), "the page shows a file that was made of it");
    let list = api.get("/api/publications").await.json();
    assert_eq!((&list["shown"], &list["ready"]), (&json!(1), &json!(0)), "{list:#}");

    // Taken back, the page serves the picture itself, and another one after that.
    site.act(&id, "take-back", json!({})).await.unwrap();
    api.store.keep_page(measured(&hash)).await.unwrap();
    api.work().await;
    assert_eq!(uses().await, Some(1));
    assert_eq!(api.get("/api/publications").await.json()["shown"], json!(0));
    api.store.keep_page(measured(&hash_of(b"another picture"))).await.unwrap();
    api.work().await;
    assert_eq!(uses().await, Some(0), "it is not taken for the one that was there");
    assert_eq!(PublicationState::named("taken-back"), Some(PublicationState::TakenBack));
}

#[tokio::test(flavor = "multi_thread")]
async fn one_whose_job_is_gone_stands_in_nobodys_way() {
    let site = Site::start().await;
    let id = site.begun().await;
    let job = site.api.store.latest_job_of(JobKind::Publish, &id).await.unwrap().unwrap();
    // As the list of what goes on in the background does it.
    assert!(site.api.store.cancel_job(job.id).await.is_ok());
    let told = site.told(&id).await;
    assert_eq!((&told["state"], &told["reason"]), (&json!("failed"), &json!("it was cancelled")));
    assert_eq!(told["acts"], json!(["prepare"]));
    site.begun().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn taking_back_once_more_is_as_gentle_as_the_first_time() {
    let site = Site::start().await;
    let id = site.prepared(None).await;
    site.act(&id, "publish", json!({})).await.unwrap();
    let theirs = format!("{NEW}<p>Closed on Monday</p>\n");
    site.write(&theirs);
    site.act(&id, "take-back", json!({})).await.unwrap();
    // What was to go as well could not: the folder is away meanwhile.
    let away = site.folder.path().with_extension("away");
    fs::rename(site.folder.path(), &away).unwrap();
    let all = json!({"changed_since": true});
    assert_eq!(site.act(&id, "take-back", all).await.unwrap(), "interrupted");
    fs::rename(&away, site.folder.path()).unwrap();
    assert_eq!(site.act(&id, "take-back", json!({})).await.unwrap(), "partly-back");
    assert_eq!(site.page(), theirs, "nobody said this time that it is to go");
}

#[tokio::test(flavor = "multi_thread")]
async fn one_that_could_not_be_begun_is_ready_still() {
    let site = Site::start().await;
    let id = site.prepared(None).await;
    let folder = SiteFolder::open(site.folder.path()).unwrap();
    let turn = SiteTurn::take(&folder).unwrap();
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "ready");
    let reason = site.told(&id).await["reason"].as_str().unwrap().to_owned();
    assert!(reason.contains("another publication to this site is under way"), "{reason}");
    drop(turn);
    assert_eq!(site.act(&id, "publish", json!({})).await.unwrap(), "published");
}

#[tokio::test(flavor = "multi_thread")]
async fn where_a_page_jumps_more_somebody_has_to_say_so_first() {
    let site = Site::start().await;
    let id = site.prepared_with(None, BothWays { before: 0.0, after: 0.2 }).await;
    assert_eq!(site.told(&id).await["doubts"], "1 page jumps more than before");
    let refused = site.act(&id, "publish", json!({})).await.unwrap_err();
    assert!(refused.contains("jumps more than before: look at that first"), "{refused}");
    assert_eq!(site.page(), OLD, "nothing was written");
    assert_eq!(site.act(&id, "publish?anyway=true", json!({})).await.unwrap(), "published");
    assert_eq!(site.page(), NEW);
}
