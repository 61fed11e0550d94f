//! WebP through libwebp: encoding with and without loss.

use libwebp_sys as ffi;

use super::CodecError;
use super::extras::{self, Extras};
use crate::chroma::Chroma;
use crate::effort::Effort;
use crate::raster::{Channels, Raster};
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;

/// Encodes `raster` as a lossy WebP at `quality`, alpha kept, with `extras`. Colour is
/// always halved; where `chroma` says that this is seen, its edges are kept sharp.
pub fn encode(
    raster: &Raster,
    quality: Quality,
    chroma: Chroma,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let mut config = lossy(quality, chroma)?;
    if raster.is_transparent() {
        // The slowest method tries everything for alpha: two seconds a file, for 2 % of bytes more or less.
        config.method = 5;
    }
    let bytes = Canvas::import(raster)?.encode(&config)?;
    finished(bytes, raster, extras)
}

/// Encodes what is seen of `raster` without loss, with `effort` and `extras`; clear pixels get the colours that pack best.
pub fn encode_lossless(
    raster: &Raster,
    effort: Effort,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let encode = |config| Canvas::import(raster)?.encode(&config);
    let mut bytes = encode(lossless(effort)?)?;
    if effort == Effort::Full && is_worth_all(bytes.len(), raster.size()) {
        let mut config = lossless(effort)?;
        config.quality = 100.0;
        let longer = encode(config)?;
        if longer.len() < bytes.len() {
            bytes = longer;
        }
    }
    finished(bytes, raster, extras)
}

pub(super) fn lossless(effort: Effort) -> Result<ffi::WebPConfig, CodecError> {
    let mut config = configured(EFFORT)?;
    if effort == Effort::Draft {
        (config.quality, config.method) = (0.0, 0);
    }
    config.lossless = 1;
    Ok(config)
}

/// How hard the lossless encoder tries, 0 to 100. At 100 it tries every transform, for four to ten times as long.
const EFFORT: f32 = 80.0;

/// Whether trying everything saves bytes enough for its time: up to 15 % where pixels take few, hardly any where they
/// take more (docs/decisions/0034).
fn is_worth_all(bytes: usize, size: Size) -> bool {
    const MOST_BYTES: f64 = 0.25;
    const MOST_PIXELS: u64 = 2_000_000;
    let pixels = size.pixels();
    pixels <= MOST_PIXELS && bytes as f64 <= MOST_BYTES * pixels as f64
}

pub(super) fn lossy(quality: Quality, chroma: Chroma) -> Result<ffi::WebPConfig, CodecError> {
    let quality = quality.get() as f32;
    let mut config = configured(quality)?;
    // What is not faithful gains 1 to 2 % by the shaping of noise, what is loses as much (docs/decisions/0035).
    let faithful = ((quality - 80.0) / 10.0).clamp(0.0, 1.0);
    config.sns_strength = (50.0 - 25.0 * faithful).round() as i32;
    config.filter_strength = (35.0 - 15.0 * faithful).round() as i32;
    config.use_sharp_yuv = i32::from(chroma == Chroma::Full);
    Ok(config)
}

/// Less sharpness of block edges than usual and the slowest method: on the demo's pictures files
/// get 2 % smaller by the first at the same score, and 4 % by the second. `quality` is the effort where nothing is
/// lost.
fn configured(quality: f32) -> Result<ffi::WebPConfig, CodecError> {
    let preset = ffi::WebPPreset::WEBP_PRESET_DEFAULT;
    let mut config = ffi::WebPConfig::new_with_preset(preset, quality)
        .map_err(|()| failed("the library's version does not match"))?;
    config.method = 6;
    config.filter_sharpness = 6;
    Ok(config)
}

pub(super) fn finished(
    bytes: Vec<u8>,
    raster: &Raster,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    if extras.is_empty() {
        return Ok(bytes);
    }
    let Size { width, height } = raster.size();
    extras::into_webp(bytes, extras, (width, height), raster.is_transparent())
}

pub(super) fn failed(detail: impl ToString) -> CodecError {
    CodecError::Encode { format: Format::Webp, detail: detail.to_string() }
}

/// The library's picture, freed with it.
pub(super) struct Canvas(pub(super) ffi::WebPPicture);

impl Canvas {
    pub(super) fn import(raster: &Raster) -> Result<Self, CodecError> {
        let side = |length: u32| {
            i32::try_from(length).map_err(|_| failed("a side is beyond what the format holds"))
        };
        let mut canvas = Self(
            ffi::WebPPicture::new().map_err(|()| failed("the library's version does not match"))?,
        );
        canvas.0.width = side(raster.size().width)?;
        canvas.0.height = side(raster.size().height)?;
        canvas.0.use_argb = 1;
        let stride = i32::try_from(raster.stride()).map_err(failed)?;
        let import = match raster.channels() {
            Channels::Rgb => ffi::WebPPictureImportRGB,
            Channels::Rgba => ffi::WebPPictureImportRGBA,
        };
        // SAFETY: the raster holds `height` rows of `stride` bytes, which the call only reads;
        // the picture was initialised above.
        let done = unsafe { import(&mut canvas.0, raster.data().as_ptr(), stride) };
        if done == 0 { Err(failed("out of memory")) } else { Ok(canvas) }
    }

    fn encode(mut self, config: &ffi::WebPConfig) -> Result<Vec<u8>, CodecError> {
        let mut writer = Writer::new();
        self.0.writer = Some(ffi::WebPMemoryWrite);
        self.0.custom_ptr = (&raw mut writer.0).cast();
        // SAFETY: config and picture are initialised, and the writer lives until after the call.
        let done = unsafe { ffi::WebPEncode(config, &mut self.0) };
        if done == 0 {
            return Err(failed(format!("{:?}", self.0.error_code)));
        }
        Ok(writer.take())
    }
}

impl Drop for Canvas {
    fn drop(&mut self) {
        // SAFETY: initialised by `WebPPicture::new` and freed once.
        unsafe { ffi::WebPPictureFree(&mut self.0) }
    }
}

/// The library's growing buffer, freed with it.
struct Writer(ffi::WebPMemoryWriter);

impl Writer {
    fn new() -> Self {
        // SAFETY: the struct is plain data, and the call sets every field of it.
        unsafe {
            let mut writer = std::mem::zeroed();
            ffi::WebPMemoryWriterInit(&mut writer);
            Self(writer)
        }
    }

    fn take(&self) -> Vec<u8> {
        if self.0.mem.is_null() {
            return Vec::new();
        }
        // SAFETY: the library wrote `size` bytes at `mem`, which stay until the writer is freed.
        unsafe { std::slice::from_raw_parts(self.0.mem, self.0.size) }.to_vec()
    }
}

impl Drop for Writer {
    fn drop(&mut self) {
        // SAFETY: initialised in `new` and freed once.
        unsafe { ffi::WebPMemoryWriterClear(&mut self.0) }
    }
}
