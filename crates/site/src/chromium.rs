//! Chromium: found on the system, started as an unprivileged user in its own sandbox, with an empty
//! profile and environment, driven over a pipe, behind the gate.

use std::os::fd::AsRawFd;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::sync::OnceLock;
use std::time::Duration;

use serde_json::{Value, json};
use tempfile::TempDir;
use tokio::io::AsyncReadExt;
use tokio::net::UnixStream;
use tokio::process::{Child, Command};
use tokio::task::JoinHandle;

use crate::devtools::{Devtools, DevtoolsError, Session};
use crate::error::ChromiumError;
use crate::file_reader::FileReader;
use crate::gate::Gate;
use crate::page::{Asked, Tab};

/// Where Debian and others put it.
const PLACES: [&str; 5] = [
    "/usr/lib/chromium/chromium",
    "/usr/bin/chromium",
    "/usr/bin/chromium-browser",
    "/usr/bin/google-chrome-stable",
    "/usr/bin/google-chrome",
];

/// How a browser reaches hosts.
#[derive(Clone, Copy)]
enum Way<'a> {
    /// Only through a gate.
    Gate(&'a Gate),
    /// Over whatever network this process has.
    Link,
}

/// Whether somebody said that browsers start without their sandbox: once, for all of this process.
static WITHOUT_SANDBOX: OnceLock<()> = OnceLock::new();

/// Starts browsers without their sandbox from now on, for systems that forbid it.
pub fn start_without_sandbox() {
    let _ = WITHOUT_SANDBOX.set(());
}

/// What of the protection against hostile pages does not hold, in words; nothing where all of it does.
pub fn weakness() -> Option<String> {
    let without = "measured pages run in a browser without its sandbox";
    WITHOUT_SANDBOX.get().map(|()| without.to_owned())
}

/// A running browser; it ends, and its profile goes, when dropped.
pub struct Chromium {
    devtools: Devtools,
    process: Child,
    _profile: TempDir,
}

impl Chromium {
    /// Starts a browser whose only way out is `gate`.
    ///
    /// # Errors
    /// [`ChromiumError::Missing`] with what to install.
    pub async fn start(gate: &Gate) -> Result<Self, ChromiumError> {
        Self::start_by(Way::Gate(gate)).await
    }

    /// Starts a browser without a gate: for programs that measure loads, in a network namespace that has nothing but
    /// a link to a host of their own.
    ///
    /// # Errors
    /// As [`Self::start`].
    pub async fn start_on_link() -> Result<Self, ChromiumError> {
        Self::start_by(Way::Link).await
    }

    async fn start_by(way: Way<'_>) -> Result<Self, ChromiumError> {
        let program = find().ok_or(ChromiumError::Missing)?;
        let sandbox = WITHOUT_SANDBOX.get().is_none();
        let not_started = |error: std::io::Error| ChromiumError::NotStarted(error.to_string());
        sweep();
        let profile = tempfile::Builder::new()
            .prefix(&format!("{PROFILE}{}-", std::process::id()))
            .tempdir()
            .map_err(not_started)?;
        let mut command = ending_with_us(&program);
        command
            .args(arguments(way, profile.path(), sandbox))
            .env_clear()
            .env("HOME", profile.path())
            .env("PATH", "/usr/bin:/bin")
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            // Its helpers end with it.
            .process_group(0);
        if let Some(nobody) = unprivileged() {
            std::os::unix::fs::chown(profile.path(), Some(nobody), Some(nobody))
                .map_err(not_started)?;
            command.uid(nobody).gid(nobody);
        }
        let (ours, its) = std::os::unix::net::UnixStream::pair().map_err(not_started)?;
        give_pipe(&mut command, &its);
        let mut process = Command::from(command).kill_on_drop(true).spawn().map_err(not_started)?;
        drop(its);
        ours.set_nonblocking(true).map_err(not_started)?;
        let devtools = Devtools::over(UnixStream::from_std(ours).map_err(not_started)?);
        let last_words = last_words(process.stderr.take().expect("asked for above"));
        let browser = Self { devtools, process, _profile: profile };
        // It answers once it has begun.
        let began = browser.devtools.call("", "Browser.getVersion", json!({}));
        match tokio::time::timeout(Duration::from_secs(20), began).await {
            Ok(Ok(_)) => Ok(browser),
            _ => {
                drop(browser);
                let words = last_words.await.unwrap_or_default();
                Err(ChromiumError::NotStarted(words))
            }
        }
    }

    /// Opens an empty page.
    pub async fn page(&self, reader: FileReader) -> Result<Tab, DevtoolsError> {
        self.tab(reader, Asked::default()).await
    }

    /// Opens an empty page; whom it asks is noted in `asked`.
    pub(crate) async fn tab(&self, reader: FileReader, asked: Asked) -> Result<Tab, DevtoolsError> {
        // A tab behind another one is not painted, and its timers are held back.
        let target = json!({"url": "about:blank", "newWindow": true});
        let made = self.devtools.call("", "Target.createTarget", target).await?;
        let attach = json!({"targetId": made["targetId"], "flatten": true});
        let attached = self.devtools.call("", "Target.attachToTarget", attach).await?;
        let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
        let session = Session::new(self.devtools.clone(), text(&attached["sessionId"]));
        Tab::prepare(session, text(&made["targetId"]), reader, asked).await
    }
}

