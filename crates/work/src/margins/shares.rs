//! What the pictures of a site weigh, by slot and by format.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet, HashMap};

use brisk_margin_core::budget::Saving;
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Bytes;
use uuid::Uuid;

use super::shown::Shown;

/// What pictures weigh, each file once a page, lazy ones among them; the heaviest share first.
#[derive(Debug, Clone, PartialEq)]
pub struct Shares {
    /// By the slots that show them.
    pub slots: Vec<Share<(Uuid, String)>>,
    /// By their formats, by content; nothing where one could not be read.
    pub formats: Vec<Share<Option<String>>>,
}

/// What some of the pictures weigh.
#[derive(Debug, Clone, PartialEq)]
pub struct Share<T> {
    /// What they have in common.
    pub of: T,
    /// How many files.
    pub files: usize,
    /// Their weight today, and about what it could be.
    pub saving: Saving,
    /// Their part of the weight today, in percent.
    pub percent: f64,
}

impl Shares {
    pub(super) fn of(shown: &[Shown], slots: &HashMap<Uuid, Slot>) -> Self {
        let by_slot = shares(shown, |one| one.slot);
        let named = |Share { of, files, saving, percent }: Share<Uuid>| {
            let slot = slots.get(&of)?;
            Some(Share { of: (slot.id, slot.name.clone()), files, saving, percent })
        };
        Self {
            slots: by_slot.into_iter().filter_map(named).collect(),
            formats: shares(shown, |one| one.format.clone()),
        }
    }
}

fn shares<T: Ord>(shown: &[Shown], of: impl Fn(&Shown) -> T) -> Vec<Share<T>> {
    let mut sums: BTreeMap<T, (usize, Bytes, Bytes)> = BTreeMap::new();
    let mut counted = BTreeSet::new();
    for one in shown {
        if !counted.insert((one.page, &one.address)) {
            continue;
        }
        let (files, before, after) = sums.entry(of(one)).or_default();
        *files += 1;
        *before = *before + one.bytes;
        *after = *after + one.possible();
    }
    let all: Bytes = sums.values().map(|(_, before, _)| *before).sum();
    let share = |(of, (files, before, after)): (T, (usize, Bytes, Bytes))| Share {
        of,
        files,
        saving: Saving::new(before, after),
        percent: before.get() as f64 * 100.0 / all.get().max(1) as f64,
    };
    let mut shares: Vec<Share<T>> = sums.into_iter().map(share).collect();
    shares.sort_by_key(|share| Reverse(share.saving.before));
    shares
}
