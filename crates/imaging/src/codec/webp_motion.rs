//! WebP of several frames through libwebp: encoding, and decoding to what is shown.

use libwebp_sys as ffi;

use super::CodecError;
use super::extras::{self, Extras};
use super::webp::{Canvas, failed, finished, lossless, lossy};
use crate::chroma::Chroma;
use crate::effort::Effort;
use crate::motion::{Frame, Motion};
use crate::raster::{Channels, Raster};
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::source_format::SourceFormat;

/// Encodes `motion` as an animated WebP at `quality`, or without loss where there is
/// none, with `extras`; frames keep what did not change.
pub fn encode(
    motion: &Motion,
    quality: Option<Quality>,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let size = motion.size();
    let side = |length: u32| i32::try_from(length).map_err(failed);
    let config = match quality {
        Some(quality) => lossy(quality, Chroma::for_webp(&motion.frames[0].raster))?,
        None => lossless(Effort::Full)?,
    };
    // SAFETY: options and data are initialised by the library's own calls; the encoder is checked
    // for null and freed with its guard; each frame is only read.
    unsafe {
        let mut options = std::mem::zeroed();
        if ffi::WebPAnimEncoderOptionsInitInternal(&mut options, abi()) == 0 {
            return Err(failed("the library's version does not match"));
        }
        options.anim_params.loop_count = motion.loops.into();
        options.allow_mixed = i32::from(quality.is_some());
        let encoder =
            ffi::WebPAnimEncoderNewInternal(side(size.width)?, side(size.height)?, &options, abi());
        if encoder.is_null() {
            return Err(failed("out of memory"));
        }
        let encoder = AnimEncoder(encoder);
        let mut time = 0;
        for frame in &motion.frames {
            let mut canvas = Canvas::import(&frame.raster)?;
            encoder.told(ffi::WebPAnimEncoderAdd(encoder.0, &mut canvas.0, time, &config))?;
            time = time.saturating_add(i32::from(frame.millis));
        }
        // The end of the last frame.
        let none = std::ptr::null_mut();
        encoder.told(ffi::WebPAnimEncoderAdd(encoder.0, none, time, std::ptr::null()))?;
        let mut output = Data(ffi::WebPData::default());
        encoder.told(ffi::WebPAnimEncoderAssemble(encoder.0, &mut output.0))?;
        let mut bytes = std::slice::from_raw_parts(output.0.bytes, output.0.size).to_vec();
        if motion.frames.iter().any(|frame| frame.raster.is_transparent()) {
            bytes = extras::tell_of_alpha(bytes)?;
        }
        finished(bytes, &motion.frames[0].raster, extras)
    }
}

fn abi() -> i32 {
    ffi::WebPGetMuxABIVersion()
}

/// The library's encoder of frames, freed with it.
struct AnimEncoder(*mut ffi::WebPAnimEncoder);

impl AnimEncoder {
    fn told(&self, done: i32) -> Result<(), CodecError> {
        if done != 0 {
            return Ok(());
        }
        // SAFETY: the library keeps a null-terminated text for as long as the encoder lives.
        let text = unsafe { std::ffi::CStr::from_ptr(ffi::WebPAnimEncoderGetError(self.0)) };
        Err(failed(text.to_string_lossy()))
    }
}

impl Drop for AnimEncoder {
    fn drop(&mut self) {
        // SAFETY: created once and freed once.
        unsafe { ffi::WebPAnimEncoderDelete(self.0) }
    }
}

/// Bytes of the library, freed with it.
struct Data(ffi::WebPData);

impl Drop for Data {
    fn drop(&mut self) {
        // SAFETY: filled by the library or empty; freeing either is allowed.
        unsafe { ffi::WebPDataClear(&mut self.0) }
    }
}

/// The frames of `data`, at most `most`, each as it is shown.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn decode(data: &[u8], most: u32) -> Result<Vec<Frame>, CodecError> {
    // SAFETY: options are initialised by the library's own call; the decoder reads `data` while it
    // lives, is checked for null and freed with its guard; each frame's pixels are copied before
    // the next call.
    unsafe {
        let mut options = std::mem::zeroed();
        if ffi::WebPAnimDecoderOptionsInit(&mut options) == 0 {
            return Err(damaged(data));
        }
        let file = ffi::WebPData { bytes: data.as_ptr(), size: data.len() };
        let decoder = AnimDecoder(ffi::WebPAnimDecoderNew(&file, &options));
        if decoder.0.is_null() {
            return Err(damaged(data));
        }
        let mut info = std::mem::zeroed();
        if ffi::WebPAnimDecoderGetInfo(decoder.0, &mut info) == 0 {
            return Err(damaged(data));
        }
        let size = Size::new(info.canvas_width, info.canvas_height);
        let length = size.pixels() as usize * Channels::Rgba.count();
        let (mut frames, mut start) = (Vec::new(), 0);
        while frames.len() < most as usize && ffi::WebPAnimDecoderHasMoreFrames(decoder.0) != 0 {
            let (mut pixels, mut end) = (std::ptr::null_mut(), 0);
            if ffi::WebPAnimDecoderGetNext(decoder.0, &mut pixels, &mut end) == 0 {
                return Err(damaged(data));
            }
            let pixels = std::slice::from_raw_parts(pixels, length).to_vec();
            let millis = (end - start).clamp(10, 65_535) as u16;
            frames.push(Frame { raster: Raster::new(size, Channels::Rgba, pixels), millis });
            start = end;
        }
        Ok(frames)
    }
}

/// The library does not tell; the container says how long it should be (RFC 9649, 2.4).
fn damaged(data: &[u8]) -> CodecError {
    let told = data.get(4..8).and_then(|length| length.try_into().ok()).map(u32::from_le_bytes);
    if told.is_some_and(|length| u64::from(length) + 8 > data.len() as u64) {
        return CodecError::Truncated(SourceFormat::Webp);
    }
    CodecError::Damaged { format: SourceFormat::Webp, detail: "a frame cannot be read".to_owned() }
}

/// The library's decoder of frames, freed with it.
struct AnimDecoder(*mut ffi::WebPAnimDecoder);

impl Drop for AnimDecoder {
    fn drop(&mut self) {
        // SAFETY: created once and freed once; freeing null is allowed.
        unsafe { ffi::WebPAnimDecoderDelete(self.0) }
    }
}
