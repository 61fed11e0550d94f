//! A store that speaks S3, in the test's own process, and that can be slow, busy or closed.

use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use hyper::{Request, StatusCode};
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto::Builder;
use s3s::auth::SimpleAuth;
use s3s::service::S3ServiceBuilder;
use s3s_fs::FileSystem;
use tempfile::TempDir;
use tokio::net::TcpListener;

const BUCKET: &str = "tarnlight";
const ID: &str = "observer";
const SECRET: &str = "not much of a secret";

/// A running store with one bucket, `tarnlight`. It ends with the value.
pub struct Buckets {
    folder: TempDir,
    endpoint: String,
    trouble: Arc<Trouble>,
    server: tokio::task::JoinHandle<()>,
}

/// What goes wrong with the next requests.
#[derive(Default)]
struct Trouble {
    /// So many are answered that the store is busy.
    busy: AtomicU32,
    /// All wait for so many milliseconds.
    slow: AtomicU32,
    asked: AtomicU32,
}

impl Buckets {
    /// Starts one.
    pub async fn start() -> Self {
        let folder = tempfile::tempdir().expect("a folder for the buckets");
        std::fs::create_dir(folder.path().join(BUCKET)).expect("a bucket");
        let mut service =
            S3ServiceBuilder::new(FileSystem::new(folder.path()).expect("a file system"));
        service.set_auth(SimpleAuth::from_single(ID, SECRET));
        let service = service.build();
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.expect("a free port");
        let endpoint = format!("http://{}", listener.local_addr().expect("an address"));
        let trouble = Arc::new(Trouble::default());
        let troubled = Arc::clone(&trouble);
        let server = tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                let (service, trouble) = (service.clone(), Arc::clone(&troubled));
                let answer = move |request: Request<hyper::body::Incoming>| {
                    let (service, trouble) = (service.clone(), Arc::clone(&trouble));
                    async move {
                        if trouble.meet().await {
                            let mut busy = hyper::Response::new(s3s::Body::empty());
                            *busy.status_mut() = StatusCode::SERVICE_UNAVAILABLE;
                            return Ok(busy);
                        }
                        service.call(request.map(s3s::Body::from)).await
                    }
                };
                tokio::spawn(async move {
                    let answer = hyper::service::service_fn(answer);
                    let builder = Builder::new(TokioExecutor::new());
                    // Whoever goes away in the middle is no trouble of ours.
                    let _ = builder.serve_connection(TokioIo::new(stream), answer).await;
                });
            }
        });
        Self { folder, endpoint, trouble, server }
    }

    /// The address of the bucket, with `prefix`.
    pub fn address(&self, prefix: &str) -> String {
        format!("s3://{BUCKET}/{prefix}")
    }

    /// What the environment would say of it, with another secret where one is given.
    pub fn settings(&self, secret: Option<&str>) -> Vec<(String, String)> {
        [
            ("AWS_ENDPOINT_URL", self.endpoint.as_str()),
            ("AWS_REGION", "us-east-1"),
            ("AWS_ACCESS_KEY_ID", ID),
            ("AWS_SECRET_ACCESS_KEY", secret.unwrap_or(SECRET)),
        ]
        .map(|(name, value)| (name.to_owned(), value.to_owned()))
        .into()
    }

    /// Where what is in the bucket lies.
    pub fn folder(&self) -> std::path::PathBuf {
        self.folder.path().join(BUCKET)
    }

    /// Has the next `requests` answered that the store is busy.
    pub fn be_busy(&self, requests: u32) {
        self.trouble.busy.store(requests, Ordering::SeqCst);
    }

    /// Has each request wait for so long.
    pub fn be_slow(&self, each: Duration) {
        self.trouble.slow.store(each.as_millis() as u32, Ordering::SeqCst);
    }

    /// How many requests there were.
    pub fn asked(&self) -> u32 {
        self.trouble.asked.load(Ordering::SeqCst)
    }
}

impl Trouble {
    /// Waits where the store is slow; whether it is busy.
    async fn meet(&self) -> bool {
        self.asked.fetch_add(1, Ordering::SeqCst);
        let slow = self.slow.load(Ordering::SeqCst);
        tokio::time::sleep(Duration::from_millis(slow.into())).await;
        let fewer = |left: u32| left.checked_sub(1);
        self.busy.fetch_update(Ordering::SeqCst, Ordering::SeqCst, fewer).is_ok()
    }
}

impl Drop for Buckets {
    fn drop(&mut self) {
        self.server.abort();
    }
}
