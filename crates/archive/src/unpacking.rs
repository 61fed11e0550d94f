//! Archives unpacked: files written into a folder within limits, and never out of it.

use std::fs::{self, File};
use std::io::{BufReader, ErrorKind, Read, Write};
use std::path::{Component, Path, PathBuf};

use brisk_margin_core::units::Bytes;

use crate::pieces::Piece;
use crate::{ArchiveError, ArchiveReader};

/// Most files of a site.
pub const MOST_FILES: usize = 5_000;
/// Most bytes of a site, unpacked.
pub const MOST_BYTES: Bytes = Bytes::mb(500);

/// How much is unpacked at most.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// So many files.
    pub files: usize,
    /// So many bytes in all.
    pub bytes: Bytes,
}

impl Limits {
    /// Those of a site.
    pub const SITE: Self = Self { files: MOST_FILES, bytes: MOST_BYTES };
    /// Those of an archive of pictures: 2,000 files and 8 GB.
    pub const PICTURES: Self = Self { files: 2_000, bytes: Bytes::mb(8_000) };
}

/// A folder that files are written into, within limits.
pub struct Unpacking {
    folder: PathBuf,
    limits: Limits,
    files: usize,
    bytes: u64,
}

impl Unpacking {
    /// Starts in `folder`, which is there and empty.
    pub fn into(folder: &Path) -> Self {
        Self::within(folder, Limits::SITE)
    }

    /// The same, within other limits than a site's.
    pub fn within(folder: &Path, limits: Limits) -> Self {
        Self { folder: folder.to_owned(), limits, files: 0, bytes: 0 }
    }

    /// Unpacks the zip archive in `archive`, which `reader` reads.
    ///
    /// # Errors
    /// [`ArchiveError`]; what was written until then stays in the folder.
    pub fn zip(&mut self, archive: File, reader: &ArchiveReader) -> Result<(), ArchiveError> {
        let mut pieces = BufReader::new(reader.pieces(archive).map_err(ArchiveError::NoReader)?);
        let mut open = None;
        loop {
            let piece = Piece::read(&mut pieces).map_err(|error| match error.kind() {
                ErrorKind::UnexpectedEof => ArchiveError::unreadable("reading it took too much"),
                _ => ArchiveError::unreadable(error),
            })?;
            match (piece, &mut open) {
                (Piece::File(path), _) => open = Some(self.begin(&path)?),
                (Piece::Bytes(bytes), Some(file)) => self.write(file, &bytes)?,
                (Piece::Bytes(_), None) => {
                    return Err(ArchiveError::unreadable("bytes of no file"));
                }
                (Piece::Unreadable(why), _) => return Err(ArchiveError::Unreadable(why)),
                (Piece::End, _) => return Ok(()),
            }
        }
    }

    /// Writes one file at `path`, relative to the site's own folder.
    ///
    /// # Errors
    /// [`ArchiveError`].
    pub fn file(&mut self, path: &str, content: &mut impl Read) -> Result<(), ArchiveError> {
        let mut file = self.begin(path)?;
        let mut bytes = vec![0; 1 << 16];
        loop {
            match content.read(&mut bytes)? {
                0 => return Ok(()),
                read => self.write(&mut file, &bytes[..read])?,
            }
        }
    }

    fn begin(&mut self, path: &str) -> Result<File, ArchiveError> {
        self.files += 1;
        if self.files > self.limits.files {
            return Err(ArchiveError::TooMany(self.limits.files));
        }
        let target = self.folder.join(inside(path)?);
        if let Some(parent) = target.parent() {
            fs::create_dir_all(parent)?;
        }
        Ok(File::create(target)?)
    }

    /// What an archive says of its own sizes is not believed.
    fn write(&mut self, file: &mut File, bytes: &[u8]) -> Result<(), ArchiveError> {
        self.bytes += bytes.len() as u64;
        if self.bytes > self.limits.bytes.get() {
            return Err(ArchiveError::TooLarge(self.limits.bytes));
        }
        Ok(file.write_all(bytes)?)
    }
}

