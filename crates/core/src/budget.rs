//! Budgets and margins: the bytes a slot may weigh, and what is left of them.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use crate::geometry::Size;
use crate::units::Bytes;

const BYTES_PER_DEVICE_PIXEL: f64 = 0.12;
const LEAST: Bytes = Bytes::kb(4);
const MOST: Bytes = Bytes::kb(200);

/// The byte budget of a slot that asks for `needed` device pixels: 0.12 bytes for each of them,
/// between 4 KB and 200 KB.
///
/// ```
/// use brisk_margin_core::budget::{Margin, default_budget};
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_core::units::Bytes;
///
/// let budget = default_budget(Size::new(912, 344));
/// assert_eq!(budget, Bytes(37_647));
/// assert_eq!(Margin::new(budget, Bytes(40_000)).margin, -2_353, "an overrun");
/// ```
pub fn default_budget(needed: Size) -> Bytes {
    let by_area = (needed.pixels() as f64 * BYTES_PER_DEVICE_PIXEL).round() as u64;
    Bytes(by_area).clamp(LEAST, MOST)
}

/// What a weight leaves under a budget.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Margin {
    /// The bytes that may be spent.
    pub budget: Bytes,
    /// The bytes that are spent.
    pub weight: Bytes,
    /// Budget minus weight, in bytes; below zero it is an overrun.
    pub margin: i64,
}

impl Margin {
    /// The margin of a file of `weight` bytes under `budget`.
    pub fn new(budget: Bytes, weight: Bytes) -> Self {
        Self { budget, weight, margin: budget.get() as i64 - weight.get() as i64 }
    }
}

/// What a slot on a page may weigh, and what it does.
#[derive(Debug, Clone)]
pub struct Share<'a> {
    /// Its budget.
    pub budget: Bytes,
    /// The file that the reference browser downloads for it, by layout width: its address and
    /// its bytes.
    pub files: BTreeMap<u32, (&'a str, Bytes)>,
}

/// The margin of a page's pictures: the sum of the slots' budgets, and the weight at the heaviest
/// layout width, where a file that stands on the page twice is downloaded once.
pub fn page_margin(shares: &[Share<'_>]) -> Margin {
    let budget = shares.iter().map(|share| share.budget).sum();
    let widths: BTreeSet<u32> = shares.iter().flat_map(|s| s.files.keys().copied()).collect();
    let weight_at = |width: u32| -> Bytes {
        let files: BTreeMap<&str, Bytes> =
            shares.iter().filter_map(|share| share.files.get(&width).copied()).collect();
        files.into_values().sum()
    };
    Margin::new(budget, widths.into_iter().map(weight_at).max().unwrap_or_default())
}

/// Bytes before and after, and what that saved.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Saving {
    /// Bytes before.
    pub before: Bytes,
    /// Bytes after.
    pub after: Bytes,
    /// Before minus after, in bytes; below zero the result is heavier.
    pub saved: i64,
    /// `saved` as a percentage of `before`; 0 where there was nothing before.
    pub percent: f64,
}

impl Saving {
    /// What going from `before` to `after` saves.
    pub fn new(before: Bytes, after: Bytes) -> Self {
        let saved = before.get() as i64 - after.get() as i64;
        let percent = match before.get() {
            0 => 0.0,
            bytes => 100.0 * saved as f64 / bytes as f64,
        };
        Self { before, after, saved, percent }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_default_budget_follows_the_area_between_its_bounds() {
        assert_eq!(default_budget(Size::new(912, 344)), Bytes(37_647));
        assert_eq!(default_budget(Size::new(64, 64)), Bytes::kb(4));
        assert_eq!(default_budget(Size::new(3840, 2160)), Bytes::kb(200));
    }

    #[test]
    fn an_overrun_is_a_margin_below_zero() {
        assert_eq!(Margin::new(Bytes(100), Bytes(40)).margin, 60);
        assert_eq!(Margin::new(Bytes(100), Bytes(140)).margin, -40);
    }

    #[test]
    fn a_page_weighs_what_its_heaviest_layout_downloads_and_each_file_once() {
        let share = |budget, files: &[(u32, &'static str, u64)]| Share {
            budget: Bytes::kb(budget),
            files: files.iter().map(|&(v, url, kb)| (v, (url, Bytes::kb(kb)))).collect(),
        };
        let header = share(40, &[(390, "h-400.webp", 20), (1280, "h-1280.webp", 90)]);
        let mark = share(10, &[(390, "mark.png", 5), (1280, "mark.png", 5)]);
        let margin = page_margin(&[header, mark.clone(), mark]);
        assert_eq!(margin, Margin::new(Bytes::kb(60), Bytes::kb(95)));
        assert_eq!(page_margin(&[]), Margin::new(Bytes(0), Bytes(0)));
    }

    #[test]
    fn a_heavier_result_is_a_negative_saving() {
        let saving = Saving::new(Bytes(1_000), Bytes(1_250));
        assert_eq!((saving.saved, saving.percent), (-250, -25.0));
        assert_eq!(Saving::new(Bytes(0), Bytes(10)).percent, 0.0);
    }
}
