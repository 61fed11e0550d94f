//! Reading bytes: small ones into memory, large ones mapped from a file, all of them checked.

use std::fs::File;
use std::io::{Read, Seek};

use bytes::Bytes;
use futures::TryStreamExt;
use object_store::{GetResult, GetResultPayload};
use tokio::io::AsyncWriteExt;

use super::{BlobError, BlobHash, BlobHasher};

/// Up to this size bytes are held in memory.
const IN_MEMORY: u64 = 256 << 10;

/// The bytes that were found under `hash`. What comes from another machine lies in a file without
/// a name meanwhile.
///
/// # Errors
/// [`BlobError::Damaged`] where they are others than those that were stored.
pub(super) async fn read(found: GetResult, hash: &BlobHash) -> Result<Bytes, BlobError> {
    let size = found.meta.size;
    let file = match found.payload {
        GetResultPayload::File(file, _) => file,
        GetResultPayload::Stream(stream) if size <= IN_MEMORY => {
            let parts: Vec<Bytes> = stream.try_collect().await?;
            let bytes = Bytes::from(parts.concat());
            let is_whole = BlobHash::of(&bytes) == *hash;
            return if is_whole { Ok(bytes) } else { Err(BlobError::Damaged(hash.clone())) };
        }
        GetResultPayload::Stream(mut stream) => {
            let mut file = tokio::fs::File::from_std(tempfile::tempfile()?);
            while let Some(part) = stream.try_next().await? {
                file.write_all(&part).await?;
            }
            file.flush().await?;
            file.into_std().await
        }
    };
    let hash = hash.clone();
    let checked = tokio::task::spawn_blocking(move || checked(file, size, hash));
    checked.await.expect("reading does not panic")
}

fn checked(mut file: File, size: u64, hash: BlobHash) -> Result<Bytes, BlobError> {
    file.rewind()?;
    if size <= IN_MEMORY {
        let mut bytes = Vec::with_capacity(size as usize);
        file.read_to_end(&mut bytes)?;
        let is_whole = BlobHash::of(&bytes) == hash;
        return if is_whole { Ok(bytes.into()) } else { Err(BlobError::Damaged(hash)) };
    }
    // Read before it is mapped: a disk that cannot read it says so here, and not by a signal.
    let mut hasher = BlobHasher::default();
    let mut part = vec![0; IN_MEMORY as usize];
    loop {
        match file.read(&mut part)? {
            0 => break,
            read => hasher.update(&part[..read]),
        }
    }
    if hasher.finish() != hash {
        return Err(BlobError::Damaged(hash));
    }
    // SAFETY: files of the store are never written to again, only replaced under their name.
    let map = unsafe { memmap2::Mmap::map(&file) }?;
    Ok(Bytes::from_owner(map))
}
