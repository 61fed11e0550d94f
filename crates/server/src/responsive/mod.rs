//! Responsive sets: all files of a picture for a slot, as its rules say, and what offers them to
//! browsers.

mod framer;
pub mod making;
mod offering;

use std::collections::{BTreeSet, HashSet};

use brisk_margin_core::choosing::Outcome;
use brisk_margin_core::encode::Encoding;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Score;
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::markup::picture::Loading;
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::naming::{self, Pattern, PatternError, Subject as Named};
use brisk_margin_core::needs;
use brisk_margin_core::rule::Decision;
use brisk_margin_core::sizes::Sizes;
use brisk_margin_core::slot::SlotError;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::layouts::{Occurrence, SlotRow};
use brisk_margin_store::pictures::{Picture, Work};
use brisk_margin_store::variants::{Framing, Order, Unframed, Variant};
use thiserror::Error;

use crate::app::App;
use crate::names;
use crate::slots::{page_alt, slot_budget, who_crops};
use crate::trying::{self, Ask, Subject, Tried};
use crate::variants::MakeError;

/// All files of a picture for a slot.
pub struct Set {
    /// The slot.
    pub slot: SlotRow,
    /// Its budget.
    pub budget: Bytes,
    /// Who crops.
    pub cropping: Cropping,
    /// What holds for the picture there.
    pub decision: Decision,
    /// The densities that files are made for.
    pub densities: Vec<Density>,
    /// The formats, those that only some browsers read first.
    pub formats: Vec<Format>,
    /// The shapes, the widest viewports first.
    pub parts: Vec<Part>,
    /// The files: for each part, each step and each format.
    pub files: Vec<SetFile>,
    /// What each file says of who made it.
    pub credit: Option<Credit>,
    loading: Loading,
    alt: String,
    caption: Option<String>,
    style: Option<String>,
}

/// The files for one shape of the slot.
pub struct Part {
    /// The narrowest viewport that shows it, in CSS pixels.
    pub from: u32,
    /// How wide it is shown.
    pub sizes: Sizes,
    /// The boxes that it is shown in, by viewport.
    pub boxes: Vec<(u32, BoxSize)>,
    /// Width over height of its files.
    pub aspect: f64,
    /// Its files' pixels, the smallest first.
    pub steps: Vec<Step>,
}

/// One width of a part.
pub struct Step {
    /// What decides its pixels.
    pub framing: Framing,
    /// How the picture fills it.
    pub fitting: Fitting,
}

/// One file.
pub struct SetFile {
    /// Its part's place in the set.
    pub part: usize,
    /// Its step's place in the part.
    pub step: usize,
    /// Its format.
    pub format: Format,
    /// What it is called.
    pub name: String,
    /// The file, where it was made.
    pub made: Option<Made>,
    ask: Ask,
}

impl SetFile {
    /// Its name without its extension.
    pub fn stem(&self) -> &str {
        self.name.rsplit_once('.').map_or(&self.name, |(stem, _)| stem)
    }
}

/// A file that was made.
pub struct Made {
    /// Where it is kept.
    pub variant: Variant,
    /// How it is encoded.
    pub encoding: Encoding,
    /// How faithful it is.
    pub score: Option<Score>,
    /// How the search for it ended.
    pub outcome: Outcome,
}

