//! The files that fuzzing begins with, among them all that it found in what is no picture: each is answered.

use std::io::{Seek, Write};
use std::path::Path;

use brisk_margin_archive::{ArchiveReader, Limits, Unpacking};
use brisk_margin_site::gate::Authority;
use brisk_margin_site::har;
use brisk_margin_site::source::page::PageSource;
use brisk_margin_site::source::style::style_urls;
use brisk_margin_spreadsheet::ReadTable;

fn files(target: &str) -> Vec<Vec<u8>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let entries = std::fs::read_dir(folder).unwrap();
    entries.map(|entry| std::fs::read(entry.unwrap().path()).unwrap()).collect()
}

/// How many files of a target are read well.
fn whole(target: &str, reads: impl Fn(&[u8]) -> bool) -> usize {
    files(target).iter().filter(|file| reads(file)).count()
}

#[test]
fn what_is_no_picture_is_answered_too() {
    let within =
        |css: &[u8]| style_urls(css).into_iter().all(|found| css.get(found.range).is_some());
    assert_eq!(whole("style", within), files("style").len());
    assert!(whole("page", |page| PageSource::read(page).is_ok()) > 0);
    let asked = |text: &[u8]| std::str::from_utf8(text).ok().and_then(Authority::parse).is_some();
    assert!(whole("gate", asked) > 0);
    assert!(whole("loads", |loads| har::read(loads).is_ok()) > 0);
    let table = |table: &[u8]| ReadTable::read(table, &["page", "views"], &["page"]).is_ok();
    assert!(whole("table", table) > 0);
    let unpacks = |packed: &[u8]| {
        let (folder, mut file) = (tempfile::tempdir().unwrap(), tempfile::tempfile().unwrap());
        file.write_all(packed).unwrap();
        file.rewind().unwrap();
        Unpacking::within(folder.path(), Limits::SITE)
            .zip(file, &ArchiveReader::in_process())
            .is_ok()
    };
    assert!(whole("archive", unpacks) > 0);
}
