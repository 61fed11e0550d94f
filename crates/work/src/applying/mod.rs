//! Applying: a site's folder made lighter in one step, without a database: its pages are measured, the
//! files for their places made, pages and style sheets rewritten, and all of it held against the site as
//! it was, in the browser, before anything is written.
//!
//! - `measuring`: the folder served, and its pages measured.
//! - `wanted`: which [`places`] get files, of which picture; and why the others get none.
//! - `sets`: the files, made or taken from a [`cache`].
//! - `rewriting`: pages and style sheets that offer them.
//! - [`proof`]: whether anything moved, and whether browsers load what they should.

pub mod cache;
mod measuring;
pub mod places;
pub mod proof;
mod rewriting;
mod sets;
mod wanted;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use brisk_margin_core::publication::StepKind;
use brisk_margin_core::rule::EffectiveRule;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::publishing::folder::{FolderError, SiteFolder, hash_of};
use brisk_margin_site::publishing::journal::NewFile;
use thiserror::Error;

use cache::MadeFiles;
use measuring::{MeasuredSite, ServedSite};
use places::{LeftPlace, LeftReason, PlaceAt};
use proof::{Changed, Weight};
use rewriting::Rewriting;
use sets::MadeSet;

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

/// How far it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Progress {
    /// So many of so many pages are measured.
    Measured(usize, usize),
    /// The files of so many of so many sets are made.
    Made(usize, usize),
    /// So many of so many changed pages are held against what they were.
    Proved(usize, usize),
}

/// A site that can be written.
#[derive(Debug)]
pub struct Applied {
    /// What is to be written.
    pub files: Vec<NewFile>,
    /// Each place that offers other files now.
    pub changed: Vec<ChangedPlace>,
    /// Each that does not, and why.
    pub left: Vec<LeftPlace>,
    /// What each page's pictures weigh as they are downloaded.
    pub weights: Vec<Weight>,
    /// Pages that could not be measured, and why.
    pub unmeasured: Vec<(String, String)>,
    /// How many files were encoded now, and how many were there from before.
    pub encoded: (usize, usize),
}

/// A place that offers other files.
#[derive(Debug, Clone, PartialEq)]
pub struct ChangedPlace {
    /// Its page, by its path.
    pub page: String,
    /// Finds it there.
    pub selector: String,
    /// The picture that its files are made of, by its path.
    pub source: String,
    /// The files, by their paths, with pixels across and weight.
    pub files: Vec<(String, u32, Bytes)>,
    /// What a browser downloads for it, before and after: the heaviest of all layout widths and
    /// densities.
    pub weight: (Bytes, Bytes),
    /// Whether all formats are offered, or one alone since the page's layout stands no element around
    /// the picture.
    pub is_single: bool,
    /// Whether browsers load just the files that they were meant to, at every layout width and density.
    pub is_as_promised: bool,
}

