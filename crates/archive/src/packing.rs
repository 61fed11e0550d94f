//! Archives that are written.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

use zip::write::SimpleFileOptions;

use crate::folder::files_below;

/// Packs every file in `folder` into a zip archive, in `into`. Nothing is compressed.
///
/// # Errors
/// Those of the disk.
pub fn pack(folder: &Path, into: &File) -> io::Result<()> {
    let mut packing = Packing::into(into.try_clone()?);
    for path in files_below(folder)? {
        packing.add(&path, &fs::read(folder.join(&path))?)?;
    }
    packing.finish().map(drop)
}

/// A zip archive that is written file by file. Nothing is compressed: pictures are already.
pub struct Packing(zip::ZipWriter<File>);

impl Packing {
    /// Writes into `file`.
    pub fn into(file: File) -> Self {
        Self(zip::ZipWriter::new(file))
    }

    /// Adds the file at `path`.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn add(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let stored = SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .large_file(true);
        self.0.start_file(path, stored).map_err(io::Error::other)?;
        self.0.write_all(bytes)
    }

    /// The whole archive.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn finish(self) -> io::Result<File> {
        self.0.finish().map_err(io::Error::other)
    }
}
