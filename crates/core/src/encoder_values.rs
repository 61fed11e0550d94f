//! The values that encoders take: a quality, a number of colours.

use serde::{Deserialize, Serialize, Serializer};
use thiserror::Error;

/// How hard a lossy encoder tries to keep detail, from 1 to 100 in tenths; each format has its own scale, and
/// AVIF's has whole steps only. It is written as a whole number where it is one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(try_from = "f64")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = f64))]
pub struct Quality(u16);

impl Quality {
    /// Where a first try starts: seldom visibly worse, mostly well under budget.
    pub const USUAL: Self = Self(750);
    /// At which pictures are sampled, to tell how heavy they are.
    pub const SAMPLED: Self = Self(800);

    /// A quality from 1 to 100, to the nearest tenth.
    ///
    /// # Errors
    /// [`EncodingError::Quality`] for any other number.
    pub fn new(value: impl Into<f64>) -> Result<Self, EncodingError> {
        let value = value.into();
        match value {
            1.0..=100.0 => Ok(Self((value * 10.0).round() as u16)),
            _ => Err(EncodingError::Quality(value)),
        }
    }

    /// Every quality, the lowest first.
    pub fn all() -> impl Iterator<Item = Self> {
        (10..=1_000).map(Self)
    }

    /// Every whole quality, the lowest first.
    pub fn all_whole() -> impl Iterator<Item = Self> {
        (1..=100).map(|whole| Self(10 * whole))
    }

    /// Its number.
    pub fn get(self) -> f64 {
        f64::from(self.0) / 10.0
    }

    /// The nearest whole number.
    pub const fn whole(self) -> u8 {
        ((self.0 + 5) / 10) as u8
    }

    /// The nearest whole quality.
    pub(crate) const fn rounded(self) -> Self {
        Self(self.whole() as u16 * 10)
    }
}

impl std::fmt::Display for Quality {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.get().fmt(f)
    }
}

impl TryFrom<f64> for Quality {
    type Error = EncodingError;

    fn try_from(value: f64) -> Result<Self, EncodingError> {
        Self::new(value)
    }
}

impl Serialize for Quality {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.0 % 10 {
            0 => serializer.serialize_u16(self.0 / 10),
            _ => serializer.serialize_f64(self.get()),
        }
    }
}

/// How many colours a palette may have, from 2 to 256.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "u16", into = "u16")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u16))]
pub struct PaletteSize(u16);

impl PaletteSize {
    /// As many as a palette has room for.
    pub const MOST: Self = Self(256);

    /// A number of colours from 2 to 256.
    pub const fn new(value: u16) -> Result<Self, EncodingError> {
        match value {
            2..=256 => Ok(Self(value)),
            _ => Err(EncodingError::PaletteSize(value)),
        }
    }

    /// The number.
    pub const fn get(self) -> u16 {
        self.0
    }
}

impl TryFrom<u16> for PaletteSize {
    type Error = EncodingError;

    fn try_from(value: u16) -> Result<Self, EncodingError> {
        Self::new(value)
    }
}

impl From<PaletteSize> for u16 {
    fn from(colours: PaletteSize) -> Self {
        colours.0
    }
}

/// What becomes of a colour that lies between two of a palette.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Dithering {
    /// It becomes the nearer one: whole areas of one colour, which pack well.
    Off,
    /// Its pixels are some of one and some of the other, so that it looks the same from afar.
    On,
}

impl Dithering {
    /// Both.
    pub const ALL: [Self; 2] = [Self::Off, Self::On];
}

/// A palette: how many colours, and how they stand for others. It is written as its number of colours where it is
/// dithered, as all were once.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(from = "WrittenPalette", into = "WrittenPalette")]
pub struct Palette {
    /// How many colours it has at most.
    pub colours: PaletteSize,
    /// How they stand for others.
    pub dithering: Dithering,
}

impl std::fmt::Display for Palette {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.dithering {
            Dithering::Off => write!(f, "{} colours", self.colours.get()),
            Dithering::On => write!(f, "{} colours, dithered", self.colours.get()),
        }
    }
}

/// A palette as it is written.
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum WrittenPalette {
    /// So many, dithered.
    Dithered(PaletteSize),
    /// So many, each in whole areas.
    Plain {
        /// How many.
        plain: PaletteSize,
    },
}

#[cfg(feature = "schema")]
impl utoipa::PartialSchema for Palette {
    fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::Schema> {
        WrittenPalette::schema()
    }
}

#[cfg(feature = "schema")]
impl utoipa::ToSchema for Palette {}

impl From<WrittenPalette> for Palette {
    fn from(written: WrittenPalette) -> Self {
        match written {
            WrittenPalette::Dithered(colours) => Self { colours, dithering: Dithering::On },
            WrittenPalette::Plain { plain } => Self { colours: plain, dithering: Dithering::Off },
        }
    }
}

impl From<Palette> for WrittenPalette {
    fn from(Palette { colours, dithering }: Palette) -> Self {
        match dithering {
            Dithering::On => Self::Dithered(colours),
            Dithering::Off => Self::Plain { plain: colours },
        }
    }
}

/// A value that no encoder takes.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum EncodingError {
    /// A quality outside 1 to 100.
    #[error("a quality must lie between 1 and 100, not {0}")]
    Quality(f64),
    /// A number of colours outside 2 to 256.
    #[error("a palette has 2 to 256 colours, not {0}")]
    PaletteSize(u16),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn palettes_are_written_as_before_where_they_are_dithered() {
        for (dithering, written) in [(Dithering::On, "32"), (Dithering::Off, r#"{"plain":32}"#)] {
            let palette = Palette { colours: PaletteSize::new(32).unwrap(), dithering };
            assert_eq!(serde_json::to_string(&palette).unwrap(), written);
            assert_eq!(serde_json::from_str::<Palette>(written).unwrap(), palette);
        }
        assert!(serde_json::from_str::<Palette>(r#"{"plain":1}"#).is_err());
    }

    #[test]
    fn what_is_no_quality_is_told_with_its_number() {
        for value in [0.0, 0.94, 100.1, f64::NAN] {
            let told = Quality::new(value).unwrap_err().to_string();
            assert!(told.contains(&value.to_string()), "{told}");
        }
        assert!(serde_json::from_str::<Quality>("101").is_err());
    }
}
