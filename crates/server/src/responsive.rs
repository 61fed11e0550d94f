//! Responsive sets: all files of a picture for a slot, as its rules say, and what offers them to
//! browsers.

use std::collections::{BTreeSet, HashSet};

use brisk_margin_core::choosing::Outcome;
use brisk_margin_core::encode::Encoding;
use brisk_margin_core::finish::canvas::{Canvas, HandCrop};
use brisk_margin_core::finish::plan::Aim;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::{self, FocalPoint};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::Score;
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::lossless;
use brisk_margin_core::markup::picture::{self as markup, Loading};
use brisk_margin_core::markup::position::{self, Held};
use brisk_margin_core::markup::shape::{Shape, shapes};
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::naming::{self, Pattern, PatternError, Subject as Named};
use brisk_margin_core::needs::{self, ByteModel};
use brisk_margin_core::responsive::{Layout, Stock};
use brisk_margin_core::rule::Decision;
use brisk_margin_core::sizes::Sizes;
use brisk_margin_core::slot::{Slot, SlotError};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_store::StoreError;
use brisk_margin_store::layouts::{Occurrence, SlotRow};
use brisk_margin_store::pictures::{Picture, Work};
use brisk_margin_store::variants::{Framing, NewVariant, Order, Unframed, Variant};
use futures::{StreamExt, TryStreamExt};
use thiserror::Error;
use uuid::Uuid;

