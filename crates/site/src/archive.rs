//! Sites and pictures that come as files: unpacked from a zip or written one by one, into a folder
//! and never out of it.

use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Component, Path, PathBuf};

use brisk_margin_core::units::Bytes;
use thiserror::Error;
use zip::write::SimpleFileOptions;

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

    /// Unpacks the zip archive in `file`.
    pub fn zip(&mut self, file: File) -> Result<(), ArchiveError> {
        let mut archive = zip::ZipArchive::new(io::BufReader::new(file))?;
        for n in 0..archive.len() {
            let mut entry = archive.by_index(n)?;
            if entry.is_dir() {
                continue;
            }
            let name = entry.name()?.into_owned();
            self.file(&name, &mut entry)?;
        }
        Ok(())
    }

    /// Writes one file at `path`, relative to the site's own folder.
    pub fn file(&mut self, path: &str, content: &mut impl Read) -> Result<(), ArchiveError> {
        self.files += 1;
        if self.files > self.limits.files {
            return Err(ArchiveError::TooMany(self.limits.files));
        }
        let target = self.folder.join(inside(path)?);
        if let Some(parent) = target.parent() {
            fs::create_dir_all(parent)?;
        }
        // One byte beyond the limit tells that there is more; what an archive says of its own
        // sizes is not believed.
        let room = self.limits.bytes.get() - self.bytes + 1;
        self.bytes += io::copy(&mut content.take(room), &mut File::create(target)?)?;
        if self.bytes > self.limits.bytes.get() {
            return Err(ArchiveError::TooLarge(self.limits.bytes));
        }
        Ok(())
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

/// Packs every file in `folder` into a zip archive, in `into`. Nothing is compressed.
///
/// # Errors
/// Those of the disk.
pub fn pack(folder: &Path, into: &File) -> Result<(), ArchiveError> {
    let mut packing = Packing::into(into.try_clone()?);
    for path in files_below(folder)? {
        packing.add(&path, &fs::read(folder.join(&path))?)?;
    }
    packing.finish()?;
    Ok(())
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
        io::Write::write_all(&mut self.0, bytes)
    }

    /// The whole archive.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn finish(self) -> io::Result<File> {
        self.0.finish().map_err(io::Error::other)
    }
}

/// The pages in `folder`, by their paths below it with forward slashes, index pages first.
pub fn pages(folder: &Path) -> io::Result<Vec<String>> {
    let mut pages = files_below(folder)?;
    pages.retain(|path| path.ends_with(".html") || path.ends_with(".htm"));
    pages.sort_by_key(|page| {
        (!page.ends_with("index.html"), page.matches('/').count(), page.clone())
    });
    Ok(pages)
}

/// The paths of the files in `folder` and below that end in `ending`.
///
/// # Errors
/// Those of the disk.
pub fn files_ending(folder: &Path, ending: &str) -> io::Result<Vec<String>> {
    let mut files = files_below(folder)?;
    files.retain(|path| path.to_ascii_lowercase().ends_with(ending));
    Ok(files)
}

/// Every file in `folder` and below, by its path there; links to folders are not followed.
///
/// # Errors
/// Those of the disk.
pub fn files_below(folder: &Path) -> io::Result<Vec<String>> {
    let mut files = Vec::new();
    let mut waiting = vec![folder.to_owned()];
    while let Some(next) = waiting.pop() {
        for entry in fs::read_dir(next)? {
            let entry = entry?;
            let (path, kind) = (entry.path(), entry.file_type()?);
            if kind.is_dir() {
                waiting.push(path);
            } else if kind.is_symlink() && path.is_dir() {
                // It may lead anywhere, also back here.
            } else if let Ok(below) = path.strip_prefix(folder) {
                files.push(below.to_string_lossy().into_owned());
            }
        }
    }
    files.sort();
    Ok(files)
}

/// Why a site was not taken.
#[derive(Debug, Error)]
pub enum ArchiveError {
    /// Not a zip archive, or a damaged one.
    #[error("the archive cannot be read ({0}); pack it again as zip")]
    Unreadable(#[from] zip::result::ZipError),
    /// A path that leads out of the folder.
    #[error(
        "the path “{0}” leads out of the archive's folder; nothing was taken, pack it with plain paths"
    )]
    Climbing(String),
    /// More files than [`Limits::files`].
    #[error(
        "the archive has more than {0} files; leave out what is not needed, or bring it in parts"
    )]
    TooMany(usize),
    /// More bytes than [`Limits::bytes`].
    #[error(
        "the archive unpacks to more than {0}; leave out what is not needed, or bring it in parts"
    )]
    TooLarge(Bytes),
    /// It holds no page.
    #[error("there is no .html file in it; pack the site's pages with their styles and pictures")]
    NoPages,
    /// The disk.
    #[error("the files could not be written to disk: {0}")]
    Disk(#[from] io::Error),
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Seek, Write};
    use zip::write::SimpleFileOptions;

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
        Unpacking::into(folder.path()).zip(file).unwrap();
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
        let mut endless = io::repeat(0).take(2 * MOST_BYTES.get());
        assert!(matches!(unpacking.file("a.css", &mut endless), Err(ArchiveError::TooLarge(_))));
        let mut unpacking = Unpacking { files: MOST_FILES, ..Unpacking::into(folder.path()) };
        let more = unpacking.file("b.css", &mut b"".as_slice());
        assert!(matches!(more, Err(ArchiveError::TooMany(_))));
        assert!(matches!(
            Unpacking::into(folder.path()).zip(tempfile::tempfile().unwrap()),
            Err(ArchiveError::Unreadable(_))
        ));
    }
}
