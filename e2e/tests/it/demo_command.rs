//! `bin/demo` as somebody types it: ready, stopped cleanly, there again.

use std::fs;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use brisk_margin_e2e::application::workspace;

fn demo(data: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(workspace().join("bin/demo"));
    command.arg("--data").arg(data).args(["--port", "0"]).args(arguments);
    command
}

/// Starts the demo and returns its address once it is ready.
fn start(data: &Path, arguments: &[&str]) -> (Child, String) {
    let mut child = demo(data, arguments).stdout(Stdio::piped()).spawn().unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let address = lines.find_map(|line| {
        line.unwrap().strip_prefix("Brisk Margin is ready at ").map(str::to_owned)
    });
    (child, address.expect("the demo ended before it was ready"))
}

fn terminate(mut child: Child) {
    let stopped = Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
    assert!(stopped.success());
    assert!(child.wait().unwrap().success(), "the demo did not end cleanly");
}

async fn names(address: &str) -> Vec<String> {
    let text = reqwest::get(format!("{address}/api/pictures?limit=500"))
        .await
        .unwrap()
        .text()
        .await
        .unwrap();
    let list: serde_json::Value = serde_json::from_str(&text).unwrap();
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

    let (child, address) = start(&data, &[]);
    let first = names(&address).await;
    assert!(first.len() >= 8, "{first:?}");

    refused(&demo(&data, &[]).output().unwrap(), "in use by another bin/demo");
    let port = address.rsplit(':').next().unwrap();
    let taken = Command::new(workspace().join("bin/demo")).args(["--port", port]).output().unwrap();
    refused(&taken, &format!("port {port} is taken"));

    terminate(child);
    assert_eq!(left_running(home.path()), 0, "something still runs");

    let started = Instant::now();
    let (child, address) = start(&data, &[]);
    assert!(started.elapsed() < Duration::from_secs(60), "the second start draws nothing again");
    // The site's own folder is watched, so that there may be more by now.
    let second = names(&address).await;
    assert!(first.iter().all(|name| second.contains(name)), "{first:?} in {second:?}");
    terminate(child);

    fs::write(data.join("brisk-margin.json"), r#"{"layout":99}"#).unwrap();
    refused(&demo(&data, &[]).output().unwrap(), "another version of Brisk Margin");
    let foreign = home.path().join("foreign");
    fs::create_dir(&foreign).unwrap();
    fs::write(foreign.join("thesis.txt"), "years").unwrap();
    refused(&demo(&foreign, &["--fresh"]).output().unwrap(), "left alone");
    assert_eq!(fs::read(foreign.join("thesis.txt")).unwrap(), b"years");
}
