//! WebP through libwebp: encoding with and without loss, and of several frames.

use libwebp_sys as ffi;

use super::CodecError;
use super::extras::{self, Extras};
use crate::chroma::Chroma;
use crate::format::Format;
use crate::geometry::Size;
use crate::motion::Motion;
use crate::raster::{Channels, Raster};

/// Encodes `raster` as a lossy WebP at `quality` (1 to 100), alpha kept, with `extras`. Colour is
/// always halved; where `chroma` says that this is seen, its edges are kept sharp.
pub fn encode(
    raster: &Raster,
    quality: u8,
    chroma: Chroma,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let bytes = Canvas::import(raster)?.encode(&lossy(quality, chroma)?)?;
    finished(bytes, raster, extras)
}

/// Encodes `raster` without loss, colours under clear pixels included, with `extras`.
pub fn encode_lossless(raster: &Raster, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let mut config = lossy(EFFORT, Chroma::Half)?;
    config.lossless = 1;
    config.exact = 1;
    let bytes = Canvas::import(raster)?.encode(&config)?;
    finished(bytes, raster, extras)
}

/// How hard the lossless encoder tries, 0 to 100: above, files get hardly smaller.
const EFFORT: u8 = 80;

/// Less shaping of noise and less smoothing of block edges than usual: on the demo's pictures files
/// get 2 % smaller so at the same score, and 4 % by the slowest method.
fn lossy(quality: u8, chroma: Chroma) -> Result<ffi::WebPConfig, CodecError> {
    let mut config =
        ffi::WebPConfig::new_with_preset(ffi::WebPPreset::WEBP_PRESET_DEFAULT, f32::from(quality))
            .map_err(|()| failed("the library's version does not match"))?;
    config.method = 6;
    config.sns_strength = 25;
    config.filter_strength = 20;
    config.filter_sharpness = 6;
    config.use_sharp_yuv = i32::from(chroma == Chroma::Full);
    Ok(config)
}

fn finished(bytes: Vec<u8>, raster: &Raster, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    if extras.is_empty() {
        return Ok(bytes);
    }
    let Size { width, height } = raster.size();
    extras::into_webp(&bytes, extras, (width, height), raster.is_transparent())
}

/// Encodes `motion` as an animated WebP at `quality` (1 to 100), with `extras`; frames keep what
/// did not change.
pub fn encode_motion(motion: &Motion, quality: u8, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let size = motion.size();
    let side = |length: u32| i32::try_from(length).map_err(failed);
    let config = lossy(quality, Chroma::for_video_codecs(&motion.frames[0].raster))?;
    // SAFETY: options and data are initialised by the library's own calls; the encoder is checked
    // for null and freed with its guard; each frame is only read.
    unsafe {
        let mut options = std::mem::zeroed();
        if ffi::WebPAnimEncoderOptionsInitInternal(&mut options, abi()) == 0 {
            return Err(failed("the library's version does not match"));
        }
        options.anim_params.loop_count = motion.loops.into();
        options.allow_mixed = 1;
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
            extras::tell_of_alpha(&mut bytes);
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

fn failed(detail: impl ToString) -> CodecError {
    CodecError::Encode { format: Format::Webp, detail: detail.to_string() }
}

/// The library's picture, freed with it.
struct Canvas(ffi::WebPPicture);

impl Canvas {
    fn import(raster: &Raster) -> Result<Self, CodecError> {
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
