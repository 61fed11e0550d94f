//! Plans of sets: which files a picture needs for a slot, which part of it each of them shows, and at
//! which width.

use thiserror::Error;

use crate::adjustments::Adjustments;
use crate::colour_space::ColourSpace;
use crate::content::WeightSample;
use crate::edits::canvas::{Canvas, CanvasError, HandCrop};
use crate::edits::plan::CropSpec;
use crate::fitting::{Fitting, TooSmall};
use crate::format::Format;
use crate::framing::{self, FocalPoint};
use crate::geometry::{Rect, Size};
use crate::layout::{BoxSize, Cropping};
use crate::markup::picture::{File, Offer};
use crate::markup::position::{Held, Holder};
use crate::markup::shape::{Shape, shapes};
use crate::needs::{self, ByteModel};
use crate::render_spec::{RenderSpec, RenderSpecError};
use crate::responsive::{Layout, WidthLimits};
use crate::sizes::Sizes;
use crate::slot::Slot;
use crate::slot_shape::{SlotError, SlotShape};
use crate::units::Density;

/// The files for one shape of a slot.
#[derive(Debug, Clone, PartialEq)]
pub struct SetPart {
    /// The narrowest viewport that shows it, in CSS pixels.
    pub from: u32,
    /// How wide it is shown.
    pub sizes: Sizes,
    /// The boxes that it is shown in, by viewport.
    pub boxes: Vec<(u32, BoxSize)>,
    /// Width over height of its files.
    pub aspect: f64,
    /// Its files' pixels, the smallest first.
    pub widths: Vec<SetWidth>,
}

/// One width of a part.
#[derive(Debug, Clone, PartialEq)]
pub struct SetWidth {
    /// What decides its pixels.
    pub spec: RenderSpec,
    /// How the picture fills it.
    pub fitting: Fitting,
}

/// What browsers are offered of `parts` in `formats`, those that only some read first; `file` tells the
/// address of a part's file at one of its widths, by their places, where it is to be offered.
pub fn offers(
    parts: &[SetPart],
    formats: &[Format],
    file: impl Fn(usize, usize, Format) -> Option<String>,
) -> Vec<Offer> {
    let offer = |n: usize, part: &SetPart, format: Format| {
        let widths = part.widths.iter().enumerate();
        let files = widths.filter_map(|(width, SetWidth { fitting, .. })| {
            Some(File { address: file(n, width, format)?, size: fitting.output })
        });
        Offer { from: part.from, format, sizes: part.sizes.clone(), files: files.collect() }
    };
    let parts = parts.iter().enumerate();
    let all = parts.flat_map(|(n, part)| formats.iter().map(move |&format| (n, part, format)));
    all.map(|(n, part, format)| offer(n, part, format)).collect()
}

/// Why there is no set.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum SetPlanError {
    /// No layout width shows the slot.
    #[error(
        "no layout width shows the slot, so it needs no file; measure the page, or type its boxes"
    )]
    NotShown,
    /// A box that is none.
    #[error(transparent)]
    Slot(#[from] SlotError),
    /// The picture cannot be framed for it.
    #[error(transparent)]
    Spec(#[from] RenderSpecError),
    /// Its edits leave nothing of it.
    #[error(transparent)]
    Canvas(#[from] CanvasError),
}

/// What is known of a picture that gets a set.
#[derive(Debug, Clone, Copy)]
pub struct SetSource<'a> {
    /// The size of the upright original.
    pub size: Size,
    /// How heavy it is to encode, once it was analysed.
    pub sample: Option<WeightSample>,
    /// How it is framed and edited.
    pub adjustments: &'a Adjustments,
}

/// Frames a picture for the widths of a slot.
pub struct SetPlanner<'a> {
    source: SetSource<'a>,
    slot: &'a Slot,
    densities: &'a [Density],
    cropping: Cropping,
    colours: ColourSpace,
    /// What one file holds where the browser crops.
    union: Option<HandCrop>,
}

/// What holds for the files of one shape.
struct Shaped {
    size: BoxSize,
    aim: CropSpec,
    aspect: f64,
}

