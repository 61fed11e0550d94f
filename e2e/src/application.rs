//! The running application; it ends with the test.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use brisk_margin_store::{BlobAddress, Blobs, Installation, Store};
use brisk_margin_testing::Buckets;
use brisk_margin_work::data_folder::DataFolder;
use reqwest::multipart::{Form, Part};
use tempfile::TempDir;

/// What addresses of the site begin with.
const SLUG: &str = "tarnlight";

/// The workspace's own folder.
pub fn workspace() -> &'static Path {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap()
}

/// The binary that was built beside this test.
pub fn program() -> PathBuf {
    // target/<profile>/deps/<this test> → target/<profile>/brisk-margin
    let test = std::env::current_exe().unwrap();
    let program = test.parent().unwrap().parent().unwrap().join("brisk-margin");
    assert!(program.exists(), "{} is not built; run bin/test", program.display());
    program
}

/// A process that is ended with the value.
pub struct Process(pub Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Where an application keeps its things between two starts.
pub struct Home {
    /// A folder of its own; the data folder is `data` in it.
    pub data: TempDir,
    database: String,
    /// What its processes find in their environment.
    environment: Vec<(String, String)>,
    /// Whether what goes wrong is wanted and would only fill the report.
    pub says_little: bool,
}

impl Home {
    /// A site with nothing in it yet.
    pub async fn empty() -> Self {
        let home = Self::without_sites().await;
        let folder = DataFolder::open(&home.data.path().join("data")).unwrap();
        let installation =
            Installation::open(&home.database, blobs_in(&folder.blobs())).await.unwrap();
        assert_eq!(installation.add_site("Tarnlight").await.unwrap().slug, SLUG);
        home
    }

    /// Nothing in it yet, not even a site.
    pub async fn without_sites() -> Self {
        let database = brisk_margin_testing::database().await;
        let data = tempfile::tempdir().unwrap();
        Self { data, database, environment: Vec::new(), says_little: false }
    }

    /// The same site, whose bytes are kept in `buckets`.
    pub fn in_buckets(mut self, buckets: &Buckets) -> Self {
        self.environment = buckets.settings(None);
        self.environment.push(("BRISK_MARGIN_BLOBS".to_owned(), buckets.address("pictures")));
        self
    }

    /// The same, whose processes count as hung after so many seconds without a sign of life.
    pub fn with_patience(mut self, seconds: u32) -> Self {
        self.environment.push(("BRISK_MARGIN_PATIENCE".to_owned(), seconds.to_string()));
        self
    }

    /// The same site on another machine, which shares no folder with this one.
    pub fn elsewhere(&self) -> Self {
        Self {
            data: tempfile::tempdir().unwrap(),
            database: self.database.clone(),
            environment: self.environment.clone(),
            says_little: self.says_little,
        }
    }

    /// Rows and blobs of the site, past the application.
    pub async fn store(&self) -> Store {
        let blobs = self.data.path().join("data/blobs");
        let installation = Installation::open(&self.database, blobs_in(&blobs)).await.unwrap();
        let site = installation.site(SLUG).await.unwrap().unwrap();
        installation.store(&site).await.unwrap()
    }

    /// The address of its database as the site sees it.
    pub async fn site_database(&self) -> String {
        brisk_margin_testing::of_schema(&self.database, self.store().await.schema())
    }

    /// The address of its database.
    pub fn database(&self) -> &str {
        &self.database
    }

    /// Starts the application and waits until it says that it is ready.
    pub fn serve(&self) -> Application {
        self.serve_with(&[])
    }

    /// The same with more arguments.
    pub fn serve_with(&self, more: &[&str]) -> Application {
        self.serve_on("0", more)
    }

    /// Starts the application once more where `ended` was.
    pub fn serve_again(&self, ended: &str) -> Application {
        let port = ended.rsplit_once(':').map_or("0", |(_, port)| port);
        self.serve_on(port, &[])
    }

    fn serve_on(&self, port: &str, more: &[&str]) -> Application {
        let mut serve = Command::new(program());
        serve.args(["serve", "--port", port, "--web"]).arg(workspace().join("web/dist")).args(more);
        let (process, first) = self.start(serve);
        let address = first.strip_prefix("Brisk Margin is ready at ").unwrap_or_else(|| {
            panic!("the application did not start: {first}");
        });
        Application { address: address.to_owned(), process }
    }

    /// Starts a worker beside it and waits until it says that it works.
    pub fn worker(&self) -> Process {
        let mut worker = Command::new(program());
        worker.arg("worker");
        let (process, first) = self.start(worker);
        assert_eq!(first, "Brisk Margin works for the server");
        process
    }

    /// Starts a command with this data, and returns the first line that it says.
    fn start(&self, mut command: Command) -> (Process, String) {
        let command = command
            .arg("--data")
            .arg(self.data.path().join("data"))
            .envs(self.environment.iter().cloned())
            .env("BRISK_MARGIN_DATABASE_URL", &self.database)
            .env("RUST_LOG", if self.says_little { "off" } else { "warn" })
            .stdout(Stdio::piped());
        let mut child = command.spawn().unwrap();
        let mut first = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut first).unwrap();
        (Process(child), first.trim().to_owned())
    }
}

impl Process {
    /// Has it hang, or go on: it keeps what it has open.
    ///
    /// # Panics
    /// Where it is gone.
    pub fn hang(&self, hangs: bool) {
        let signal = if hangs { "-STOP" } else { "-CONT" };
        let told = Command::new("kill").arg(signal).arg(self.0.id().to_string()).status();
        assert!(told.expect("there is kill").success(), "the process is gone already");
    }

