//! Archives of others are read in a process of their own.

use std::fs::{self, File};
use std::io::{Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::Arc;

use brisk_margin_archive::{ArchiveError, ArchiveReader, Packing, Unpacking, files_below};
use brisk_margin_codec_pool::{ArchiveProcesses, Unconfined};

fn reader() -> ArchiveReader {
    let program = Path::new(env!("CARGO_BIN_EXE_brisk-margin"));
    ArchiveReader::remote(Arc::new(ArchiveProcesses::new(program, Unconfined::Refused)))
}

fn packed(files: &[(&str, &[u8])]) -> File {
    let mut packing = Packing::into(tempfile::tempfile().unwrap());
    files.iter().for_each(|(path, bytes)| packing.add(path, bytes).unwrap());
    let mut file = packing.finish().unwrap();
    file.rewind().unwrap();
    file
}

#[test]
fn every_byte_comes_through_the_pipe() {
    let large: Vec<u8> = (0..1_000_000_u32).flat_map(u32::to_le_bytes).collect();
    let archive = packed(&[("quay/herring.png", &large), ("empty.txt", b"")]);
    let folder = tempfile::tempdir().unwrap();
    Unpacking::into(folder.path()).zip(archive, &reader()).unwrap();
    assert_eq!(files_below(folder.path()).unwrap(), ["empty.txt", "quay/herring.png"]);
    assert_eq!(fs::read(folder.path().join("quay/herring.png")).unwrap(), large);
}

#[test]
fn what_is_no_archive_or_a_damaged_one_is_told() {
    let mut damaged = packed(&[("herring.png", &[7; 5_000])]);
    damaged.seek(SeekFrom::Start(2_000)).unwrap();
    damaged.write_all(b"other").unwrap();
    let mut nothing = tempfile::tempfile().unwrap();
    nothing.write_all(&[b'P'; 3_000]).unwrap();
    for file in [damaged, nothing] {
        let folder = tempfile::tempdir().unwrap();
        let taken = Unpacking::into(folder.path()).zip(file, &reader());
        assert!(matches!(taken, Err(ArchiveError::Unreadable(_))), "{taken:?}");
    }
}

#[test]
fn a_directory_without_end_meets_the_memory_of_its_process() {
    // As the format has it (APPNOTE 4.3.12 and 4.3.16): a directory that tells of four million names.
    let entry = [b"PK\x01\x02".as_slice(), &[0; 24], &[1, 0], &[0; 16], b"x"].concat();
    let mut bytes = entry.repeat(4_000_000);
    let (length, zip64) = (bytes.len() as u64, 4_000_000_u64.to_le_bytes());
    bytes.extend(
        [b"PK\x06\x06".as_slice(), &44_u64.to_le_bytes(), &[45, 0, 45, 0], &[0; 8]].concat(),
    );
    bytes.extend([zip64, zip64, length.to_le_bytes(), 0_u64.to_le_bytes()].concat());
    bytes
        .extend([b"PK\x06\x07".as_slice(), &[0; 4], &length.to_le_bytes(), &[1, 0, 0, 0]].concat());
    bytes.extend([b"PK\x05\x06".as_slice(), &[0; 4], &[0xff; 12], &[0; 2]].concat());
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(&bytes).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let taken = Unpacking::into(folder.path()).zip(file, &reader());
    assert!(matches!(taken, Err(ArchiveError::Unreadable(_))), "{taken:?}");
}
