//! Copying all blobs from one store to another, so that an installation can move.

use futures::TryStreamExt;
use object_store::{ObjectMeta, ObjectStoreExt, PutPayload};

use super::{BlobError, BlobHash, Blobs, DERIVED, MARK, PASSING, reading};

/// How many are copied at once.
const AT_ONCE: usize = 8;

/// What is copied; what is kept for a while only is left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Copying {
    /// All of it.
    All,
    /// What cannot be made again of what is copied.
    WithoutDerived,
}

/// What came of one file.
#[derive(Debug)]
pub enum Copied {
    /// It was copied.
    Now {
        /// Its size in bytes.
        bytes: u64,
    },
    /// It was there.
    Before,
    /// It cannot be copied; the others are.
    Not {
        /// Under what key it is kept.
        key: String,
        /// Why not.
        error: BlobError,
    },
}

/// Copies what `from` holds to `to`, and tells of each file. What is there already is left as it
/// is, so that a copy that was broken off goes on; what is kept for a while only is left out. The
/// mark comes last: no installation opens a store that is half copied.
///
/// # Errors
/// Where either cannot be listed. What is wrong with one file is told of that file.
pub async fn copy(
    from: &Blobs,
    to: &Blobs,
    copying: Copying,
    mut tell: impl FnMut(Copied),
) -> Result<(), BlobError> {
    let mark = from.mark().await?;
    if let (Some(own), Some(of)) = (&mark, to.mark().await?)
        && *own != of
    {
        return Err(BlobError::OfAnother { of });
    }
    let left_out: &[&str] = match copying {
        Copying::All => &[PASSING],
        Copying::WithoutDerived => &[PASSING, DERIVED],
    };
    let found = from.store.list(None).try_filter(|found| {
        let part = found.location.parts().next();
        let is_left_out = part.is_some_and(|part| left_out.contains(&part.as_ref()));
        std::future::ready(found.location.as_ref() != MARK && !is_left_out)
    });
    let copies = found.map_err(BlobError::from).map_ok(|found| async {
        let key = found.location.to_string();
        Ok(copy_one(from, to, found).await.unwrap_or_else(|error| Copied::Not { key, error }))
    });
    let mut copies = std::pin::pin!(copies.try_buffer_unordered(AT_ONCE));
    let mut is_whole = true;
    while let Some(copied) = copies.try_next().await? {
        is_whole &= !matches!(copied, Copied::Not { .. });
        tell(copied);
    }
    match mark {
        Some(mark) if is_whole => to.put_mark(mark).await,
        _ => Ok(()),
    }
}

async fn copy_one(from: &Blobs, to: &Blobs, found: ObjectMeta) -> Result<Copied, BlobError> {
    let ObjectMeta { location, size, .. } = found;
    match to.store.head(&location).await {
        Ok(there) if there.size == size => return Ok(Copied::Before),
        Ok(_) | Err(object_store::Error::NotFound { .. }) => {}
        Err(error) => return Err(error.into()),
    }
    let got = from.store.get(&location).await?;
    let bytes = match BlobHash::of_key(&location) {
        Some(hash) => reading::read(got, &hash).await?,
        None => got.bytes().await?,
    };
    to.store.put(&location, PutPayload::from_bytes(bytes)).await?;
    Ok(Copied::Now { bytes: size })
}
