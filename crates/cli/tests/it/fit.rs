//! `brisk-margin fit` as a script uses it.

use std::fs;
use std::path::Path;
use std::process::{Command, Output};

use brisk_margin_imaging::codec::jpeg;
use brisk_margin_testing::pictures::{gradient_jpeg, gradient_png, oriented};
use serde_json::{Value, json};

fn fit(folder: &Path, arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_brisk-margin"))
        .current_dir(folder)
        .arg("fit")
        .args(arguments)
        .output()
        .unwrap()
}

fn lines(output: &Output) -> Vec<Value> {
    let text = String::from_utf8(output.stdout.clone()).unwrap();
    text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

#[test]
fn every_density_and_format_is_made_and_told() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("Dome.jpg"), gradient_jpeg(1600, 1200)).unwrap();
    let output = fit(
        folder.path(),
        &[
            "Dome.jpg",
            "--slot",
            "400x150",
            "--density",
            "1,2",
            "--format",
            "jpeg,webp,avif,png",
            "--focus",
            "0.5,0",
            "--quality",
            "70",
            "--out",
            "made",
            "--json",
        ],
    );
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let lines = lines(&output);
    assert_eq!(lines.len(), 8);
    for line in &lines {
        let density = line["density"].as_f64().unwrap();
        assert_eq!(line["width"], (400.0 * density) as u32);
        assert_eq!(line["height"], (150.0 * density) as u32);
        assert_eq!(line["crop"]["y"], 0);
        let file = fs::read(folder.path().join(line["file"].as_str().unwrap())).unwrap();
        assert_eq!(line["bytes"], file.len());
        for key in ["source", "source_bytes", "shortfall", "encodes", "millis", "score"] {
            assert!(line.get(key).is_some(), "{key} is missing");
        }
    }
    assert_eq!(lines[0]["file"], "made/dome-400x150.jpg");
    let pixels = fs::read(folder.path().join("made/dome-400x150@2x.jpg")).unwrap();
    let header = jpeg::header(&pixels).unwrap();
    assert_eq!((header.size.width, header.size.height), (800, 300));
}

#[test]
fn a_picture_that_fails_does_not_stop_the_others() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("note.jpg"), "no picture").unwrap();
    fs::write(folder.path().join("plan.png"), gradient_png(300, 200)).unwrap();
    let output =
        fit(folder.path(), &["note.jpg", "gone.jpg", "plan.png", "--slot", "30x20", "--json"]);
    assert_eq!(output.status.code(), Some(1));
    let lines = lines(&output);
    assert!(lines[0]["error"].as_str().unwrap().contains("not a picture"));
    assert_eq!(lines[1]["source"], "gone.jpg");
    assert_eq!(lines[2]["file"], "./plan-30x20.jpg");
}

#[test]
fn a_foreign_file_is_left_alone_and_its_own_is_replaced() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("plan.png"), gradient_png(300, 200)).unwrap();
    let target = folder.path().join("plan-30x20.jpg");
    fs::write(&target, "somebody else's").unwrap();
    let refused = fit(folder.path(), &["plan.png", "--slot", "30x20", "--json"]);
    assert_eq!(refused.status.code(), Some(1));
    assert_eq!(fs::read(&target).unwrap(), b"somebody else's");
    fs::remove_file(&target).unwrap();
    for quality in ["80", "30"] {
        let arguments = ["plan.png", "--slot", "30x20", "--quality", quality];
        assert_eq!(fit(folder.path(), &arguments).status.code(), Some(0), "quality {quality}");
    }
}

#[test]
fn a_byte_cap_lowers_the_quality_and_says_so() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("dome.jpg"), gradient_jpeg(800, 600)).unwrap();
    let arguments =
        ["dome.jpg", "--slot", "800x600", "--quality", "95", "--max-bytes", "6000", "--json"];
    let line = lines(&fit(folder.path(), &arguments)).remove(0);
    assert!(line["bytes"].as_u64().unwrap() <= 6000 && line["quality"].as_f64().unwrap() < 95.0);
}

#[test]
fn a_grade_is_reached_and_told_with_its_score() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("dome.jpg"), gradient_jpeg(800, 600)).unwrap();
    let arguments =
        ["dome.jpg", "--slot", "400x300", "--format", "webp,avif", "--grade", "fine", "--json"];
    let output = fit(folder.path(), &arguments);
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    for line in lines(&output) {
        assert!(line["score"].as_f64().unwrap() >= 85.0, "{line}");
        assert!(line["encodes"].as_u64().unwrap() <= 5, "{line}");
        assert_eq!(line["outcome"]["kind"], "met", "{line}");
    }
}

#[test]
fn lossless_is_a_copy_where_nothing_changes_and_refused_where_it_cannot_be() {
    let folder = tempfile::tempdir().unwrap();
    let original = oriented(&gradient_jpeg(320, 200), 3);
    fs::write(folder.path().join("dome.jpg"), &original).unwrap();
    let lossless = ["--grade", "lossless", "--format", "jpeg", "--json"];
    let whole = [&["dome.jpg", "--slot", "320x200"][..], &lossless].concat();
    let line = lines(&fit(folder.path(), &whole)).remove(0);
    let copy = fs::read(folder.path().join(line["file"].as_str().unwrap())).unwrap();
    let pixels = |file: &[u8]| {
        jpeg::pixels(file, jpeg::DctScale::FULL).map(|read| match read {
            jpeg::Pixels::Rgb(raster) => raster,
            jpeg::Pixels::Inks(..) => panic!("no print picture"),
        })
    };
    assert!(pixels(&copy).unwrap() == pixels(&original).unwrap());
    assert_eq!((&line["score"], &line["quality"]), (&json!(100.0), &Value::Null));
    let scaled = [&["dome.jpg", "--slot", "160x100"][..], &lossless].concat();
    let refused = lines(&fit(folder.path(), &scaled)).remove(0);
    assert!(refused["error"].as_str().unwrap().contains("PNG or WebP"), "{refused}");
}

#[test]
fn wrong_use_is_told_before_anything_is_made() {
    let folder = tempfile::tempdir().unwrap();
    for arguments in [
        &["dome.jpg"][..],
        &["dome.jpg", "--slot", "0x344"],
        &["dome.jpg", "--slot", "100000x344"],
        &["dome.jpg", "--slot", "912"],
        &["dome.jpg", "--slot", "912x344", "--quality", "0"],
        &["dome.jpg", "--slot", "912x344", "--grade", "best"],
        &["dome.jpg", "--slot", "912x344", "--grade", "fine", "--quality", "70"],
        &["dome.jpg", "--slot", "912x344", "--fit", "squash"],
        &["dome.jpg", "--slot", "912x344", "--focus", "2,0"],
        &["dome.jpg", "--slot", "912x344", "--density", "9"],
    ] {
        assert_eq!(fit(folder.path(), arguments).status.code(), Some(2), "{arguments:?}");
    }
}
