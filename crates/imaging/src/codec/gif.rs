//! GIF: writing, in at most 256 colours a frame.

use std::borrow::Cow;

use gif::{DisposalMethod, Encoder, Repeat};

use super::CodecError;
use crate::motion::{Frame, Motion};
use crate::palette::Reduced;
use crate::raster::{Channels, Raster};
use brisk_margin_core::encoding::{Dithering, Palette, PaletteSize};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::{Rect, Size};

/// Encodes a still picture; what is half transparent or less becomes clear.
pub fn encode(raster: &Raster) -> Result<Vec<u8>, CodecError> {
    let frame = Frame { raster: raster.clone(), millis: 0 };
    encode_motion(&Motion { frames: vec![frame], loops: 1 })
}

/// Encodes `motion`; frames hold only what changed where every pixel is opaque.
pub fn encode_motion(motion: &Motion) -> Result<Vec<u8>, CodecError> {
    let Size { width, height } = motion.size();
    let side = |length: u32| u16::try_from(length).map_err(failed);
    let mut file = Vec::new();
    let mut encoder = Encoder::new(&mut file, side(width)?, side(height)?, &[]).map_err(failed)?;
    match motion.loops {
        0 => encoder.set_repeat(Repeat::Infinite),
        1 => Ok(()),
        times => encoder.set_repeat(Repeat::Finite(times - 1)),
    }
    .map_err(failed)?;
    let opaque = motion.frames.iter().all(|frame| frame.raster.channels() == Channels::Rgb);
    let mut before: Option<&Raster> = None;
    for frame in &motion.frames {
        let part = match before {
            Some(before) if opaque => changed(before, &frame.raster),
            _ => Part::whole(&frame.raster),
        };
        encoder.write_frame(&part.frame(frame.millis, opaque)?).map_err(failed)?;
        before = Some(&frame.raster);
    }
    drop(encoder);
    Ok(file)
}

/// What a frame writes: a rectangle of the picture, clear where nothing changed.
struct Part {
    place: Rect,
    raster: Raster,
}

impl Part {
    fn whole(raster: &Raster) -> Self {
        Self { place: Rect::whole(raster.size()), raster: cleared(raster) }
    }

    fn frame(&self, millis: u16, keeps: bool) -> Result<gif::Frame<'static>, CodecError> {
        let palette = Palette { colours: PaletteSize::MOST, dithering: Dithering::On };
        let reduced = Reduced::new(&self.raster, palette);
        let clear = reduced.palette().iter().position(|colour| colour[3] == 0);
        let palette: Vec<u8> =
            reduced.palette().iter().flat_map(|colour| colour[..3].to_vec()).collect();
        let side = |length: u32| u16::try_from(length).map_err(failed);
        Ok(gif::Frame {
            delay: millis / 10,
            dispose: if keeps { DisposalMethod::Keep } else { DisposalMethod::Background },
            transparent: clear.map(|index| index as u8),
            left: side(self.place.x)?,
            top: side(self.place.y)?,
            width: side(self.place.width)?,
            height: side(self.place.height)?,
            palette: Some(palette),
            buffer: Cow::Owned(reduced.indices().to_vec()),
            ..gif::Frame::default()
        })
    }
}

/// `raster` with each pixel opaque or clear.
fn cleared(raster: &Raster) -> Raster {
    let mut raster = raster.clone();
    if raster.channels() == Channels::Rgba {
        for pixel in raster.data_mut().chunks_exact_mut(4) {
            pixel[3] = if pixel[3] > 127 { 255 } else { 0 };
        }
    }
    raster
}

/// The part of `now` that differs from `before`, clear where it does not; a single clear pixel
/// where nothing does.
fn changed(before: &Raster, now: &Raster) -> Part {
    let width = now.size().width as usize;
    let pixels = || before.data().chunks_exact(3).zip(now.data().chunks_exact(3)).enumerate();
    let (mut left, mut top, mut right, mut bottom) = (u32::MAX, u32::MAX, 0, 0);
    for (n, _) in pixels().filter(|(_, (a, b))| a != b) {
        let (x, y) = ((n % width) as u32, (n / width) as u32);
        (left, right) = (left.min(x), right.max(x + 1));
        (top, bottom) = (top.min(y), bottom.max(y + 1));
    }
    let place = match right {
        0 => Rect { x: 0, y: 0, width: 1, height: 1 },
        _ => Rect { x: left, y: top, width: right - left, height: bottom - top },
    };
    let (old, new) = (before.crop(place), now.crop(place));
    let data = old
        .data()
        .chunks_exact(3)
        .zip(new.data().chunks_exact(3))
        .flat_map(|(a, b)| if a == b { [0; 4] } else { [b[0], b[1], b[2], 255] });
    let raster = Raster::new(place.size(), Channels::Rgba, data.collect());
    Part { place, raster }
}

fn failed(detail: impl ToString) -> CodecError {
    CodecError::Encode { format: Format::Gif, detail: detail.to_string() }
}