impl<'a> SetPlanner<'a> {
    /// A plan of `source`'s files for `slot` at `densities`, where `cropping` says who crops, in
    /// `colours`.
    ///
    /// # Errors
    /// [`SetPlanError`] where its edits leave nothing of the picture.
    pub fn new(
        source: SetSource<'a>,
        slot: &'a Slot,
        densities: &'a [Density],
        cropping: Cropping,
        colours: ColourSpace,
    ) -> Result<Self, SetPlanError> {
        let mut planner = Self { source, slot, densities, cropping, colours, union: None };
        if cropping == Cropping::Browser {
            let canvas = Canvas::new(source.size, &source.adjustments.edits)?;
            let crops = crops(source, slot)?;
            let union = framing::union(crops.iter().map(|&(_, crop)| crop));
            planner.union = union.and_then(|union| canvas.hand_crop(union).ok());
        }
        Ok(planner)
    }

    /// The parts, the widest viewports first; `breakpoints` are those of the slot's pages.
    ///
    /// # Errors
    /// [`SetPlanError`].
    pub fn parts(&self, breakpoints: &[u32]) -> Result<Vec<SetPart>, SetPlanError> {
        let is_apart = self.source.adjustments.edits.keeps_css_size();
        let crops = self.source.adjustments.crops.get(&self.slot.id);
        // What is framed by hand is for its layout width alone; what keeps a size in CSS pixels, for
        // those with the same box.
        let own = |viewport: u32| {
            let by_hand = crops.and_then(|crops| crops.get(&viewport)).copied();
            (by_hand, is_apart.then(|| self.slot.boxes().get(&viewport)))
        };
        let shapes = shapes(self.slot.boxes(), self.slot.fit, self.cropping, breakpoints, own);
        let shapes: Vec<Shape> = shapes.into_iter().filter(|s| s.largest().is_some()).collect();
        let shaped: Vec<Shaped> =
            shapes.iter().map(|shape| self.shaped(shape)).collect::<Result<_, _>>()?;
        let limited = shapes.into_iter().zip(&shaped).map(|(shape, shaped)| {
            let limits = self.limits(&shape, shaped, is_apart)?;
            Ok((shape, limits))
        });
        let limited: Vec<(Shape, WidthLimits)> = limited.collect::<Result<_, SetPlanError>>()?;
        let layout = Layout {
            rendered: self.slot.rendered(),
            fit: self.slot.fit,
            breakpoints,
            densities: self.densities,
        };
        let sources = layout.sources(&limited);
        let mut parts = Vec::new();
        for (((shape, _), shaped), source) in limited.iter().zip(&shaped).zip(sources) {
            let Some(sizes) = source.sizes else { continue };
            let widths = source.widths.iter().map(|&width| self.width(shaped, width));
            let boxes = shape.boxes.iter().filter(|(_, size)| size.is_shown());
            parts.push(SetPart {
                from: source.from,
                sizes,
                boxes: boxes.map(|(&viewport, &size)| (viewport, size)).collect(),
                aspect: shaped.aspect,
                widths: widths.collect::<Result<_, _>>()?,
            });
        }
        Ok(parts)
    }

    fn shaped(&self, shape: &Shape) -> Result<Shaped, SetPlanError> {
        let size = shape.largest().ok_or(SetPlanError::NotShown)?;
        let viewport = shape.boxes.iter().rev().find(|(_, other)| **other == size);
        let viewport = viewport.map_or(0, |(&viewport, _)| viewport);
        let aim = match self.union {
            Some(union) => CropSpec { by_hand: Some(union), ..CropSpec::at(FocalPoint::CENTRE) },
            None => self.source.adjustments.crop_spec(Some((self.slot.id, viewport))),
        };
        let slot = SlotShape::new(size.width, size.height, self.slot.fit)?;
        let most = Density::new(4.0).expect("a density");
        let whole = RenderSpec::new(slot, most, aim, &self.source.adjustments.edits);
        // What the slot asks for at the highest density has the shape to the part of a pixel.
        let needed = whole.fitting(self.source.size).map(|fitting| fitting.needed.aspect());
        let by_slot = self.slot.fit.crops() && aim.by_hand.is_none();
        let aspect = if by_slot { size.aspect() } else { needed.unwrap_or(size.aspect()) };
        Ok(Shaped { size, aim, aspect })
    }