/// `path` as parts below a folder.
fn inside(path: &str) -> Result<PathBuf, ArchiveError> {
    let path = path.replace('\\', "/");
    let parts: Option<PathBuf> = Path::new(&path)
        .components()
        .filter(|part| *part != Component::CurDir)
        .map(|part| match part {
            Component::Normal(name) => Some(name),
            _ => None,
        })
        .collect();
    let drive = path.split('/').next().is_some_and(|first| first.contains(':'));
    match parts {
        Some(parts) if !parts.as_os_str().is_empty() && !drive => Ok(parts),
        _ => Err(ArchiveError::Climbing(path)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{RemoteReader, pages};
    use std::io::Seek;
    use zip::write::SimpleFileOptions;

    const HERE: ArchiveReader = ArchiveReader::in_process();

    fn archive(entries: &[(&str, &[u8])]) -> File {
        let mut writer = zip::ZipWriter::new(tempfile::tempfile().unwrap());
        for (name, content) in entries {
            writer.start_file(*name, SimpleFileOptions::default()).unwrap();
            writer.write_all(content).unwrap();
        }
        let mut file = writer.finish().unwrap();
        file.rewind().unwrap();
        file
    }

    #[test]
    fn a_site_is_unpacked_with_its_folders() {
        let folder = tempfile::tempdir().unwrap();
        let file =
            archive(&[("site/a.html", b"a"), ("site/index.html", b"i"), ("site/m/p.png", b"p")]);
        Unpacking::into(folder.path()).zip(file, &HERE).unwrap();
        assert_eq!(fs::read(folder.path().join("site/m/p.png")).unwrap(), b"p");
        assert_eq!(pages(folder.path()).unwrap(), ["site/index.html", "site/a.html"]);
    }

    #[test]
    fn no_path_leads_out_of_the_folder() {
        for path in
            ["../out.html", "/etc/out.html", "a/../../out.html", "..\\out.html", "C:\\out", ""]
        {
            let folder = tempfile::tempdir().unwrap();
            let inner = folder.path().join("inner");
            fs::create_dir(&inner).unwrap();
            let taken = Unpacking::into(&inner).file(path, &mut b"x".as_slice());
            assert!(matches!(taken, Err(ArchiveError::Climbing(_))), "{path}");
            assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1, "{path}");
        }
    }

    #[test]
    fn a_bomb_is_stopped_at_the_limit_whatever_it_claims() {
        let folder = tempfile::tempdir().unwrap();
        let mut unpacking = Unpacking::into(folder.path());
        let mut endless = std::io::repeat(0).take(2 * MOST_BYTES.get());
        assert!(matches!(unpacking.file("a.css", &mut endless), Err(ArchiveError::TooLarge(_))));
        let mut unpacking = Unpacking { files: MOST_FILES, ..Unpacking::into(folder.path()) };
        let more = unpacking.file("b.css", &mut b"".as_slice());
        assert!(matches!(more, Err(ArchiveError::TooMany(_))));
        assert!(matches!(
            Unpacking::into(folder.path()).zip(tempfile::tempfile().unwrap(), &HERE),
            Err(ArchiveError::Unreadable(_))
        ));
    }

    #[test]
    fn a_damaged_file_inside_is_told_and_is_no_fault_of_the_disk() {
        let folder = tempfile::tempdir().unwrap();
        let mut file = archive(&[("site/a.html", &b"a page of some length ".repeat(40))]);
        file.seek(std::io::SeekFrom::Start(45)).unwrap();
        file.write_all(&[0xff; 8]).unwrap();
        let taken = Unpacking::into(folder.path()).zip(file, &HERE);
        assert!(matches!(taken, Err(ArchiveError::Unreadable(_))), "{taken:?}");
    }

    /// Says what no archive holds.
    struct Liar(&'static [u8]);

    impl RemoteReader for Liar {
        fn pieces(&self, _: File) -> std::io::Result<Box<dyn Read + Send>> {
            Ok(Box::new(self.0))
        }

        fn memory(&self) -> Bytes {
            Bytes::mb(1)
        }
    }

    #[test]
    fn a_reader_that_was_taken_over_writes_nothing_outside() {
        let folder = tempfile::tempdir().unwrap();
        let inner = folder.path().join("inner");
        fs::create_dir(&inner).unwrap();
        let lies: [&[u8]; 4] =
            [b"b\x01\0\0\0x", b"f\x06\0\0\0../out", b"f\x01\0\0\0ab\x02\0\0\0x", b"nothing"];
        for lie in lies {
            let reader = ArchiveReader::remote(std::sync::Arc::new(Liar(lie)));
            let file = tempfile::tempfile().unwrap();
            assert!(Unpacking::into(&inner).zip(file, &reader).is_err(), "{lie:?}");
        }
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1);
    }
}
