//! A file that a page serves, and what its content says it is.

use brisk_margin_core::source_format::SourceFormat;
use std::sync::Arc;

use brisk_margin_core::geometry::Size;
use brisk_margin_core::units::Bytes;
use serde::Serialize;

/// What a file is by its content.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct FileFacts {
    /// Its pixels as shown.
    pub size: Option<Size>,
    /// Its format.
    pub format: Option<SourceFormat>,
}

type Read = dyn Fn(&[u8]) -> FileFacts + Send + Sync;

/// Reads what a file is by its content: whoever measures hands one in, since untrusted bytes are
/// parsed elsewhere.
#[derive(Clone)]
pub struct FileReader(Arc<Read>);

impl FileReader {
    /// A reader that does what `read` does.
    pub fn new(read: impl Fn(&[u8]) -> FileFacts + Send + Sync + 'static) -> Self {
        Self(Arc::new(read))
    }

    pub(crate) fn read(&self, body: &[u8]) -> FileFacts {
        (self.0)(body)
    }
}

impl std::fmt::Debug for FileReader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("FileReader")
    }
}

/// A file that a page serves.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ServedFile {
    /// Where it is.
    pub url: String,
    /// Its pixels across; nothing where it could not be read.
    pub width: Option<u32>,
    /// Its pixels down.
    pub height: Option<u32>,
    /// Its format by content, in lower case.
    pub format: Option<String>,
    /// Its weight.
    pub bytes: Bytes,
}

impl ServedFile {
    /// The file at `address` of `bytes`, which is what `facts` say.
    pub(crate) fn new(address: &str, facts: FileFacts, bytes: u64) -> Self {
        Self {
            url: address.to_owned(),
            width: facts.size.map(|size| size.width),
            height: facts.size.map(|size| size.height),
            format: facts.format.map(|format| format.name().to_owned()),
            bytes: Bytes(bytes),
        }
    }

    /// Its pixels.
    pub fn size(&self) -> Option<Size> {
        Some(Size::new(self.width?, self.height?)).filter(|size| size.pixels() > 0)
    }
}
