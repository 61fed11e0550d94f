//! Animations: how many pictures a file holds, counted without decoding any, and the pictures.

use std::io::Cursor;

use image::AnimationDecoder;
use image::codecs::gif;

use super::CodecError;
use crate::motion::{Frame, Motion};
use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// More pictures than this are not counted: it is an animation of “10,000 or more”.
pub const MOST_FRAMES: u32 = 10_000;

/// The pictures in `data`, a file of `source`, up to [`MOST_FRAMES`]; 1 for a still one.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`] where a GIF breaks off between frames.
pub fn frames(source: SourceFormat, data: &[u8]) -> Result<u32, CodecError> {
    match source {
        SourceFormat::Gif => gif_frames(data),
        SourceFormat::Webp => Ok(webp_frames(data)),
        _ => Ok(1),
    }
}

fn gif_frames(data: &[u8]) -> Result<u32, CodecError> {
    let damaged = |error: ::gif::DecodingError| match error {
        ::gif::DecodingError::Io(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            CodecError::Truncated(SourceFormat::Gif)
        }
        other => CodecError::told(SourceFormat::Gif, other.to_string()),
    };
    let mut options = ::gif::DecodeOptions::new();
    options.skip_frame_decoding(true);
    let mut decoder = options.read_info(Cursor::new(data)).map_err(damaged)?;
    let mut frames = 0;
    while frames < MOST_FRAMES && decoder.next_frame_info().map_err(damaged)?.is_some() {
        frames += 1;
    }
    Ok(frames.max(1))
}

/// Counts the frames among the chunks of the container (RFC 9649, 2.7).
fn webp_frames(data: &[u8]) -> u32 {
    let mut rest = data.get(12..).unwrap_or_default();
    let mut frames = 0;
    while let Some((name, after)) = rest.split_first_chunk::<4>() {
        let Some((length, content)) = after.split_first_chunk::<4>() else { break };
        let length = u32::from_le_bytes(*length) as usize;
        frames += u32::from(name == b"ANMF");
        let Some(next) = content.get(length.saturating_add(length & 1)..) else { break };
        rest = next;
    }
    frames.clamp(1, MOST_FRAMES)
}

/// The frames of `data`, a GIF, each as it is shown, with alpha, so many at most, and how often they are.
///
/// # Errors
/// Those of decoding.
pub fn decode_gif(data: &[u8], most: u32) -> Result<Motion, CodecError> {
    let failed = |error: image::ImageError| CodecError::told(SourceFormat::Gif, error.to_string());
    let frames = gif::GifDecoder::new(Cursor::new(data)).map_err(failed)?.into_frames();
    let frames: Vec<Frame> = frames
        .take(most.min(MOST_FRAMES) as usize)
        .map(|frame| {
            let frame = frame.map_err(failed)?;
            let (numerator, denominator) = frame.delay().numer_denom_ms();
            let millis = (numerator / denominator.max(1)).clamp(10, 65_535) as u16;
            let pixels = frame.into_buffer();
            let size = Size::new(pixels.width(), pixels.height());
            let raster = Raster::new(size, Channels::Rgba, pixels.into_raw());
            Ok(Frame { raster, millis })
        })
        .collect::<Result<_, CodecError>>()?;
    if frames.is_empty() {
        return Err(CodecError::Truncated(SourceFormat::Gif));
    }
    Ok(Motion { frames, loops: gif_loops(data) })
}

/// How often a GIF is shown, by its application block of 1995; once where it has none.
fn gif_loops(data: &[u8]) -> u16 {
    const BLOCK: &[u8] = b"NETSCAPE2.0\x03\x01";
    let at = data.windows(BLOCK.len()).position(|part| part == BLOCK);
    let count = at.and_then(|at| data.get(at + BLOCK.len()..at + BLOCK.len() + 2));
    // The count is of repetitions.
    count.map_or(1, |count| match u16::from_le_bytes([count[0], count[1]]) {
        0 => 0,
        again => again.saturating_add(1),
    })
}

/// How often a WebP is shown, by its ANIM chunk (RFC 9649, 2.7.1.1).
pub(crate) fn webp_loops(data: &[u8]) -> u16 {
    let at = data.windows(4).position(|name| name == b"ANIM");
    let count = at.and_then(|at| data.get(at + 12..at + 14));
    count.map_or(0, |count| u16::from_le_bytes([count[0], count[1]]))
}