/// Why there is no set.
#[derive(Debug, Error)]
pub enum SetError {
    /// No layout width shows the slot.
    #[error(
        "no layout width shows the slot, so it needs no file; measure the page, or type its boxes"
    )]
    NotShown,
    /// A box that is none.
    #[error(transparent)]
    Slot(#[from] SlotError),
    /// The site's pattern of file names cannot be used.
    #[error(transparent)]
    Pattern(#[from] PatternError),
    /// The picture is not to be made into files.
    #[error("the picture is excluded by a rule: no file is made of it")]
    Excluded,
    /// A file could not be planned or made.
    #[error(transparent)]
    Make(#[from] MakeError),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<Unframed> for SetError {
    fn from(error: Unframed) -> Self {
        Self::Make(error.into())
    }
}

impl Set {
    /// The set of `picture`, with `work` done to it, for the slot `slot`. Nothing is made.
    ///
    /// # Errors
    /// [`SetError`].
    pub async fn plan(
        app: &App,
        picture: &Picture,
        work: &Work,
        slot: SlotRow,
    ) -> Result<Self, SetError> {
        let decision = app.store.decision(picture.id, Some(slot.id)).await?;
        let (places, pages) = app.store.places_of(slot.id).await?;
        let breakpoints: BTreeSet<u32> =
            pages.iter().flat_map(|page| page.breakpoints.iter().copied()).collect();
        let densities = decision.densities.value.clone().unwrap_or_else(|| slot.densities.clone());
        let (cropping, _) = who_crops(&slot, work);
        let colours = decision.colours(&picture.facts);
        let framer = framer::Framer::new(picture, work, &slot, &densities, cropping, colours)?;
        let parts = framer.parts(&Vec::from_iter(breakpoints))?;
        if parts.is_empty() {
            return Err(SetError::NotShown);
        }
        let framing = &parts[0].steps[0].framing;
        let class = trying::class_of(picture, framing);
        let mut formats = decision.worth_trying(class, picture.is_transparent());
        // The last one is for browsers that read no other.
        formats.sort_by_key(|format| format.is_universal());
        let uses = app.store.uses_of(&[picture.id]).await?.remove(&picture.id).unwrap_or_default();
        let description = &picture.description;
        let alt = match (description.decorative, description.alt.trim()) {
            (true, _) => "",
            (false, "") => page_alt(&uses),
            (false, alt) => alt,
        };
        let mut set = Self {
            budget: slot_budget(&slot),
            cropping,
            densities,
            formats,
            files: Vec::new(),
            credit: decision.credit(description),
            loading: loading(&places),
            alt: alt.to_owned(),
            caption: description.caption_line(),
            style: framer::style(picture, work, &slot, cropping)?,
            parts,
            decision,
            slot,
        };
        set.files = set.planned(app, picture).await?;
        set.find_made(app, picture).await?;
        Ok(set)
    }

    /// Each file that is to be, by name.
    async fn planned(&self, app: &App, picture: &Picture) -> Result<Vec<SetFile>, SetError> {
        let site = app.store.site().await?;
        let pattern = self.decision.name_pattern.value.clone();
        let pattern = Pattern::parse(&pattern.unwrap_or_else(|| site.name_pattern.clone()))?;
        let named = names::subject(picture, Some(self.slot.name.clone()), 1, &site.initials);
        let stem = |Size { width, height }| {
            let stem = pattern.stem(&Named { width, height, ..named.clone() });
            if pattern.has_width() { stem } else { format!("{stem}-{width}") }
        };
        let steps = self.parts.iter().flat_map(|part| &part.steps);
        let stems: HashSet<String> = steps.map(|step| stem(step.fitting.output)).collect();
        let extensions = self.formats.iter().map(|format| format.extension());
        let names = extensions.flat_map(|ending| {
            stems.iter().flat_map(move |stem| naming::candidates(stem, ending).take(NUMBERED))
        });
        let in_use = app.store.names_in_use(names.collect()).await?;
        let mut taken = HashSet::new();
        let mut files = Vec::new();
        for (part, shape) in self.parts.iter().enumerate() {
            for (step, Step { framing, fitting }) in shape.steps.iter().enumerate() {
                let stem = stem(fitting.output);
                for &format in &self.formats {
                    let by_other = |name: &str| {
                        let mut same = in_use.iter().filter(|one| one.name == name);
                        same.any(|one| !one.is_of(picture.id, framing))
                    };
                    let is_taken = |name: &str| taken.contains(name) || by_other(name);
                    let name = naming::unique(&stem, format.extension(), is_taken);
                    taken.insert(name.clone());
                    let ask = Ask::of(&self.decision, format, None, self.budget);
                    files.push(SetFile { part, step, format, name, made: None, ask });
                }
            }
        }
        Ok(files)
    }

    async fn find_made(&mut self, app: &App, picture: &Picture) -> Result<(), SetError> {
        let framings = self.parts.iter().flat_map(|part| &part.steps).map(|step| &step.framing);
        let scores = app.store.scores_of(picture.id, framings).await?;
        let mut settled = Vec::new();
        for file in &self.files {
            let framing = &self.step(file).framing;
            let of = Subject { picture, framing, credit: self.credit.as_ref() };
            settled.push(match trying::known(app, of, file.ask).await? {
                Some(tried) => [false, true]
                    .map(|is_copy| Some((tried, self.order(file, tried.encoding, is_copy)))),
                None => [None, None],
            });
        }
        let orders = settled.iter().flatten().flatten().map(|(_, order)| order);
        let mut variants = app.store.variants_for(picture.id, orders).await?;
        for (file, settled) in self.files.iter_mut().zip(settled) {
            file.made = settled.into_iter().flatten().find_map(|(tried, order)| {
                let Tried { encoding, outcome, .. } = tried;
                let variant = variants.remove(&order.recipe())?;
                let score = match order.is_copy {
                    true => Some(Score::SAME),
                    false => scores.get(&(order.framing.recipe(), encoding)).copied(),
                };
                Some(Made { variant, encoding, score, outcome })
            });
        }
        Ok(())
    }

    /// What is asked for with `file`, once its encoding is settled.
    fn order(&self, file: &SetFile, encoding: Encoding, is_copy: bool) -> Order {
        let framing = self.step(file).framing.clone();
        Order { framing, encoding, credit: self.credit.clone(), is_copy }
    }

    /// What decides the pixels of a file.
    pub fn step(&self, file: &SetFile) -> &Step {
        &self.parts[file.part].steps[file.step]
    }

    /// How many times the pixels that the picture has its densest screen asks for; 1 or less where
    /// it has enough.
    pub fn shortfall(&self) -> f64 {
        let asked = self.parts.iter().map(|part| {
            let screens = part.boxes.iter();
            let screens = screens.flat_map(|(_, size)| self.densities.iter().map(|d| (*size, *d)));
            let most = screens.map(|(size, density)| self.needed(part, size, density)).max();
            let widest = part.steps.last().map_or(1, |step| step.fitting.output.width);
            f64::from(most.unwrap_or(1)) / f64::from(widest)
        });
        asked.fold(0.0, f64::max)
    }

    /// The device pixels across that a part's files are shown in, in a box at a density.
    pub fn needed(&self, part: &Part, size: BoxSize, density: Density) -> u32 {
        needs::device_width(size.rendered(self.slot.fit, part.aspect).width, density)
    }
}

/// How many names are looked up that differ by a number alone.
const NUMBERED: usize = 20;

/// When a slot's pictures are loaded: as early as its most urgent place asks.
fn loading(places: &[Occurrence]) -> Loading {
    let any = |urgent: fn(&Occurrence) -> bool| places.iter().any(urgent);
    if any(|place| place.details.lcp) {
        Loading::First
    } else if any(|place| place.details.above_fold) {
        Loading::WithPage
    } else {
        Loading::Lazy
    }
}
