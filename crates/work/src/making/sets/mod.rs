//! Responsive sets: all files of a picture for a slot, as its rules say, and what offers them to
//! browsers.

mod issues;
pub mod making;
mod offering;

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::cache_key::CacheKey;
use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest};
use brisk_margin_core::credit::Credit;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::Score;
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::markup::picture::Loading;
use brisk_margin_core::markup::position::Held;
use brisk_margin_core::name_pattern::{NameParts, NameWish, Pattern, PatternError};
use brisk_margin_core::needs;
use brisk_margin_core::place_use::page_alt;
use brisk_margin_core::rule::EffectiveRule;
use brisk_margin_core::set_plan::{self, SetPart, SetPlanError, SetPlanner, SetSource, SetWidth};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_core::variant_spec::VariantSpec;
use brisk_margin_imaging::choosing::Hints;
use brisk_margin_store::StoreError;
use brisk_margin_store::layouts::SlotUses;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::Variant;
use thiserror::Error;

use crate::making::trials::{self, Settled, Subject};
use crate::making::{MakeError, Maker};

/// All files of a picture for a slot.
pub struct ResponsiveSet {
    /// The slot.
    pub slot: Slot,
    /// Its budget.
    pub budget: Bytes,
    /// Who crops.
    pub cropping: Cropping,
    /// What holds for the picture there.
    pub decision: EffectiveRule,
    /// The densities that files are made for.
    pub densities: Vec<Density>,
    /// The formats, those that only some browsers read first.
    pub formats: Vec<Format>,
    /// The shapes, the widest viewports first.
    pub parts: Vec<SetPart>,
    /// The files: for each part, each step and each format.
    pub files: Vec<SetFile>,
    /// What each file says of who made it.
    pub credit: Option<Credit>,
    loading: Loading,
    alt: String,
    caption: Option<String>,
    /// Where browsers hold the files, the narrowest viewports first, where they crop.
    pub(crate) held: Option<Vec<Held>>,
}

/// One file.
pub struct SetFile {
    /// Its part's place in the set.
    pub part: usize,
    /// Its width's place in the part.
    pub width: usize,
    /// Its format.
    pub format: Format,
    /// What it is called, or would be called now.
    pub name: String,
    /// The file, where it was made.
    pub made: Option<Made>,
    /// What is asked of the encoder.
    pub request: EncodeRequest,
    wish: NameWish,
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
    pub outcome: ChoiceOutcome,
}

