//! The arrows of docs/architecture.md: a crate uses those below it, never one above or beside.

use std::collections::BTreeSet;
use std::path::Path;

/// Each crate with those of ours that it may use.
const MAY_USE: [(&str, &[&str]); 14] = [
    ("core", &[]),
    ("imaging", &["core"]),
    ("archive", &["core"]),
    ("spreadsheet", &[]),
    ("store", &["core"]),
    ("site", &["archive", "core"]),
    ("codec-pool", &["archive", "imaging", "core"]),
    ("work", &["store", "site", "codec-pool", "archive", "imaging", "core"]),
    ("api", &["work", "store", "site", "archive", "spreadsheet", "imaging", "core"]),
    ("cli", &["api", "work", "store", "site", "codec-pool", "archive", "imaging", "core"]),
    ("demo", &[]),
    ("features", &[]),
    ("testing", &["imaging", "core"]),
    (
        "bench",
        &[
            "cli",
            "api",
            "work",
            "store",
            "codec-pool",
            "imaging",
            "site",
            "core",
            "demo",
            "testing",
        ],
    ),
];

/// What the core's plain values have no need of.
const NOT_IN_CORE: [&str; 10] = [
    "axum",
    "image",
    "libavif-sys",
    "mozjpeg",
    "object_store",
    "rayon",
    "reqwest",
    "sea-orm",
    "tokio",
    "tracing",
];

/// What the section `[dependencies]` of a crate names.
fn dependencies(krate: &str) -> BTreeSet<String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let manifest = std::fs::read_to_string(folder.join(krate).join("Cargo.toml")).unwrap();
    let lines = manifest.lines().skip_while(|line| *line != "[dependencies]").skip(1);
    lines
        .take_while(|line| !line.starts_with('['))
        .filter_map(|line| line.split(['.', ' ', '=']).next())
        .filter(|name| !name.is_empty() && !name.starts_with('#'))
        .map(str::to_owned)
        .collect()
}

#[test]
fn every_crate_uses_only_what_stands_below_it() {
    for (krate, allowed) in MAY_USE {
        for name in dependencies(krate) {
            if let Some(ours) = name.strip_prefix("brisk-margin-") {
                assert!(allowed.contains(&ours), "{krate} may not use {ours}");
            }
        }
    }
}

#[test]
fn every_crate_has_its_place() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let there: BTreeSet<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    let placed: BTreeSet<String> = MAY_USE.iter().map(|(krate, _)| (*krate).to_owned()).collect();
    assert_eq!(there, placed);
}

#[test]
fn core_is_plain_values() {
    let core = dependencies("core");
    assert!(core.contains("serde"), "{core:?}");
    for name in NOT_IN_CORE {
        assert!(!core.contains(name), "core may not use {name}");
    }
}

#[test]
fn the_binary_has_nothing_of_the_benches_the_demo_and_the_tests() {
    for krate in [
        "core",
        "archive",
        "spreadsheet",
        "imaging",
        "store",
        "site",
        "codec-pool",
        "work",
        "api",
        "cli",
    ] {
        for name in [
            "brisk-margin-bench",
            "brisk-margin-demo",
            "brisk-margin-features",
            "brisk-margin-testing",
        ] {
            assert!(!dependencies(krate).contains(name), "{krate} uses {name}");
        }
    }
}
