//! Framing a slot's files: which part of a picture each of them shows, and at which width.

use brisk_margin_core::colour::ColourSpace;
use brisk_margin_core::finish::canvas::{Canvas, HandCrop};
use brisk_margin_core::finish::plan::Aim;
use brisk_margin_core::fitting::TooSmall;
use brisk_margin_core::framing::{self, FocalPoint};
use brisk_margin_core::geometry::Rect;
use brisk_margin_core::layout::{BoxSize, Cropping};
use brisk_margin_core::markup::position::{self, Held, Holder};
use brisk_margin_core::markup::shape::{Shape, shapes};
use brisk_margin_core::needs::{self, ByteModel};
use brisk_margin_core::responsive::{Layout, Stock};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::units::Density;
use brisk_margin_store::layouts::SlotRow;
use brisk_margin_store::pictures::{Picture, Work};
use brisk_margin_store::variants::{Framing, Unframed};

use super::{Part, SetError, Step};
use crate::slots;
use crate::variants::MakeError;

/// Frames a picture for the widths of a slot.
pub(super) struct Framer<'a> {
    picture: &'a Picture,
    work: &'a Work,
    slot: &'a SlotRow,
    densities: &'a [Density],
    cropping: Cropping,
    colours: ColourSpace,
    /// What one file holds where the browser crops.
    union: Option<HandCrop>,
}

/// What holds for the files of one shape.
struct Shaped {
    size: BoxSize,
    aim: Aim,
    aspect: f64,
}

impl<'a> Framer<'a> {
    pub(super) fn new(
        picture: &'a Picture,
        work: &'a Work,
        slot: &'a SlotRow,
        densities: &'a [Density],
        cropping: Cropping,
        colours: ColourSpace,
    ) -> Result<Self, SetError> {
        let mut framer = Self { picture, work, slot, densities, cropping, colours, union: None };
        if cropping == Cropping::Browser {
            let canvas =
                Canvas::new(picture.facts.size, &work.finish).map_err(MakeError::Canvas)?;
            let crops = crops(picture, work, slot)?;
            let union = framing::union(crops.iter().map(|&(_, crop)| crop));
            framer.union = union.and_then(|union| canvas.hand_crop(union).ok());
        }
        Ok(framer)
    }

    pub(super) fn parts(&self, breakpoints: &[u32]) -> Result<Vec<Part>, SetError> {
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
        let least = needs.iter().map(|need| need.pixels.width).min().unwrap_or(1);
        let available = match self.framing(shaped, most)?.plan(self.picture.facts.size) {
            Ok((_, plan)) => plan.fitting.output.width,
            // An exact slot keeps its promise to the screens that there are pixels for.
            Err(Unframed::TooSmall(TooSmall(fitting))) if fitting.output.width >= least => {
                fitting.output.width
            }
            Err(refused) => return Err(refused.into()),
        };
        let model = match &self.picture.look {
            // Any width does for an anchor: the sample knows how the picture's weight grows.
            Some(look) => {
                let pixels = f64::from(most) * f64::from(most) / aspect;
                ByteModel { width: most, bytes: look.sample.weight(pixels as u64) }
            }
            None => ByteModel::provisional(aspect),
        };
        // A style sheet names files for its ranges of viewports, none for widths between them.
        let is_apart = is_apart || slots::holder(self.slot) == Holder::Background;
        Ok(Stock { aspect, available, model, is_apart })
    }

    fn step(&self, shaped: &Shaped, width: u32) -> Result<Step, SetError> {
        let framing = self.framing(shaped, width)?;
        let (_, plan) = framing.plan(self.picture.facts.size)?;
        Ok(Step { framing, fitting: plan.fitting })
    }

    /// The framing whose file is `width` pixels wide, as far as the picture has them.
    fn framing(&self, shaped: &Shaped, width: u32) -> Result<Framing, SetError> {
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
        Ok(Framing::new(slot, density, aim, &self.work.finish).in_colours(self.colours))
    }
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

/// The style rules that hold the one file of `slot` where the browser crops it; nothing where
/// that does not.
pub(super) fn style(
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
    let held = Vec::from_iter(held);
    Ok(Some(position::position_rules(slots::holder(slot), slots::selector(slot), &held)))
}
