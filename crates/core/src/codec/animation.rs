//! Animations: how many pictures a file holds, counted without decoding any.

use std::io::Cursor;

use super::CodecError;
use crate::source::Source;

/// More pictures than this are not counted: it is an animation of “10,000 or more”.
pub const MOST_FRAMES: u32 = 10_000;

/// The pictures in `data`, a file of `source`, up to [`MOST_FRAMES`]; 1 for a still one.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`] where a GIF breaks off between frames.
pub fn frames(source: Source, data: &[u8]) -> Result<u32, CodecError> {
    match source {
        Source::Gif => gif_frames(data),
        Source::Webp => Ok(webp_frames(data)),
        _ => Ok(1),
    }
}

fn gif_frames(data: &[u8]) -> Result<u32, CodecError> {
    let damaged = |error: gif::DecodingError| match error {
        gif::DecodingError::Io(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
            CodecError::Truncated(Source::Gif)
        }
        other => CodecError::told(Source::Gif, other.to_string()),
    };
    let mut options = gif::DecodeOptions::new();
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
