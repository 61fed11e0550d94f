//! Rows held against the blob store: whether all bytes that they speak of are there, and are what they were.

use brisk_margin_store::spoken_bytes::{Role, SpokenBytes};
use brisk_margin_store::{BlobError, Blobs, Installation, StoreError};
use futures::{StreamExt, stream};
use serde::Serialize;

/// How many files are read at once.
const AT_ONCE: usize = 4;

/// What is done about bytes that are missing or damaged.
pub enum Repair<'a> {
    /// Nothing.
    None,
    /// What can be made again is forgotten, so that it is.
    Forget,
    /// What `backup` has is taken from there; else as [`Self::Forget`].
    From {
        /// The blobs of a backup.
        backup: &'a Blobs,
    },
}

/// What is wrong with bytes that a row speaks of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// Their hash.
    pub hash: String,
    /// The site and what the row is called.
    pub of: String,
    /// What is wrong, in words.
    pub what: String,
    /// What was done about it, in words; nothing where nothing was.
    pub repaired: Option<&'static str>,
}

/// How many were looked at, and what was found.
#[derive(Debug, Default, Serialize)]
pub struct Verified {
    /// Files that are whole.
    pub whole: u64,
    /// What is wrong with the others.
    pub findings: Vec<Finding>,
}

impl Verified {
    /// How many are not whole, and were not repaired.
    pub fn left(&self) -> usize {
        self.findings.iter().filter(|found| found.repaired.is_none()).count()
    }
}

/// Reads all bytes that rows of `installation` speak of, and repairs as `repair` says; `tell` hears how many are done, and
/// of how many.
///
/// # Errors
/// Where the database or the whole blob store do not answer.
pub async fn verify(
    installation: &Installation,
    repair: Repair<'_>,
    mut tell: impl FnMut(u64, u64),
) -> Result<Verified, StoreError> {
    let _kept = installation.keep_bytes().await?;
    let spoken = installation.spoken_bytes().await?;
    let all = spoken.len() as u64;
    let mut read = stream::iter(spoken)
        .map(|spoken| async {
            let read = installation.blobs().get(&spoken.hash).await;
            (spoken, read.map(drop))
        })
        .buffered(AT_ONCE);
    let mut verified = Verified::default();
    let mut done = 0;
    while let Some((spoken, read)) = read.next().await {
        done += 1;
        tell(done, all);
        match read {
            Ok(()) => verified.whole += 1,
            Err(error) if error.is_lost() => {
                let finding = repaired(installation, &repair, &spoken, &error).await?;
                verified.findings.push(finding);
            }
            Err(error) => return Err(error.into()),
        }
    }
    Ok(verified)
}

async fn repaired(
    installation: &Installation,
    repair: &Repair<'_>,
    spoken: &SpokenBytes,
    error: &BlobError,
) -> Result<Finding, StoreError> {
    let what = match error {
        BlobError::Missing(_) => "missing",
        _ => "damaged",
    };
    let mut done = None;
    if let Repair::From { backup } = repair {
        let restored = installation.blobs().restore(&spoken.hash, backup).await;
        done = restored.is_ok().then_some("taken from the backup");
    }
    let can_be_made = matches!(spoken.role, Role::Variant | Role::Icon);
    if done.is_none() && can_be_made && !matches!(repair, Repair::None) {
        installation.forget_made(&spoken.hash).await?;
        done = Some("forgotten: it is made again with its picture's next files");
    }
    let hash = spoken.hash.as_str().to_owned();
    Ok(Finding { hash, of: spoken.of.clone(), what: what.to_owned(), repaired: done })
}
