//! `bin/demo` as somebody types it: ready, stopped cleanly, there again.

use std::collections::BTreeMap;
use std::fs;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, ExitStatus, Output, Stdio};
use std::time::SystemTime;

use brisk_margin_e2e::application::workspace;

fn demo(data: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(workspace().join("bin/demo"));
    command.arg("--data").arg(data).args(["--port", "0"]).args(arguments);
    command
}

/// Starts the demo and returns its address once it is ready.
fn start(data: &Path, arguments: &[&str]) -> (Running, String) {
    let mut child = Running(demo(data, arguments).stdout(Stdio::piped()).spawn().unwrap());
    let mut lines = BufReader::new(child.0.stdout.take().unwrap()).lines();
    let address = lines.find_map(|line| {
        line.unwrap().strip_prefix("Brisk Margin is ready at ").map(str::to_owned)
    });
    (child, address.expect("the demo ended before it was ready"))
}

/// The running demo; it ends with the test, also with one that fails.
struct Running(Child);

impl Running {
    fn terminate(&mut self) -> ExitStatus {
        let _ = Command::new("kill").args(["-TERM", &self.0.id().to_string()]).status();
        self.0.wait().unwrap()
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        if let Ok(None) = self.0.try_wait() {
            self.terminate();
        }
    }
}

async fn names(address: &str) -> Vec<String> {
    let text = brisk_margin_e2e::http::bytes_at(format!(
        "{address}/api/sites/tarnlight-observatory/pictures?limit=500"
    ))
    .await;
    let list: serde_json::Value = serde_json::from_slice(&text).unwrap();
    let pictures = list["pictures"].as_array().unwrap();
    pictures.iter().map(|picture| picture["name"].as_str().unwrap().to_owned()).collect()
}

/// Processes whose command line names the folder.
fn left_running(folder: &Path) -> usize {
    let needle = folder.to_str().unwrap();
    fs::read_dir("/proc")
        .unwrap()
        .filter_map(|entry| fs::read(entry.ok()?.path().join("cmdline")).ok())
        .filter(|line| String::from_utf8_lossy(line).contains(needle))
        .count()
}

/// When each file of the demo's website was drawn.
fn drawn_at(data: &Path) -> BTreeMap<PathBuf, SystemTime> {
    let entries = fs::read_dir(data.join("site/media")).unwrap().map(|entry| entry.unwrap().path());
    entries.map(|path| (path.clone(), fs::metadata(&path).unwrap().modified().unwrap())).collect()
}

fn refused(output: &Output, words: &str) {
    assert!(!output.status.success());
    let text = String::from_utf8_lossy(&output.stderr);
    let last = text.trim().lines().last().unwrap_or_default();
    assert!(last.contains(words), "“{last}” does not say “{words}”");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_starts_stops_and_starts_again_with_everything() {
    let home = tempfile::tempdir().unwrap();
    fs::set_permissions(home.path(), fs::Permissions::from_mode(0o755)).unwrap();
    let data = home.path().join("demo");

    let (mut child, address) = start(&data, &[]);
    let first = names(&address).await;
    assert!(first.len() >= 8, "{first:?}");

    refused(&demo(&data, &[]).output().unwrap(), "in use by another bin/demo");
    let port = address.rsplit(':').next().unwrap();
    let taken = Command::new(workspace().join("bin/demo")).args(["--port", port]).output().unwrap();
    refused(&taken, &format!("port {port} is taken"));

    assert!(child.terminate().success(), "the demo did not end cleanly");
    assert_eq!(left_running(home.path()), 0, "something still runs");

    let drawn = drawn_at(&data);
    assert!(drawn.len() > 20, "{drawn:?}");
    let (mut child, address) = start(&data, &[]);
    assert_eq!(drawn_at(&data), drawn, "the second start draws nothing again");
    // The site's own folder is watched, so that there may be more by now.
    let second = names(&address).await;
    assert!(first.iter().all(|name| second.contains(name)), "{first:?} in {second:?}");
    assert!(child.terminate().success(), "the demo did not end cleanly");

    fs::write(data.join("brisk-margin.json"), r#"{"layout":99}"#).unwrap();
    refused(&demo(&data, &[]).output().unwrap(), "another version of Brisk Margin");
    let foreign = home.path().join("foreign");
    fs::create_dir(&foreign).unwrap();
    fs::write(foreign.join("thesis.txt"), "years").unwrap();
    refused(&demo(&foreign, &["--fresh"]).output().unwrap(), "left alone");
    assert_eq!(fs::read(foreign.join("thesis.txt")).unwrap(), b"years");
}
