//! Files that were made, kept in a folder under what they were made of: the same is never encoded
//! twice.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::{Encoding, generation};
use brisk_margin_core::grade::Score;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_imaging::choosing::{Chosen, Hints};
use serde::Serialize;
use serde::de::DeserializeOwned;
use tempfile::NamedTempFile;

/// Counts up where pixels come out otherwise than before.
const GENERATION: u16 = 3;

fn key(of: &MadeOf<'_>) -> CacheKey {
    CacheKey::versioned(GENERATION, &(generation(of.request.format()), of))
}

/// A folder of files that were made.
#[derive(Debug, Clone)]
pub struct MadeFiles {
    folder: PathBuf,
}

/// What a file was made of.
#[derive(Debug, Serialize)]
pub(super) struct MadeOf<'a> {
    /// The hash of the picture.
    pub(super) source: &'a str,
    pub(super) spec: &'a RenderSpec,
    pub(super) request: EncodeRequest,
}

impl MadeFiles {
    /// Those in `folder`, which is made where it is missing.
    ///
    /// # Errors
    /// Those of the disk.
    pub fn open(folder: &Path) -> io::Result<Self> {
        fs::create_dir_all(folder)?;
        Ok(Self { folder: folder.to_owned() })
    }

    /// The file that was made of `of`, where it is there.
    pub(super) fn file(&self, of: &MadeOf<'_>) -> Option<Vec<u8>> {
        fs::read(self.at(of)).ok()
    }

    /// Keeps a file that was made of `of`, all of it or nothing, and before it what it tells of others.
    pub(super) fn keep(&self, of: &MadeOf<'_>, chosen: &Chosen) -> io::Result<()> {
        self.note("told", key(of).as_str(), &(chosen.trial.encoding, chosen.counted))?;
        self.put(&self.at(of), &chosen.trial.bytes)
    }

    /// `hints` with what the file that was made of `of`, a picture of `class`, told.
    pub(super) fn told(&self, of: &MadeOf<'_>, class: ContentClass, hints: Hints) -> Hints {
        let told: Option<(Encoding, Score)> = self.known("told", key(of).as_str());
        told.map_or(hints, |(encoding, counted)| hints.and(class, encoding, counted))
    }

    /// What is known of `key`, of a kind called `kind`.
    pub(super) fn known<T: DeserializeOwned>(&self, kind: &str, key: &str) -> Option<T> {
        let text = fs::read(self.folder.join(format!("{key}.{kind}.json"))).ok()?;
        serde_json::from_slice(&text).ok()
    }

    /// Keeps what is known of `key`.
    pub(super) fn note(&self, kind: &str, key: &str, what: &impl Serialize) -> io::Result<()> {
        let text = serde_json::to_vec(what).map_err(io::Error::other)?;
        self.put(&self.folder.join(format!("{key}.{kind}.json")), &text)
    }

    fn at(&self, of: &MadeOf<'_>) -> PathBuf {
        self.folder.join(key(of).as_str())
    }

    fn put(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let mut whole = NamedTempFile::new_in(&self.folder)?;
        whole.write_all(bytes)?;
        whole.persist(path)?;
        Ok(())
    }
}
