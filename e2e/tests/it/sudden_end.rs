//! The process killed at any moment: what was accepted stays, what was not leaves nothing.

use std::io::Write;
use std::net::TcpStream;
use std::time::Duration;

use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_e2e::small_disk::SmallDisk;
use brisk_margin_testing::pictures::gradient_jpeg;
use reqwest::multipart::{Form, Part};
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn a_kill_in_the_middle_of_an_upload() {
    let home = Home::empty().await;
    let application = home.serve();
    let accepted = upload(&application, "accepted.jpg", gradient_jpeg(400, 300)).await;
    let half = send_half(&application, &gradient_jpeg(1600, 1200));
    let spool = home.data.path().join("data/spool");
    for _ in 0..100 {
        if files_in(&spool) > 0 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    assert_eq!(files_in(&spool), 1, "the upload is under way");
    application.kill();
    drop(half);

    let application = home.serve();
    assert_eq!(files_in(&spool), 0, "the half file is gone");
    let list = application.json("/api/pictures").await;
    assert_eq!(list["pictures"].as_array().unwrap().len(), 1);
    assert_eq!(list["pictures"][0]["id"], accepted["id"]);
    let original =
        application.url(&format!("/api/pictures/{}/original", accepted["id"].as_str().unwrap()));
    let bytes = brisk_margin_e2e::http::bytes_at(original).await;
    assert_eq!(bytes, gradient_jpeg(400, 300));
}

#[tokio::test(flavor = "multi_thread")]
async fn two_hundred_files_survive_a_kill_in_their_middle_and_the_uploads_go_on() {
    const PIECE: usize = 2_000;
    let home = Home::empty().await;
    let application = home.serve();
    let files: Vec<Vec<u8>> = (0..200).map(|n| gradient_jpeg(200 + n, 150)).collect();
    let mut uploads = Vec::new();
    for (n, file) in files.iter().enumerate() {
        let new = json!({"name": format!("{n:03}.jpg"), "bytes": file.len(), "folder": "camera"});
        let answer = brisk_margin_e2e::http::client().post(application.url("/api/uploads"));
        let answer = answer.body(new.to_string()).header("content-type", "application/json");
        let body = answer.send().await.unwrap().text().await.unwrap();
        let begun: serde_json::Value = serde_json::from_str(&body).unwrap();
        uploads.push(begun["id"].as_str().unwrap().to_owned());
    }
    // The first ones are whole, the next ones half, the rest not begun.
    for (n, (id, file)) in uploads.iter().zip(&files).enumerate().take(140) {
        let until = if n < 90 { file.len() } else { PIECE };
        let answer = send_from(&application, id, 0, &file[..until]).await;
        assert_eq!(answer["files"].is_null(), n >= 90, "{answer}");
    }
    application.kill();

    let application = home.serve();
    let list = application.json("/api/pictures?limit=500").await;
    assert_eq!(list["pictures"].as_array().unwrap().len(), 90, "what was accepted is there");
    let left = application.json("/api/uploads").await;
    let left = left.as_array().unwrap();
    assert_eq!(left.len(), 110, "and what was not goes on");
    for upload in left {
        let id = upload["id"].as_str().unwrap();
        let n = uploads.iter().position(|known| known == id).unwrap();
        let offset = upload["offset"].as_u64().unwrap() as usize;
        assert_eq!(offset, if n < 140 { PIECE } else { 0 }, "{n}");
        let answer = send_from(&application, id, offset, &files[n][offset..]).await;
        assert_eq!(answer["files"][0]["outcome"], "taken", "{answer}");
    }
    let list = application.json("/api/pictures?limit=500&sort=name").await;
    let pictures = list["pictures"].as_array().unwrap();
    assert_eq!(pictures.len(), 200);
    for (n, picture) in pictures.iter().enumerate() {
        assert_eq!(picture["width"], 200 + n, "{}", picture["name"]);
    }
}

/// Sends `bytes` of an upload from `offset` on.
async fn send_from(
    application: &Application,
    id: &str,
    offset: usize,
    bytes: &[u8],
) -> serde_json::Value {
    let url = application.url(&format!("/api/uploads/{id}?offset={offset}"));
    let answer =
        brisk_margin_e2e::http::client().patch(url).body(bytes.to_vec()).send().await.unwrap();
    serde_json::from_str(&answer.text().await.unwrap()).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn kills_at_random_moments_lose_nothing_that_was_accepted() {
    let home = Home::empty().await;
    let mut accepted = Vec::new();
    for round in 0..4u32 {
        let application = home.serve();
        let address = application.url("/api/pictures");
        let (told, mut answers) = tokio::sync::mpsc::unbounded_channel();
        let uploads = tokio::spawn(async move {
            let mut taken = Vec::new();
            for n in 0..50 {
                let width = 300 + round * 50 + n;
                let form = form(&format!("{width}.jpg"), gradient_jpeg(width, 200));
                let url = address.clone();
                match brisk_margin_e2e::http::client().post(url).multipart(form).send().await {
                    Ok(answer) if answer.status() == 201 => {
                        taken.push(format!("{width}.jpg"));
                        let _ = told.send(());
                    }
                    _ => break,
                }
            }
            taken
        });
        // Killed while the one after is on its way, each time at another moment of it.
        for _ in 0..=round {
            answers.recv().await.expect("uploads are accepted until the kill");
        }
        tokio::time::sleep(Duration::from_millis(u64::from(3 * round))).await;
        application.kill();
        let taken = uploads.await.unwrap();
        assert!(taken.len() > round as usize && taken.len() < 50, "{} in {round}", taken.len());
        accepted.extend(taken);
    }
    let application = home.serve();
    let list = application.json("/api/pictures?limit=500").await;
    let pictures = list["pictures"].as_array().unwrap();
    for name in &accepted {
        assert!(pictures.iter().any(|picture| picture["name"] == **name), "{name} is lost");
    }
    for picture in pictures {
        let id = picture["id"].as_str().unwrap();
        let original = application.url(&format!("/api/pictures/{id}/original"));
        let bytes = brisk_margin_e2e::http::bytes_at(original).await;
        assert_eq!(bytes.len(), picture["bytes"], "{} is not whole", picture["name"]);
    }
}

/// How many files lie in the spools of all processes, besides their locks and uploads that can go on.
fn files_in(spool: &std::path::Path) -> usize {
    let entries = |folder: &std::path::Path| {
        let entries = std::fs::read_dir(folder).into_iter().flatten();
        entries.map(|entry| entry.unwrap().path()).collect::<Vec<_>>()
    };
    let own = entries(spool).into_iter().filter(|path| !path.ends_with("uploads"));
    own.flat_map(|path| entries(&path)).filter(|path| !path.ends_with("lock")).count()
}

fn form(name: &str, bytes: Vec<u8>) -> Form {
    Form::new().part("file", Part::bytes(bytes).file_name(name.to_owned()))
}

async fn upload(application: &Application, name: &str, bytes: Vec<u8>) -> serde_json::Value {
    let request = brisk_margin_e2e::http::client().post(application.url("/api/pictures"));
    let answer = request.multipart(form(name, bytes)).send().await.unwrap();
    assert_eq!(answer.status(), 201);
    serde_json::from_str(&answer.text().await.unwrap()).unwrap()
}

/// An upload that stops half-way and keeps its connection open.
fn send_half(application: &Application, file: &[u8]) -> TcpStream {
    let host = application.address.strip_prefix("http://").unwrap();
    let mut stream = TcpStream::connect(host).unwrap();
    let part =
        "--b\r\nContent-Disposition: form-data; name=\"file\"; filename=\"half.jpg\"\r\n\r\n";
    let length = part.len() + file.len() + 9;
    write!(
        stream,
        "POST /api/sites/tarnlight/pictures HTTP/1.1\r\nHost: {host}\r\nContent-Length: {length}\r\n\
         Content-Type: multipart/form-data; boundary=b\r\n\r\n{part}"
    )
    .unwrap();
    stream.write_all(&file[..file.len() / 2]).unwrap();
    stream.flush().unwrap();
    stream
}

#[tokio::test(flavor = "multi_thread")]
async fn a_full_disk_is_told_keeps_nothing_half_and_works_again_when_there_is_room() {
    let home = Home::empty().await;
    let Some(_disk) = SmallDisk::mounted(home.data.path(), 12) else { return };
    let application = home.serve();
    // Full while the file is received, and full when the received file is to be kept.
    for (width, ballast) in [(400, 10_500_000), (410, 6_500_000)] {
        fill_and_free(&home, &application, width, ballast).await;
    }
    application.kill();
}

async fn fill_and_free(home: &Home, application: &Application, width: u32, ballast: usize) {
    // A picture with much behind it, which decoders pass over.
    let mut file = gradient_jpeg(width, 300);
    file.resize(3_000_000, 0);
    let before = application.json("/api/pictures").await["pictures"].as_array().unwrap().len();
    let filler = home.data.path().join("ballast");
    std::fs::write(&filler, vec![1; ballast]).unwrap();
    let new = json!({"name": "dome.jpg", "bytes": file.len()});
    let begun = brisk_margin_e2e::http::client().post(application.url("/api/uploads"));
    let begun = begun.body(new.to_string()).header("content-type", "application/json");
    let begun = begun.send().await.unwrap().text().await.unwrap();
    let begun: serde_json::Value = serde_json::from_str(&begun).unwrap();
    let id = begun["id"].as_str().unwrap();

    let told = send_from(application, id, 0, &file).await;
    let kind = told["type"].as_str();
    assert_eq!(kind, Some("urn:brisk-margin:problem:no-room"), "{told}");
    let list = application.json("/api/pictures").await;
    assert_eq!(list["pictures"].as_array().unwrap().len(), before);

    std::fs::remove_file(filler).unwrap();
    let stands = application.json(&format!("/api/uploads/{id}")).await["offset"].as_u64().unwrap();
    assert!(stands > 0, "what came is safe");
    let done = send_from(application, id, stands as usize, &file[stands as usize..]).await;
    assert_eq!(done["files"][0]["outcome"], "taken", "{done}");
}
