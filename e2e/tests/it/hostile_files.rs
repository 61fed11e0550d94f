//! Files that mean harm cost themselves: the server goes on, and holds no more than before.

use std::time::{Duration, Instant};

use brisk_margin_core::format::Format;
use brisk_margin_e2e::application::{Application, Home};
use brisk_margin_testing::hostile::{self, Fate, HostileFile};
use brisk_margin_testing::pictures::{encoded, spots};
use reqwest::multipart::{Form, Part};

/// How long a small picture may take after each of them, on a machine that is busy besides.
const SOON: Duration = Duration::from_secs(5);
/// What the server may hold more in the end, in kilobytes.
pub const MORE: u64 = 100_000;

#[tokio::test(flavor = "multi_thread")]
async fn hostile_files_are_answered_and_good_ones_are_taken_as_before() {
    let mut home = Home::empty().await;
    home.says_little = true;
    let application = home.serve();
    for n in 0..4 {
        taken_soon(&application, n).await;
    }
    let before = held(application.pid());
    let files = hostile::files();
    assert!(files.len() >= 60, "{} files", files.len());
    let mut wrong = Vec::new();
    for (n, file) in files.iter().enumerate() {
        let (status, text) = sent(&application, file).await;
        let is_right = match file.fate {
            Fate::Taken => status == 201,
            Fate::Refused(words) => (400..500).contains(&status) && text.contains(words),
        };
        if !is_right {
            wrong.push(format!("{}: {status} {text}", file.name));
        }
        taken_soon(&application, 100 + n as u32).await;
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    let after = held(application.pid());
    assert!(after < before + MORE, "{before} kB grew to {after} kB");
    application.terminate();
}

#[tokio::test(flavor = "multi_thread")]
async fn the_end_does_not_wait_for_a_drawing_that_takes_for_ever() {
    let mut home = Home::empty().await;
    home.says_little = true;
    let application = home.serve();
    let noise = "<feTurbulence baseFrequency='0.01' numOctaves='12'/>".repeat(400);
    let bytes = format!(
        "<svg xmlns='http://www.w3.org/2000/svg' width='4000' height='4000'>\
         <filter id='f'>{noise}</filter><rect width='4000' height='4000' filter='url(#f)'/></svg>"
    );
    let fate = Fate::Taken;
    let file = HostileFile { name: "noise.svg".to_owned(), bytes: bytes.into(), fate };
    sent(&application, &file).await;
    tokio::time::sleep(Duration::from_millis(500)).await;
    let start = Instant::now();
    application.terminate();
    assert!(start.elapsed() < Duration::from_secs(10), "it took {:?}", start.elapsed());
}

async fn sent(application: &Application, file: &HostileFile) -> (u16, String) {
    let part = Part::bytes(file.bytes.clone()).file_name(file.name.clone());
    let request = brisk_margin_e2e::http::client().post(application.url("/api/pictures"));
    let answer = request.multipart(Form::new().part("file", part)).send().await.unwrap();
    (answer.status().as_u16(), answer.text().await.unwrap())
}

/// Uploads a picture, and fails where that takes longer than it does otherwise.
pub async fn taken_soon(application: &Application, seed: u32) {
    let start = Instant::now();
    let picture = encoded(&spots(seed, 60, 40), Format::Jpeg, 80);
    application.upload(&format!("good-{seed}.jpg"), picture).await;
    assert!(start.elapsed() < SOON, "a good picture took {:?}", start.elapsed());
}

/// What a process holds, in kilobytes (proc(5), status).
pub fn held(pid: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap();
    line.trim().trim_end_matches(" kB").parse().unwrap()
}
