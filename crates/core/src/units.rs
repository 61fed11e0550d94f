//! Units as types, so that CSS pixels, device pixels and bytes are never mixed up.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A length in CSS pixels, finite and above zero.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(try_from = "f64", into = "f64")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = f64))]
pub struct CssPx(f64);

impl CssPx {
    /// `value` in CSS pixels; fractions are kept, since layouts have them.
    pub fn new(value: f64) -> Result<Self, UnitError> {
        if value.is_finite() && value > 0.0 {
            Ok(Self(value))
        } else {
            Err(UnitError::CssPx(value))
        }
    }

    /// The number of CSS pixels.
    pub const fn get(self) -> f64 {
        self.0
    }

    /// Device pixels at `density`: the next whole pixel, forgiving 1/64 px of layout rounding.
    pub fn at(self, density: Density) -> DevicePx {
        let exact = self.0 * density.get();
        // Float-to-int casts saturate, so an absurd box stays absurd instead of wrapping.
        DevicePx(((exact - 1.0 / 64.0).ceil() as u32).max(1))
    }
}

impl TryFrom<f64> for CssPx {
    type Error = UnitError;

    fn try_from(value: f64) -> Result<Self, UnitError> {
        Self::new(value)
    }
}

impl From<CssPx> for f64 {
    fn from(px: CssPx) -> Self {
        px.0
    }
}

/// A length in device pixels: what a file has and a screen lights.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u32))]
pub struct DevicePx(pub u32);

impl DevicePx {
    /// The number of device pixels.
    pub const fn get(self) -> u32 {
        self.0
    }
}

/// Device pixels per CSS pixel, from 0.5 to 4.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "f64", into = "f64")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = f64))]
pub struct Density(f64);

impl Density {
    /// One device pixel per CSS pixel.
    pub const ONE: Self = Self(1.0);
    /// The density at which the weight of slots and pages is counted.
    pub const REFERENCE: Self = Self(2.0);

    /// `value` device pixels per CSS pixel.
    pub fn new(value: f64) -> Result<Self, UnitError> {
        if (0.5..=4.0).contains(&value) { Ok(Self(value)) } else { Err(UnitError::Density(value)) }
    }

    /// Device pixels per CSS pixel.
    pub const fn get(self) -> f64 {
        self.0
    }
}

impl Eq for Density {}

impl PartialOrd for Density {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Density {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// Values by density; its keys are written as in `"1"` and `"1.5"`.
#[derive(Debug, Clone, PartialEq)]
pub struct ByDensity<T>(std::collections::BTreeMap<Density, T>);

impl<T> Default for ByDensity<T> {
    fn default() -> Self {
        Self(std::collections::BTreeMap::new())
    }
}

impl<T> std::ops::Deref for ByDensity<T> {
    type Target = std::collections::BTreeMap<Density, T>;

    fn deref(&self) -> &Self::Target {
        &self.0
    }
}

impl<T> std::ops::DerefMut for ByDensity<T> {
    fn deref_mut(&mut self) -> &mut Self::Target {
        &mut self.0
    }
}

impl<T> FromIterator<(Density, T)> for ByDensity<T> {
    fn from_iter<I: IntoIterator<Item = (Density, T)>>(values: I) -> Self {
        Self(values.into_iter().collect())
    }
}

impl<T> IntoIterator for ByDensity<T> {
    type Item = (Density, T);
    type IntoIter = std::collections::btree_map::IntoIter<Density, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<T: Serialize> Serialize for ByDensity<T> {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|(density, value)| (density.to_string(), value)))
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for ByDensity<T> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let texts = std::collections::BTreeMap::<String, T>::deserialize(deserializer)?;
        let read = |(text, value): (String, T)| {
            let number: f64 = text.parse().map_err(D::Error::custom)?;
            Ok((Density::new(number).map_err(D::Error::custom)?, value))
        };
        texts.into_iter().map(read).collect()
    }
}

impl std::fmt::Display for Density {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(f)
    }
}

impl TryFrom<f64> for Density {
    type Error = UnitError;

    fn try_from(value: f64) -> Result<Self, UnitError> {
        Self::new(value)
    }
}

impl From<Density> for f64 {
    fn from(density: Density) -> Self {
        density.0
    }
}

/// A count of bytes. 1 KB is 1,000 of them.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
)]
#[serde(transparent)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = u64))]
pub struct Bytes(pub u64);

impl Bytes {
    /// `kb` times 1,000 bytes.
    pub const fn kb(kb: u64) -> Self {
        Self(kb * 1_000)
    }

