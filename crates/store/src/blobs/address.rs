//! Where blobs are kept: a folder of this machine, or a bucket that many machines reach.

use std::fmt;
use std::path::PathBuf;
use std::str::FromStr;
use std::sync::{Arc, Once};
use std::time::Duration;

use object_store::aws::{AmazonS3Builder, AmazonS3ConfigKey};
use object_store::local::LocalFileSystem;
use object_store::prefix::PrefixStore;
use object_store::{ClientOptions, ObjectStore, RetryConfig};
use thiserror::Error;

use super::BlobError;

/// The address of a blob store: `s3://bucket/prefix`, or the path of a folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BlobAddress {
    /// A folder, which is made where it is missing.
    Folder(PathBuf),
    /// A bucket of a store that speaks S3.
    Bucket {
        /// Its name.
        name: String,
        /// What all keys begin with; may be empty.
        prefix: String,
    },
}

/// Why an address is none.
#[derive(Debug, Error, PartialEq, Eq)]
#[error("“{0}” is no place for blobs; give a folder, or a bucket as s3://BUCKET/PREFIX")]
pub struct NoBlobAddress(String);

impl FromStr for BlobAddress {
    type Err = NoBlobAddress;

    fn from_str(text: &str) -> Result<Self, NoBlobAddress> {
        let none = || NoBlobAddress(text.to_owned());
        if let Some(bucket) = text.strip_prefix("s3://") {
            let (name, prefix) = bucket.split_once('/').unwrap_or((bucket, ""));
            let is_name = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '.' | '_');
            if name.is_empty() || !name.chars().all(is_name) {
                return Err(none());
            }
            let prefix = prefix.trim_matches('/').to_owned();
            return Ok(Self::Bucket { name: name.to_owned(), prefix });
        }
        let folder = text.strip_prefix("file://").unwrap_or(text);
        if folder.is_empty() || folder.contains("://") {
            return Err(none());
        }
        Ok(Self::Folder(folder.into()))
    }
}

impl fmt::Display for BlobAddress {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Folder(folder) => folder.display().fmt(f),
            Self::Bucket { name, prefix } if prefix.is_empty() => write!(f, "s3://{name}"),
            Self::Bucket { name, prefix } => write!(f, "s3://{name}/{prefix}"),
        }
    }
}

impl BlobAddress {
    /// Opens what is there. `settings` are those of the environment: `AWS_ENDPOINT_URL`,
    /// `AWS_REGION`, `AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY` and the others of that family.
    pub(super) fn open(
        &self,
        settings: impl IntoIterator<Item = (String, String)>,
    ) -> Result<Arc<dyn ObjectStore>, BlobError> {
        match self {
            Self::Folder(folder) => {
                let unusable =
                    |source| BlobError::Folder { folder: folder.display().to_string(), source };
                std::fs::create_dir_all(folder).map_err(unusable)?;
                let store = LocalFileSystem::new_with_prefix(folder)?;
                Ok(Arc::new(store.with_fsync(true).with_automatic_cleanup(true)))
            }
            Self::Bucket { name, prefix } => {
                let bucket = bucket(name, settings)?;
                Ok(Arc::new(PrefixStore::new(bucket, prefix.as_str())))
            }
        }
    }
}

fn bucket(
    name: &str,
    settings: impl IntoIterator<Item = (String, String)>,
) -> Result<impl ObjectStore, BlobError> {
    provide_tls();
    let mut builder = AmazonS3Builder::new().with_bucket_name(name);
    let mut is_plain = false;
    for (key, value) in settings {
        let Ok(key) = key.to_ascii_lowercase().parse::<AmazonS3ConfigKey>() else { continue };
        is_plain |= key == AmazonS3ConfigKey::Endpoint && value.starts_with("http://");
        builder = builder.with_config(key, value);
    }
    // Somebody waits for most requests, and a job comes back by itself.
    let retries = RetryConfig {
        max_retries: 4,
        retry_timeout: Duration::from_secs(30),
        ..RetryConfig::default()
    };
    let client = ClientOptions::new()
        .with_allow_http(is_plain)
        .with_connect_timeout(Duration::from_secs(5))
        .with_timeout(Duration::from_secs(300));
    Ok(builder.with_retry(retries).with_client_options(client).build()?)
}

/// The client takes whichever implementation of TLS the process has.
fn provide_tls() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        // Fine where the process has one already.
        let _ = rustls::crypto::ring::default_provider().install_default();
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_read_and_written_alike() {
        for (text, is) in [
            ("s3://tarnlight", "s3://tarnlight"),
            ("s3://tarnlight/pictures/", "s3://tarnlight/pictures"),
            ("file:///srv/blobs", "/srv/blobs"),
            ("blobs", "blobs"),
        ] {
            assert_eq!(text.parse::<BlobAddress>().unwrap().to_string(), is);
        }
        for none in ["", "s3://", "s3:///pictures", "s3://a b/c", "ftp://tarnlight/blobs"] {
            assert!(none.parse::<BlobAddress>().is_err(), "{none}");
        }
    }
}