/// Why there is no set.
#[derive(Debug, Error)]
pub enum SetError {
    /// It cannot be planned.
    #[error(transparent)]
    Plan(#[from] SetPlanError),
    /// The site's pattern of file names cannot be used.
    #[error(transparent)]
    Pattern(#[from] PatternError),
    /// The picture is not to be made into files.
    #[error("the picture is excluded by a rule: no file is made of it")]
    Excluded,
    /// A file could not be made.
    #[error(transparent)]
    Make(#[from] MakeError),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl ResponsiveSet {
    /// The set of `picture`, with `adjustments`, for the slot `slot`. Nothing is made.
    ///
    /// # Errors
    /// [`SetError`].
    pub async fn plan(
        maker: &Maker,
        picture: &Picture,
        adjustments: &Adjustments,
        slot: Slot,
    ) -> Result<Self, SetError> {
        let decision = maker.store.decision(picture.id, Some(slot.id)).await?;
        Self::decided(maker, picture, adjustments, slot, decision).await
    }

    /// The same where `decision` holds.
    ///
    /// # Errors
    /// [`SetError`].
    pub async fn decided(
        maker: &Maker,
        picture: &Picture,
        adjustments: &Adjustments,
        slot: Slot,
        decision: EffectiveRule,
    ) -> Result<Self, SetError> {
        let SlotUses { breakpoints, loading } = maker.store.slot_uses(slot.id).await?;
        let densities = decision.densities.value.clone().unwrap_or_else(|| slot.densities.clone());
        let (cropping, _) = slot.who_crops(adjustments);
        let sample = picture.analysis.as_ref().map(|analysis| analysis.sample);
        let source = SetSource { size: picture.facts.size, sample, adjustments };
        let colours = decision.colours(&picture.facts);
        let planner = SetPlanner::new(source, &slot, &densities, cropping, colours)?;
        let parts = planner.parts(&Vec::from_iter(breakpoints))?;
        let Some(first) = parts.first().and_then(|part| part.widths.first()) else {
            return Err(SetPlanError::NotShown.into());
        };
        let class = trials::class_of(picture, &first.spec);
        let mut formats = decision.worth_trying(class, picture.is_transparent());
        // The last one is for browsers that read no other.
        formats.sort_by_key(|format| format.is_universal());
        let uses =
            maker.store.uses_of(&[picture.id]).await?.remove(&picture.id).unwrap_or_default();
        let description = &picture.description;
        let alt = match (description.decorative, description.alt.trim()) {
            (true, _) => "",
            (false, "") => page_alt(&uses),
            (false, alt) => alt,
        };
        let mut set = Self {
            budget: slot.budget(),
            cropping,
            densities,
            formats,
            files: Vec::new(),
            credit: decision.credit(description),
            loading,
            alt: alt.to_owned(),
            caption: description.caption_line(),
            held: set_plan::held(source, &slot, cropping)?,
            parts,
            decision,
            slot,
        };
        set.files = set.planned(maker, picture).await?;
        set.find_made(maker, picture).await?;
        Ok(set)
    }

    /// Each file that is to be, by name.
    async fn planned(&self, maker: &Maker, picture: &Picture) -> Result<Vec<SetFile>, SetError> {
        let site = maker.store.site().await?;
        let pattern = self.decision.name_pattern.value.clone();
        let pattern = Pattern::parse(&pattern.unwrap_or_else(|| site.name_pattern.clone()))?;
        let parts = picture.name_parts(Some(&self.slot.name), &site.initials);
        let mut files = Vec::new();
        let mut wishes: Vec<(CacheKey, NameWish, Format)> = Vec::new();
        for (part, shape) in self.parts.iter().enumerate() {
            for (width, SetWidth { spec, fitting }) in shape.widths.iter().enumerate() {
                let output = fitting.output;
                let parts =
                    NameParts { width: output.width, height: output.height, ..parts.clone() };
                let wish = NameWish::Pattern { pattern: pattern.clone(), parts };
                for &format in &self.formats {
                    wishes.push((spec.cache_key(), wish.clone(), format));
                    files.push(SetFile {
                        part,
                        width,
                        format,
                        name: String::new(),
                        made: None,
                        request: self.decision.request(format, None, self.budget, spec.density),
                        wish: wish.clone(),
                    });
                }
            }
        }
        let names = maker.store.proposed_names(picture.id, &wishes).await?;
        for (file, name) in files.iter_mut().zip(names) {
            file.name = name;
        }
        Ok(files)
    }

    async fn find_made(&mut self, maker: &Maker, picture: &Picture) -> Result<(), SetError> {
        let specs = self.parts.iter().flat_map(|part| &part.widths).map(|width| &width.spec);
        let scores = maker.store.scores_of(picture.id, specs).await?;
        let outside = maker.encoders().await?;
        let (own, outside) = (&*self, outside.as_slice());
        let ended = own.files.iter().map(|file| async move {
            let subject = own.subject(picture, file);
            let known = trials::known(maker, subject, file.request, outside).await?;
            Ok::<_, SetError>([false, true].map(|is_copy| {
                let known = known.clone()?;
                let spec = own.variant_spec(file, known.encoding, is_copy);
                Some((known, spec))
            }))
        });
        let settled = futures::future::try_join_all(ended).await?;
        let specs = settled.iter().flatten().flatten().map(|(_, spec)| spec);
        let variants = maker.store.variants_for(picture.id, specs).await?;
        for (file, settled) in self.files.iter_mut().zip(settled) {
            file.made = settled.into_iter().flatten().find_map(|(known, spec)| {
                let Settled { encoding, outcome, .. } = known;
                // Two layout widths may have the same file.
                let variant = variants.get(&spec.cache_key())?.clone();
                let score = match spec.is_copy {
                    true => Some(Score::SAME),
                    false => scores.get(&(spec.framing.cache_key(), encoding)).copied(),
                };
                Some(Made { variant, encoding, score, outcome })
            });
            if let Some(made) = &file.made {
                file.name.clone_from(&made.variant.file_name);
            }
        }
        Ok(())
    }

    /// The pixels of a file.
    pub(crate) fn subject<'a>(&'a self, picture: &'a Picture, file: &SetFile) -> Subject<'a> {
        let spec = &self.width(file).spec;
        Subject { picture, spec, credit: self.credit.as_ref(), reference: None, hints: Hints::NONE }
    }

    /// What decides `file` once its encoding is settled.
    fn variant_spec(&self, file: &SetFile, encoding: Encoding, is_copy: bool) -> VariantSpec {
        let framing = self.width(file).spec.clone();
        VariantSpec { framing, encoding, credit: self.credit.clone(), is_copy }
    }

    /// What decides the pixels of a file.
    pub fn width(&self, file: &SetFile) -> &SetWidth {
        &self.parts[file.part].widths[file.width]
    }

    /// How many times the pixels that the picture has its densest screen asks for; 1 or less where
    /// it has enough.
    pub fn shortfall(&self) -> f64 {
        let asked = self.parts.iter().map(|part| {
            let screens = part.boxes.iter();
            let screens = screens.flat_map(|(_, size)| self.densities.iter().map(|d| (*size, *d)));
            let most = screens.map(|(size, density)| self.needed(part, size, density)).max();
            let widest = part.widths.last().map_or(1, |width| width.fitting.output.width);
            f64::from(most.unwrap_or(1)) / f64::from(widest)
        });
        asked.fold(0.0, f64::max)
    }

    /// The device pixels across that a part's files are shown in, in a box at a density.
    pub fn needed(&self, part: &SetPart, size: BoxSize, density: Density) -> u32 {
        needs::device_width(size.rendered(self.slot.fit, part.aspect).width, density)
    }
}
