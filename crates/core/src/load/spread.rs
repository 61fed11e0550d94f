//! Spreads: a figure over several loads.

use std::fmt;

use serde::Serialize;

/// A figure over several loads.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Spread {
    /// The least of them.
    pub least: f64,
    /// The one in the middle, the upper one of two.
    pub median: f64,
    /// The most.
    pub most: f64,
}

impl Spread {
    /// That of `values`; nothing where there are none.
    pub fn of(mut values: Vec<f64>) -> Option<Self> {
        values.sort_by(f64::total_cmp);
        let median = values.get(values.len() / 2).copied()?;
        Some(Self { least: values[0], median, most: values[values.len() - 1] })
    }

    /// By how much `model` is off, as a share of the median: 0.1 where it tells 10 % too much.
    pub fn error_of(self, model: f64) -> f64 {
        model / self.median - 1.0
    }
}

impl fmt::Display for Spread {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:.0} ({:.0}–{:.0})", self.median, self.least, self.most)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middle_one_counts_and_the_others_are_told() {
        assert_eq!(Spread::of(Vec::new()), None);
        let spread = Spread::of(vec![30.0, 10.0, 20.4]).unwrap();
        assert_eq!(spread.to_string(), "20 (10–30)");
        let spread = Spread::of(vec![20.0, 10.0]).unwrap();
        assert_eq!(spread.median, 20.0);
        assert!((spread.error_of(22.0) - 0.1).abs() < 1e-12);
    }
}
