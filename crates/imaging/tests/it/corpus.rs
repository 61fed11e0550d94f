//! The files that fuzzing begins with, among them all that it found: each is answered, and never with a crash.

use std::path::Path;

use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_imaging::codec::jpeg::DctScale;
use brisk_margin_imaging::{drawing, reading};

/// The files of one target, with their names.
fn files(target: &str) -> Vec<(String, Vec<u8>)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    entries.map(|path| (path.display().to_string(), std::fs::read(path).unwrap())).collect()
}

#[test]
fn every_format_has_files_and_each_is_answered() {
    for format in SourceFormat::ALL {
        let files = files(format.name());
        assert!(!files.is_empty(), "{format} has none");
        let read = files.iter().filter(|(_, file)| {
            let Ok((header, _)) = reading::header(format, file) else { return false };
            header.size.pixels() > 1 << 20
                || reading::pixels(format, file, DctScale::FULL, header.icc.as_deref()).is_ok()
        });
        assert!(read.count() > 0, "none of {format} is whole");
    }
}

#[test]
fn drawings_are_clean_and_stay_so() {
    for (name, file) in files("drawing") {
        let Ok(clean) = drawing::minified(&file) else { continue };
        let again = drawing::minified(clean.as_bytes());
        assert_eq!(again.as_deref(), Ok(clean.as_str()), "{name}");
    }
}