/// Why a site is not made lighter.
#[derive(Debug, Error)]
pub enum ApplyError {
    /// It has no page.
    #[error("there is no page (.html or .htm) in the folder")]
    NoPages,
    /// Nothing could be measured at all.
    #[error(transparent)]
    Measure(#[from] MeasureError),
    /// Its folder.
    #[error(transparent)]
    Folder(#[from] FolderError),
    /// The disk.
    #[error(transparent)]
    Disk(#[from] std::io::Error),
    /// Something broke down on the way.
    #[error("it broke down: {0}")]
    Broken(#[from] tokio::task::JoinError),
}

/// How a place offers its files. Each is tried where the one before moved something on the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Manner {
    /// All formats, and the size that the picture had by itself where the page names none.
    Sized,
    /// All formats.
    Plain,
    /// The format that every browser reads, in the element that is there, with that size.
    SizedSingle,
    /// The same without it.
    Single,
    /// All formats in a `style` attribute, which knows no viewports.
    Attribute,
    /// Not at all.
    Left,
}

impl Manner {
    const fn is_sized(self) -> bool {
        matches!(self, Self::Sized | Self::SizedSingle)
    }

    const fn is_single(self) -> bool {
        matches!(self, Self::SizedSingle | Self::Single)
    }

    const fn next(self) -> Self {
        match self {
            Self::Sized => Self::Plain,
            Self::Plain => Self::SizedSingle,
            Self::SizedSingle => Self::Single,
            Self::Single | Self::Attribute | Self::Left => Self::Left,
        }
    }
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
    /// [`ApplyError`]; what concerns one page or picture is told in the result instead.
    pub async fn apply(
        &self,
        folder: &SiteFolder,
        told: &(dyn Fn(Progress) + Sync),
    ) -> Result<Applied, ApplyError> {
        let served = ServedSite::start(folder.root(), &self.codecs).await?;
        let before = served.measured(|done, all| told(Progress::Measured(done, all))).await?;
        let (wanted, mut left) = wanted::wanted(&before, folder, &self.wish);
        let Self { wish, codecs, cache } = self;
        let made = sets::made(folder, wanted, wish, codecs, cache, |done, all| {
            told(Progress::Made(done, all));
        });
        let (sets, unmade) = made.await?;
        let (sets, light): (Vec<MadeSet>, Vec<MadeSet>) =
            sets.into_iter().partition(|set| set.saves(&before));
        let light_ones = light.iter().map(|set| (&set.wanted, LeftReason::Light));
        for (wanted, reason) in unmade.iter().map(|(of, why)| (of, why.clone())).chain(light_ones) {
            left.extend(wanted.places.iter().map(|&at| before.left(at, reason.clone())));
        }
        let Proved { rewriting, manners, after } =
            self.proved(folder, &served, &before, &sets, told).await?;
        left.extend(rewriting.left.iter().cloned());
        let mut changed = Vec::new();
        for (set, place) in sets.iter().flat_map(|set| set.places().map(move |at| (set, at))) {
            match rewriting.manner(place, &manners) {
                Manner::Left => left.push(before.left(place, LeftReason::Moves)),
                _ if rewriting.unsaid.contains(&place) => {}
                manner => {
                    let is_as_promised = proof::is_as_promised(&before, &after, set, place, manner);
                    let told = set.changed(&before, place, manner);
                    changed.push(ChangedPlace { is_as_promised, ..told });
                }
            }
        }
        let weights = proof::weights(&before, &after);
        let counts =
            |MadeSet { files, .. }: &MadeSet| (files.encoded, files.files.len() - files.encoded);
        let encoded = sets.iter().chain(&light).map(counts);
        let encoded = encoded.fold((0, 0), |(a, b), (c, d)| (a + c, b + d));
        left.sort_by(|a, b| (&a.page, &a.selector).cmp(&(&b.page, &b.selector)));
        changed.sort_by(|a, b| (&a.page, &a.selector).cmp(&(&b.page, &b.selector)));
        Ok(Applied {
            files: rewriting.files,
            changed,
            left,
            weights,
            unmeasured: before.unmeasured,
            encoded,
        })
    }

    /// Has the places of `sets` offer their files so that nothing moves on their pages.
    async fn proved(
        &self,
        folder: &SiteFolder,
        served: &ServedSite,
        before: &MeasuredSite,
        sets: &[MadeSet],
        told: &(dyn Fn(Progress) + Sync),
    ) -> Result<Proved, ApplyError> {
        let places = sets.iter().flat_map(MadeSet::places);
        let mut manners: BTreeMap<PlaceAt, Manner> =
            places.map(|place| (place, Manner::Sized)).collect();
        let mut after = Changed::default();
        // Pages measured once more as they were: what moves there moves by itself.
        let mut again: BTreeMap<String, MeasuredPage> = BTreeMap::new();
        let mut unproved: Option<BTreeSet<String>> = None;
        loop {
            let rewriting = tokio::task::block_in_place(|| -> Result<Rewriting, ApplyError> {
                let rewriting = Rewriting::new(folder, before, sets, &manners, &self.wish)?;
                proof::lay_out(served.front(), &rewriting.files)?;
                Ok(rewriting)
            })?;
            after.named = rewriting.changed_pages(before);
            after.pages.retain(|page, _| after.named.contains(page));
            let due: BTreeSet<String> = match &unproved {
                None => after.named.clone(),
                Some(pages) => after.named.intersection(pages).cloned().collect(),
            };
            after.pages.retain(|page, _| !due.contains(page));
            let told = |done, all| told(Progress::Proved(done, all));
            after.pages.extend(served.changed(&due, told).await?);
            let mut moved = proof::moved(before, &again, &after, sets, &manners);
            let pages: BTreeSet<String> = moved.iter().map(|&place| before.path(place)).collect();
            let unknown: BTreeSet<String> =
                pages.iter().filter(|page| !again.contains_key(*page)).cloned().collect();
            if !unknown.is_empty() {
                again.extend(served.again(&unknown).await?);
                moved = proof::moved(before, &again, &after, sets, &manners);
            }
            if moved.is_empty() {
                return Ok(Proved { rewriting, manners, after });
            }
            // A style sheet is any page's.
            let by_style = moved.iter().any(|&place| before.place(place).image.is_none());
            unproved = (!by_style).then_some(pages);
            for place in moved {
                manners.entry(place).and_modify(|manner| *manner = manner.next());
            }
        }
    }
}

/// A site on whose pages nothing moved.
struct Proved {
    rewriting: Rewriting,
    manners: BTreeMap<PlaceAt, Manner>,
    after: Changed,
}

/// A file of the site with new content.
fn new_file(path: &str, kind: StepKind, seen: Option<&[u8]>, bytes: Vec<u8>) -> NewFile {
    NewFile { path: path.to_owned(), kind, seen: seen.map(hash_of), bytes }
}

/// The path of what `address` names on the site that is served at `origin`: index pages by their names.
fn path_of(origin: &str, address: &str) -> Option<String> {
    let path = address.strip_prefix(origin)?.strip_prefix('/')?;
    let path = path.split(['?', '#']).next().unwrap_or_default();
    let path = percent_encoding::percent_decode_str(path).decode_utf8().ok()?.into_owned();
    Some(if path.is_empty() || path.ends_with('/') { path + "index.html" } else { path })
}

/// Whether a path is none of the site's own: hidden, or what a build brought along.
fn is_own(path: &str) -> bool {
    Path::new(path).components().all(|part| {
        let name = part.as_os_str().to_string_lossy();
        !name.starts_with('.') && name != "node_modules"
    })
}