use crate::app::{App, Change};
use crate::names;
use crate::slots::{page_alt, slot_budget, who_crops};
use crate::trying::{self, Ask, Subject, Tried};
use crate::variants::{self, MakeError};

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
        let places = app.store.occurrences(None).await?;
        let places: Vec<Occurrence> = places.into_iter().filter(|p| p.slot_id == slot.id).collect();
        let on: HashSet<Uuid> = places.iter().map(|place| place.page_id).collect();
        let pages = app.store.pages().await?;
        let pages = pages.iter().filter(|page| on.contains(&page.id));
        let breakpoints: BTreeSet<u32> =
            pages.flat_map(|page| page.breakpoints.iter().copied()).collect();
        let densities = decision.densities.value.clone().unwrap_or_else(|| slot.densities.clone());
        let (cropping, _) = who_crops(&slot, work);
        let framer = Framer::new(picture, work, &slot, &densities, cropping)?;
        let parts = framer.parts(&Vec::from_iter(breakpoints))?;
        if parts.is_empty() {
            return Err(SetError::NotShown);
        }
        let is_transparent =
            picture.look.map_or(picture.facts.has_alpha, |look| look.is_transparent);
        let framing = &parts[0].steps[0].framing;
        let class = trying::class_of(picture, framing);
        let mut formats = decision.worth_trying(class, is_transparent);
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
            style: style(picture, work, &slot, cropping)?,
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
        let mut taken = HashSet::new();
        let mut files = Vec::new();
        for (part, shape) in self.parts.iter().enumerate() {
            for (step, Step { fitting, .. }) in shape.steps.iter().enumerate() {
                let Size { width, height } = fitting.output;
                let mut stem = pattern.stem(&Named { width, height, ..named.clone() });
                if !pattern.has_width() {
                    stem = format!("{stem}-{width}");
                }
                for &format in &self.formats {
                    let is_taken = |name: &str| taken.contains(name);
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

    /// Makes every file that was not made yet, spread over the cores; whoever goes away ends it
    /// after the files in hand, and those that are made stay.
    ///
    /// # Errors
    /// The first file's that could not be made.
    pub async fn make(&self, app: &App, picture: &Picture) -> Result<(), SetError> {
        if self.decision.excluded.value {
            return Err(SetError::Excluded);
        }
        let missing: Vec<&SetFile> = self.files.iter().filter(|file| file.made.is_none()).collect();
        let framings: Vec<&Framing> = missing.iter().map(|file| &self.step(file).framing).collect();
        variants::references(app, picture, &framings).await?;
        futures::stream::iter(missing)
            .map(Ok)
            .try_for_each_concurrent(app.workshop.seats(), |file| self.make_one(app, picture, file))
            .await
    }

    async fn make_one(&self, app: &App, picture: &Picture, file: &SetFile) -> Result<(), SetError> {
        let Step { framing, fitting } = self.step(file);
        let of = Subject { picture, framing, credit: self.credit.as_ref() };
        let tried = trying::try_out(app, of, file.ask).await?;
        let mut bytes = trying::file(app, of, tried.encoding).await?;
        let copy = lean_copy(app, of, fitting, file.format).await?;
        let cap = self.decision.cap.value.bytes(self.budget);
        let copy = copy.filter(|copy| {
            is_lean(copy.len(), bytes.len()) && cap.is_none_or(|cap| Bytes::of(copy) <= cap)
        });
        let is_copy = copy.is_some();
        if let Some(copy) = copy {
            bytes = copy;
        }
        let order = self.order(file, tried.encoding, is_copy);
        let new = NewVariant {
            picture_id: picture.id,
            order,
            fitting,
            file_name: file.name.clone(),
            budget: self.budget,
        };
        app.store.add_variant(bytes, new).await?;
        app.tell(Change::Variants);
        Ok(())
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

    /// The markup of the whole set: its element, and the style rules for it where the browser
    /// crops. A background has none.
    pub fn html(&self) -> Option<String> {
        if self.slot.kind == "background" || self.decision.excluded.value {
            return None;
        }
        let style = self.style.as_ref().map(|rules| format!("<style>\n{rules}</style>\n"));
        Some(style.unwrap_or_default() + &self.markup().html())
    }

    /// The formats that are worth offering: one whose files came out heavier than those of a
    /// format behind it would only make pages slower.
    pub fn offered(&self) -> Vec<Format> {
        let weight = |format: Format| -> Option<Bytes> {
            let files = self.files.iter().filter(|file| file.format == format);
            files.map(|file| Some(file.made.as_ref()?.variant.bytes)).sum()
        };
        let lighter = |n: usize, format: Format| {
            let behind = self.formats[n + 1..].iter().filter_map(|&other| weight(other)).min();
            weight(format).zip(behind).is_none_or(|(own, behind)| own < behind)
        };
        let formats = self.formats.iter().copied().enumerate();
        formats.filter(|&(n, format)| lighter(n, format)).map(|(_, format)| format).collect()
    }

    /// The element that offers the set to browsers; files that were not made yet have their names
    /// in it, too.
    pub fn markup(&self) -> markup::Picture {
        let offered = self.offered();
        let mut offers = Vec::new();
        for (n, part) in self.parts.iter().enumerate() {
            for &format in &offered {
                let files = self.files.iter().filter(|f| f.part == n && f.format == format);
                let files = files.map(|file| markup::File {
                    address: file.name.clone(),
                    size: self.step(file).fitting.output,
                });
                offers.push(markup::Offer {
                    from: part.from,
                    format,
                    sizes: part.sizes.clone(),
                    files: files.collect(),
                });
            }
        }
        let Self { alt, loading, caption, .. } = self;
        markup::Picture { offers, alt: alt.clone(), loading: *loading, caption: caption.clone() }
    }
}

/// A served file is left alone unless another is at least 3 % smaller.
const fn is_lean(served: usize, other: usize) -> bool {
    other * 100 > served * 97
}

/// The original's own file without its metadata, where a file in `format` would show exactly its
/// pixels; nothing where they are scaled, cut or changed, or where it cannot be copied.
async fn lean_copy(
    app: &App,
    of: Subject<'_>,
    fitting: &Fitting,
    format: Format,
) -> Result<Option<bytes::Bytes>, SetError> {
    let Subject { picture, framing, credit } = of;
    let facts = &picture.facts;
    let untouched = framing.finish.is_plain()
        && fitting.output == facts.size
        && fitting.crop == Rect::whole(facts.size);
    let can_be_copied = matches!(format, Format::Jpeg | Format::Png);
    if !untouched || !can_be_copied || facts.format.name() != format.name() {
        return Ok(None);
    }
    let xmp = credit.map(Credit::packet);
    let copy = variants::work(app, picture, Bytes(0), move |original| {
        // A profile would stay, and files are in sRGB.
        let copy = original.icc().is_none().then(|| lossless::copy(original, xmp));
        Ok(copy.and_then(Result::ok).map(bytes::Bytes::from))
    });
    Ok(copy.await?)
}

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

/// Frames a picture for the widths of a slot.
struct Framer<'a> {
    picture: &'a Picture,
    work: &'a Work,
    slot: &'a SlotRow,
    densities: &'a [Density],
    cropping: Cropping,
    /// What one file holds where the browser crops.
    union: Option<HandCrop>,
}

/// The style rules that hold the one file of `slot` where the browser crops it; nothing where
/// that does not.
fn style(
    picture: &Picture,
    work: &Work,
    slot: &SlotRow,
    cropping: Cropping,
) -> Result<Option<String>, SetError> {
    if cropping != Cropping::Browser {
        return Ok(None);
    }
    let crops = crops(picture, work, slot)?;
    let Some(file) = framing::union(crops.iter().map(|&(_, crop)| crop)) else { return Ok(None) };
    let held = crops
        .iter()
        .map(|&(from, crop)| Held { from, position: framing::object_position(file, crop) });
    let selector = slot.selector.as_deref().unwrap_or("img");
    Ok(Some(position::object_position_rules(selector, &held.collect::<Vec<_>>())))
}

/// What each layout width shows of the picture, the narrowest first.
fn crops(picture: &Picture, work: &Work, slot: &SlotRow) -> Result<Vec<(u32, Rect)>, SetError> {
    let shown = slot.boxes().iter().filter(|(_, size)| size.is_shown());
    let crop = |(&viewport, size): (&u32, &BoxSize)| {
        let shape = Slot::new(size.width, size.height, slot.fit)?;
        let aim = work.aim(Some((slot.id, viewport)));
        let framing = Framing::new(shape, Density::ONE, aim, &work.finish);
        Ok(framing.fitting(picture.facts.size).map(|fitting| (viewport, fitting.crop)))
    };
    shown.filter_map(|shown| crop(shown).transpose()).collect()
}

/// What holds for the files of one shape.
struct Shaped {
    size: BoxSize,
    aim: Aim,
    aspect: f64,
}

impl<'a> Framer<'a> {
    fn new(
        picture: &'a Picture,
        work: &'a Work,
        slot: &'a SlotRow,
        densities: &'a [Density],
        cropping: Cropping,
    ) -> Result<Self, SetError> {
        let mut framer = Self { picture, work, slot, densities, cropping, union: None };
        if cropping == Cropping::Browser {
            let canvas =
                Canvas::new(picture.facts.size, &work.finish).map_err(MakeError::Canvas)?;
            let crops = crops(picture, work, slot)?;
            let union = framing::union(crops.iter().map(|&(_, crop)| crop));
            framer.union = union.and_then(|union| canvas.hand_crop(union).ok());
        }
        Ok(framer)
    }

    fn parts(&self, breakpoints: &[u32]) -> Result<Vec<Part>, SetError> {
        let is_apart = self.work.finish.keeps_css_size();
        let crops = self.work.crops.get(&self.slot.id);
        // What is framed by hand, or keeps a size in CSS pixels, is for its layout width alone.
        let own = |viewport: u32| {
            let by_hand = crops.and_then(|crops| crops.get(&viewport)).copied();
            (by_hand, is_apart.then_some(viewport))
        };
        let shapes = shapes(self.slot.boxes(), self.slot.fit, self.cropping, breakpoints, own);
        let shapes: Vec<Shape> = shapes.into_iter().filter(|s| s.largest().is_some()).collect();
        let shaped: Vec<Shaped> =
            shapes.iter().map(|shape| self.shaped(shape)).collect::<Result<_, _>>()?;
        let stocked = shapes.into_iter().zip(&shaped).map(|(shape, shaped)| {
            let stock = self.stock(&shape, shaped, is_apart)?;
            Ok((shape, stock))
        });
        let stocked: Vec<(Shape, Stock)> = stocked.collect::<Result<_, SetError>>()?;
        let layout = Layout {
            rendered: self.slot.rendered(),
            fit: self.slot.fit,
            breakpoints,
            densities: self.densities,
        };
        let sources = layout.sources(&stocked);
        let mut parts = Vec::new();
        for (((shape, _), shaped), source) in stocked.iter().zip(&shaped).zip(sources) {
            let Some(sizes) = source.sizes else { continue };
            let steps = source.widths.iter().map(|&width| self.step(shaped, width));
            let boxes = shape.boxes.iter().filter(|(_, size)| size.is_shown());
            parts.push(Part {
                from: source.from,
                sizes,
                boxes: boxes.map(|(&viewport, &size)| (viewport, size)).collect(),
                aspect: shaped.aspect,
                steps: steps.collect::<Result<_, _>>()?,
            });
        }
        Ok(parts)
    }

    fn shaped(&self, shape: &Shape) -> Result<Shaped, SetError> {
        let area = |size: &BoxSize| size.width * size.height;
        let largest = shape.boxes.iter().max_by(|a, b| area(a.1).total_cmp(&area(b.1)));
        let (&viewport, &size) = largest.ok_or(SetError::NotShown)?;
        let aim = match self.union {
            Some(union) => Aim { by_hand: Some(union), ..Aim::at(FocalPoint::CENTRE) },
            None => self.work.aim(Some((self.slot.id, viewport))),
        };
        let slot = Slot::new(size.width, size.height, self.slot.fit)?;
        let most = Density::new(4.0).expect("a density");
        let whole = Framing::new(slot, most, aim, &self.work.finish);
        // What the slot asks for at the highest density has the shape to the part of a pixel.
        let needed = whole.fitting(self.picture.facts.size).map(|fitting| fitting.needed.aspect());
        let by_slot = self.slot.fit.crops() && aim.by_hand.is_none();
        let aspect = if by_slot { size.aspect() } else { needed.unwrap_or(size.aspect()) };
        Ok(Shaped { size, aim, aspect })
    }

    fn stock(&self, shape: &Shape, shaped: &Shaped, is_apart: bool) -> Result<Stock, SetError> {
        let aspect = shaped.aspect;
        let needs = needs::needs(&shape.boxes, self.slot.fit, aspect, self.densities);
        let most = needs.iter().map(|need| need.pixels.width).max().unwrap_or(1);
        let available = self.step(shaped, most)?.fitting.output.width;
        let model = match &self.picture.look {
            // Any width does for an anchor: the sample knows how the picture's weight grows.
            Some(look) => {
                let pixels = f64::from(most) * f64::from(most) / aspect;
                ByteModel { width: most, bytes: look.sample.weight(pixels as u64) }
            }
            None => ByteModel::provisional(aspect),
        };
        Ok(Stock { aspect, available, model, is_apart })
    }

    /// The framing whose file is `width` pixels wide, as far as the picture has them.
    fn step(&self, shaped: &Shaped, width: u32) -> Result<Step, SetError> {
        let Shaped { size, aim, aspect } = *shaped;
        let fit = self.slot.fit;
        let rendered = size.rendered(fit, aspect).width;
        let usual = self.densities.iter().copied();
        let mut usual = usual.filter(|&density| needs::device_width(rendered, density) == width);
        let between = || Density::new(f64::from(width) / rendered).ok();
        let (slot, density) = match usual.next_back().or_else(between) {
            Some(density) => (Slot::new(size.width, size.height, fit)?, density),
            // Far from the box's own size, a box of another size says the same.
            None => {
                let factor = f64::from(width) / rendered;
                let slot = Slot::new(size.width * factor, size.height * factor, fit)?;
                (slot, Density::ONE)
            }
        };
        let framing = Framing::new(slot, density, aim, &self.work.finish);
        let (_, plan) = framing.plan(self.picture.facts.size)?;
        Ok(Step { framing, fitting: plan.fitting })
    }
}
