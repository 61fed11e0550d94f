//! What each target does with its bytes. A panic is a finding, but for those of decoders that are caught as in the
//! application: they say that a file is damaged.

use std::io::Write;
use std::sync::Once;

use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_imaging::codec::jpeg::DctScale;
use brisk_margin_imaging::{drawing, reading};
use brisk_margin_archive::{ArchiveReader, Limits, Unpacking};
use brisk_margin_site::gate::Authority;
use brisk_margin_site::har;
use brisk_margin_site::source::page::PageSource;
use brisk_margin_site::source::style::style_urls;

/// Larger ones cost time and find nothing.
const MOST_PIXELS: u64 = 1 << 20;

/// Reads a picture of one format: its header, and where it is small its pixels.
pub fn picture(format: SourceFormat, data: &[u8]) {
    // The fuzzer ends at any panic; whatever goes on from here still ends it.
    static CAUGHT_ARE_NONE: Once = Once::new();
    CAUGHT_ARE_NONE.call_once(|| std::panic::set_hook(Box::new(|_| {})));
    let Ok((header, _)) = reading::header(format, data) else { return };
    let _ = reading::open(data);
    if header.size.pixels() <= MOST_PIXELS {
        let _ = reading::pixels(format, data, DctScale::FULL, header.icc.as_deref());
        if header.frames > 1 {
            let _ = reading::motion(format, data, 20);
        }
    }
}

/// Cleans a drawing: what comes out stays as it is, and names no other place.
pub fn drawing(data: &[u8]) {
    let Ok(clean) = drawing::minified(data) else { return };
    for bad in ["<script", "javascript:", "<foreignObject", "@import"] {
        assert!(!clean.contains(bad), "{bad} is left");
    }
    drawing::minified(clean.as_bytes()).expect("what is clean can be read");
}

/// Reads a page, and tells it byte for byte.
pub fn page(data: &[u8]) {
    if let Ok(page) = PageSource::read(data) {
        for style in page.styles() {
            let _ = style_urls(page.text(style).as_bytes());
        }
        let _ = page.base();
    }
}

/// Finds the addresses in a style sheet, each within it.
pub fn style(data: &[u8]) {
    for found in style_urls(data) {
        assert!(data.get(found.range.clone()).is_some(), "it is beyond the end");
    }
}

/// Reads what a browser asks the gate for.
pub fn gate(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let _ = Authority::parse(text);
    if let Ok(url) = url::Url::parse(text) {
        let _ = Authority::of(&url);
    }
}

/// Unpacks an archive, which leaves nothing outside of its folder.
pub fn archive(data: &[u8]) {
    let around = tempfile::tempdir().expect("a folder");
    let inside = around.path().join("inside");
    std::fs::create_dir(&inside).expect("a folder in it");
    let mut file = tempfile::tempfile().expect("a file");
    file.write_all(data).expect("room for it");
    let _ = Unpacking::within(&inside, Limits::SITE).zip(file, &ArchiveReader::in_process());
    let beside = std::fs::read_dir(around.path()).expect("it is there").count();
    assert_eq!(beside, 1, "something stands beside it");
}

/// Reads a table.
pub fn table(data: &[u8]) {
    let _ = brisk_margin_spreadsheet::ReadTable::read(data, &["page", "views"], &["page"]);
}

/// Reads an archive of page loads.
pub fn loads(data: &[u8]) {
    let _ = har::read(data);
}
