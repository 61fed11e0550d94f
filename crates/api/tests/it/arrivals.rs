//! What comes into the library: uploads, archives, the site's folder, and what is made of it.

use std::io::Write;
use std::time::Duration;

use crate::support::Api;
use axum::http::StatusCode;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png};
use brisk_margin_work::jobs::runner::JobRunner;
use brisk_margin_work::jobs::workers::Workers;
use serde_json::{Value, json};

fn zip(entries: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, content) in entries {
        writer.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        writer.write_all(content).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

async fn begin(api: &Api, name: &str, bytes: usize) -> String {
    let new = json!({"name": name, "bytes": bytes, "folder": "from camera"});
    let begun = api.post("/api/uploads", &new).await;
    assert_eq!(begun.status, StatusCode::CREATED, "{}", begun.text());
    begun.json()["id"].as_str().unwrap().to_owned()
}

async fn append(api: &Api, id: &str, offset: usize, bytes: &[u8]) -> crate::support::Answer {
    let path = format!("/api/uploads/{id}?offset={offset}");
    api.send_bytes("PATCH", &path, "application/octet-stream", bytes).await
}

#[tokio::test]
async fn an_upload_goes_on_where_it_stood_even_in_a_new_process() {
    let api = Api::start().await;
    let file = gradient_jpeg(800, 600);
    let id = begin(&api, "dome.jpg", file.len()).await;
    let first = append(&api, &id, 0, &file[..1_000]).await.json();
    assert_eq!((&first["offset"], &first["files"]), (&json!(1_000), &Value::Null));
    let wrong = append(&api, &id, 500, &file[500..]).await;
    assert_eq!(wrong.status, StatusCode::CONFLICT);
    assert!(wrong.text().contains("1.00 KB"), "{}", wrong.text());

    let api = api.restart().await;
    assert_eq!(api.get(&format!("/api/uploads/{id}")).await.json()["offset"], 1_000);
    let done = append(&api, &id, 1_000, &file[1_000..]).await.json();
    assert_eq!(done["files"][0]["outcome"], "taken");
    assert_eq!(done["files"][0]["picture"]["folder"], "from camera");
    assert_eq!(api.get("/api/uploads").await.json(), json!([]));
    assert_eq!(api.files_below("spool"), 0);

    let cancelled = begin(&api, "moor.jpg", 5_000).await;
    append(&api, &cancelled, 0, &file[..3_000]).await;
    assert_eq!(
        api.delete(&format!("/api/uploads/{cancelled}")).await.status,
        StatusCode::NO_CONTENT
    );
    assert_eq!((api.files_below("spool"), api.names("").await.len()), (0, 1));
    let more = begin(&api, "more.jpg", 10).await;
    let refused = append(&api, &more, 0, &file).await;
    assert!(refused.text().contains("more bytes came than the 10 B"), "{}", refused.text());
}

#[tokio::test]
async fn an_archive_is_taken_picture_by_picture_with_its_folders() {
    let api = Api::start().await;
    let file = zip(&[
        ("walks/2026/first.png", &gradient_png(40, 30)),
        ("walks/again.png", &gradient_png(40, 30)),
        ("walks/note.txt", b"bring warm clothes"),
        ("__MACOSX/walks/._first.png", b"left by a system"),
    ]);
    let id = begin(&api, "walks.zip", file.len()).await;
    let files = append(&api, &id, 0, &file).await.json()["files"].clone();
    let outcome = |name: &str| {
        let found = files.as_array().unwrap().iter().find(|one| one["name"] == name);
        found.unwrap_or_else(|| panic!("{name} in {files}"))["outcome"].clone()
    };
    assert_eq!(files.as_array().unwrap().len(), 3, "{files}");
    assert_eq!(outcome("walks/note.txt"), "refused");
    assert_eq!(
        (outcome("walks/2026/first.png"), outcome("walks/again.png")),
        (json!("taken"), json!("there"))
    );
    let shelves = api.get("/api/shelves").await.json();
    assert_eq!(shelves["folders"], json!([{"path": "from camera/walks/2026", "pictures": 1}]));
    assert_eq!(api.names("folder=from%20camera").await, ["first.png"]);

    let climbing = zip(&[("../../out.png", &gradient_png(20, 20))]);
    let id = begin(&api, "climbing.zip", climbing.len()).await;
    let refused = append(&api, &id, 0, &climbing).await;
    assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().contains("leads out"), "{}", refused.text());
    assert_eq!(api.names("").await.len(), 1);
}