    /// `mb` times 1,000,000 bytes.
    pub const fn mb(mb: u64) -> Self {
        Self(mb * 1_000_000)
    }

    /// The number of bytes.
    pub const fn get(self) -> u64 {
        self.0
    }

    /// How many bytes `data` holds.
    pub fn of(data: &[u8]) -> Self {
        Self(data.len() as u64)
    }
}

impl std::ops::Add for Bytes {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl std::iter::Sum for Bytes {
    fn sum<I: Iterator<Item = Self>>(iter: I) -> Self {
        Self(iter.map(Self::get).sum())
    }
}

impl std::fmt::Display for Bytes {
    /// Three significant figures: `512 B`, `37.6 KB`, `8.12 MB`.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let (value, unit) = match self.0 {
            n if n < 1_000 => return write!(f, "{n} B"),
            n if n < 999_500 => (n as f64 / 1e3, "KB"),
            n if n < 999_500_000 => (n as f64 / 1e6, "MB"),
            n => (n as f64 / 1e9, "GB"),
        };
        let decimals = match value {
            v if v < 9.995 => 2,
            v if v < 99.95 => 1,
            _ => 0,
        };
        write!(f, "{value:.decimals$} {unit}")
    }
}

/// A length of time in milliseconds, finite and not below zero.
#[derive(Debug, Clone, Copy, Default, PartialEq, PartialOrd, Serialize, Deserialize)]
#[serde(try_from = "f64", into = "f64")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = f64))]
pub struct Millis(f64);

impl Millis {
    /// No time.
    pub const ZERO: Self = Self(0.0);

    /// `value` milliseconds.
    pub fn new(value: f64) -> Result<Self, UnitError> {
        if value.is_finite() && value >= 0.0 {
            Ok(Self(value))
        } else {
            Err(UnitError::Millis(value))
        }
    }

    /// `value` whole milliseconds.
    pub const fn whole(value: u32) -> Self {
        Self(value as f64)
    }

    /// The number of milliseconds.
    pub const fn get(self) -> f64 {
        self.0
    }

    /// The later of two times.
    pub const fn max(self, other: Self) -> Self {
        Self(self.0.max(other.0))
    }
}

impl std::ops::Add for Millis {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl std::fmt::Display for Millis {
    /// Whole milliseconds below ten seconds, seconds above: `840 ms`, `12.4 s`.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.0 {
            ms if ms < 9_999.5 => write!(f, "{ms:.0} ms"),
            ms => write!(f, "{:.1} s", ms / 1e3),
        }
    }
}

impl TryFrom<f64> for Millis {
    type Error = UnitError;

    fn try_from(value: f64) -> Result<Self, UnitError> {
        Self::new(value)
    }
}

impl From<Millis> for f64 {
    fn from(ms: Millis) -> Self {
        ms.0
    }
}

/// A value outside the range of its unit.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum UnitError {
    /// A box side that is not a positive number.
    #[error("a length in CSS pixels must be above 0, not {0}")]
    CssPx(f64),
    /// A density no screen has.
    #[error("a density must lie between 0.5 and 4, not {0}")]
    Density(f64),
    /// A time that cannot be.
    #[error("a time in milliseconds must be a number from 0 on, not {0}")]
    Millis(f64),
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn device_pixels_round_up_but_forgive_layout_rounding() {
        let px = |value: f64, density: f64| {
            CssPx::new(value).unwrap().at(Density::new(density).unwrap()).get()
        };
        assert_eq!(px(912.0, 1.0), 912);
        assert_eq!(px(912.0, 1.5), 1368);
        assert_eq!(px(333.01, 1.0), 333);
        assert_eq!(px(333.33, 1.0), 334);
        assert_eq!(px(0.001, 1.0), 1);
    }

    #[test]
    fn lengths_and_densities_out_of_range_are_refused() {
        for bad in [0.0, -3.0, f64::NAN, f64::INFINITY] {
            assert!(CssPx::new(bad).is_err());
        }
        for bad in [0.49, 4.01, f64::NAN] {
            assert!(Density::new(bad).is_err());
        }
    }

    #[test]
    fn bytes_read_with_three_significant_figures() {
        for (bytes, text) in [
            (0, "0 B"),
            (999, "999 B"),
            (1_000, "1.00 KB"),
            (9_996, "10.0 KB"),
            (37_643, "37.6 KB"),
            (99_960, "100 KB"),
            (999_499, "999 KB"),
            (999_500, "1.00 MB"),
            (8_123_456, "8.12 MB"),
            (2_500_000_000, "2.50 GB"),
        ] {
            assert_eq!(Bytes(bytes).to_string(), text);
        }
    }
}