impl Drop for Chromium {
    fn drop(&mut self) {
        if let Some(id) = self.process.id() {
            // The group holds the helpers, which a kill of the browser alone would orphan.
            let _ = std::process::Command::new("kill")
                .args(["-KILL", "--", &format!("-{id}")])
                .stderr(Stdio::null())
                .status();
        }
    }
}

/// How the folders of profiles are named; the number of the process that made one follows.
const PROFILE: &str = "brisk-margin-browser-";

/// Takes away what processes that were killed left behind.
fn sweep() {
    let Ok(entries) = std::fs::read_dir(std::env::temp_dir()) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let maker = name.to_str().and_then(|name| name.strip_prefix(PROFILE)?.split('-').next());
        let Some(maker) = maker.and_then(|maker| maker.parse::<u32>().ok()) else { continue };
        if !Path::new("/proc").join(maker.to_string()).exists() {
            // Somebody else may be taking it away, too.
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

/// `program`, killed by the kernel when this process is, where util-linux is there to ask for it.
fn ending_with_us(program: &Path) -> std::process::Command {
    let setpriv = Path::new("/usr/bin/setpriv");
    if !setpriv.exists() {
        return std::process::Command::new(program);
    }
    let mut command = std::process::Command::new(setpriv);
    command.args(["--pdeathsig", "KILL", "--"]).arg(program);
    command
}

fn find() -> Option<PathBuf> {
    PLACES.iter().map(PathBuf::from).find(|path| path.exists())
}

/// The number of the user `nobody`, where this process may become it.
fn unprivileged() -> Option<u32> {
    use std::os::unix::fs::MetadataExt;
    let own = std::fs::metadata("/proc/self").ok()?.uid();
    // 65534 by long custom.
    (own == 0).then_some(65_534)
}

fn arguments(way: Way<'_>, profile: &Path, sandbox: bool) -> Vec<String> {
    let mut arguments: Vec<String> = [
        "--headless=new",
        "--remote-debugging-pipe",
        "--no-first-run",
        "--disable-gpu",
        "--disable-quic",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--disable-extensions",
        "--disable-dev-shm-usage",
        "--disable-breakpad",
        "--disable-background-timer-throttling",
        "--disable-backgrounding-occluded-windows",
        "--disable-renderer-backgrounding",
        "--mute-audio",
        "--hide-scrollbars",
        // Scripts of a page have as much memory as any page that people use needs, in MB.
        "--js-flags=--max-old-space-size=1024",
        "--force-color-profile=srgb",
        // Sockets that would go around the gate.
        "--force-webrtc-ip-handling-policy=disable_non_proxied_udp",
        "--dns-prefetch-disable",
        // Each would keep files of pages that were left, which changes what is taken of a `srcset`.
        "--disable-features=BackForwardCache,MemoryCacheStrongReference,\
         ProcessPerSiteUpToMainFrameThreshold",
    ]
    .map(str::to_owned)
    .to_vec();
    match way {
        Way::Gate(gate) => {
            arguments.push(format!("--proxy-server=http://{}", gate.address()));
            // Loopback, too, goes through the gate.
            arguments.push("--proxy-bypass-list=<-loopback>".to_owned());
        }
        Way::Link => {
            arguments.push("--no-proxy-server".to_owned());
            // The host there makes its certificate itself.
            arguments.push("--ignore-certificate-errors".to_owned());
        }
    }
    arguments.push(format!("--user-data-dir={}", profile.display()));
    if !sandbox {
        arguments.push("--no-sandbox".to_owned());
    }
    arguments
}

/// Hands `pipe` to the program as what it is driven over: it reads calls from descriptor 3, and
/// writes to 4.
fn give_pipe(command: &mut std::process::Command, pipe: &std::os::unix::net::UnixStream) {
    let pipe = pipe.as_raw_fd();
    let give = move || {
        // Out of the way of the two numbers first.
        // SAFETY: calls of numbers, which allocate nothing, between fork and exec; `pipe` is open
        // there as it is here.
        let given = unsafe {
            let free = libc::fcntl(pipe, libc::F_DUPFD_CLOEXEC, 10);
            free >= 0 && libc::dup2(free, 3) == 3 && libc::dup2(free, 4) == 4
        };
        if given { Ok(()) } else { Err(std::io::Error::last_os_error()) }
    };
    // SAFETY: `give` allocates nothing and takes no lock.
    unsafe { command.pre_exec(give) };
}

/// Reads what the browser complains of, so that it never waits for a full pipe; its last line in the
/// end.
fn last_words(
    mut stderr: impl tokio::io::AsyncRead + Unpin + Send + 'static,
) -> JoinHandle<String> {
    /// So much of its end is kept.
    const KEPT: usize = 1_000;
    tokio::spawn(async move {
        let (mut end, mut part) = (Vec::new(), [0; 4_096]);
        while let Ok(read @ 1..) = stderr.read(&mut part).await {
            end.extend(&part[..read]);
            end.drain(..end.len().saturating_sub(KEPT));
        }
        let words = String::from_utf8_lossy(&end);
        words.trim_end().lines().next_back().unwrap_or_default().to_owned()
    })
}
