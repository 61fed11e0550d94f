//! Publishing: pages and style sheets of a site's folder that offer other files, held against the site
//! as it was, in the browser, before anything is written.
//!
//! - `measuring`: the folder served, and its pages measured.
//! - [`places`]: where pictures are shown, and why some are left as they are.
//! - `sets`: the files that places are given, and what browsers are offered of them.
//! - `rewriting`: pages and style sheets that offer them, each place in its `manner`.
//! - [`proof`]: whether anything moved, and whether browsers load what they should.

mod manner;
pub(crate) mod measuring;
pub mod places;
pub mod proof;
mod rewriting;
pub(crate) mod sets;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use brisk_margin_core::publication::StepKind;
use brisk_margin_core::units::Bytes;
use brisk_margin_site::error::MeasureError;
use brisk_margin_site::measured::MeasuredPage;
use brisk_margin_site::publishing::folder::{FolderError, SiteFolder, hash_of};
use brisk_margin_site::publishing::site_change::NewFile;
use thiserror::Error;
use url::Url;
use uuid::Uuid;

use manner::Manner;
use measuring::{MeasuredSite, ServedSite};
use places::{LeftPlace, LeftReason, PlaceAt};
use proof::{Changed, Weight};
use rewriting::{Rewriting, Said};
use sets::MadeSet;

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

/// What a site would be with other files.
#[derive(Debug)]
pub struct Outcome {
    /// What is to be written.
    pub files: Vec<NewFile>,
    /// Each place that offers other files now.
    pub changed: Vec<ChangedPlace>,
    /// Each that does not, and why.
    pub left: Vec<LeftPlace>,
    /// What each page's pictures weigh as they are downloaded.
    pub weights: Vec<Weight>,
    /// The pages that look otherwise, by their paths.
    pub pages: BTreeSet<String>,
    /// Pictures that pages showed and show no more, by their paths.
    pub unused: BTreeSet<String>,
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
    /// The picture of the library that they are made of, where there is one.
    pub picture: Option<Uuid>,
    /// The slot that they are made for; none of the library's where there is no picture of it.
    pub slot: Uuid,
    /// What stands for all its files, where they are the library's.
    pub fingerprint: Option<String>,
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
    /// Whether its caption stays as it is, since another one would move something on the page.
    pub is_uncaptioned: bool,
    /// Whether it is meant to look otherwise: another picture, or edits of it.
    pub is_restyled: bool,
}

/// Why nothing can be told of a site.
#[derive(Debug, Error)]
pub enum SiteError {
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

/// A site whose places are to offer the files of sets.
pub(crate) struct Rehearsal<'a> {
    pub(crate) folder: &'a SiteFolder,
    /// Where the files go; style sheets in it are left alone.
    pub(crate) files_in: &'a str,
    pub(crate) served: &'a ServedSite,
    pub(crate) before: &'a MeasuredSite,
    pub(crate) sets: &'a [MadeSet],
    /// Whether other things on a page may stand elsewhere afterwards.
    pub(crate) may_move: bool,
}

