//! Whose turn it is to write to a site.

use std::fs::{self, File};

use super::error::PublishError;
use super::folder::SiteFolder;

/// Keeps others from publishing to the same site while it lives: other processes of this machine, too.
#[derive(Debug)]
pub struct SiteTurn(#[expect(dead_code, reason = "it is held")] File);

impl SiteTurn {
    /// Takes the turn for `site`.
    ///
    /// # Errors
    /// [`PublishError::Busy`] where somebody else has it.
    pub fn take(site: &SiteFolder) -> Result<Self, PublishError> {
        // The folder itself is locked, so that nothing has to be put anywhere for it.
        let root = File::open(site.root())?;
        match root.try_lock() {
            Ok(()) => Ok(Self(root)),
            Err(fs::TryLockError::WouldBlock) => Err(PublishError::Busy(site.root().to_owned())),
            Err(fs::TryLockError::Error(error)) => Err(error.into()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_at_once_do_not_write_into_each_other() {
        let home = tempfile::tempdir().unwrap();
        let site = SiteFolder::open(home.path()).unwrap();
        let first = SiteTurn::take(&site).unwrap();
        let second = SiteTurn::take(&site).unwrap_err();
        assert!(matches!(second, PublishError::Busy(_)), "{second}");
        drop(first);
        SiteTurn::take(&site).unwrap();
    }
}
