//! Masters: the square of a picture that icons are made of.

use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use thiserror::Error;

use super::figure::Figure;
use super::with_alpha;
use crate::codec::CodecError;
use crate::original::Original;
use crate::raster::Raster;
use crate::render::render;
use crate::resize::{Region, resize};

/// Pixels of a side that a master is worked on with: twice the largest icon.
const SIDE: u32 = 1_024;

/// A master: a square with alpha, and what is known of it.
#[derive(Debug, Clone)]
pub struct Master {
    pixels: Raster,
    figure: Figure,
    source_side: Option<u32>,
    drawing: Option<MasterDrawing>,
}

/// A master that is a drawing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MasterDrawing {
    /// Cleaned, and in few bytes.
    pub text: String,
    /// Its own size.
    pub size: Size,
    /// The square of it that is shown, in pixels of its own size.
    pub square: Rect,
}

/// Why no icons are made of a picture.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum MasterError {
    /// Nothing of it is seen.
    #[error("the picture is transparent all over; choose another one, or another part of it")]
    Transparent,
    /// It has one colour.
    #[error("the picture has one colour and no mark; choose another one, or another part of it")]
    OneColour,
    /// It cannot be read.
    #[error(transparent)]
    Codec(#[from] CodecError),
}

impl MasterError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        matches!(self, Self::Codec(error) if error.is_transient())
    }
}

impl Master {
    /// The part `square` of `original`, in pixels of the upright picture; of one that moves its first frame.
    ///
    /// # Errors
    /// [`MasterError`].
    pub fn read(original: &Original<'_>, square: Rect) -> Result<Self, MasterError> {
        let facts = original.facts();
        let is_drawing = facts.format == SourceFormat::Svg;
        let side = if is_drawing { SIDE } else { square.width.min(SIDE) };
        let output = Size::new(side, side);
        let fitting = Fitting { crop: square, ..Fitting::whole(facts.size, output) };
        let pixels = with_alpha(render(original, &fitting)?);
        let drawing = match is_drawing {
            true => {
                let text = original.drawing()?;
                Some(MasterDrawing { text, size: facts.size, square })
            }
            false => None,
        };
        Self::of(pixels, (!is_drawing).then_some(square.width), drawing)
    }

    /// A master of `pixels`, a square with alpha.
    ///
    /// # Errors
    /// [`MasterError`] where there is nothing to be seen on it.
    pub(super) fn of(
        pixels: Raster,
        source_side: Option<u32>,
        drawing: Option<MasterDrawing>,
    ) -> Result<Self, MasterError> {
        let mut visible = pixels.data().chunks_exact(4).filter(|pixel| pixel[3] > 8);
        let first = visible.next().ok_or(MasterError::Transparent)?;
        let is_other = |pixel: &[u8]| pixel.iter().zip(first).any(|(a, b)| a.abs_diff(*b) > 8);
        let is_even = !pixels.data().chunks_exact(4).any(is_other);
        if is_even {
            return Err(MasterError::OneColour);
        }
        let figure = Figure::of(&pixels);
        Ok(Self { pixels, figure, source_side, drawing })
    }

    /// Pixels of a side that the picture has there; nothing of a drawing, which has as many as one likes.
    pub const fn source_side(&self) -> Option<u32> {
        self.source_side
    }

    /// What it is as a drawing; nothing where it is none.
    pub const fn drawing(&self) -> Option<&MasterDrawing> {
        self.drawing.as_ref()
    }

    /// Its mark, told from its ground.
    pub const fn figure(&self) -> &Figure {
        &self.figure
    }

    /// The memory that it takes: its pixels, and how much of each belongs to its mark.
    pub fn memory(&self) -> Bytes {
        let drawing = self.drawing.as_ref().map_or(0, |drawing| drawing.text.len() as u64);
        Bytes(self.pixels.size().pixels() * 8 + drawing)
    }

    /// Its pixels, a square with alpha.
    pub const fn pixels(&self) -> &Raster {
        &self.pixels
    }

    /// All of it at `side` px, as any program scales pictures.
    pub fn at(&self, side: u32) -> Raster {
        resize(&self.pixels, Region::whole(self.pixels.size()), Size::new(side, side))
    }

    /// The square `part` of it at `side` px.
    pub(super) fn part(&self, part: Region, side: u32) -> Raster {
        resize(&self.pixels, part, Size::new(side, side))
    }
}
