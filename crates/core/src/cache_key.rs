//! Keys of what was made from values: the same values have the same key, and any other another.

use serde::Serialize;
use sha2::{Digest, Sha256};

/// The SHA-256 of a value, written as JSON, in lower-case hexadecimal; short, however long the value.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct CacheKey(String);

impl CacheKey {
    /// The key of `value`.
    ///
    /// # Panics
    /// Where it cannot be written as JSON, which plain values can.
    pub fn of(value: &impl Serialize) -> Self {
        Self::hashed(&json(value))
    }

    /// The key of `value` as it is made by `version` of whatever makes things of it.
    ///
    /// # Panics
    /// As [`Self::of`].
    pub fn versioned(version: u16, value: &impl Serialize) -> Self {
        Self::hashed(&format!("{version} {}", json(value)))
    }

    fn hashed(text: &str) -> Self {
        Self(Sha256::digest(text).iter().map(|byte| format!("{byte:02x}")).collect())
    }

    /// A key that was kept before.
    pub const fn stored(text: String) -> Self {
        Self(text)
    }

    /// Its digits.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl From<CacheKey> for String {
    fn from(key: CacheKey) -> Self {
        key.0
    }
}

fn json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("plain values")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_short_and_changes_with_value_and_version() {
        let long = "x".repeat(60_000);
        assert_eq!(CacheKey::of(&long).as_str().len(), 64);
        assert_eq!(CacheKey::of(&(1, "a")), CacheKey::of(&(1, "a")));
        assert_ne!(CacheKey::of(&(1, "a")), CacheKey::of(&(1, "b")));
        assert_ne!(CacheKey::versioned(1, &long), CacheKey::versioned(2, &long));
        // As older versions wrote it into their tables, so that nothing has to be made again.
        let known = "6b86b273ff34fce19d6b804eff5a3f5747ada4eaa22f1d49c01e52ddb7875b4b";
        assert_eq!(CacheKey::of(&1).as_str(), known);
    }
}
