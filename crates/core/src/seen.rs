//! What somebody saw of something before they change it, so that nobody overwrites what was saved meanwhile.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// What somebody saw before they save something in its place.
///
/// In JSON it is left out where nothing is said, and `null` where there was nothing.
///
/// ```
/// use brisk_margin_core::seen::Seen;
///
/// assert!(Seen::Unsaid.holds(Some(&3)));
/// assert!(Seen::Nothing.holds(None::<&i32>) && !Seen::Nothing.holds(Some(&3)));
/// assert!(Seen::This(3).holds(Some(&3)) && !Seen::This(3).holds(Some(&4)));
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Seen<T> {
    /// They do not say: whatever is there gives way.
    #[default]
    Unsaid,
    /// Nothing was there.
    Nothing,
    /// This was there.
    This(T),
}

impl<T> From<Option<T>> for Seen<T> {
    fn from(there: Option<T>) -> Self {
        there.map_or(Self::Nothing, Self::This)
    }
}

impl<T> Seen<T> {
    /// Whether nothing is said, so that it is left out where it is written.
    pub const fn is_unsaid(&self) -> bool {
        matches!(self, Self::Unsaid)
    }
}

impl<T: PartialEq> Seen<T> {
    /// Whether what is there `now` is what they saw.
    pub fn holds(&self, now: Option<&T>) -> bool {
        match self {
            Self::Unsaid => true,
            Self::Nothing => now.is_none(),
            Self::This(seen) => now == Some(seen),
        }
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Seen<T> {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        Option::deserialize(from).map(Self::from)
    }
}

impl<T: Serialize> Serialize for Seen<T> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Unsaid | Self::Nothing => to.serialize_none(),
            Self::This(seen) => to.serialize_some(seen),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Deserialize, Serialize)]
    struct Wish {
        #[serde(default, skip_serializing_if = "Seen::is_unsaid")]
        seen: Seen<u32>,
    }

    #[test]
    fn what_is_left_out_is_not_nothing() {
        let read = |text: &str| serde_json::from_str::<Wish>(text).unwrap().seen;
        assert_eq!(read("{}"), Seen::Unsaid);
        assert_eq!(read("{\"seen\":null}"), Seen::Nothing);
        assert_eq!(read("{\"seen\":7}"), Seen::This(7));
        for text in ["{}", "{\"seen\":null}", "{\"seen\":7}"] {
            assert_eq!(serde_json::to_string(&Wish { seen: read(text) }).unwrap(), text);
        }
    }
}