impl Rehearsal<'_> {
    /// Has the places offer their files, each in the first manner that leaves its page as it stands.
    ///
    /// # Errors
    /// Those of the browser and of the folder; what concerns one place is told in the outcome.
    pub(crate) async fn outcome(
        &self,
        told: &(dyn Fn(Progress) + Sync),
    ) -> Result<Outcome, SiteError> {
        let Proved { rewriting, manners, uncaptioned, after } = self.proved(told).await?;
        let Self { before, sets, .. } = *self;
        let mut left = rewriting.left.clone();
        let mut changed = Vec::new();
        let is_written = |place: PlaceAt| {
            let page = before.path(place);
            let mut files = rewriting.files.iter();
            files.any(|file| file.kind == StepKind::Style || file.path == page)
        };
        for (set, place) in sets.iter().flat_map(|set| set.places().map(move |at| (set, at))) {
            match rewriting.manner(place, &manners) {
                Manner::Left if set.files.single.is_empty() => {
                    left.push(before.left(place, LeftReason::ShapesMove));
                }
                Manner::Left => left.push(before.left(place, LeftReason::Moves)),
                _ if rewriting.unsaid.contains(&place) => {}
                _ if !is_written(place) => left.push(before.left(place, LeftReason::Applied)),
                manner => {
                    let is_as_promised = proof::is_as_promised(before, &after, set, place, manner);
                    let is_uncaptioned = uncaptioned.contains(&place);
                    let told = set.changed(before, place, manner);
                    changed.push(ChangedPlace { is_as_promised, is_uncaptioned, ..told });
                }
            }
        }
        let weights = proof::weights(before, &after);
        let unused = proof::unused(before, &after);
        left.sort_by(|a, b| (&a.page, &a.selector).cmp(&(&b.page, &b.selector)));
        changed.sort_by(|a, b| (&a.page, &a.selector).cmp(&(&b.page, &b.selector)));
        let (files, pages) = (rewriting.files, after.named);
        Ok(Outcome { files, changed, left, weights, pages, unused })
    }

    /// Has the places of `sets` offer their files so that nothing moves on their pages.
    async fn proved(&self, told: &(dyn Fn(Progress) + Sync)) -> Result<Proved, SiteError> {
        let Self { folder, files_in, served, before, sets, may_move } = *self;
        let places = sets.iter().flat_map(MadeSet::places);
        let mut manners: BTreeMap<PlaceAt, Manner> =
            places.map(|place| (place, Manner::Sized)).collect();
        let mut uncaptioned: BTreeSet<PlaceAt> = BTreeSet::new();
        let mut after = Changed::default();
        // Pages measured once more as they were: what moves there moves by itself.
        let mut again: BTreeMap<String, MeasuredPage> = BTreeMap::new();
        let mut unproved: Option<BTreeSet<String>> = None;
        loop {
            let rewriting = tokio::task::block_in_place(|| -> Result<Rewriting, SiteError> {
                let said = Said { manners: &manners, uncaptioned: &uncaptioned };
                let rewriting = Rewriting::new(folder, before, sets, said, files_in)?;
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
            if may_move {
                let silent = proof::silent(before, &after, sets, &manners);
                if silent.is_empty() {
                    return Ok(Proved { rewriting, manners, uncaptioned, after });
                }
                for place in silent {
                    manners.insert(place, Manner::Left);
                }
                continue;
            }
            let mut moved = proof::moved(before, &again, &after, sets, &manners);
            let pages: BTreeSet<String> = moved.iter().map(|&place| before.path(place)).collect();
            let unknown: BTreeSet<String> =
                pages.iter().filter(|page| !again.contains_key(*page)).cloned().collect();
            if !unknown.is_empty() {
                again.extend(served.again(&unknown).await?);
                moved = proof::moved(before, &again, &after, sets, &manners);
            }
            if moved.is_empty() {
                return Ok(Proved { rewriting, manners, uncaptioned, after });
            }
            // A style sheet is any page's.
            let by_style = moved.iter().any(|&place| before.place(place).image.is_none());
            unproved = (!by_style).then_some(pages);
            for place in moved {
                // Other words are longer than those before them, more often than files move anything.
                if rewriting.captioned.contains(&place) && uncaptioned.insert(place) {
                    continue;
                }
                let lacks_single = sets.iter().any(|set| set.lacks_single_at(place));
                manners.entry(place).and_modify(|manner| *manner = manner.next(lacks_single));
            }
        }
    }
}

/// A site on whose pages nothing moved.
struct Proved {
    rewriting: Rewriting,
    manners: BTreeMap<PlaceAt, Manner>,
    /// Places whose caption stays, since another one would move something.
    uncaptioned: BTreeSet<PlaceAt>,
    after: Changed,
}

/// A file of the site with new content.
fn new_file(path: &str, kind: StepKind, seen: Option<&[u8]>, bytes: Vec<u8>) -> NewFile {
    NewFile { path: path.to_owned(), kind, seen: seen.map(hash_of), bytes }
}

/// The path of what `address` names on the site that is served at `origin`: index pages by their names.
pub(crate) fn path_of(origin: &str, address: &str) -> Option<String> {
    let path = address.strip_prefix(origin)?.strip_prefix('/')?;
    let path = path.split(['?', '#']).next().unwrap_or_default();
    let path = percent_encoding::percent_decode_str(path).decode_utf8().ok()?.into_owned();
    Some(if path.is_empty() || path.ends_with('/') { path + "index.html" } else { path })
}

/// The path of an address on whatever host: index pages by their names.
pub(crate) fn path_at(address: &str) -> Option<String> {
    path_of("", Url::parse(address).ok()?.path())
}

/// Whether a path is none of the site's own: hidden, or what a build brought along.
fn is_own(path: &str) -> bool {
    Path::new(path).components().all(|part| {
        let name = part.as_os_str().to_string_lossy();
        !name.starts_with('.') && name != "node_modules"
    })
}
