//! How a file was made by an encoder from outside.

use serde::{Deserialize, Serialize};

use crate::cache_key::CacheKey;
use crate::encoder_values::Quality;
use crate::format::Format;

/// Tells an encoder from every other one, and from what it was before it was changed; its name does not matter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = String))]
pub struct EncoderKey(u64);

impl EncoderKey {
    /// The first digits of a longer key.
    ///
    /// # Panics
    /// Where they are no hexadecimal digits, which those of every key are.
    pub fn beginning(key: &CacheKey) -> Self {
        Self(u64::from_str_radix(&key.as_str()[..16], 16).expect("hexadecimal digits"))
    }
}

impl From<EncoderKey> for String {
    fn from(key: EncoderKey) -> Self {
        format!("{:016x}", key.0)
    }
}

impl TryFrom<String> for EncoderKey {
    type Error = std::num::ParseIntError;

    fn try_from(digits: String) -> Result<Self, Self::Error> {
        u64::from_str_radix(&digits, 16).map(Self)
    }
}

/// How a program from outside makes a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OutsideEncoding {
    /// The format that comes of it.
    pub makes: Format,
    /// Which encoder.
    pub by: EncoderKey,
    /// A whole quality on the encoder's own scale; nothing without loss.
    pub quality: Option<Quality>,
}