    /// Ends it at once, as a power cut would: nothing is tidied up.
    pub fn kill(self) {}

    /// Tells it to end, and waits until it did.
    ///
    /// # Panics
    /// Where it does not end well.
    pub fn terminate(mut self) {
        let told = Command::new("kill").arg(self.0.id().to_string()).status().unwrap();
        assert!(told.success(), "the process is gone already");
        assert!(self.0.wait().unwrap().success(), "it ended badly");
    }
}

/// A running application.
pub struct Application {
    /// Such as `http://127.0.0.1:41234`.
    pub address: String,
    process: Process,
}

impl Application {
    /// Ends it at once, as a power cut would: nothing is tidied up.
    pub fn kill(self) {
        drop(self.process);
    }

    /// The number of its process.
    pub fn pid(&self) -> u32 {
        self.process.0.id()
    }

    /// Tells it to end, and waits until it did.
    ///
    /// # Panics
    /// Where it does not end well.
    pub fn terminate(self) {
        self.process.terminate();
    }

    /// Starts the run that is wished for and waits until it has ended; tells its id.
    pub async fn run_to_its_end(&self, wish: &serde_json::Value) -> String {
        let id = self.post("/api/runs", wish).await["id"].as_str().expect("it has one").to_owned();
        let until = Instant::now() + Duration::from_secs(180);
        while self.json(&format!("/api/runs/{id}")).await["state"] != "done" {
            assert!(Instant::now() < until, "the run does not end");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        id
    }

    /// Waits until nothing is measured any more.
    ///
    /// # Panics
    /// Where that takes more than a minute.
    pub async fn until_measured(&self) {
        let end = Instant::now() + Duration::from_secs(60);
        while self.json("/api/measurements/latest").await["running"] != false {
            assert!(Instant::now() < end, "measuring does not end");
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Waits until all of so many pictures are analysed and nothing is left to be done.
    ///
    /// # Panics
    /// Where that takes more than two minutes.
    pub async fn until_all_is_done(&self, pictures: usize) {
        let end = Instant::now() + Duration::from_secs(120);
        loop {
            let list = self.pictures().await;
            let analysed = list.iter().filter(|picture| picture["analysis"].is_object()).count();
            let jobs = self.json("/api/jobs").await;
            let is_idle = jobs["kinds"].as_array().unwrap().is_empty();
            if list.len() == pictures && analysed == pictures && is_idle {
                return;
            }
            assert!(Instant::now() < end, "{analysed} of {pictures} of {}: {jobs:#}", list.len());
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Every picture.
    ///
    /// # Panics
    /// Where the API does not tell.
    pub async fn pictures(&self) -> Vec<serde_json::Value> {
        let (mut all, mut path) = (Vec::new(), "/api/pictures?limit=500".to_owned());
        loop {
            let part = self.json(&path).await;
            all.extend_from_slice(part["pictures"].as_array().unwrap());
            let Some(next) = part["next"].as_str() else { return all };
            path = format!("/api/pictures?limit=500&after={next}");
        }
    }

    /// What the API answers at `path`.
    pub async fn json(&self, path: &str) -> serde_json::Value {
        let text = crate::http::bytes_at(self.url(path)).await;
        serde_json::from_slice(&text).unwrap()
    }

    /// Sends `body` to the API at `path`, and tells the answer.
    ///
    /// # Panics
    /// Where it is refused.
    pub async fn post(&self, path: &str, body: &serde_json::Value) -> serde_json::Value {
        self.answer(path, crate::http::client().post(self.url(path)), body).await
    }

    /// What the API answers to `body` put at `path`.
    ///
    /// # Panics
    /// Where it refuses.
    pub async fn put(&self, path: &str, body: &serde_json::Value) -> serde_json::Value {
        self.answer(path, crate::http::client().put(self.url(path)), body).await
    }

    /// What the API answers to a change of what is at `path`.
    ///
    /// # Panics
    /// Where it refuses.
    pub async fn change(&self, path: &str, body: &serde_json::Value) -> serde_json::Value {
        self.answer(path, crate::http::client().patch(self.url(path)), body).await
    }

    async fn answer(
        &self,
        path: &str,
        request: reqwest::RequestBuilder,
        body: &serde_json::Value,
    ) -> serde_json::Value {
        let request = request.header("content-type", "application/json").body(body.to_string());
        let answer = request.send().await.unwrap();
        let (status, text) = (answer.status(), answer.text().await.unwrap());
        assert!(status.is_success(), "{path}: {status} {text}");
        serde_json::from_str(&text).unwrap_or_default()
    }

    /// Adds a picture to the library, and tells its id.
    ///
    /// # Panics
    /// Where it is refused.
    pub async fn upload(&self, name: &str, bytes: Vec<u8>) -> String {
        let part = Part::bytes(bytes).file_name(name.to_owned());
        let request = crate::http::client().post(self.url("/api/pictures"));
        let answer = request.multipart(Form::new().part("file", part)).send().await.unwrap();
        let (status, text) = (answer.status(), answer.text().await.unwrap());
        assert_eq!(status, 201, "{name}: {text}");
        let picture: serde_json::Value = serde_json::from_str(&text).unwrap();
        picture["id"].as_str().unwrap().to_owned()
    }

    /// The whole address of `path` at the site: of its API below `/api`, else of its screens.
    pub fn url(&self, path: &str) -> String {
        match path.strip_prefix("/api/") {
            Some(rest) => format!("{}/api/sites/{SLUG}/{rest}", self.address),
            None => format!("{}/{SLUG}{path}", self.address),
        }
    }
}

fn blobs_in(folder: &Path) -> Blobs {
    Blobs::open(&BlobAddress::Folder(folder.to_owned())).unwrap()
}