    fn limits(
        &self,
        shape: &Shape,
        shaped: &Shaped,
        is_apart: bool,
    ) -> Result<WidthLimits, SetPlanError> {
        let aspect = shaped.aspect;
        let needs = needs::needs(&shape.boxes, self.slot.fit, aspect, self.densities);
        let most = needs.iter().map(|need| need.pixels.width).max().unwrap_or(1);
        let least = needs.iter().map(|need| need.pixels.width).min().unwrap_or(1);
        let available = match self.spec(shaped, most)?.plan(self.source.size) {
            Ok((_, plan)) => plan.fitting.output.width,
            // An exact slot keeps its promise to the screens that there are pixels for.
            Err(RenderSpecError::TooSmall(TooSmall(fitting))) if fitting.output.width >= least => {
                fitting.output.width
            }
            Err(refused) => return Err(refused.into()),
        };
        let model = match self.source.sample {
            // Any width does for an anchor: the sample knows how the picture's weight grows.
            Some(sample) => {
                let pixels = f64::from(most) * f64::from(most) / aspect;
                ByteModel { width: most, bytes: sample.weight(pixels as u64) }
            }
            None => ByteModel::provisional(aspect),
        };
        // A style sheet names files for its ranges of viewports, none for widths between them.
        let is_apart = is_apart || self.slot.holder() == Holder::Background;
        Ok(WidthLimits { aspect, available, model, is_apart })
    }

    fn width(&self, shaped: &Shaped, width: u32) -> Result<SetWidth, SetPlanError> {
        let spec = self.spec(shaped, width)?;
        let (_, plan) = spec.plan(self.source.size)?;
        Ok(SetWidth { spec, fitting: plan.fitting })
    }

    /// What decides the pixels of the file that is `width` pixels wide, as far as the picture has them.
    fn spec(&self, shaped: &Shaped, width: u32) -> Result<RenderSpec, SetPlanError> {
        let Shaped { size, aim, aspect } = *shaped;
        let fit = self.slot.fit;
        let rendered = size.rendered(fit, aspect).width;
        let usual = self.densities.iter().copied();
        let mut usual = usual.filter(|&density| needs::device_width(rendered, density) == width);
        let between = || Density::new(f64::from(width) / rendered).ok();
        let (slot, density) = match usual.next_back().or_else(between) {
            Some(density) => (SlotShape::new(size.width, size.height, fit)?, density),
            // Far from the box's own size, a box of another size says the same.
            None => {
                let factor = f64::from(width) / rendered;
                let slot = SlotShape::new(size.width * factor, size.height * factor, fit)?;
                (slot, Density::ONE)
            }
        };
        Ok(RenderSpec::new(slot, density, aim, &self.source.adjustments.edits)
            .in_colours(self.colours))
    }
}
/// What each layout width shows of the picture, the narrowest first.
fn crops(source: SetSource<'_>, slot: &Slot) -> Result<Vec<(u32, Rect)>, SetPlanError> {
    let shown = slot.boxes().iter().filter(|(_, size)| size.is_shown());
    let crop = |(&viewport, size): (&u32, &BoxSize)| {
        let shape = SlotShape::new(size.width, size.height, slot.fit)?;
        let aim = source.adjustments.crop_spec(Some((slot.id, viewport)));
        let framing = RenderSpec::new(shape, Density::ONE, aim, &source.adjustments.edits);
        Ok(framing.fitting(source.size).map(|fitting| (viewport, fitting.crop)))
    };
    shown.filter_map(|shown| crop(shown).transpose()).collect()
}

/// Where a browser that crops holds the files of a set, the narrowest viewports first; nothing where it
/// does not crop.
///
/// # Errors
/// [`SetPlanError`].
pub fn held(
    source: SetSource<'_>,
    slot: &Slot,
    cropping: Cropping,
) -> Result<Option<Vec<Held>>, SetPlanError> {
    if cropping != Cropping::Browser {
        return Ok(None);
    }
    let crops = crops(source, slot)?;
    let Some(file) = framing::union(crops.iter().map(|&(_, crop)| crop)) else { return Ok(None) };
    let held = crops
        .iter()
        .map(|&(from, crop)| Held { from, position: framing::object_position(file, crop) });
    Ok(Some(held.collect()))
}
