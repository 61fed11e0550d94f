//! An application of its own for each test, and short words for its API.

// Each test file uses its own part of these.
#![allow(dead_code, reason = "shared by several test files")]

pub mod pages;

use std::collections::BTreeSet;
use std::path::Path;

use axum::Router;
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use brisk_margin_api::App;
use brisk_margin_api::application;
use brisk_margin_api::web;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::{BlobAddress, Blobs, Installation, Store};
use brisk_margin_testing::Buckets;
use brisk_margin_work::data_folder::DataFolder;
use brisk_margin_work::jobs::runner::JobRunner;
use brisk_margin_work::sites::Sites;
use brisk_margin_work::work_pool::{Readers, WorkPool};
use http_body_util::BodyExt;
use serde_json::Value;
use tempfile::TempDir;
use tower::ServiceExt;

const BOUNDARY: &str = "a-boundary-of-our-own";

pub struct Api {
    pub store: Store,
    pub app: App,
    pub sites: Sites,
    router: Router,
    database: String,
    data: TempDir,
}

pub struct Answer {
    pub status: StatusCode,
    pub headers: axum::http::HeaderMap,
    pub body: Vec<u8>,
}

impl Answer {
    pub fn json(&self) -> Value {
        serde_json::from_slice(&self.body).unwrap_or_else(|_| panic!("no JSON: {}", self.text()))
    }

    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }

    pub fn header(&self, name: &str) -> &str {
        self.headers.get(name).map_or("", |value| value.to_str().unwrap())
    }
}

/// An answer that has no end.
pub struct Listening(Body);

impl Listening {
    /// What comes next.
    pub async fn next_chunk(&mut self) -> Vec<u8> {
        let frame = self.0.frame().await.unwrap().unwrap();
        frame.into_data().unwrap().to_vec()
    }
}

impl Api {
    pub async fn start() -> Self {
        let database = brisk_margin_testing::database().await;
        Self::on(database, tempfile::tempdir().unwrap()).await
    }

    /// Does `sql` in its site's tables, as an older program would have.
    pub async fn execute(&self, sql: &str) {
        let of_site = brisk_margin_testing::of_schema(&self.database, self.store.schema());
        brisk_margin_testing::execute(&of_site, sql).await;
    }

    /// The same data in a new process, as far as anybody can tell.
    pub async fn restart(self) -> Self {
        drop(self.router);
        Self::on(self.database, self.data).await
    }

    pub async fn on(database: String, data: TempDir) -> Self {
        let folder = DataFolder::open(&data.path().join("data")).unwrap();
        let blobs = Blobs::open(&BlobAddress::Folder(folder.blobs())).unwrap();
        Self::with(database, data, folder, blobs).await
    }

    /// One whose bytes are kept in `buckets`.
    pub async fn in_buckets(buckets: &Buckets) -> Self {
        let data = tempfile::tempdir().unwrap();
        let folder = DataFolder::open(&data.path().join("data")).unwrap();
        let address: BlobAddress = buckets.address("pictures").parse().unwrap();
        let blobs = Blobs::open_with(&address, buckets.settings(None)).unwrap();
        Self::with(brisk_margin_testing::database().await, data, folder, blobs).await
    }

    async fn with(database: String, data: TempDir, folder: DataFolder, blobs: Blobs) -> Self {
        let client = tempfile::tempdir().unwrap();
        let page = r#"<script nonce="__NONCE__" src="/assets/x.js"></script>"#;
        std::fs::write(client.path().join("index.html"), page).unwrap();
        let installation = Installation::open(&database, blobs).await.unwrap();
        let pool = WorkPool::new(2, Bytes::mb(500), Readers::in_process());
        let sites = Sites::new(installation, pool, folder, BTreeSet::new());
        sites.clear_uploads().await.unwrap();
        let site = match sites.all().await.unwrap().into_iter().next() {
            Some(site) => site,
            None => sites.installation().add_site("Tarnlight").await.unwrap(),
        };
        let app = sites.services(&site).await.unwrap();
        let router = application(sites.clone(), web::router(client.path()).unwrap());
        Self { store: app.store.clone(), app, sites, router, database, data }
    }

    /// The address of `path`, where that is one below `/api` of the first site.
    fn at(&self, path: &str) -> String {
        let of_all = ["/api/sites", "/api/health", "/api/limits", "/api/openapi.json"];
        match path.strip_prefix("/api/") {
            Some(rest) if !of_all.iter().any(|all| path.starts_with(all)) => {
                format!("/api/sites/{}/{rest}", self.app.site.slug)
            }
            _ => path.to_owned(),
        }
    }

