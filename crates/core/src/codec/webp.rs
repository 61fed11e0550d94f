//! WebP through libwebp: lossy encoding.

use libwebp_sys as ffi;

use super::CodecError;
use crate::format::Format;
use crate::raster::{Channels, Raster};

/// Encodes `raster` as a lossy WebP at `quality` (1 to 100), alpha kept.
pub fn encode(raster: &Raster, quality: u8) -> Result<Vec<u8>, CodecError> {
    let mut config =
        ffi::WebPConfig::new_with_preset(ffi::WebPPreset::WEBP_PRESET_DEFAULT, f32::from(quality))
            .map_err(|()| failed("the library's version does not match"))?;
    config.method = 4;
    // Colour edges stay sharp when chroma is halved.
    config.use_sharp_yuv = 1;
    Canvas::import(raster)?.encode(&config)
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
