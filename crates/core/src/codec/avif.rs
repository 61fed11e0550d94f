//! AVIF through libavif with libaom: lossy encoding.

use std::ffi::CStr;

use libavif_sys as ffi;

use super::CodecError;
use crate::format::Format;
use crate::raster::{Channels, Raster};

/// libaom's speed: 6 is where smaller files stop being worth the wait.
const SPEED: i32 = 6;

/// Encodes `raster` as an 8-bit 4:2:0 AVIF at `quality` (1 to 100), alpha kept.
pub fn encode(raster: &Raster, quality: u8) -> Result<Vec<u8>, CodecError> {
    let image = Image::new(raster)?;
    // SAFETY: each pointer is checked before use and lives as long as the guard that frees it;
    // the encoder's fields are plain settings.
    unsafe {
        let encoder = Encoder(ffi::avifEncoderCreate());
        if encoder.0.is_null() {
            return Err(failed("out of memory"));
        }
        (*encoder.0).codecChoice = ffi::AVIF_CODEC_CHOICE_AOM;
        (*encoder.0).quality = i32::from(quality);
        (*encoder.0).qualityAlpha = i32::from(quality);
        (*encoder.0).speed = SPEED;
        // One thread each: pictures run side by side, and the bytes stay the same everywhere.
        (*encoder.0).maxThreads = 1;
        let mut output = Output(ffi::avifRWData { data: std::ptr::null_mut(), size: 0 });
        check(ffi::avifEncoderWrite(encoder.0, image.0, &mut output.0))?;
        Ok(std::slice::from_raw_parts(output.0.data, output.0.size).to_vec())
    }
}

fn failed(detail: impl ToString) -> CodecError {
    CodecError::Encode { format: Format::Avif, detail: detail.to_string() }
}

fn check(result: ffi::avifResult) -> Result<(), CodecError> {
    if result == ffi::AVIF_RESULT_OK {
        return Ok(());
    }
    // SAFETY: the library returns a static, null-terminated text for every result.
    let text = unsafe { CStr::from_ptr(ffi::avifResultToString(result)) };
    Err(failed(text.to_string_lossy()))
}

/// The library's picture, freed with it.
struct Image(*mut ffi::avifImage);

impl Image {
    fn new(raster: &Raster) -> Result<Self, CodecError> {
        let size = raster.size();
        let stride = u32::try_from(raster.stride()).map_err(failed)?;
        // SAFETY: the image is checked for null; `rgb` points at the raster's rows, which are
        // only read, and is not used after the call.
        unsafe {
            let image = Self(ffi::avifImageCreate(
                size.width,
                size.height,
                8,
                ffi::AVIF_PIXEL_FORMAT_YUV420,
            ));
            if image.0.is_null() {
                return Err(failed("out of memory"));
            }
            // sRGB, told by its code points (ITU-T H.273) since no profile is written.
            (*image.0).colorPrimaries = ffi::AVIF_COLOR_PRIMARIES_BT709 as _;
            (*image.0).transferCharacteristics = ffi::AVIF_TRANSFER_CHARACTERISTICS_SRGB as _;
            (*image.0).matrixCoefficients = ffi::AVIF_MATRIX_COEFFICIENTS_BT601 as _;
            let mut rgb = std::mem::zeroed();
            ffi::avifRGBImageSetDefaults(&mut rgb, image.0);
            rgb.depth = 8;
            rgb.format = match raster.channels() {
                Channels::Rgb => ffi::AVIF_RGB_FORMAT_RGB,
                Channels::Rgba => ffi::AVIF_RGB_FORMAT_RGBA,
            };
            rgb.pixels = raster.data().as_ptr().cast_mut();
            rgb.rowBytes = stride;
            check(ffi::avifImageRGBToYUV(image.0, &rgb))?;
            Ok(image)
        }
    }
}

impl Drop for Image {
    fn drop(&mut self) {
        if !self.0.is_null() {
            // SAFETY: created in `new` and freed once.
            unsafe { ffi::avifImageDestroy(self.0) }
        }
    }
}

struct Encoder(*mut ffi::avifEncoder);

impl Drop for Encoder {
    fn drop(&mut self) {
        if !self.0.is_null() {
            // SAFETY: created by `avifEncoderCreate` and freed once.
            unsafe { ffi::avifEncoderDestroy(self.0) }
        }
    }
}

struct Output(ffi::avifRWData);

impl Drop for Output {
    fn drop(&mut self) {
        // SAFETY: the library filled it or left it empty; freeing either is allowed.
        unsafe { ffi::avifRWDataFree(&mut self.0) }
    }
}