    pub async fn send(&self, mut request: Request<Body>) -> Answer {
        let uri = request.uri().to_string();
        *request.uri_mut() = self.at(&uri).parse().unwrap();
        let response = self.router.clone().oneshot(request).await.unwrap();
        let (parts, body) = response.into_parts();
        let body = body.collect().await.unwrap().to_bytes().to_vec();
        Answer { status: parts.status, headers: parts.headers, body }
    }

    /// Opens a stream that goes on.
    pub async fn open(&self, path: &str) -> Listening {
        Listening(
            self.router.clone().oneshot(request("GET", &self.at(path))).await.unwrap().into_body(),
        )
    }

    pub async fn get(&self, path: &str) -> Answer {
        self.send(request("GET", path)).await
    }

    pub async fn post(&self, path: &str, body: &Value) -> Answer {
        self.send(with_json("POST", path, body)).await
    }

    pub async fn patch(&self, path: &str, body: &Value) -> Answer {
        self.send(with_json("PATCH", path, body)).await
    }

    pub async fn put(&self, path: &str, body: &Value) -> Answer {
        self.send(with_json("PUT", path, body)).await
    }

    pub async fn delete(&self, path: &str) -> Answer {
        self.send(request("DELETE", path)).await
    }

    pub async fn upload(&self, name: &str, bytes: &[u8]) -> Answer {
        self.send(form(form_bytes(name, bytes))).await
    }

    /// Uploads a picture that must be taken, and returns its number.
    pub async fn taken(&self, name: &str, bytes: &[u8]) -> String {
        let answer = self.upload(name, bytes).await;
        assert_eq!(answer.status, StatusCode::CREATED, "{}", answer.text());
        answer.json()["id"].as_str().unwrap().to_owned()
    }

    /// The names in the library, listed by `query`.
    pub async fn names(&self, query: &str) -> Vec<String> {
        names_of(&self.get(&format!("/api/pictures?{query}")).await.json())
    }

    /// Does every job that is due, as the running application does; returns how many are left for
    /// later.
    pub async fn work(&self) -> u64 {
        JobRunner::new(&self.sites).do_all().await.unwrap()
    }

    /// The picture `id`.
    pub async fn picture(&self, id: &str) -> Value {
        self.get(&format!("/api/pictures/{id}")).await.json()
    }

    /// Sends `body` with another method and kind than JSON.
    pub async fn send_bytes(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> Answer {
        let mut request = request(method, path);
        request.headers_mut().insert(header::CONTENT_TYPE, kind.parse().unwrap());
        *request.body_mut() = Body::from(body.to_vec());
        self.send(request).await
    }

    /// Where its blobs lie.
    pub fn blobs(&self) -> std::path::PathBuf {
        self.data.path().join("data").join("blobs")
    }

    /// How many files lie anywhere below a part of the data folder, besides locks and marks.
    pub fn files_below(&self, part: &str) -> usize {
        fn count(folder: &Path) -> usize {
            let Ok(entries) = std::fs::read_dir(folder) else { return 0 };
            entries
                .map(|entry| entry.unwrap().path())
                .filter(|path| {
                    path.file_name().is_none_or(|name| name != "lock" && name != "installation")
                })
                .map(|path| if path.is_dir() { count(&path) } else { 1 })
                .sum()
        }
        count(&self.data.path().join("data").join(part))
    }
}

pub fn names_of(list: &Value) -> Vec<String> {
    let pictures = list["pictures"].as_array().unwrap();
    pictures.iter().map(|picture| picture["name"].as_str().unwrap().to_owned()).collect()
}

pub fn request(method: &str, path: &str) -> Request<Body> {
    Request::builder()
        .method(method)
        .uri(path)
        .header(header::HOST, "127.0.0.1:4810")
        .body(Body::empty())
        .unwrap()
}

fn with_json(method: &str, path: &str, body: &Value) -> Request<Body> {
    let mut request = request(method, path);
    request.headers_mut().insert(header::CONTENT_TYPE, "application/json".parse().unwrap());
    *request.body_mut() = Body::from(body.to_string());
    request
}

/// A form with one file, as bytes.
pub fn form_bytes(name: &str, bytes: &[u8]) -> Vec<u8> {
    let mut body = format!(
        "--{BOUNDARY}\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\
         Content-Type: application/octet-stream\r\n\r\n"
    )
    .into_bytes();
    body.extend(bytes);
    body.extend(format!("\r\n--{BOUNDARY}--\r\n").bytes());
    body
}

/// An upload of the form in `body`.
pub fn form(body: Vec<u8>) -> Request<Body> {
    let mut request = request("POST", "/api/pictures");
    let kind = format!("multipart/form-data; boundary={BOUNDARY}");
    request.headers_mut().insert(header::CONTENT_TYPE, kind.parse().unwrap());
    *request.body_mut() = Body::from(body);
    request
}