#[tokio::test]
async fn a_file_above_the_limit_is_refused_inside_an_archive_too() {
    let api = Api::start().await;
    let huge = vec![0; 200_000_001];
    let file = zip(&[("huge.png", &huge), ("small.png", &gradient_png(30, 20))]);
    let id = begin(&api, "walks.zip", file.len()).await;
    let files = append(&api, &id, 0, &file).await.json()["files"].clone();
    assert!(files[0]["reason"].as_str().unwrap().contains("larger than 200 MB"), "{files}");
    assert_eq!(
        (&files[1]["outcome"], &files[1]["picture"]["name"]),
        (&json!("taken"), &json!("small.png"))
    );
}

#[tokio::test]
async fn an_intake_rule_makes_files_below_the_ceiling() {
    let api = Api::start().await;
    let set = json!({"name": "Cards", "sizes": {"0": {"width": 400.0, "height": null, "ratio": {"kind": "square"}}}});
    assert!(api.put("/api/size-sets", &set).await.status.is_success());
    let rule = json!({"import_action": {"do": "size-set", "name": "Cards"}, "ceiling": 320});
    let kept = api.patch("/api/site", &rule).await;
    assert_eq!(kept.status, StatusCode::OK, "{}", kept.text());
    let formats = json!({"formats": ["webp", "jpeg"]});
    assert_eq!(api.put("/api/output-rules", &formats).await.status, StatusCode::OK);
    let id = api.taken("dome.jpg", &gradient_jpeg(900, 600)).await;
    api.work().await;
    let picture = api.picture(&id).await;
    let variants = picture["variants"].as_array().unwrap();
    let made: Vec<_> = variants.iter().map(|file| (&file["format"], &file["width"])).collect();
    let wanted = [(&json!("jpeg"), &json!(320)), (&json!("webp"), &json!(320))];
    assert_eq!(made, wanted, "as the output rules say: {picture}");
    assert_eq!(
        api.get(&format!("/api/pictures/{id}/original")).await.body,
        gradient_jpeg(900, 600)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn files_in_the_sites_folder_are_taken_once_they_are_quiet_and_whole() {
    let api = Api::start().await;
    let site = tempfile::tempdir().unwrap();
    let media = site.path().join("media");
    std::fs::create_dir_all(media.join("walks")).unwrap();
    let file = gradient_jpeg(640, 400);
    std::fs::write(media.join("walks/dome.jpg"), &file).unwrap();
    // A transfer that is paused in its middle, and a file that is no picture.
    std::fs::write(media.join("half.jpg"), &file[..file.len() / 2]).unwrap();
    std::fs::write(media.join("broken.png"), b"not a picture").unwrap();
    let workers = Workers::start(&JobRunner::new(&api.sites));
    api.app.folder_watch.watch(Some(media.clone()));
    until(|| async { api.names("").await == ["dome.jpg"] }).await;
    let list = api.get("/api/pictures").await.json();
    let id = list["pictures"][0]["id"].as_str().unwrap().to_owned();
    assert_eq!(
        (&list["pictures"][0]["folder"], &list["pictures"][0]["from_folder"]),
        (&json!("walks"), &json!(true))
    );
    until(|| async {
        api.get("/api/site-folder").await.json()["refused"].as_array().unwrap().len() == 2
    })
    .await;

    let whole = gradient_jpeg(660, 400);
    std::fs::write(media.join("half.jpg"), &whole).unwrap();
    until(|| async { api.names("sort=name").await == ["dome.jpg", "half.jpg"] }).await;

    // Removed, and touched: the same bytes at the same path do not come back.
    api.post("/api/pictures/remove", &json!({"which": {"ids": [&id]}})).await;
    std::fs::write(media.join("walks/dome.jpg"), &file).unwrap();
    std::fs::write(media.join("half.jpg"), gradient_jpeg(680, 400)).unwrap();
    until(|| async { api.names("issues=replaced").await == ["half.jpg"] }).await;
    assert_eq!(api.names("").await.len(), 2);
    assert_eq!(std::fs::read(media.join("walks/dome.jpg")).unwrap(), file);
    workers.drain().await;
}

/// Waits until `holds`, for half a minute at most.
async fn until<F: Future<Output = bool>>(holds: impl Fn() -> F) {
    for _ in 0..300 {
        if holds().await {
            return;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("it did not come to that");
}
