//! What the content of a file that a page serves says it is.

use std::sync::Arc;

use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

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
