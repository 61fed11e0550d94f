//! Applying: a site's folder made lighter in one step, without a database: its pages are measured, the
//! files for their places made, and all of it [rehearsed](crate::publishing) before anything is written.
//!
//! - `wanted`: which places get files, of which picture; and why the others get none.
//! - `making`: the files, made or taken from a [`cache`].

pub mod cache;
mod making;
mod wanted;

use brisk_margin_core::rule::EffectiveRule;
use brisk_margin_core::units::Density;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::publishing::folder::SiteFolder;

use crate::publishing::measuring::ServedSite;
use crate::publishing::places::LeftReason;
use crate::publishing::sets::MadeSet;
use crate::publishing::{Outcome, Progress, Rehearsal, SiteError};
use cache::MadeFiles;

/// How a site is made lighter.
#[derive(Debug, Clone)]
pub struct Wish {
    /// How files are made.
    pub rule: EffectiveRule,
    /// The densities that they are made for.
    pub densities: Vec<Density>,
    /// The folder of the site that they go to.
    pub folder: String,
}

/// What a site is made lighter with.
pub struct Applying {
    wish: Wish,
    codecs: Codecs,
    cache: MadeFiles,
}

/// A site that can be written.
#[derive(Debug)]
pub struct Applied {
    /// What it would be.
    pub outcome: Outcome,
    /// Pages that could not be measured, and why.
    pub unmeasured: Vec<(String, String)>,
    /// How many files were encoded now, and how many were there from before.
    pub encoded: (usize, usize),
}

impl Applying {
    /// By `wish`, with `codecs`; what is made is kept in `cache`.
    pub const fn new(wish: Wish, codecs: Codecs, cache: MadeFiles) -> Self {
        Self { wish, codecs, cache }
    }

    /// Works out what would make the site in `folder` lighter. Nothing of it is written; files that are
    /// made go to the cache.
    ///
    /// # Errors
    /// [`SiteError`]; what concerns one page or picture is told in the result instead.
    pub async fn apply(
        &self,
        folder: &SiteFolder,
        told: &(dyn Fn(Progress) + Sync),
    ) -> Result<Applied, SiteError> {
        let Self { wish, codecs, cache } = self;
        let served = ServedSite::start(folder.root(), codecs, |_| Ok(())).await?;
        let before = served.measured(|done, all| told(Progress::Measured(done, all))).await?;
        let (wanted, mut left) = wanted::wanted(&before, folder, wish);
        let made = making::made(folder, &before, wanted, wish, codecs, cache, |done, all| {
            told(Progress::Made(done, all));
        });
        let (sets, unmade) = made.await?;
        let (sets, light): (Vec<MadeSet>, Vec<MadeSet>) =
            sets.into_iter().partition(|set| set.saves(&before));
        let light_ones = light.iter().map(|set| (&set.wanted, LeftReason::Light));
        for (wanted, reason) in unmade.iter().map(|(of, why)| (of, why.clone())).chain(light_ones) {
            left.extend(wanted.places.iter().map(|&at| before.left(at, reason.clone())));
        }
        let counts = |set: &MadeSet| (set.files.encoded, set.files.files.len() - set.files.encoded);
        let encoded = sets.iter().chain(&light).map(counts);
        let encoded = encoded.fold((0, 0), |(a, b), (c, d)| (a + c, b + d));
        let rehearsal = Rehearsal {
            folder,
            files_in: &wish.folder,
            served: &served,
            before: &before,
            sets: &sets,
            may_move: false,
        };
        let mut outcome = rehearsal.outcome(told).await?;
        outcome.left.extend(left);
        outcome.left.sort_by(|a, b| (&a.page, &a.selector).cmp(&(&b.page, &b.selector)));
        Ok(Applied { outcome, unmeasured: before.unmeasured, encoded })
    }
}
